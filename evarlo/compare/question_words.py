"""The plain sentence of each question that only arises in some trials."""

from __future__ import annotations

from django.utils.html import escape, format_html, format_html_join
from django.utils.safestring import SafeString

from evarlo.compare.alike import Alike, Choice
from evarlo.compare.analysis import Comparison
from evarlo.compare.checks import EveryCheck
from evarlo.compare.early import Sign
from evarlo.compare.kinds import Kinds
from evarlo.compare.places import PlacesFound
from evarlo.compare.running import Running
from evarlo.compare.together import Together
from evarlo.compare.words import MAYBE, SURE, figure, listed
from evarlo.ui.templatetags.ui import p_value
from evarlo.ui.words import fixed, number_word
from trialcore.inference.joint import Turn

MOST_NAMED = 5


def _named(names: list[str]) -> SafeString:
    shown = [format_html("<strong>{}</strong>", n) for n in names[:MOST_NAMED]]
    return listed([*shown, *([format_html("{} more", len(names) - MOST_NAMED)] if len(names) > MOST_NAMED else [])])


def checks_in_words(found: Comparison | None, every: EveryCheck | None) -> SafeString:
    """Who stands above all checks, and who above some."""
    if found is None or every is None:
        return SafeString("This trial has one check, or too little is known of the others to set entries against them.")
    checks = number_word(len(every.checks)).lower() if len(every.checks) != 2 else "both"
    what = f"{'all ' if len(every.checks) > 2 else ''}{checks} checks"
    above, below = ([r.result.name for r in every.rows if r.all_of_them == side] for side in (1, -1))
    some = [r.result.name for r in every.rows if r.all_of_them == 0 and any(c and c.side == 1 for c in r.cells)]
    said = []
    if above:
        said.append(format_html("{} {} above {}.", _named(above), "is" if len(above) == 1 else "are", what))
    else:
        said.append(format_html("No entry is surely above {}.", what))
    if some:
        said.append(format_html("{} {} one of them, not all.", _named(some), "beats" if len(some) == 1 else "beat"))
    if below:
        said.append(format_html("{} {} below {}.", _named(below), "is" if len(below) == 1 else "are", what))
    return format_html_join(" ", "{}", ((s,) for s in said))


def places_in_words(found: Comparison, there: PlacesFound | None) -> SafeString:
    """Whether entries keep their side of the check from place to place."""
    if there is None:
        return SafeString("This trial stands in one place, or too few plots have a value in the others.")
    names = {r.entry.code: r.name for r in found.results}
    if there.crossing:
        first = there.crossing[0]
        ends = [(w, there.within[first.entry, w].difference.estimate) for w in first.where]
        better, worse = sorted(ends, key=lambda end: -found.sign * end[1])
        said = format_html(
            "<strong>{}</strong> is better than {} in {} ({}) and worse in {} ({}): over all this cancels out.",
            names[first.entry],
            found.check_name,
            better[0],
            _signed(better[1], found),
            worse[0],
            _signed(worse[1], found),
        )
        more = list(dict.fromkeys(names[c.entry] for c in there.crossing if c.entry != first.entry))
        if more:
            said = format_html("{} So {} {}.", said, "does" if len(more) == 1 else "do", _named(more))
        return said
    depends = there.depends
    if depends is None:
        return SafeString("Too few entries stand everywhere to tell whether they keep their order.")
    if depends.p < SURE:
        return format_html(
            "Entries answer differently to the place (p {}), though none surely changes sides against {}: read them by place.",
            p_value(depends.p),
            found.check_name or "the check",
        )
    if depends.p < MAYBE:
        return format_html("Entries may answer differently to the place (p {}); another season would tell.", p_value(depends.p))
    return format_html(
        "Nothing shows that entries answer differently to the place (p {}): they can be read over all.", p_value(depends.p)
    )


def _signed(value: float, found: Comparison) -> str:
    return f"{'+' if value > 0 else '−'}{figure(abs(value), found)}"


def alike_in_words(found: Comparison | None, by: Choice | None, made: Alike | str | None) -> SafeString:
    """What making plots alike would change, and whether it may be done."""
    if found is None or by is None or made is None:
        return SafeString("Nothing else was recorded of these plots that they could be made alike in.")
    if isinstance(made, str):
        return format_html("Plots cannot be made alike in {}: {}", by.name.lower(), f"{made[0].lower()}{made[1:]}")
    name = by.name.lower()
    if not made.tells:
        return format_html(
            "Plots with more of {} do not surely have more or less of {} (p {}): making them alike adds only noise.",
            name,
            found.trait.name.lower(),
            p_value(made.worked.slope_p),
        )
    gain = made.worked.efficiency or 1.0
    worth = format_html(" It is worth {} % more plots.", f"{100 * (gain - 1):.0f}") if gain > 1.05 else SafeString("")
    if not made.changed:
        return format_html("With {} alike every entry stands as it does.{}", name, worth)
    return format_html("With {} alike {}.{}", name, _changes([(r.name, r.stands) for r in made.changed]), worth)


def _changes(changed: list[tuple[str, int]]) -> SafeString:
    """Who would stand otherwise, those who would stand alike together."""
    words = ((1, "ahead of the check"), (0, "no longer apart from it"), (-1, "behind it"))
    said = []
    for stands, how in words:
        names = [name for name, to in changed if to == stands]
        if names:
            said.append(format_html("{} would be {}", _named(names), how))
    return format_html_join("; ", "{}", ((part,) for part in said))


