"""From an uploaded sheet to a trial."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from functools import lru_cache
from statistics import fmean

from django.db import transaction

from evarlo.catalogue.models import Crop
from evarlo.catalogue.traits import trait_of_column
from evarlo.exchange.models import Sheet
from evarlo.people.models import User
from evarlo.trials.deeds import record
from evarlo.trials.models import TWO_FACTORS, Trial
from evarlo.trials.plan import CriterionPlan
from evarlo.trials.services import add_criteria
from evarlo.trials.taking_in import FinishedDesign, FinishedPlot, arrived, take_in_entries, take_in_plots, take_in_trial
from evarlo.ui.refused import Refused
from evarlo.ui.words import counted
from evarlo.walks.models import Observation
from evarlo.walks.services import Seen, check_seen, keep_many, open_round
from trialcore.analyses.choice import design_of
from trialcore.formats.sheet import SheetPlot, TrialSheet, read_trial_sheet
from trialcore.layouts.bed import Bed, PlotSize
from trialcore.layouts.paths import serpentine
from trialcore.layouts.placing import place
from trialcore.layouts.whole import randomised_blocks

PIECE = 750  # rows written at once: a phone's batch waits for less than half a second
TALL = 0.75  # a plot of unknown size is drawn a little wider than high


@dataclass(frozen=True)
class Wanted:
    """What was chosen for the trial of a sheet; `directions` and `matters` go by value column."""

    name: str
    crop: Crop
    season: str
    check: str
    directions: dict[str, str]
    matters: dict[str, float]
    design: str = ""  # as the columns speak for it, if not said
    factor: str = ""
    entries_whole: bool = False
    further: Sequence[str] = ()


@dataclass(frozen=True)
class Progress:
    """How many of the rows of a sheet's trial are in."""

    done: int
    total: int

    @property
    def is_whole(self) -> bool:
        return self.done >= self.total


@lru_cache(maxsize=2)
def read_of(text: str) -> TrialSheet:
    """A sheet as it was understood; a long one is asked for piece by piece."""
    return read_trial_sheet(text)


def matters_proposed(read: TrialSheet, column: str) -> float:
    """A difference to take as one that matters, where nobody says otherwise: half of the standard deviation between plots of one
    entry, to two figures; nought where no entry has two values or they do not differ."""
    by_entry: dict[str, list[float]] = defaultdict(list)
    for plot, value in zip(read.plots, read.values[column], strict=True):
        if value is not None:
            by_entry[plot.entry].append(value)
    several = [values for values in by_entry.values() if len(values) > 1]
    df = sum(len(values) - 1 for values in several)
    if not df:
        return 0.0
    spread = (sum((v - fmean(values)) ** 2 for values in several for v in values) / df) ** 0.5
    return float(f"{spread / 2:.2g}")


@lru_cache(maxsize=2)
def plots_of(text: str) -> tuple[FinishedPlot, ...]:
    """The plots of a sheet as they stood, or side by side."""
    return tuple(_plots(read_of(text)))


def make_trial(sheet: Sheet, wanted: Wanted, by: User, today: date) -> Trial:
    """Make a finished trial from a sheet without problems: entries, plots, one round a value column, and criteria. A long sheet
    is only begun, so that nobody else's work waits for it: `bring_next` brings it in piece by piece.

    Raises Refused when the sheet has problems, was used already, or does not hold the check.
    """
    read = read_of(sheet.text)
    _fits(read, wanted)
    with transaction.atomic():
        sheet = Sheet.objects.select_for_update().get(pk=sheet.pk)
        if sheet.trial_id:
            raise Refused("A trial was made from this sheet already.")
        trial = take_in_trial(wanted.name, wanted.crop, wanted.season, _laid(read, wanted), by)
        sheet.trial = trial
        sheet.wanted = vars(wanted) | {"crop": wanted.crop.pk, "on": today.isoformat()}
        sheet.save(update_fields=["trial", "wanted"])
        for column, values in read.values.items():
            trait = trait_of_column(column)
            for value in values:
                if value is not None:
                    check_seen(trait, Seen(number=value), today)
        if _total(read) <= PIECE:
            while not bring_next(sheet, by).is_whole:
                pass
    return trial


