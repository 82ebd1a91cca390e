"""The sentences of the weigh-in bench."""

from __future__ import annotations

from evarlo.harvest.models import Picking, PickPart
from evarlo.ui.templatetags.ui import short_day
from evarlo.ui.units import measured
from evarlo.ui.words import counted
from trialcore.field.picks import PlotYield


def part_in_words(part: PickPart) -> str:
    """What fell into one class."""
    pieces = f", {counted(part.count, 'piece')}" if part.count is not None else ""
    return f"{part.pick_class.name} {measured(part.kg, 'kg')}{pieces}"


def beside_in_words(last: Picking, season: PlotYield | None) -> str:
    """The last weigh-in of a plot, and its total so far."""
    had = last.get_nought_display() if last.nought else measured(last.marketable_kg, "kg")
    pieces = f", {counted(last.marketable_count, 'piece')}" if last.marketable_count and not last.nought else ""
    total = f"; {measured(season.marketable_kg, 'kg')} so far" if season else ""
    return f"Last on {short_day(last.on)}: {had}{pieces}{total}."
