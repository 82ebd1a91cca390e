"""Which entry does well where: entries as points, trials as lines from the middle; far along a trial's line is good there."""

from __future__ import annotations

from collections.abc import Sequence

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

SIZE, PAD, LETTER, HIGH = 460, 70, 6.2, 13  # of a label: the usual width of a letter, and the height of a line


def biplot(entries: Sequence[tuple[str, float, float]], trials: Sequence[tuple[str, float, float]], said: str) -> SafeString:
    """The drawing of names with two coordinates each; both scales alike, and no label over another. Empty without a trial."""
    if not entries or not trials:
        return SafeString("")
    reach = max(abs(v) for _, x, y in entries for v in (x, y)) or 1.0
    far = max(abs(v) for _, x, y in trials for v in (x, y)) or 1.0
    middle, room = SIZE / 2, SIZE / 2 - PAD
    points = [(name, middle + x / reach * room, middle - y / reach * room) for name, x, y in entries]
    ends = [(name, middle + x / far * room, middle - y / far * room) for name, x, y in trials]
    placed = _apart([*points, *ends])
    lines = format_html_join(
        "", '<path class="trial" d="M{} {}L{} {}"/>', ((middle, middle, f"{x:.1f}", f"{y:.1f}") for _, x, y in ends)
    )
    dots = format_html_join("", '<circle cx="{}" cy="{}" r="4"/>', ((f"{x:.1f}", f"{y:.1f}") for _, x, y in points))
    kinds = ["entry"] * len(points) + ["trial"] * len(ends)
    labels = format_html_join(
        "",
        '<text class="{}" x="{}" y="{}" text-anchor="{}">{}</text>',
        ((kind, _beside(name, x), f"{y + 4:.1f}", _side(name, x), name) for kind, (name, x, y) in zip(kinds, placed, strict=True)),
    )
    return format_html(
        '<svg class="biplot" viewBox="0 0 {0} {0}" width="{0}" height="{0}" role="img" aria-label="{1}"><title>{1}</title>'
        '<path class="axis" d="M{2} {3}H{4}M{5} {2}V{4}"/>{6}{7}{8}</svg>',
        SIZE,
        said,
        PAD / 2,
        middle,
        SIZE - PAD / 2,
        middle,
        lines,
        dots,
        labels,
    )


def _side(name: str, x: float) -> str:
    """At the right of its place, or at the left where it would run out of the drawing."""
    return "end" if x + 6 + LETTER * len(name) > SIZE else "start"


def _beside(name: str, x: float) -> str:
    return f"{x - 6 if _side(name, x) == 'end' else x + 6:.1f}"


def _apart(labels: Sequence[tuple[str, float, float]]) -> list[tuple[str, float, float]]:
    """The same places, each moved down as far as it takes to lie over no other."""
    done: list[tuple[int, str, float, float]] = []
    for i, (name, x, y) in sorted(enumerate(labels), key=lambda item: item[1][2]):
        while any(abs(y - b) < HIGH and x < a + LETTER * len(other) and a < x + LETTER * len(name) for _, other, a, b in done):
            y += 3
        done.append((i, name, x, y))
    return [(name, x, y) for _, name, x, y in sorted(done)]