def _fits(read: TrialSheet, wanted: Wanted) -> None:
    """Whether what was chosen can be had of a sheet. Raises Refused beside what cannot."""
    if read.problems:
        raise Refused(f"Mend {counted(len(read.problems), 'cell')} first.")
    if wanted.check not in read.entries:
        raise Refused("Choose the entry that the others are set against.", "check")
    if len(read.entries) < 2:
        raise Refused("A comparison needs at least two entries.", "file")
    strange = [name for name in wanted.further if name not in read.entries]
    if strange:
        raise Refused(f"“{strange[0]}” is no entry of the sheet. Expected names of entries, commas between.", "further")
    if len({wanted.check, *wanted.further}) == len(read.entries):
        raise Refused("No entry is left to set against these checks.", "further")
    if wanted.design and wanted.design not in designs_of(read):
        raise Refused("The columns of this sheet do not hold that design.", "design")


def progress_of(sheet: Sheet) -> Progress:
    """How far the trial of a sheet has come."""
    total, trial = _total(read_of(sheet.text)), sheet.trial
    if trial is None or not trial.arriving:
        return Progress(total if trial else 0, total)
    values = Observation.objects.filter(round__trial=trial).count()
    return Progress(min(total - 1, trial.entries.count() + trial.plots.count() + values), total)


def bring_next(sheet: Sheet, by: User) -> Progress:
    """The next piece of a sheet: entries first, then plots, then the values of one column after the other. What is in is counted
    anew each time, so that it goes on where it stopped, whatever stopped it."""
    if sheet.trial is None or not sheet.trial.arriving:
        return Progress(0, 0)
    read = read_of(sheet.text)
    plots = plots_of(sheet.text)  # before the transaction: nobody waits for the reckoning
    with transaction.atomic():
        trial = Trial.objects.select_for_update().filter(sheets=sheet, arriving=True).first()
        if trial is None:
            return Progress(0, 0)
        entries, stood = trial.entries.count(), trial.plots.count()
        if entries < len(read.entries):
            take_in_entries(
                trial, list(read.entries)[entries : entries + PIECE], sheet.wanted["check"], sheet.wanted.get("further", ())
            )
        elif stood < len(plots):
            take_in_plots(trial, plots[stood : stood + PIECE])
        elif not _bring_values(sheet, read, trial, by):
            _finish(sheet, read, trial, by)
        sheet.refresh_from_db(fields=["trial"])
        return progress_of(sheet)


@transaction.atomic
def leave(sheet: Sheet) -> None:
    """Bring no more of it in; what came in already is never seen. The sheet can be brought in afresh."""
    Sheet.objects.filter(pk=sheet.pk, trial__arriving=True).update(trial=None, wanted={})


def _total(read: TrialSheet) -> int:
    return len(read.entries) + len(read.plots) + sum(v is not None for values in read.values.values() for v in values) + 1


def _bring_values(sheet: Sheet, read: TrialSheet, trial: Trial, by: User) -> bool:
    """The next piece of the first column that is not whole; whether there was one."""
    on = date.fromisoformat(sheet.wanted["on"])
    for column, values in read.values.items():
        trait = trait_of_column(column)
        walk = trial.rounds.filter(trait=trait).first() or open_round(trial, trait, on, by)
        wanted = [(p.plot, v) for p, v in zip(read.plots, values, strict=True) if v is not None]
        kept = walk.observations.count()
        if kept < len(wanted):
            piece = wanted[kept : kept + PIECE]
            plots = {p.number: p for p in trial.plots.filter(number__in=[number for number, _ in piece])}
            keep_many(walk, [(plots[number], Seen(number=v)) for number, v in piece], by, on)
            return True
    return False


def _finish(sheet: Sheet, read: TrialSheet, trial: Trial, by: User) -> None:
    """The criteria, the sheet as what the trial was made from, and the trial to be seen."""
    directions, matters = sheet.wanted["directions"], sheet.wanted["matters"]
    add_criteria(trial, [CriterionPlan(trait_of_column(c), directions[c], matters[c]) for c in read.values])
    said = f"Brought in from {sheet.name}: {counted(len(read.plots), 'plot')}, {counted(len(read.entries), 'entry')}."
    record(trial, by, said, sheet=sheet.pk)
    arrived(trial)


def designs_of(read: TrialSheet) -> list[str]:
    """The designs that the columns of a sheet can hold, the one they speak for first."""
    labels, two = read.labels, len(read.levels) > 1
    held: list[str] = []
    if two:
        held += [Trial.Design.SPLIT, Trial.Design.STRIP] if "rep" in labels else []
        held.append(Trial.Design.FACTORIAL)
    elif is_square(read):
        held.append(Trial.Design.LATIN)
    if read.has_inner_blocks and not two:
        held.append(Trial.Design.INCOMPLETE)
    if "rep" in labels:
        single = has_single_entries(read)
        held += [Trial.Design.AUGMENTED, Trial.Design.BLOCKS] if single else [Trial.Design.BLOCKS]
    held.append(Trial.Design.NO_BLOCKS)
    first = _spoken_for(read) if two else held[0]
    return [first, *(d for d in held if d != first)]


