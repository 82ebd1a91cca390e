"""What a plan amounts to before anything is sown: plots, plants, room in the bed and what can be told apart."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.utils.safestring import SafeString

from evarlo.trials.drafting import Draft, advised_design, draft, precision_of
from evarlo.trials.models import Trial
from evarlo.trials.services import MOST_BLOCKS, MOST_ENTRIES
from evarlo.ui.draw.advisor import Step, advisor
from evarlo.ui.draw.plan import Outline, Tag, plan
from trialcore.bed import Bed, PlotSize, stations
from trialcore.power import smallest_found

SEED = 1  # the preview shows how plots lie, not which entry stands where
MOST_SHOWN = 10


@dataclass(frozen=True)
class Forecast:
    """As much as the figures typed so far allow; the rest is None or empty."""

    plots: int | None = None
    rows: int | None = None
    plants_a_row: int | None = None
    area_m2: float | None = None
    draft: Draft | None = None
    drawing: SafeString | None = None
    room: str = ""
    tells: float | None = None
    advice: str = ""
    more: str = ""
    curve: SafeString | None = None

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
    made: dict[str, Any] = {"plots": entries * blocks, "advice": advised_design(entries)}
    length, width = typed.get("plot_length_m"), typed.get("plot_width_m")
    plants = None
    if length and width:
        made["area_m2"] = entries * blocks * length * width
        if typed.get("between_rows_cm") and typed.get("in_row_cm"):
            made["rows"], made["plants_a_row"] = stations(length, width, typed["between_rows_cm"] / 100, typed["in_row_cm"] / 100)
            plants = made["rows"] * made["plants_a_row"]
    made |= _precision(typed, entries, blocks, length * width if length and width else None, plants)
    if length and width and typed.get("bed_length_m") and typed.get("bed_width_m"):
        made |= _in_bed(typed, entries, blocks)
    return Forecast(**made)


def _design(typed: dict[str, Any]) -> tuple[str, int | None]:
    return typed.get("design") or Trial.Design.BLOCKS, typed.get("block_size")


def _tells(typed: dict[str, Any], entries: int, blocks: int) -> float | None:
    design, block_size = _design(typed)
    given = precision_of(design, entries, blocks, block_size)
    return smallest_found(typed["cv_percent"], given) if given else None


def _precision(typed: dict[str, Any], entries: int, blocks: int, area: float | None, plants: int | None) -> dict[str, Any]:
    if not typed.get("cv_percent"):
        return {}
    last = min(MOST_BLOCKS, max(MOST_SHOWN, blocks + 2))
    shown = range(2, last + 1) if last <= MOST_SHOWN else range(max(2, last - MOST_SHOWN + 2), last + 1)
    rows = ["plots", *(["plot ground, m²"] if area else []), *(["plants"] if plants else [])]
    steps = []
    for b in shown:
        tells = _tells(typed, entries, b)
        if tells is None:
            continue
        n = entries * b
        takes = [str(n), *([f"{n * area:.0f}"] if area else []), *([str(n * plants)] if plants else [])]
        steps.append(Step(b, tells, tuple(takes)))
    mine = _tells(typed, entries, blocks)
    if mine is None or len(steps) < 2:
        return {}
    said = "; ".join(f"{s.replicates} blocks tell {s.tells:.0f} % apart" for s in steps)
    return {"tells": mine, "curve": advisor(steps, blocks, rows, said)}


def _sizes(typed: dict[str, Any]) -> tuple[PlotSize, Bed]:
    size = PlotSize(typed["plot_length_m"], typed["plot_width_m"], typed.get("path_m") or 0.0)
    return size, Bed(typed["bed_length_m"], typed["bed_width_m"])


def _draft(typed: dict[str, Any], entries: int, blocks: int, size: PlotSize, bed: Bed) -> Draft | None:
    design, block_size = _design(typed)
    try:
        return draft(design, [str(i) for i in range(entries)], blocks, block_size, size, bed, SEED)
    except ValueError:
        return None


def _in_bed(typed: dict[str, Any], entries: int, blocks: int) -> dict[str, Any]:
    size, bed = _sizes(typed)
    drawn = _draft(typed, entries, blocks, size, bed)
    if drawn is None:
        return {}
    bearing = typed.get("bearing")
    drawing = plan(
        [
            Tag(
                0,
                p.number,
                p.x,
                p.y,
                p.length,
                p.width,
                url="#",
                left=f"block {p.inner}" if p.inner else "",
                said=f"Block {p.block}",
            )
            for p in drawn.plots
        ],
        [Outline("", 0, 0, bed.length, bed.width)] if drawn.fits else [],
        90.0 if bearing is None else bearing,
        True,
        width=520,
        height=330,
        title="Plots in the bed",
    )
    made = {"draft": drawn, "drawing": drawing, "room": room_in_words(typed, drawn, entries, blocks)}
    return made | {"more": more_in_words(typed, entries, blocks)}


def room_in_words(typed: dict[str, Any], drawn: Draft, entries: int, blocks: int) -> str:
    """Whether it fits, and if not, how much is missing and what would fit."""
    size, bed = _sizes(typed)
    if drawn.fits:
        used = f"{drawn.used_length:.1f} × {drawn.used_width:.1f} m of the bed's {bed.length:g} × {bed.width:g} m"
        return f"It fits: {used}, {drawn.shape}."
    fewer = next((b for b in range(blocks - 1, 1, -1) if (d := _draft(typed, entries, b, size, bed)) and d.fits), None)
    shrunk = (s / 20 for s in range(19, 5, -1))
    smaller = next(
        (
            s
            for s in shrunk
            if (d := _draft(typed, entries, blocks, PlotSize(size.length * s, size.width * s, size.path), bed)) and d.fits
        ),
        None,
    )
    would = []
    if fewer:
        would.append(f"{fewer} blocks")
    if smaller:
        would.append(f"plots of {size.length * smaller:.2f} × {size.width * smaller:.2f} m")
    what = f" {' or '.join(would).capitalize()} would fit." if would else " Fewer entries or another bed are needed."
    return f"It does not fit: the bed would have to be {_lacking(drawn)}.{what}"


def _lacking(drawn: Draft) -> str:
    longer, wider = drawn.short_by
    return " and ".join(text for text, gap in ((f"{longer:.1f} m longer", longer), (f"{wider:.1f} m wider", wider)) if gap > 1e-9)


def more_in_words(typed: dict[str, Any], entries: int, blocks: int) -> str:
    """What two more blocks, or replicates of incomplete blocks, would tell apart, and what ground that needs."""
    if not typed.get("cv_percent") or blocks + 2 > MOST_BLOCKS:
        return ""
    now, then = _tells(typed, entries, blocks), _tells(typed, entries, blocks + 2)
    drawn = _draft(typed, entries, blocks + 2, *_sizes(typed))
    if now is None or then is None or drawn is None:
        return ""
    room = "fit this bed too" if drawn.fits else f"need a bed {_lacking(drawn)}"
    repeats = "replicates" if _design(typed)[0] == Trial.Design.INCOMPLETE else "blocks"
    return f"With {blocks} {repeats} you can tell {now:.0f} % apart; {blocks + 2} {repeats} would tell {then:.0f} % and {room}."
