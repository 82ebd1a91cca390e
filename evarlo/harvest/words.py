"""The sentences of the weigh-in bench."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from typing import TYPE_CHECKING

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from evarlo.catalogue.models import Trait
from evarlo.harvest.models import Picking, PickPart, StoreCheck, TestedSample
from evarlo.harvest.store import Stored
from evarlo.ui.templatetags.ui import short_day
from evarlo.ui.units import measured
from evarlo.ui.words import counted, fixed
from trialcore.analyses.keeping import Keeping
from trialcore.field.picks import PlotYield

if TYPE_CHECKING:
    from evarlo.harvest.sheets import Understood

SURE = 0.05


def part_in_words(part: PickPart) -> str:
    """What fell into one class."""
    pieces = f", {counted(part.count, 'piece')}" if part.count is not None else ""
    unsure = f" ± {measured(part.se_kg, 'kg')} from grading {part.graded_count}" if part.graded_count else ""
    return f"{part.pick_class.name} {measured(part.kg, 'kg')}{unsure}{pieces}"


def beside_in_words(last: Picking, season: PlotYield | None) -> str:
    """The last weigh-in of a plot, and its total so far."""
    had = last.get_nought_display() if last.nought else measured(last.marketable_kg, "kg")
    pieces = f", {counted(last.marketable_count, 'piece')}" if last.marketable_count and not last.nought else ""
    total = f"; {measured(season.marketable_kg, 'kg')} so far" if season else ""
    return f"Last on {short_day(last.on)}: {had}{pieces}{total}."


def weights_in_words(found: Understood) -> str:
    """What a sheet of weights was understood to be."""
    if not found.weighed:
        return "All of it is there already." if found.there else "Nothing was weighed in this sheet."
    days = found.days
    span = short_day(days[0]) if len(days) == 1 else f"{short_day(days[0])} to {short_day(days[-1])}"
    plots = len({plot for plot, _ in found.weighed})
    said = (
        f"{counted(len(found.weighed), 'weigh-in')} of {counted(plots, 'plot')} on {counted(len(days), 'day')}, {span}, "
        f"{measured(round(found.kg, 2), 'kg')} marketable."
    )
    there = f" {counted(found.there, 'other')} of a plot and day that has one already: left as it is." if found.there else ""
    return said + there


TESTING = {
    "sugar": "Set the refractometer to nought with clean water, wipe it between pieces, and take the juice of each piece by "
    "itself. A sample is a few pieces of one plot.",
    "texture": "Press where the piece is widest, once a piece, at the warmth of the room. Keep your fingers behind the plunger.",
    "dry-matter": "Weigh each sample before and after drying at 70 °C: 200/18. Use gloves at the oven.",
    "edible-share": "Weigh each sample before and after it is trimmed, shelled or peeled: 840/655.",
    "harvest-moisture": "Weigh each sample of the dry harvest before and after drying at 103 °C: 50/43.5. Use gloves at the oven.",
}


def samples_in_words(trait: Trait, tested: Sequence[tuple[TestedSample, bool]], plots: int, bound: float | None) -> str:
    """How many plots have a sample that counts, and how many were too old."""
    if not tested:
        return f"No sample of {trait.name.lower()} yet."
    counting = [s for s, old in tested if not old]
    sampled = counted(len({s.plot_id for s in counting}), "plot")
    said = f"{trait.name}: {sampled} of {plots} sampled, {counted(len(counting), 'sample')}"
    old = len(tested) - len(counting)
    return said + (f"; {counted(old, 'other')} older than {bound:g} h, left out." if old and bound else ".")


def look_in_words(check: StoreCheck, lost: int) -> str:
    """What was seen at a look, with what was lost since the one before."""
    gone = f", {lost} lost{f' ({check.cause})' if check.cause else ''}" if lost else ""
    taken = f", {check.taken} taken away sound" if check.taken else ""
    return f"In store: {check.sound} sound{gone}{taken}."


def store_in_words(stored: Sequence[Stored], today: date) -> str:
    """What is in store, and how many lots are to be looked at."""
    if not stored:
        return "Nothing is in store yet."
    late = sum(s.next_on is not None and s.next_on <= today for s in stored)
    said = f"{counted(len(stored), 'lot')} in store with {counted(sum(s.sound for s in stored), 'sound piece')}"
    return said + (f"; {counted(late, 'lot')} to be looked at." if late else ".")


def kept_in_words(found: Keeping | None, names: Mapping[str, str], check: str | None) -> SafeString:
    """Who keeps longer than the check and who shorter, by how many times, and what the pieces and lots let say."""
    if found is None:
        return SafeString("What was seen so far does not tell yet how long they keep.")
    sure = [d for d in found.vs_check if d.p < SURE]
    told = format_html_join(
        " ",
        "<strong>{}</strong> keeps {} times as long as {} ({} to {}).",
        ((names[d.entry], fixed(d.ratio, 1), names[check or d.entry], *(fixed(x, 1) for x in d.ratio95)) for d in sure),
    )
    over = [names[e.entry] for e in found.entries if not e.lost]
    still = f" Nothing of {', '.join(over)} is lost yet." if over else ""
    lots = "" if found.spread else " With one lot of each, how lots differ by themselves is not known."
    if check is None:
        return format_html("The check is not in store: nothing is set against it.{}{}", still, lots)
    if not sure:
        none = "No entry surely keeps longer or shorter than the check." if found.vs_check else ""
        return format_html("{}{}{}", none, still, lots)
    return format_html("{}{}{}", told, still, lots)