def _spoken_for(read: TrialSheet) -> str:
    """Of the designs with two factors the one that the columns show."""
    found = {"split-plot": Trial.Design.SPLIT, "strip-plot": Trial.Design.STRIP}
    return found.get(design_of(read.labels), Trial.Design.FACTORIAL)


def is_square(read: TrialSheet) -> bool:
    """Whether every entry stands once in every row and every column."""
    if not read.has_positions or read.environments:
        return False
    size = len(read.entries)
    rows, cols = {p.row for p in read.plots}, {p.col for p in read.plots}
    cells = {(p.row, p.col): p.entry for p in read.plots}
    if not len(rows) == len(cols) == size or len(cells) != len(read.plots) or len(cells) != size * size:
        return False
    by_row, by_col = {(p.row, p.entry) for p in read.plots}, {(p.col, p.entry) for p in read.plots}
    return len(by_row) == len(by_col) == size * size


def repeated_entries(read: TrialSheet) -> list[str]:
    """Entries that stand in more than one block, those on most plots first: what an augmented trial is judged by."""
    reps: dict[str, set[str]] = defaultdict(set)
    plots: dict[str, int] = defaultdict(int)
    for p in read.plots:
        reps[p.entry].add(p.rep)
        plots[p.entry] += 1
    return sorted((e for e in reps if len(reps[e]) > 1), key=lambda e: (-plots[e], e))


def has_single_entries(read: TrialSheet) -> bool:
    """Whether many entries stand in one block only, beside some that stand in several."""
    several = len(repeated_entries(read))
    return 2 <= several <= len(read.entries) / 2 and len(read.reps) > 1


def _laid(read: TrialSheet, wanted: Wanted) -> FinishedDesign:
    design = wanted.design or designs_of(read)[0]
    two = design in TWO_FACTORS
    return FinishedDesign(
        design,
        max(1, len(read.reps)),
        read.has_positions,
        (wanted.factor or "Second factor") if two else "",
        read.levels if two else (),
        wanted.entries_whole and design == Trial.Design.SPLIT,
    )


def _plots(read: TrialSheet) -> list[FinishedPlot]:
    """Plots where the sheet says they stood, else side by side, block by block."""
    spots = _stood(read.plots) if read.has_positions else _side_by_side(read)
    path = serpentine([row for row, _, _, _ in spots], [col for _, col, _, _ in spots])
    place = {i: n for n, i in enumerate(path, start=1)}
    return [
        FinishedPlot(
            entry=p.entry,
            number=p.plot,
            block=p.rep,
            inner=p.block if read.has_inner_blocks else "",
            place=place[i],
            row=row,
            col=col,
            x=x,
            y=y,
            length=1.0,
            width=TALL,
            level=p.level,
            environment=p.environment,
        )
        for i, (p, (row, col, x, y)) in enumerate(zip(read.plots, spots, strict=True))
    ]


def _stood(plots: tuple[SheetPlot, ...]) -> list[tuple[int, int, float, float]]:
    """Where the sheet says; several places one beside the other."""
    rows = [p.row or 0 for p in plots]
    at, start = 0.0, {}
    for where in dict.fromkeys(p.environment for p in plots):
        own = [p.col or 0 for p in plots if p.environment == where]
        start[where] = at - min(own)
        at += max(own) - min(own) + 2.0
    return [(r, p.col or 0, start[p.environment] + (p.col or 0), TALL * (r - min(rows))) for r, p in zip(rows, plots, strict=True)]


def _side_by_side(read: TrialSheet) -> list[tuple[int, int, float, float]]:
    members: dict[str, list[int]] = {rep: [] for rep in read.reps}
    for i, plot in enumerate(read.plots):
        members[plot.rep].append(i)
    largest = max(2, *(len(m) for m in members.values()))
    room = (largest * len(members)) ** 0.5
    stand_ins = randomised_blocks([str(i) for i in range(largest)], len(members), 1)
    spots = place(stand_ins, PlotSize(1.0, TALL, 0.4), Bed(1.6 * room, 1.1 * room)).spots
    at: dict[int, tuple[int, int, float, float]] = {}
    for number, rep in enumerate(read.reps):
        for order, i in enumerate(members[rep]):
            spot = spots[number * largest + order]
            at[i] = (spot.row, spot.col, spot.x, spot.y)
    return [at[i] for i in range(len(read.plots))]
