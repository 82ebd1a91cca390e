"""Leaves and plots of known damage as pictures."""

from __future__ import annotations

from collections.abc import Iterable

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString, mark_safe

from trialcore.analyses.linear import Floats
from trialcore.field.leaves import DrawnPlot, Leaf

WIDE = 320.0
PAD = 12.0


def _points(outline: Floats, middle: float) -> str:
    return " ".join(f"{PAD + WIDE * x:.1f},{middle + WIDE * y:.1f}" for x, y in outline)


def _polygons(outlines: Iterable[Floats], kind: str, middle: float) -> SafeString:
    return format_html_join("", '<polygon class="{}" points="{}"/>', ((kind, _points(o, middle)) for o in outlines))


def draw_leaf(leaf: Leaf, said: str, key: str, mirrored: bool = False) -> SafeString:
    """A leaf with its lesions cut off at the margin. `key` is unique on the page. Neither it nor `said` tells the share."""
    middle = PAD + WIDE * float(abs(leaf.outline[:, 1]).max())
    high = 2 * middle
    kind = {"holes": "hole", "margin": "lesion margin"}.get(leaf.lesion, "lesion")
    veins = mark_safe(  # noqa: S308
        "".join(
            f'<path class="vein" d="M{PAD + WIDE * x:.0f} {middle:.0f}l{WIDE * 0.11:.0f} {side * WIDE * 0.12:.0f}"/>'
            for x in (0.16, 0.32, 0.48, 0.64)
            for side in (-1, 1)
        )
    )
    return format_html(
        '<svg class="leaf-drawing" role="img" aria-label="{}" viewBox="0 0 {} {}">'
        '<clipPath id="{}"><polygon points="{}"/></clipPath><g{}><polygon class="blade" points="{}"/>'
        '<g clip-path="url(#{})">{}<path class="vein" d="M{} {}h{}"/>{}{}</g></g></svg>',
        said,
        f"{WIDE + 2 * PAD:.0f}",
        f"{high:.0f}",
        f"clip-{key}",
        _points(leaf.outline, middle),
        mark_safe(f' transform="translate({WIDE + 2 * PAD:.0f} 0) scale(-1 1)"') if mirrored else "",  # noqa: S308
        _points(leaf.outline, middle),
        f"clip-{key}",
        veins,
        PAD,
        f"{middle:.0f}",
        WIDE,
        _polygons(leaf.alike, f"alike {leaf.kind_alike}", middle),
        _polygons(leaf.lesions, kind, middle),
    )


def draw_plot(plot: DrawnPlot, said: str) -> SafeString:
    """Plants of a plot from above; those affected are limp and spotted."""
    step = 46.0
    wide, high = (float(v) for v in step * (plot.places.max(axis=0) + 1) + 2 * PAD)
    marks = []
    for (x, y), ill in zip(plot.places, plot.affected, strict=True):
        at = f"translate({PAD + step * (x + 0.5):.1f} {PAD + step * (y + 0.5):.1f}) rotate({(x * 37 + y * 53) % 90:.0f})"
        marks.append((at, "plant ill" if ill else "plant"))
    sound = mark_safe('<path d="M0 0L-15-5-17 3ZM0 0L5-15-4-17ZM0 0L15 5 17-4ZM0 0L-5 15 4 17Z"/>')
    inside = format_html_join(
        "",
        '<g class="{}" transform="{}">{}{}</g>',
        (
            (
                kind,
                at,
                sound,
                mark_safe('<circle cx="-11" cy="-1" r="3"/><circle cx="1" cy="12" r="3"/><circle cx="9" cy="1" r="2.4"/>')
                if "ill" in kind
                else "",
            )
            for at, kind in marks
        ),
    )
    return format_html(
        '<svg class="plot-drawing" role="img" aria-label="{}" viewBox="0 0 {} {}">'
        '<rect class="ground-drawn" width="100%" height="100%"/>{}</svg>',
        said,
        f"{wide:.0f}",
        f"{high:.0f}",
        inside,
    )
