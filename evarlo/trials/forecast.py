"""What a plan amounts to before anything is sown: plots, plants, room in the bed and what can be told apart."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.utils.safestring import SafeString

from evarlo.trials.services import MOST_BLOCKS, MOST_ENTRIES
from evarlo.ui.draw.plan import Outline, Tag, plan
from trialcore.bed import Bed, Placement, PlotSize, place_blocks, stations
from trialcore.layout import plot_number
from trialcore.power import detectable_difference


@dataclass(frozen=True)
class Forecast:
    """As much as the figures typed so far allow; the rest is None or empty."""

    plots: int | None = None
    rows: int | None = None
    plants_a_row: int | None = None
    area_m2: float | None = None
    placement: Placement | None = None
    drawing: SafeString | None = None
    room: str = ""
    tells: float | None = None
    with_blocks: tuple[tuple[int, float], ...] = ()

    @property
    def plants_a_plot(self) -> int | None:
        return None if self.rows is None or self.plants_a_row is None else self.rows * self.plants_a_row

    @property
    def plants(self) -> int | None:
        each = self.plants_a_plot
        return None if each is None or self.plots is None else each * self.plots


def forecast(typed: dict[str, Any], entries: int) -> Forecast:
    """Reckon from the fields of the new-trial form that could be read."""
    blocks = typed.get("blocks")
    if not blocks or not 2 <= blocks <= MOST_BLOCKS or not 2 <= entries <= MOST_ENTRIES:
        return Forecast()
    made: dict[str, Any] = {"plots": entries * blocks}
    cv = typed.get("cv_percent")
    if cv:
        made["tells"] = detectable_difference(cv, blocks, entries)
        shown = sorted({b for b in (blocks - 1, blocks, blocks + 1, blocks + 2) if 2 <= b <= MOST_BLOCKS})
        made["with_blocks"] = tuple((b, detectable_difference(cv, b, entries)) for b in shown)
    length, width = typed.get("plot_length_m"), typed.get("plot_width_m")
    if length and width:
        made["area_m2"] = entries * blocks * length * width
        if typed.get("between_rows_cm") and typed.get("in_row_cm"):
            made["rows"], made["plants_a_row"] = stations(length, width, typed["between_rows_cm"] / 100, typed["in_row_cm"] / 100)
        if typed.get("bed_length_m") and typed.get("bed_width_m"):
            made.update(_in_bed(typed, entries, blocks))
    return Forecast(**made)


def _in_bed(typed: dict[str, Any], entries: int, blocks: int) -> dict[str, Any]:
    size = PlotSize(typed["plot_length_m"], typed["plot_width_m"], typed.get("path_m") or 0.0)
    bed = Bed(typed["bed_length_m"], typed["bed_width_m"])
    placement = place_blocks(entries, blocks, size, bed)
    bearing = typed.get("bearing")
    drawing = plan(
        [
            Tag(0, str(plot_number(s.block, s.position, entries)), s.x, s.y, s.length, s.width, url="#", said=f"Block {s.block}")
            for s in placement.spots
        ],
        [Outline("", 0, 0, bed.length, bed.width)] if placement.fits else [],
        90.0 if bearing is None else bearing,
        True,
        width=520,
        height=330,
        title="Plots in the bed",
    )
    return {"placement": placement, "drawing": drawing, "room": room_in_words(placement, entries, blocks, size, bed)}


def room_in_words(placement: Placement, entries: int, blocks: int, size: PlotSize, bed: Bed) -> str:
    """Whether it fits, and if not, how much is missing and what would fit."""
    if placement.fits:
        return (
            f"It fits: {placement.used_length:.1f} × {placement.used_width:.1f} m of the bed's "
            f"{bed.length:g} × {bed.width:g} m, each block {placement.block_rows} by {placement.block_cols} plots."
        )
    longer, wider = placement.short_by
    lacking = " and ".join(
        text for text, gap in ((f"{longer:.1f} m longer", longer), (f"{wider:.1f} m wider", wider)) if gap > 1e-9
    )
    fewer = next((b for b in range(blocks - 1, 1, -1) if place_blocks(entries, b, size, bed).fits), None)
    smaller = next(
        (
            s
            for s in (s / 20 for s in range(19, 5, -1))
            if place_blocks(entries, blocks, PlotSize(size.length * s, size.width * s, size.path), bed).fits
        ),
        None,
    )
    would = []
    if fewer:
        would.append(f"{fewer} blocks")
    if smaller:
        would.append(f"plots of {size.length * smaller:.2f} × {size.width * smaller:.2f} m")
    what = f" {' or '.join(would).capitalize()} would fit." if would else " Fewer entries or another bed are needed."
    return f"It does not fit: the bed would have to be {lacking}.{what}"
