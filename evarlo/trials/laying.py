"""Laying a trial out: drawing its plots, shuffling and fixing them, moving blocks, swapping plots."""

from __future__ import annotations

from collections.abc import Callable

from django.db import transaction
from django.utils import timezone

from evarlo.catalogue.models import Crop
from evarlo.grounds.models import Bed
from evarlo.people.models import User
from evarlo.trials.deeds import record
from evarlo.trials.drafting import Conditions, Draft, Place, Wanted, best_seed, draft
from evarlo.trials.models import BlockPlace, Plot, Trial
from evarlo.ui.refused import Refused
from trialcore.layouts.bed import Bed as BedSize
from trialcore.layouts.bed import PlotSize
from trialcore.layouts.placing import BlockPlace as At
from trialcore.layouts.placing import crowded

LEAST_ROWS = 4  # of a crop that wind pollinates and that sets badly in a narrow block


def still_open(trial: Trial) -> Trial:
    """The trial as it stands now, held until the act is done. Raises Refused once its layout is fixed."""
    trial = Trial.objects.select_for_update().get(pk=trial.pk)
    if trial.is_fixed:
        raise Refused("The layout is fixed: stakes may be in the ground. It can no longer be shuffled or changed.")
    return trial


def fixed_or_refused(trial: Trial, field: str = "") -> None:
    """Refuse what needs the plots to stay where they are, while the layout may still be shuffled."""
    if not trial.is_fixed:
        raise Refused("Fix the layout first: until then the plots may still change places.", field)
    running_or_refused(trial, field)


def running_or_refused(trial: Trial, field: str = "", before: str = "adding to it") -> None:
    """Refuse what would change a season whose verdicts are signed: it is reopened first, with a reason."""
    if trial.decided_at:
        raise Refused(f"The verdicts of this season are signed. Reopen it under Decide, with a reason, before {before}.", field)


@transaction.atomic
def lay_out(trial: Trial, seed: int | None, by: User) -> None:
    """Draw the plots anew from `seed`, or from a fresh one that keeps an entry from standing beside itself.

    Raises Refused once the layout is fixed, or when the design cannot be drawn.
    """
    trial = still_open(trial)
    assert trial.bed
    try:
        seed = best_seed(drawing_of(trial), conditions_of(trial)) if seed is None else seed
        _put_plots(trial, drawing_of(trial)(seed))
    except ValueError as error:
        raise Refused(f"This design cannot be drawn: {error}.", "design") from None
    trial.layout_seed = seed
    trial.save(update_fields=["layout_seed"])
    record(trial, by, f"Layout drawn from seed {seed}.", seed=seed)


def _put_plots(trial: Trial, drawn: Draft) -> None:
    entries = {e.code: e for e in trial.entries.all()}
    trial.plots.all().delete()
    Plot.objects.bulk_create(
        Plot(
            trial=trial,
            entry=entries[p.code],
            block=p.block,
            inner=p.inner,
            level=p.level,
            number=p.number,
            place=place,
            row=p.row,
            col=p.col,
            x=p.x,
            y=p.y,
            length=p.length,
            width=p.width,
            bed=trial.beds[p.bed],
        )
        for place, p in enumerate(drawn.plots, start=1)
    )


def wanted_of(trial: Trial) -> Wanted:
    """The trial's design as it is drawn."""
    entries = list(trial.entries.all())
    further = [e for e in entries if e.repeated and not e.is_check] if trial.design == Trial.Design.AUGMENTED else []
    checks = [e for e in entries if e.is_check] + further
    return Wanted(
        trial.design,
        tuple(e.code for e in entries),
        trial.blocks,
        trial.block_size,
        tuple(trial.levels),
        trial.entries_whole,
        tuple(e.code for e in checks),
        trial.check_plots,
        trial.blocks_a_bed if trial.each_bed else 0,
    )


def conditions_of(trial: Trial) -> Conditions:
    """What the checks of a layout have to know of the entries, the crop and the beds."""
    entries = trial.named_entries
    heights = {e.code: e.cultivar.height_cm for e in entries if e.cultivar.height_cm}
    along = {Bed.Gradient.ALONG: True, Bed.Gradient.ACROSS: False}
    places = tuple(
        Place(b.bearing, along.get(Bed.Gradient(b.gradient)) if b.gradient else None, b.site.latitude) for b in trial.beds
    )
    check = next((e.code for e in entries if e.is_check), "")
    rows = (trial.between_rows_cm or 0) / 100 or None
    return Conditions(
        check, places, heights if len(heights) == len(entries) else {}, rows, LEAST_ROWS if is_block_crop(trial.crop) else 1
    )


def is_block_crop(crop: Crop) -> bool:
    """Whether wind pollinates the crop and it sets badly in a narrow block, as maize does."""
    return str(crop.profile.get("pollination", "")) == "wind" and "narrow block" in str(crop.profile.get("lookalikes", ""))


