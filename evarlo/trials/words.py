"""The sentences about a trial's plan, its needs and its days."""

from __future__ import annotations

from django.utils.html import format_html
from django.utils.safestring import SafeString

from evarlo.catalogue.models import Crop
from evarlo.trials.models import NeedPlan, Trial
from evarlo.trials.needs import EntryNeed, Needs
from evarlo.ui.templatetags.ui import measure, short_day
from evarlo.ui.units import measured
from evarlo.ui.words import counted, plural
from trialcore.reckoning.schedule import SowingWindow


def stands_in_words(trial: Trial) -> str:
    """How far a trial has come, in a word or two."""
    if trial.archived_at:
        return "put away"
    if trial.decided_at:
        return "decided"
    return "under way" if trial.is_fixed else "being planned"


def observed_in_words(trial: Trial) -> list[str]:
    """What every comparison says of a trial with one plot an entry."""
    if not trial.only_observed:
        return []
    return ["One plot an entry: observation only. What differs here may be the cultivar or the spot it stood on; nothing can tell."]


def plan_in_words(trial: Trial, entries: int, plots: int) -> str:
    """What stands where: entries, plots, design, beds and plants."""
    beds = [str(bed) for bed in trial.beds]
    where = f", {', '.join(beds[:-1])} and {beds[-1]}" if len(beds) > 1 else f", {beds[0]}" if beds else ""
    return (
        f"{trial.crop.name}, season {trial.season}. {counted(entries, 'entry', 'entries')} in {counted(plots, 'plot')}: "
        f"{trial.design_in_words}{where}{_plants_in_words(trial)}."
    )


def _plants_in_words(trial: Trial) -> str:
    """How many plants a plot holds, and of which entries it holds another number."""
    spacing = trial.spacing
    if spacing is None or not spacing.plants:
        return ""
    said = f"; {counted(spacing.plants, 'plant')} a plot"
    said += f", {spacing.per_station} at each of {spacing.stations} stations" if spacing.per_station > 1 else ""
    said += f", {spacing.judged} of them judged" if spacing.border else ""
    said += ", rows staggered" if spacing.staggered else ""
    others = [(e.code, own) for e in trial.named_entries if e.in_row_cm and (own := trial.spacing_of(e))]
    return said + "".join(f"; {own.plants} of {code}, {measured(100 * own.in_row, 'cm')} in the row" for code, own in others)


def places_in_words(needs: Needs) -> str:
    """How many stations a plot has, or from how few to how many."""
    *fewer, most = needs.places_a_plot or (0,)
    return f"{fewer[0]} to {counted(most, needs.place)}" if fewer else counted(most, needs.place)


def needs_in_words(trial: Trial, needs: Needs) -> SafeString:
    """Whether there is seed enough, and how much in all."""
    piece = trial.crop.piece
    said = SafeString("There is enough for every entry.")
    if needs.short:
        of_what = piece if piece == "seed" else plural(2, piece)
        said = format_html("<strong>{} of {}</strong> entries are short of {}.", len(needs.short), len(needs.rows), of_what)
    trays = f", in {counted(needs.trays, 'tray')} with {measure(needs.medium_l, 'l:0')} of medium" if needs.trays else ""
    return format_html(
        "{} {} in all for {} of {}{}.",
        said,
        counted(needs.seeds, piece),
        counted(needs.plots, "plot"),
        places_in_words(needs),
        trays,
    )


KEPT_BACK = 4  # one seed of so many is kept for sowing again


def few_seeds_in_words(row: EntryNeed, plan: NeedPlan) -> list[str]:
    """What to do with fewer seeds than wanted where more cannot be had; nothing where there are enough or none."""
    few = row.few
    if few is None:
        return []
    each = row.stations // row.plots
    said = [
        f"Sown one a {'cell' if plan.transplant else 'station'}, {counted(row.in_stock, 'seed')} give at least "
        f"{counted(few.surely, 'plant')} 9 times in 10, {few.mean:.0f} on average."
    ]
    if few.a_plot and few.full_plots < row.plots:
        full = f", or fill {few.full_plots} of them with {each}" if few.full_plots else ""
        said.append(f"That is {few.a_plot} in each of its {row.plots} plots{full}. As few in every entry's plots keeps them alike.")
    if not few.a_plot:
        said.append("That is not one in each of its plots: grow it for seed this year, and try it next.")
    if not plan.transplant:
        said.append("Raise them in cells: each is seen, and no gap is lost ground.")
    said.append("Start them on damp paper and set out what sprouts; take none for a test.")
    if row.in_stock >= 2 * KEPT_BACK:
        said.append(f"Keep {row.in_stock // KEPT_BACK} back until the first are up: slugs or a dry day take all at once.")
    return said


def window_in_words(crop: Crop, window: SowingWindow) -> str:
    """Between which days a crop can be sown at a site; empty where nothing bounds it."""
    if not window.earliest and not window.latest:
        return f"{crop.name} can be sown here at any time but for heat. {heat_in_words(window)}" if window.heat else ""
    since = f" from {short_day(window.earliest)}" if window.earliest else ""
    best = f", best from {short_day(window.best)}" if window.earliest and window.best != window.earliest else ""
    until = f" until {short_day(window.latest)}" if window.latest else ""
    said = f"{crop.name} can be sown here{since}{best}{until}: {'; '.join(window.reasons)}."
    return f"{said} {heat_in_words(window)}".rstrip()


def heat_in_words(window: SowingWindow) -> str:
    """What heat leaves of a window; empty where it takes nothing."""
    if not window.heat:
        return ""
    if not window.parts:
        return f"Heat leaves no part of it: {'; '.join(window.heat)}."
    parts = " or ".join(f"from {first:%-d %b} to {last:%-d %b}" for first, last in window.parts)
    parted = "Heat parts it in two" if len(window.parts) > 1 else "Heat takes some of it"
    return f"{parted}, sow {parts}: {'; '.join(window.heat)}."
