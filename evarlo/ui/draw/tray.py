"""A tray from above: rows lettered from the corner with the notch, cells numbered along them, what stands in each."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from trialcore.reckoning.trays import cell_name, row_letters

WIDE, HIGH, LEFT, TOP, EDGE = 42, 32, 30, 24, 8
SHADES = ("#f6efd2", "#bcd3b2", "#dfe3bd", "#92bfae", "#e6ecea", "#b9d0d6")


@dataclass(frozen=True)
class Cell:
    """What a cell holds: a code, which of the codes in the tray it is, whether of another trial, and plants where counted."""

    code: str
    order: int
    other: bool = False
    plants: str = ""


def tray(name: str, rows: int, cols: int, cells: Mapping[int, Cell], mode: str = "") -> SafeString:
    """Draw a tray. `mode` is `choose` where cells are chosen, `count` where plants are counted in them, else it is only seen."""
    width, height = LEFT + cols * WIDE + EDGE, TOP + rows * HIGH + EDGE
    heads = ((LEFT + (c + 0.5) * WIDE, TOP - 8, c + 1) for c in range(cols))
    letters = (
        ("row-letter" if mode == "choose" else "", r, LEFT - 12, TOP + (r + 0.5) * HIGH + 4, row_letters(r)) for r in range(rows)
    )
    drawn = format_html_join("", "{}", ((_cell(n, cols, cells.get(n)),) for n in range(rows * cols)))
    outline = f"M{LEFT + 9} {TOP - 4}H{width - EDGE + 4}V{height - EDGE + 4}H{LEFT - 4}V{TOP + 9}z"
    return format_html(
        '<svg class="tray" viewBox="0 0 {} {}" role="group" aria-label="Tray {}, {} rows of {}" data-mode="{}" data-cols="{}"{}>'
        '<path class="rim" d="{}"/><path class="notch" d="M{} {}h12l-12 12z"/>{}{}{}</svg>',
        width,
        height,
        name,
        rows,
        cols,
        mode,
        cols,
        format_html(' tabindex="0"') if mode else "",
        outline,
        LEFT - 4,
        TOP - 4,
        format_html_join("", '<text x="{}" y="{}">{}</text>', heads),
        format_html_join("", '<text class="{}" data-row="{}" x="{}" y="{}">{}</text>', letters),
        drawn,
    )


def _cell(n: int, cols: int, held: Cell | None) -> SafeString:
    x, y = LEFT + n % cols * WIDE, TOP + n // cols * HIGH
    if held is None:
        said, kind, shade, text = "free", "free", "#ffffff", ""
    else:
        said = f"{held.code}{', another trial' if held.other else ''}{f', {held.plants} plants' if held.plants else ''}"
        kind = "other" if held.other else "held"
        shade, text = SHADES[held.order % len(SHADES)], held.code[:7]
    counted = format_html('<text class="plants" x="{}" y="{}">{}</text>', x + WIDE - 8, y + HIGH - 6, held.plants) if held else ""
    return format_html(
        '<g class="cell {}" data-cell="{}"><title>{}: {}</title><rect x="{}" y="{}" width="{}" height="{}" fill="{}"/>'
        '<text x="{}" y="{}">{}</text>{}</g>',
        kind,
        n,
        cell_name(n, cols),
        said,
        x + 1,
        y + 1,
        WIDE - 2,
        HIGH - 2,
        shade,
        x + WIDE / 2,
        y + HIGH / 2 + 4,
        text,
        counted,
    )
