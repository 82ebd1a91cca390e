"""From an uploaded sheet to a trial."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from django.db import transaction
from django.utils import timezone

from evarlo.catalogue.models import Crop
from evarlo.catalogue.traits import trait_of_column
from evarlo.exchange.models import Sheet
from evarlo.people.models import User
from evarlo.trials.deeds import record
from evarlo.trials.models import Plot, Trial
from evarlo.trials.services import CriterionPlan, FinishedPlot, add_criteria, cultivars_named, take_in_trial
from evarlo.ui.refused import Refused
from evarlo.ui.words import counted
from evarlo.walks.services import Seen, keep_many, open_round
from trialcore.formats.sheet import SheetPlot, TrialSheet, decode, read_trial_sheet
from trialcore.layouts.bed import Bed, PlotSize
from trialcore.layouts.paths import serpentine
from trialcore.layouts.placing import place
from trialcore.layouts.whole import randomised_blocks

TALL = 0.75  # a plot of unknown size is drawn a little wider than high


@transaction.atomic
def keep_sheet(name: str, raw: bytes, by: User) -> Sheet:
    """Keep what was uploaded, to be looked at. Raises Refused when it is no text."""
    try:
        text = decode(raw)
    except ValueError as error:
        raise Refused(str(error), "file") from None
    return Sheet.objects.create(name=name[:120] or "pasted", text=text, by=by, at=timezone.now())


def make_trial(
    sheet: Sheet,
    name: str,
    crop: Crop,
    season: str,
    check: str,
    directions: dict[str, str],
    matters: dict[str, float],
    by: User,
    today: date,
) -> Trial:
    """Make a finished trial from a sheet without problems: entries, plots, one round a value column, and criteria.

    `directions` and `matters` go by value column. Raises Refused when the sheet has problems, was used already, or
    does not hold the check.
    """
    read = read_trial_sheet(sheet.text)
    if read.problems:
        raise Refused(f"Mend {counted(len(read.problems), 'cell')} first.")
    if check not in read.entries:
        raise Refused("Choose the entry that the others are set against.", "check")
    if len(read.entries) < 2:
        raise Refused("A comparison needs at least two entries.", "file")
    plots = _plots(read)
    cultivars = cultivars_named(crop, read.entries)
    with transaction.atomic():  # everything slow is done: nobody else's work waits for more than the writing
        sheet = Sheet.objects.select_for_update().get(pk=sheet.pk)
        if sheet.trial_id:
            raise Refused("A trial was made from this sheet already.")
        trial, stood = take_in_trial(name, crop, season, _design(read), max(1, len(read.reps)), cultivars, check, plots, by)
        _take_in_values(sheet, read, trial, stood, directions, matters, by, today)
    return trial


def _take_in_values(
    sheet: Sheet,
    read: TrialSheet,
    trial: Trial,
    plots: Sequence[Plot],
    directions: dict[str, str],
    matters: dict[str, float],
    by: User,
    today: date,
) -> None:
    """A round for each column of values, and the sheet as what the trial was made from."""
    by_number = {plot.number: plot for plot in plots}
    criteria = []
    for column, values in read.values.items():
        trait = trait_of_column(column)
        walk = open_round(trial, trait, today, by)
        pairs = zip(read.plots, values, strict=True)
        keep_many(walk, [(by_number[p.plot], Seen(number=v)) for p, v in pairs if v is not None], by, today)
        criteria.append(CriterionPlan(trait, directions[column], matters[column]))
    add_criteria(trial, criteria)
    record(
        trial,
        by,
        f"Brought in from {sheet.name}: {counted(len(plots), 'plot')}, {counted(len(read.entries), 'entry')}.",
        sheet=sheet.pk,
    )
    sheet.trial = trial
    sheet.save(update_fields=["trial"])


def _design(read: TrialSheet) -> str:
    """The design that the columns of a sheet speak for."""
    if not any(p.rep for p in read.plots):
        return Trial.Design.NO_BLOCKS
    return Trial.Design.INCOMPLETE if read.has_inner_blocks else Trial.Design.BLOCKS


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
        )
        for i, (p, (row, col, x, y)) in enumerate(zip(read.plots, spots, strict=True))
    ]


def _stood(plots: tuple[SheetPlot, ...]) -> list[tuple[int, int, float, float]]:
    rows, cols = [p.row or 0 for p in plots], [p.col or 0 for p in plots]
    return [(r, c, float(c - min(cols)), TALL * (r - min(rows))) for r, c in zip(rows, cols, strict=True)]


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
