"""A plain plan of a layout as SVG, to scale."""

from __future__ import annotations

from html import escape

from trialcore.layouts.placing import Placed

SCALE = 40  # drawing units a metre


def plan_svg(there: Placed) -> str:
    """The plots with number and entry; the origin of the bed is at the top left, its length along the page."""
    width, height = there.used_length * SCALE + 20, there.used_width * SCALE + 20
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="-10 -10 {width:g} {height:g}" font-family="sans-serif">',
        f"<title>{escape(there.layout.design)}, seed {there.layout.seed}</title>",
    ]
    for (number, plot), spot in zip(there.layout.numbered(), there.spots, strict=True):
        x, y, w, h = (v * SCALE for v in (spot.x, spot.y, spot.length, spot.width))
        name = escape(plot.entry if plot.factor2 is None else f"{plot.entry} · {plot.factor2}")
        parts.append(
            f'<g><rect x="{x:g}" y="{y:g}" width="{w:g}" height="{h:g}" fill="#f6efd2" stroke="#14231f"/>'
            f'<text x="{x + 5:g}" y="{y + 17:g}" font-size="14" font-weight="bold">{number}</text>'
            f'<text x="{x + 5:g}" y="{y + h - 7:g}" font-size="11">{name}</text></g>'
        )
    return "\n".join([*parts, "</svg>\n"])
