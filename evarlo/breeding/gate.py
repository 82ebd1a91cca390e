"""Whether a line may be named: what is asked of it, what is known, and what is short."""

from __future__ import annotations

from dataclasses import dataclass
from statistics import fmean

from evarlo.breeding.models import Gate, Generation, Grown, How, Saved
from evarlo.breeding.purity import selfs
from evarlo.breeding.seen import CLASSES, numbers_of
from evarlo.breeding.traits import MARK, PULL
from evarlo.catalogue.models import Crop, Trait
from evarlo.trials.models import Entry
from evarlo.trials.queries import criteria_of, plots_of, readings_of
from trialcore.reckoning.response import Evenness, evenness, variance_beyond

USUAL_SELFING = {"fixed": 93.0, "seasons": 2, "plants": 12, "off_types": 3.0}  # F5 and later
USUAL_CROSSING = {"fixed": 0.0, "seasons": 2, "plants": 40, "off_types": 5.0}
USUAL_CLONE = {"fixed": 0.0, "seasons": 2, "plants": 6, "off_types": 0.0}


@dataclass(frozen=True)
class Line:
    """One thing that is asked: in words, what was found, and whether it is enough."""

    asked: str
    found: str
    enough: bool


@dataclass(frozen=True)
class Even:
    """How even a line was in one season, for one trait."""

    season: str
    trait: str
    found: Evenness
    as_expected: str


@dataclass(frozen=True)
class Standing:
    """A line before its gate."""

    gate: Gate
    lines: tuple[Line, ...]
    evenness: tuple[Even, ...]
    grown: tuple[Entry, ...]  # in which its plants were grown

    @property
    def short(self) -> list[str]:
        """What is short, in words."""
        return [f"{line.asked}; {line.found}." for line in self.lines if not line.enough]


def gate_for(crop: Crop, cloned: bool = False) -> Gate:
    """What is asked of lines of a crop: as the place set it, else as is usual for its way of pollination."""
    kept = Gate.objects.filter(crop=crop).first()
    usual = USUAL_CLONE if cloned else USUAL_SELFING if selfs(crop) else USUAL_CROSSING
    return Gate(crop=crop, **usual) if cloned or kept is None else kept


def grown_from(saved: Saved) -> list[Entry]:
    """The entries in which plants of a line were grown, the earliest season first: those from its seed, and those from seed saved
    within it, as long as nothing else came in."""
    found: list[Entry] = []
    waiting, seen = [saved], set()
    while waiting:
        here = waiting.pop()
        if here.pk in seen:
            continue
        seen.add(here.pk)
        for grown in Grown.objects.filter(saved=here).select_related("entry__trial__crop", "entry__cultivar"):
            found.append(grown.entry)
            waiting += Saved.objects.filter(plot__entry=grown.entry, mating__in=(How.SELFED, How.CLONED)).select_related(
                "plot__trial"
            )
    return sorted(found, key=lambda e: (e.trial.season, e.pk))


def gate_of(saved: Saved) -> Standing:
    """Everything that is asked of a line, with what is known of it."""
    cloned = saved.mating == How.CLONED
    gate = gate_for(saved.progeny.crop, cloned)
    entries = grown_from(saved)
    own = [e for e in entries if e.cultivar_id == saved.progeny_id]
    seasons = sorted({e.trial.season for e in [*own, *_parents(saved), *_in_trials(saved)]})
    fixed = 100 * saved.expected.fixed
    lines = []
    if gate.fixed:
        lines.append(
            Line(
                f"At least {gate.fixed:g} % of its loci fixed",
                f"{saved.called} is expected to be at {fixed:.1f} %",
                fixed >= gate.fixed,
            )
        )
    lines.append(
        Line(
            f"Seen over {gate.seasons} seasons or more",
            f"seen in {', '.join(seasons) if seasons else 'none'}",
            len(seasons) >= gate.seasons and bool(own),
        )
    )
    count, off = _newest(own)
    lines.append(Line(f"{gate.plants} plants or more in its newest season", f"{count} were grown", count >= gate.plants))
    share = 100 * off / count if count else 0.0
    lines.append(
        Line(
            f"At most {gate.off_types:g} % pulled as off-types there",
            f"{off} of {count} were pulled" if count else "none was grown yet",
            count > 0 and share <= gate.off_types,
        )
    )
    even = tuple(e for entry in own for e in _evenness(entry, saved))
    uneven = [e for e in even if not e.found.as_even]
    lines.append(
        Line(
            "As even as the check beside it, in what was measured",
            "nothing was measured on enough plants of both"
            if not even
            else f"less even in {', '.join(f'{e.trait} {e.season}' for e in uneven)}"
            if uneven
            else f"as even in {', '.join(f'{e.trait} {e.season}' for e in even)}",
            bool(even) and not uneven,
        )
    )
    return Standing(gate, tuple(lines), even, tuple(entries))


