"""Small drawings of places on a scale, by name: leaf:25 is a leaf of which 25 % are diseased."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import cache
from math import cos, radians, sin

import numpy as np
from django.utils.html import format_html
from django.utils.safestring import SafeString, mark_safe

from evarlo.ui.draw.leaf import draw_leaf
from trialcore.field.leaves import Lesion, drawn_leaf

NAMED = re.compile(r"(leaf|eaten|edge|cover|lean|plant|even):([0-9]{1,3})")


def known_drawing(name: str) -> bool:
    found = NAMED.fullmatch(name)
    if found is None:
        return False
    most = 9 if found[1] in ("plant", "even") else 95 if found[1] in LEAVES else 100
    return int(found[2]) <= most


def drawing_named(name: str) -> SafeString | None:
    """The drawing of that name; None for nothing and for a name that is not known."""
    return _drawn(name) if known_drawing(name) else None


FLOOR = '<path class="floor" d="M0 83H160"/>'
LEAVES: dict[str, Lesion] = {"leaf": "spots", "eaten": "holes", "edge": "margin"}


@cache
def _drawn(name: str) -> SafeString:
    what, _, figure = name.partition(":")
    value = int(figure)
    if what in LEAVES:
        leaf = drawn_leaf("oval", LEAVES[what], value, seed=value + 3)
        hurt = "gone" if what == "eaten" else "affected"
        return draw_leaf(leaf, f"A leaf with {value} % of its area {hurt}", f"{what}-{value}")
    said, inside = OTHERS[what](value)
    frame = '<svg class="anchor-drawing" role="img" aria-label="{}" viewBox="0 0 160 90">{}</svg>'
    return format_html(frame, said, mark_safe(inside))  # noqa: S308


def _cover(share: int) -> tuple[str, str]:
    """Ground of which a share is under leaves: cells of a grid, filled in a fixed random order."""
    order = np.random.default_rng(5).permutation(16 * 9)
    filled = set(order[: round(share / 100 * len(order))].tolist())
    cells = "".join(f'<rect x="{10 * (i % 16)}" y="{10 * (i // 16)}" width="10" height="10"/>' for i in sorted(filled))
    return f"{share} % of the ground covered", f'<rect class="ground-drawn" width="160" height="90"/><g class="green">{cells}</g>'


def _lean(share: int) -> tuple[str, str]:
    """Eight stems of which a share lie."""
    stems = ""
    for i in range(8):
        flat = (i * 3) % 8 < round(8 * share / 100)
        angle = radians(15 if flat else 86)
        x = 12 + 18 * i
        stems += f'<path class="stem" d="M{x} 82L{x + 58 * cos(angle):.0f} {82 - 58 * sin(angle):.0f}"/>'
    return f"{share} % of the stems lie", f"{FLOOR}{stems}"


def _plant(score: int) -> tuple[str, str]:
    """A plant as strong as its score."""
    tall, leaves = 8 + 8 * score, ""
    for up in (0.3, 0.55, 0.8, 1):
        for side in (-1, 1):
            wide, y = side * tall, 82 - tall * up
            out = f"q{wide * 0.5:.0f} {-tall * 0.22:.0f} {wide * 0.62:.0f} {tall * 0.06:.0f}"
            back = f"q{-wide * 0.3:.0f} {tall * 0.2:.0f} {-wide * 0.62:.0f} {-tall * 0.06:.0f}"
            leaves += f'<path class="green" d="M80 {y:.0f}{out}{back}Z"/>'
    return f"A plant of vigour {score}", f'{FLOOR}<path class="stem" d="M80 82V{82 - tall}"/>{leaves}'


def _even(score: int) -> tuple[str, str]:
    """Five plants, the less alike the lower the score."""
    plants = ""
    for i, shift in enumerate((-1.0, 0.7, -0.4, 1.0, -0.2)):
        tall = 46 + shift * (9 - score) * 3.4
        x, top = 16 + 32 * i, 82 - tall
        head = f'<ellipse class="green" cx="{x}" cy="{top:.0f}" rx="{tall / 4.2:.0f}" ry="{tall / 6:.0f}"/>'
        plants += f'<path class="stem" d="M{x} 82V{top:.0f}"/>{head}'
    return f"Plants of evenness {score}", f"{FLOOR}{plants}"


OTHERS: dict[str, Callable[[int], tuple[str, str]]] = {"cover": _cover, "lean": _lean, "plant": _plant, "even": _even}