def drawing_of(trial: Trial) -> Callable[[int], Draft]:
    """The layout that a seed gives in the trial's beds, with blocks where they were moved to."""
    assert trial.bed and trial.plot_length_m and trial.plot_width_m
    wanted, size = wanted_of(trial), PlotSize(trial.plot_length_m, trial.plot_width_m, trial.path_m, trial.guard_m)
    rooms = [BedSize(bed.length_m, bed.width_m) for bed in trial.beds]
    order = {bed.pk: n for n, bed in enumerate(trial.beds)}
    moved = {p.block: At(order[p.bed_id], p.x, p.y, p.turned) for p in trial.block_places.all() if p.bed_id in order}
    return lambda seed: draft(wanted, size, rooms, seed, moved)


def shuffle(trial: Trial, by: User) -> None:
    """Draw another layout from a fresh seed."""
    lay_out(trial, None, by)


@transaction.atomic
def move_block(trial: Trial, block: int, bed: Bed, x: float, y: float, turned: bool, by: User) -> None:
    """Lay a block elsewhere; which entry stands where in it stays. Raises Refused when it would lie on another block or over
    the edge of the bed, or once the layout is fixed."""
    trial = still_open(trial)
    order = {b.pk: n for n, b in enumerate(trial.beds)}
    if bed.pk not in order:
        raise Refused(f"{bed.name} is not a bed of this trial.", "bed")
    before = drawing_of(trial)(trial.layout_seed or 0)
    if block not in before.blocks:
        raise Refused(f"There is no block {block}.", "block")
    places = {**before.blocks, block: At(order[bed.pk], x, y, turned)}
    rooms = [BedSize(b.length_m, b.width_m) for b in trial.beds]
    for one, other in crowded(places, before.box, rooms):
        if block in (one, other):
            where = "over the edge of its bed" if other is None else f"on block {other if one == block else one}"
            raise Refused(f"There, block {block} would lie {where}. It stays where it was.", "x")
    for n, at in places.items():
        BlockPlace.objects.update_or_create(
            trial=trial, block=n, defaults={"bed": trial.beds[at.bed], "x": at.x, "y": at.y, "turned": at.turned}
        )
    _put_plots(trial, drawing_of(trial)(trial.layout_seed or 0))
    record(trial, by, f"Block {block} moved to {bed.name}, {x:g} m along and {y:g} m across{', turned' if turned else ''}.")


@transaction.atomic
def swap_plots(one: Plot, other: Plot, reason: str, by: User) -> None:
    """Two plots change their entries, as was sown or is to be sown, with the reason on record; what was recorded stays with
    the plot, which is where it was seen. Raises Refused without a reason, or for plots of different blocks."""
    trial = Trial.objects.select_for_update().get(pk=one.trial_id)
    if not reason.strip():
        raise Refused("Say in a few words why they change places.", "reason")
    if one.pk == other.pk or one.trial_id != other.trial_id:
        raise Refused("Expected two plots of this trial.", "other")
    if (one.block, one.inner) != (other.block, other.inner):
        raise Refused(
            f"Plots {one.number} and {other.number} stand in different blocks; a swap would take the design apart.", "other"
        )
    if trial.is_fixed:
        one.planned, other.planned = one.planned or one.entry, other.planned or other.entry
    one.entry, other.entry = other.entry, one.entry
    one.level, other.level = other.level, one.level
    for plot in (one, other):
        if plot.planned_id == plot.entry_id:
            plot.planned = None
        plot.save(update_fields=["entry", "level", "planned"])
    said = f"Plots {one.number} and {other.number} changed entries: {reason.strip()}"[:300]
    record(trial, by, said, swapped=[one.number, other.number])


@transaction.atomic
def fix_layout(trial: Trial, by: User) -> None:
    """From now on the layout stays as it is drawn. Raises Refused when it does not fit its bed."""
    trial = Trial.objects.select_for_update().get(pk=trial.pk)
    if trial.is_fixed:
        return
    if trial.bed and not drawing_of(trial)(trial.layout_seed or 0).fits:
        raise Refused("The layout does not fit its bed, so it cannot be staked out. Plan it with smaller plots.")
    nameless = [e.cultivar.name for e in trial.entries.select_related("cultivar") if e.cultivar.stands_in]
    if nameless:
        more = f" and {len(nameless) - 1} more" if len(nameless) > 1 else ""
        raise Refused(
            f"{nameless[0]}{more} {'have' if more else 'has'} no cultivar's name yet. Change the plan and name every entry."
        )
    trial.layout_fixed_at = timezone.now()
    trial.save(update_fields=["layout_fixed_at"])
    record(trial, by, f"Layout fixed as drawn from seed {trial.layout_seed}.", seed=trial.layout_seed)
