"""The fairness audit: in what entries differ besides their names, and how each difference could mislead."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date

from evarlo.nursery.book import EntryBook, Planted, book_of, planted_in
from evarlo.nursery.models import Step, Tending
from evarlo.nursery.queries import root_bound, standing
from evarlo.nursery.stand import THIN
from evarlo.trials.models import Deviation, Trial
from evarlo.trials.plot_numbers import chosen_plots
from evarlo.trials.queries import plots_of
from evarlo.trials.registry import registry
from evarlo.ui.unchanged import each_told, kept
from evarlo.ui.words import counted
from trialcore.reckoning.balance import Kind
from trialcore.reckoning.fairness import Besides, Fact, Unlike, audit, besides

MISLEADS = {
    "Age of the seed": "Old seed comes up slower and weaker: a late or thin stand may be the seed's.",
    "Treatment of the seed": "A dressing protects seedlings: what looks like vigour may be the dressing.",
    "Source of the seed": "A supplier's seed differs in how it was grown and kept, whatever the cultivar.",
    "Tray": "A tray that stood warmer, drier or darker gives other plants.",
    "Medium": "Media differ in food, salts and water.",
    "Day of sowing": "Days of sowing become days of picking: an early entry may only be an early sowing.",
    "Seeds in a cell": "Seedlings that share a cell are smaller.",
    "Person who sowed": "Depth and firmness differ from hand to hand.",
    "Depth": "Deeper seed comes later.",
    "Soaking": "Soaked seed comes earlier.",
    "Warmth": "Warmer seed comes earlier.",
    "Cover of the seed": "What lies over the seed keeps it moist, dark or warm.",
    "How the seed lies": "A seed laid point down or on edge comes sooner.",
    "Age when planted": "Older plants start with a lead, or check when they are planted.",
    "Source of the plants": "Bought plants were raised by other hands; what they show is that nursery's too.",
    "Sown again": "Plants of a second sowing are younger than the others.",
    "Hardening off": "Plants that were not hardened stand still after planting.",
    "Roots when planted": "Root-bound plants stand still after planting and stay behind.",
    "What thinning left": "Leaving the strongest flatters an uneven cultivar, whose best plants are further from its mean.",
    "Potting on": "Plants in larger cells grow on while others wait.",
    "Feeding of the trays": "Fed plants are larger when they are planted.",
    "Late plants in gaps": "Late plants yield less and pull their plots down.",
    "Plants in a plot": "Plants with more room are larger, and a thinner plot yields less: compare neither as it stands.",
    "Material": "What only some plots get is part of what they show.",
    "Day of planting": "Days of planting become days of picking, and of growth.",
    "Bed": "Ground and shelter differ from bed to bed.",
    "Least stand": "Where only thin plots of an entry are left out, what is left flatters it.",
    "Care": "What was done to some plots and not to others shows in them.",
    "Person, ": "Hands differ.",
    "Other than the protocol": "A plot that got something else shows that too.",
}
HOLDS = {  # a verdict cannot rest on entry and check where they share nothing of these
    "Day of sowing",
    "Day of planting",
    "Age when planted",
    "Source of the plants",
    "Sown again",
    "Depth",
    "Seeds in a cell",
    "Plants in a plot",
    "Late plants in gaps",
    "Roots when planted",
    "Bed",
}
SLACK = {"Day of sowing": 2, "Day of planting": 2, "Age when planted": 2, "Depth": 5, "Plants in a plot": 1}  # days, mm, plants
LATER = {  # in words, where the difference is in days
    "Day of sowing": ("Sown", "later", "earlier"),
    "Day of planting": ("Planted", "later", "earlier"),
    "Age when planted": ("Planted", "older", "younger"),
}
MOST_SAID = 12  # groups of entries that one finding names
TENDED = {
    Tending.What.HARDENED: "Hardening off",
    Tending.What.POTTED_ON: "Potting on",
    Tending.What.FED: "Feeding of the trays",
}


@dataclass(frozen=True)
class Finding:
    """One thing in which entries differ, in words, and how it could mislead. `apart` when some share nothing with the rest."""

    about: str
    said: str
    misleads: str
    apart: bool


@dataclass(frozen=True)
class Audit:
    findings: tuple[Finding, ...]
    looked_at: tuple[str, ...]
    not_begun: tuple[str, ...]  # codes of entries of which nothing is sown yet

    @property
    def grave(self) -> list[Finding]:
        return [f for f in self.findings if f.apart]

    @property
    def partial(self) -> list[Finding]:
        return [f for f in self.findings if not f.apart]


def audit_of(trial: Trial, books: Sequence[EntryBook], lots: bool = True) -> Audit:
    """Everything on record of how entries were treated, held against each other. Without `lots` nothing is said that comes from
    the seed store, which would tell a name."""
    facts = facts_of(trial, books, lots)
    by_thing: dict[str, list[Unlike]] = defaultdict(list)
    for unlike in audit(facts):
        by_thing[unlike.about].append(unlike)
    found = tuple(Finding(about, _in_words(some), _misleads(about), any(u.apart for u in some)) for about, some in by_thing.items())
    looked = tuple(dict.fromkeys(f.about.partition(":")[0] for f in facts))
    return Audit(found, looked, tuple(b.entry.code for b in books if not b.lines))


def facts_of(trial: Trial, books: Sequence[EntryBook], lots: bool) -> list[Fact]:
    """Everything on record of how the entries of a trial were treated."""
    facts = [*_sown(books, lots), *_days(trial, books), *_planted(trial, books), *_tended(books), *_thinned(books)]
    facts += [*_materials(trial), *_deviations(trial), *_grounds(trial)]
    return facts + [fact for told in each_told(registry.facts, trial) for fact in told]


@dataclass(frozen=True)
class Difference:
    """In what an entry differs from the check besides its name, in words; `holds` where a verdict cannot rest on the two."""

    said: str
    holds: bool


def besides_of(trial: Trial, lots: bool = True) -> dict[str, tuple[Difference, ...]]:
    """In what each entry (by code) differs from the check besides its name, what holds a verdict back first."""
    return kept(("besides", trial.pk, lots), lambda: _besides_of(trial, lots), of=[trial])


def _besides_of(trial: Trial, lots: bool) -> dict[str, tuple[Difference, ...]]:
    check = next((p.entry.code for p in plots_of(trial) if p.entry.is_check), None)
    if check is None:
        return {}
    found = besides(facts_of(trial, book_of(trial), lots), check, SLACK)
    return {code: _told(some) for code, some in found.items()}


def _told(some: Sequence[Besides]) -> tuple[Difference, ...]:
    """What stands apart and what could hold a verdict in full, the rest by its number: the fairness page has it all."""
    full = [b for b in some if b.apart or b.about in HOLDS]
    made = [Difference(_beside_in_words(b), b.apart and b.about in HOLDS) for b in full]
    made.sort(key=lambda d: not d.holds)
    if rest := len(some) - len(full):
        made.append(Difference(f"In part also in {counted(rest, 'other thing')}, see Fairness", False))
    return tuple(made)


def _beside_in_words(b: Besides) -> str:
    if b.by is not None and b.about in LATER:
        verb, later, sooner = LATER[b.about]
        return f"{verb} {counted(round(abs(b.by)), 'day')} {later if b.by > 0 else sooner} than the check"
    return f"{b.about}: {_listed(b.theirs)}; the check {_listed(b.check)}"


def _misleads(about: str) -> str:
    return MISLEADS["Person, " if about.startswith("Person, ") else about.partition(":")[0]]


def _in_words(some: Sequence[Unlike]) -> str:
    parts = [f"{_listed(u.entries)} {_listed(u.theirs)}" for u in some[:MOST_SAID]]
    more = f"; and {len(some) - MOST_SAID} other groups" if len(some) > MOST_SAID else ""
    return f"{some[0].about}: {'; '.join(parts)}{more}; the others {_listed(some[0].usual)}."


def _listed(values: Sequence[str]) -> str:
    return ", ".join(values[:6]) + (" and more" if len(values) > 6 else "")


def _sown(books: Iterable[EntryBook], lots: bool) -> Iterable[Fact]:
    for book in books:
        code = book.entry.code
        for line in book.lines:
            s = line.sowing
            if s.parent_id:
                continue
            seeds, session = float(s.seeds), s.session
            if s.level:  # a level sown later is the question, and no unfairness
                yield Fact("Day of sowing", code, f"{session.on:%-d %b %Y} for {s.level}", seeds)
            elif not s.plot_id:  # of plots their own days tell
                yield Fact("Day of sowing", code, f"{session.on:%-d %b %Y}", seeds, session.on.toordinal())
            yield Fact("Person who sowed", code, str(session.by), seeds)
            yield Fact("Medium", code, session.medium or "not said", seeds)
            yield Fact(
                "Depth", code, f"{session.depth_mm:g} mm" if session.depth_mm is not None else "not said", seeds, session.depth_mm
            )
            yield Fact("Soaking", code, f"{session.soak_h:g} h" if session.soak_h else "dry", seeds)
            yield Fact("Cover of the seed", code, session.cover or "not said", seeds)
            yield Fact("How the seed lies", code, session.orientation or "not said", seeds)
            yield Fact("Warmth", code, f"{session.warmth_c:g} °C" if session.warmth_c is not None else "not said", seeds)
            yield Fact("Seeds in a cell", code, str(s.per_cell), seeds)
            yield Fact("Sown again", code, "sown again" if s.again else "first sowing", seeds)
            if s.tray:
                yield Fact("Tray", code, str(s.tray), seeds)
            if lots and s.lot:
                year = s.lot.year
                yield Fact("Age of the seed", code, _years(session.on.year - year) if year else "not known", seeds)
                yield Fact("Treatment of the seed", code, s.lot.treatment or "untreated", seeds)
                yield Fact("Source of the seed", code, s.lot.supplier or "not said", seeds)


def _years(age: int) -> str:
    return f"{age} year{'' if age == 1 else 's'}"


def _planted(trial: Trial, books: Sequence[EntryBook]) -> Iterable[Fact]:
    code = {b.entry.pk: b.entry.code for b in books}
    entry_of = {p.pk: p.entry_id for p in plots_of(trial)}
    in_plot: dict[int, int] = defaultdict(int)
    found = planted_in(trial)
    for p in found:
        in_plot[p.plot_id] += 0 if p.late else p.plants
    bound = _bound_when_planted(found)
    for plot_id, count in in_plot.items():
        yield Fact("Plants in a plot", code[entry_of[plot_id]], f"{count}", amount=float(count))
    for p in found:
        name, plants = code[entry_of[p.plot_id]], float(p.plants)
        yield Fact("Late plants in gaps", name, "filled in later" if p.late else "with the others", plants)
        yield Fact("Source of the plants", name, "raised here" if p.sowing else p.source, plants)
        if bound and p.sowing:
            yield Fact("Roots when planted", name, "root-bound" if (p.sowing.tray_id, p.on) in bound else "not root-bound", plants)
        if not p.late:
            age = "not stated" if p.age_days is None else f"{p.age_days} days"
            yield Fact("Age when planted", name, age, plants, None if p.age_days is None else float(p.age_days))


def _bound_when_planted(found: Sequence[Planted]) -> set[tuple[int, date]]:
    """The trays that were root-bound on a day on which plants of theirs were planted."""
    trays = {p.sowing.tray_id for p in found if p.sowing and p.sowing.tray_id}
    return {(tray, on) for on in {p.on for p in found} for tray in root_bound(trays, on)} if trays else set()


def _thinned(books: Sequence[EntryBook]) -> Iterable[Fact]:
    """Which plant stayed where seedlings were thinned, where that is on record of any."""
    thinned = [(b, h) for b in books for x in b.lines for h in x.happened if h.kind == Kind.THINNED]
    if any(h.left for _, h in thinned):
        for book, h in thinned:
            yield Fact("What thinning left", book.entry.code, h.get_left_display() or "not said", float(h.plants))


def _days(trial: Trial, books: Sequence[EntryBook]) -> Iterable[Fact]:
    """On which day plots were sown, where nothing more than the day is on record, and planted. Where the second factor is the
    day, it is the question."""
    code = {p.pk: p.entry.code for p in plots_of(trial)}
    in_trays = {b.entry.code for b in books for line in b.lines if line.sowing.tray_id}
    about = {Step.SOWN: "Day of sowing", Step.PLANTED: "Day of planting"}
    for row in [] if trial.two_factors else standing().filter(plot__trial=trial):
        if row.step == Step.PLANTED or code[row.plot_id] not in in_trays:
            yield Fact(about[Step(row.step)], code[row.plot_id], f"{row.on:%-d %b %Y}", amount=float(row.on.toordinal()))


def _grounds(trial: Trial) -> Iterable[Fact]:
    """In which bed plots lie, and which were left out because too few plants stood in them."""
    plots = plots_of(trial)
    if len({p.bed_id for p in plots}) > 1:
        names = {bed.pk: bed.name for bed in trial.beds}
        for plot in plots:
            yield Fact("Bed", plot.entry.code, names.get(plot.bed_id or 0, "not said"))
    thin = {p.pk for p in plots if any(THIN in e.note for e in p.exclusions_in_force)}  # type: ignore[attr-defined]
    if thin:
        for plot in plots:
            yield Fact("Least stand", plot.entry.code, "left out as too thin" if plot.pk in thin else "judged")


def _tended(books: Sequence[EntryBook]) -> Iterable[Fact]:
    trays = {line.sowing.tray_id for b in books for line in b.lines if line.sowing.tray_id}
    had: dict[int, dict[str, list[str]]] = {}
    for tending in Tending.objects.in_force().filter(tray__in=trays, what__in=list(TENDED)):
        said = f"{tending.on:%-d %b}{', ' + tending.said if tending.said else ''}"
        had.setdefault(tending.tray_id, {}).setdefault(TENDED[Tending.What(tending.what)], []).append(said)
    for about in {a for some in had.values() for a in some}:
        for book in books:
            for line in book.lines:
                if line.sowing.tray_id:
                    done = had.get(line.sowing.tray_id, {}).get(about)
                    yield Fact(about, book.entry.code, "; ".join(done) if done else "not done", float(line.sowing.seeds))


def _materials(trial: Trial) -> Iterable[Fact]:
    for material in (m for m in trial.once("materials", lambda: list(trial.materials.in_force())) if m.plots):
        given = set(chosen_plots(trial, material.plots))
        for plot in plots_of(trial):
            yield Fact(f"Material: {material.name}", plot.entry.code, "given" if plot.number in given else "not given")


def _deviations(trial: Trial) -> Iterable[Fact]:
    other: dict[int, list[str]] = {}
    for d in Deviation.objects.filter(plot__trial=trial):
        other.setdefault(d.plot_id, []).append(d.said)
    if other:
        for plot in plots_of(trial):
            said = "; ".join(other.get(plot.pk, []))
            yield Fact("Other than the protocol", plot.entry.code, said or "as the protocol says")