def caused_in_words(made: Alike) -> str:
    """Why making alike may be wrong."""
    p = made.worked.entries_differ_p
    return (
        f"The entries themselves differ in {made.by.name.lower()} (p {p_value(p)}). Where that comes from the cultivar, as a weak "
        "stand from weak seed or a late yield from a late plant, making plots alike takes away a part of what the entry is. Go by "
        "it only where the difference came from outside: sowing, slugs, a washed-out row."
    )


def slope_in_words(found: Comparison, made: Alike) -> str:
    """The slope with its error."""
    w = made.worked
    unit = found.trait.shown_unit
    per = "each day" if made.by.unit == "days" else "each unit"
    return f"{'+' if w.slope > 0 else '−'}{fixed(abs(w.slope), 3)} ± {fixed(w.slope_se, 3)} {unit} for {per} more".replace(
        "  ", " "
    )


def together_in_words(made: Together | None) -> SafeString:
    """How near the others are, and the nearest weight that would change who leads."""
    if made is None:
        return SafeString("No criterion has figures of two entries and the check yet, so there is nothing to weigh.")
    if not made.turns:
        return SafeString("No single weight changes who leads.")
    turn = made.turns[0]
    name = next(c.trait.name for c in made.criteria if c.trait.key == turn.trait)
    now = next(w for c, w in zip(made.criteria, made.weights, strict=True) if c.trait.key == turn.trait)
    said = "<strong>{}</strong> would lead if {} weighed {} instead of {}."
    return format_html(said, turn.winner, name.lower(), fixed(turn.weight, 1), fixed(now, 1))


def turn_in_words(turn: Turn | None) -> str:
    """The weight of one criterion at which another entry would lead."""
    return f"At {fixed(turn.weight, 1)} {turn.winner} would lead." if turn else "No weight of it changes who leads."


HALVES = ("", "half a", "one", "one and a half", "two", "two and a half", "three", "three and a half", "four")
MOST_TIMES = 4.25


def running_in_words(found: Comparison | None, made: Running | str) -> SafeString:
    """Whether the ground is to be taken out, what that is worth, and whom it moves."""
    if found is None:
        return SafeString("No trait has a record yet.")
    if isinstance(made, str):
        return SafeString(escape(made))
    if not made.worked.runs:
        said = "The ground need not be taken out: blocks describe it {} as correlated neighbours do; more would only add noise."
        return format_html(said, "nearly as well" if made.worked.gap > 0 else "as well")
    moved = [r for r in made.rows if r.by_blocks[3] != r.without[3]]
    said = format_html("The ground runs: neighbouring plots are alike. Taking that out is worth {}.", _worth(made))
    if not moved:
        return format_html("{} Every entry stands as it does by its blocks.", said)
    return format_html("{} {}.", said, _changes([(r.result.name, r.without[3]) for r in moved]))


def _worth(made: Running) -> str:
    """Blocks in halves, as one would plan them; or times as many, where it is many."""
    more = made.more_blocks
    halves = round(2 * more)
    if halves < 1:
        return "less than half a block"
    if made.worked.worth > MOST_TIMES or halves >= len(HALVES):
        return f"{made.worked.worth:.1f} times as many blocks"
    return f"{HALVES[halves]} more {'block' if halves <= 2 else 'blocks'}"


TELLING = 0.5  # a correlation from which on something is called telling


def early_in_words(found: Comparison | None, signs: list[Sign]) -> SafeString:
    """The most telling early sign, how sure that is, and what deciding by it would have cost."""
    if found is None or not signs:
        return SafeString("Nothing was walked before this was recorded, in enough entries to tell what it foretold.")
    best = signs[0]
    when = f" {fixed(best.days, 0)} days from sowing" if best.days is not None else ""
    name = f"{best.trait.name}{f', round {best.number},' if best.number > 1 else ''}"
    trials = f"{number_word(best.told.trials).lower()} {'trial' if best.told.trials == 1 else 'trials'}"
    interval = f"{fixed(best.told.lower95, 2)} to {fixed(best.told.upper95, 2)}"
    if best.told.lower95 <= 0:
        said = "Nothing seen early surely foretold {}: the most telling, {}{}, correlates {} ({}) over {}."
        return format_html(said, found.trait.name.lower(), name.lower(), when, fixed(best.told.correlation, 2), interval, trials)
    much = "well" if best.told.correlation >= TELLING else "a little"
    said = "<strong>{}</strong>{} foretold {} {}: correlation {} ({}) over {}. Deciding by it then would have cost {} on average."
    cost = figure(best.told.cost, found) if best.told.cost > 0 else "nothing"
    return format_html(said, name, when, found.trait.name.lower(), much, fixed(best.told.correlation, 2), interval, trials, cost)


def kinds_in_words(made: Kinds | None) -> SafeString:
    """Whether entries differ in kind, and which are all of one."""
    if made is None:
        return SafeString("No plot has a kind on record yet.")
    name = made.trait.name.lower()
    if made.worked.p is None:
        return format_html("Every plot is of one kind, or only one entry is recorded: nothing to tell apart in {}.", name)
    if made.worked.p >= SURE:
        return format_html("Entries do not surely differ in {} (p {}).", name, p_value(made.worked.p))
    one = [(entry_name, cells) for _, entry_name, cells in made.rows if sum(n > 0 for n, _ in cells) == 1]
    said = format_html("Entries differ in {} (p {}).", name, p_value(made.worked.p))
    if not one:
        return said
    parts = []
    for i, kind in enumerate(made.worked.classes):
        names = [entry_name for entry_name, cells in one if cells[i][0]]
        if names:
            parts.append(format_html("{} {} {} in every plot", _named(names), "is" if len(names) == 1 else "are", kind))
    return format_html("{} {}.", said, format_html_join("; ", "{}", ((part,) for part in parts)))