def _parents(saved: Saved) -> list[Entry]:
    """The family in which the plant stood whose seed it is, where that was selfed seed of one plant: it was seen then too."""
    grown = Grown.objects.filter(entry=saved.plot.entry).select_related("entry__trial").first()
    return [grown.entry] if grown and saved.mating in (How.SELFED, How.CLONED) else []


def _in_trials(saved: Saved) -> list[Entry]:
    """Where it stood in trials with others of which something is recorded: it was seen there too."""
    stood = Entry.objects.filter(cultivar=saved.progeny_id, trial__generation=None, trial__practice=False)
    return list(stood.filter(trial__rounds__observations__isnull=False).distinct().select_related("trial"))


def _newest(entries: list[Entry]) -> tuple[int, int]:
    """How many plants stood in the newest season, and how many of them were pulled."""
    if not entries:
        return 0, 0
    entry = entries[-1]
    trait = Trait.objects.filter(key=MARK).first()
    marks = readings_of(entry.trial, trait) if trait else {}
    plants = list(entry.plots.values_list("pk", flat=True))
    return len(plants), sum((r := marks.get(pk)) is not None and r.number == PULL for pk in plants)


def _evenness(entry: Entry, saved: Saved) -> list[Even]:
    """The spread of a line's plants beside the check's, for every criterion that is measured."""
    trial = entry.trial
    plots = plots_of(trial)
    made = []
    for criterion in criteria_of(trial):
        if criterion.trait.kind in CLASSES:
            continue
        values = numbers_of(trial, criterion.trait)
        line = [values[p.pk] for p in plots if p.pk in values and p.entry_id == entry.pk]
        check = [values[p.pk] for p in plots if p.pk in values and p.entry.is_check]
        try:
            segregating = saved.plot.trial.generation.expected.segregating
            found = evenness(line, check, segregating, _f2_variance(saved, criterion.trait))
        except ValueError:
            continue
        made.append(Even(trial.season, criterion.trait.name.lower(), found, _beside(found, saved, fmean(line))))
    return made


def _f2_variance(saved: Saved, trait: Trait) -> float | None:
    """What the plants of the cross's F2 varied by beyond their check, where they were grown and looked at."""
    f2 = Generation.objects.filter(cross=saved.plot.trial.generation.cross, path=[How.SELFED]).select_related("trial").first()
    if f2 is None:
        return None
    plots, values = plots_of(f2.trial), numbers_of(f2.trial, trait)
    return variance_beyond(
        [values[p.pk] for p in plots if p.pk in values and not p.entry.is_check],
        [values[p.pk] for p in plots if p.pk in values and p.entry.is_check],
    )


BESIDE = {-1: "more even than expected of", 0: "as even as may be expected of", 1: "less even than expected of"}


def _beside(found: Evenness, saved: Saved, mean: float) -> str:
    """The spread seen beside the one that its generation lets one expect."""
    about = f"standard deviation {found.line_sd:.3g} about {mean:.3g}, the check's {found.check_sd:.3g}"
    left = f"{100 * found.expected_share:.3g} % of what segregated in the F2 is expected to be left"
    if found.genetic_share is None:
        return f"{about}; {left} in {saved.called}."
    seen = f"{100 * found.genetic_share:.0f} % of it is seen"
    return f"{about}; {left}, {seen}: {BESIDE[found.beside_expected]} {saved.called}."
