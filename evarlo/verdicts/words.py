"""Reasons for a verdict, in words."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from django.utils.html import format_html
from django.utils.safestring import SafeString

from evarlo.compare.words import listed
from evarlo.trials.models import Criterion
from evarlo.trials.registry import Judging
from evarlo.ui.words import counted, number_word
from evarlo.verdicts.seasons import Year
from trialcore.inference.another_season import Outlook
from trialcore.inference.verdict import Dropping, Ground, Reason, Rule, Verdict

if TYPE_CHECKING:
    from evarlo.verdicts.board import Board

LIKELY = 0.8  # from which on something is called likely


def reason_in_words(reason: Reason, criteria: Sequence[Criterion], rule: Rule) -> str:
    """One plain sentence with the chance it rests on."""
    asked = percent(rule.allowed_better)
    trait = reason.criterion.lower() if not reason.criterion[:2].isupper() else reason.criterion
    chance = "" if reason.chance is None else percent(reason.chance)
    matters = next((f"{c.matters:g} {c.trait.shown_unit}".strip() for c in criteria if c.trait.name == reason.criterion), "")
    must = next((c.must_in_words for c in criteria if c.trait.name == reason.criterion), "")
    chance_of = reason.chance or 0.0
    again = " in two seasons running" if rule.dropping == Dropping.TWO_BAD else ""
    likely = "likely" if chance_of >= LIKELY else "more likely than not" if chance_of > 0.5 else "as likely as not"
    return {
        Ground.NO_FIGURE: f"There is no figure for {trait}, so it cannot be judged.",
        Ground.NO_ERROR: f"{trait[:1].upper()}{trait[1:]} has a figure, but too few plots to say how sure it is.",
        Ground.KNOCKED_OUT: f"Fails what it must have in {trait}, {must}: chance {chance}.",
        Ground.MAY_FAIL: f"Good, but {likely} to fail what it must have in {trait}, {must}: chance {chance}.",
        Ground.BETTER: f"Ahead of the check in {trait}: chance {chance}.",
        Ground.BETTER_BUT_SMALL: f"Ahead in {trait} (chance {chance}), but by less than the {matters} that matters.",
        Ground.WORSE: f"Behind the check in {trait}: chance {chance}.",
        Ground.WORSE_ELSEWHERE: f"Worse in {trait} by more than the {matters} that matters: chance {chance}.",
        Ground.HELD_BACK: f"Good, but {likely} worse in {trait} by more than {matters}: chance {chance}.",
        Ground.NOT_SURE_YET: f"Not sure enough yet in {trait}: chance {chance}, and {asked} is asked for.",
        Ground.FRESH_PROMISES_MORE: f"A new entry would promise more in {trait} (chance {chance}).",
        Ground.ROOM_FIRST: (
            f"May be better in {trait} (chance {chance}), but a new entry would promise more: retest where there is room."
        ),
        Ground.BEHIND_AGAIN: f"Behind the check in {trait}{again}: the programme drops such (chance to be better {chance}).",
        Ground.CONFOUNDED: f"{reason.criterion}: no figure can tell that from the cultivar.",
        Ground.COULD_BE_LUCK: f"The difference in {trait} could be luck: chance of being better {chance}.",
    }[reason.ground]


def percent(chance: float) -> str:
    """A chance in percent, never rounded to certainty."""
    if chance > 0.995:
        return "over 99 %"
    if chance < 0.005:
        return "under 1 %"
    return f"{100 * chance:.0f} %"


SPOILT = (Ground.KNOCKED_OUT, Ground.WORSE_ELSEWHERE)


def best_bet_in_words(board: Board) -> SafeString:
    """Whom to take if one must choose today, apart from any verdict and of those that nothing else rules out; empty where chances
    are flat."""
    leading = board.leading
    if leading is None or leading.honest is None:
        return SafeString("")
    out = {x.entry.pk for x in board.lines if x.suggestion and any(r.ground in SPOILT for r in x.suggestion.reasons)}
    promising = [r for r in leading.results if r.kept is not None and r.entry.pk not in out]
    if not promising or (promising[0].kept or 0.0) <= 0:
        return format_html("If you must choose now: stay with {}. No entry is expected to keep a lead over it.", leading.check_name)
    best = promising[0]
    said = "If you must choose now: <strong>{}</strong>, {} that it beats {} in {}. That is a bet, not a recommendation."
    return format_html(said, best.name, percent(best.chance or 0.0), leading.check_name, leading.trait.name.lower())


def years_in_words(years: Sequence[Year]) -> str:
    """What earlier seasons said of an entry: the last thing first, since that is what would be forgotten."""
    told = [y for y in years if y.verdict or y.check]
    if not told:
        return ""
    last = told[-1]
    if last.check:
        return f"The check in {last.trial}."
    past = {"recommend": "Recommended", "retest": "Retested", "drop": "Dropped"}
    some = "".join(f"; for {whom}: {verdict}" for whom, verdict in last.whom)
    said = f"{past[last.verdict]} after {last.trial}{some}"
    dropped = sum(y.verdict == Verdict.DROP for y in told)
    if last.verdict == Verdict.DROP and dropped > 1:
        said += f", the {('second', 'third', 'fourth')[min(dropped, 4) - 2]} time"
    return f"{said}."


def outlook_in_words(outlook: Outlook) -> tuple[str, str]:
    """What another season would most likely bring: a chance, and in a few words of what."""
    if outlook.settled < 0.5:
        return percent(1 - outlook.settled), "still open"
    if outlook.recommend >= outlook.drop:
        return percent(outlook.recommend), "recommend"
    return percent(outlook.drop), "drop"


def retests_in_words(board_lines: Sequence[tuple[str, Outlook]], blocks: int, sites: int) -> SafeString:
    """Which retests are worth their ground, in one sentence; empty where nothing is to be retested."""
    if not board_lines:
        return SafeString("")
    settle = [name for name, o in board_lines if o.settled >= 0.5]
    still = [name for name, o in board_lines if o.settled < 0.5]
    where = counted(blocks, "block") + (f" at {counted(sites, 'site')}" if sites > 1 else "")
    many = number_word(len(board_lines))
    if not settle and len(board_lines) == 1:
        return format_html("Another season with {} would more likely than not leave <strong>{}</strong> open.", where, still[0])
    if not settle:
        return format_html("Another season with {} would settle none of {} retests more likely than not.", where, many.lower())
    told = listed([format_html("<strong>{}</strong>", s) for s in settle[:6]])
    rest = format_html("; {} would still be open", listed([format_html("{}", s) for s in still[:4]])) if still else ""
    if len(board_lines) == 1:
        return format_html("Another season with {} would more likely than not settle {}.", where, told)
    if not still:
        return format_html("Another season with {} would more likely than not settle each of them: {}.", where, told)
    return format_html(
        "Of {} retests, {} with {} would more likely than not be settled: {}{}.",
        many.lower(),
        number_word(len(settle)).lower(),
        where,
        told,
        rest,
    )


def counts_in_words(counted_by: Mapping[str, int]) -> str:
    """How many stand under each verdict: “Two to recommend, four to retest, five to drop.”"""
    parts = [f"{number_word(n).lower()} to {verdict}" for verdict, n in counted_by.items() if n]
    if not parts:
        return "No entry has a verdict yet."
    said = ", ".join(parts)
    return f"{said[0].upper()}{said[1:]}."


def held_to_in_words(judging: Judging) -> list[tuple[str, str]]:
    """The rule behind the suggestions, a sentence a verdict."""
    rule = judging.rule
    kept = "" if rule.flat else ", expected to keep a lead of at least what matters"
    bar = percent(rule.sure_better if rule.flat else rule.allowed_better).removesuffix(" %")
    chance = (
        "The chance goes by this season alone."
        if rule.flat
        else "The chance allows for the best of many looking better than it is, and holds the signed seasons of the check."
    )
    schools = {
        Dropping.PROMISE: (
            "a new entry, of which nothing is known, would promise more after one more season, and it is unlikely "
            f"({percent(rule.may_matter)} or less) to be better by what matters"
        ),
        Dropping.ONE_BAD: "measured behind the check in its last season",
        Dropping.TWO_BAD: "measured behind the check in two seasons running",
        Dropping.CLEAR: "",
    }
    why = schools[rule.dropping]
    sure = percent(rule.sure_worse)
    dropped = f"{why}; or {sure}" if why else sure
    return [
        (
            "Recommend",
            f"chance of truly being better than the check in the first criterion at least {bar} %{kept}, and in no other criterion "
            f"likely (50 %) to be worse by more than what matters. {chance}",
        ),
        (
            "Drop",
            f"{dropped} sure to be worse, or sure at 95 % to fail a must-have or to be worse in another criterion by more than "
            "what matters. To be dropped is not to be called worse: it makes room.",
        ),
        (
            "Retest",
            "everything else (where a new entry would promise more: only where there is room), and whatever shares nothing with "
            "the check in its day, age, source, bed, depth or plants. One season against a good check recommends almost nothing; "
            "two do.",
        ),
    ]


def not_said_in_words(board: Board) -> list[str]:
    """What a report does not say: of other places and years, of what lost plots, of what is confounded."""
    seasons = len(board.rested_on) + 1
    said = []
    if seasons == 1:
        said.append("One trial at one place in one season says nothing certain of other places and years.")
    else:
        said.append(f"It rests on {counted(seasons, 'trial')}; of places unlike these it says nothing certain.")
    held = [line.name for line in board.lines if any(b.holds for b in line.besides)]
    if held:
        said.append(f"{', '.join(held[:4])}: grown otherwise than the check, so no figure can tell the cultivar from that.")
    few = [f"{line.name} ({line.fewer} plots)" for line in board.lines if line.fewer]
    if few:
        said.append(f"Plots were lost: {', '.join(few[:5])}.")
    return said
