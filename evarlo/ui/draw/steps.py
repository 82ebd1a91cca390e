"""Leads over the check on one scale for every line of a board: steps of what matters, the check in the middle."""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString, mark_safe

WIDE, NARROW, HIGH = 210, 62, 26
LEAST, MOST = 2, 8  # steps shown to either side of the check
DOT = 4.5


@dataclass(frozen=True)
class Step:
    """A lead, in steps of what matters and turned so that more is better: what is expected to be kept of it with its standard error
    (thick) and 95 % (thin), and the lead as measured; `kind` is the class that colours it."""

    kept: float | None
    se: float | None
    measured: float | None
    kind: str
    critical: float = 1.96


def span_of(steps: list[Step]) -> int:
    """How many steps to either side hold the intervals of all lines, within reason."""
    ends = [abs(s.kept) + (s.se or 0.0) * s.critical for s in steps if s.kept is not None]
    return min(MOST, max(LEAST, ceil(max(ends, default=LEAST))))


def interval(step: Step, span: int) -> SafeString:
    """One line of the leading criterion: the step that does not matter shaded, the interval over it; what lies beyond ends in an
    arrow."""
    return _drawn(step, span, WIDE, whole=True)


def dot(step: Step, span: int) -> SafeString:
    """One line of a further criterion: where it stands."""
    return _drawn(step, span, NARROW, whole=False)


def _drawn(step: Step, span: int, wide: int, whole: bool) -> SafeString:
    unit = (wide - 2 * DOT - 2) / (2 * span)
    middle, y = wide / 2, HIGH / 2

    def at(value: float) -> float:
        return middle + max(-span, min(span, value)) * unit

    parts = [
        format_html('<rect class="band" x="{}" y="4" width="{}" height="{}"/>', f"{at(-1):.1f}", f"{2 * unit:.1f}", HIGH - 8),
        format_html('<path class="check-line" d="M{} 2v{}"/>', f"{middle:.1f}", HIGH - 4),
    ]
    kept, se = step.kept, step.se
    if kept is not None and whole and se:
        low, high = kept - step.critical * se, kept + step.critical * se
        parts.append(format_html('<path class="thin" d="M{} {}H{}"/>', f"{at(low):.1f}", y, f"{at(high):.1f}"))
        parts.append(format_html('<path class="thick" d="M{} {}H{}"/>', f"{at(kept - se):.1f}", y, f"{at(kept + se):.1f}"))
    if kept is not None and not whole:
        parts.append(format_html('<circle class="full" cx="{}" cy="{}" r="{}"/>', f"{at(kept):.1f}", y, DOT))
    elif step.measured is not None:
        parts.append(format_html('<circle cx="{}" cy="{}" r="{}"/>', f"{at(step.measured):.1f}", y, DOT))
    far = kept if not whole else step.measured
    if far is not None and abs(far) > span:
        x, turn = (wide - 1, -5) if far > 0 else (1, 5)
        parts.append(format_html('<path class="beyond" d="M{} {}l{} -4v8z"/>', x, y, turn))
    return format_html(
        '<svg class="step {}" width="{}" height="{}" viewBox="0 0 {} {}" aria-hidden="true">{}</svg>',
        step.kind,
        wide,
        HIGH,
        wide,
        HIGH,
        format_html_join("", "{}", ((p,) for p in parts)),
    )


TAG = mark_safe("M1 1h9l4 4v10H1z")


def tag(kind: str, said: str, strength: float = 1.0) -> SafeString:
    """A small tag with one cut corner, for one trial of the years: `kind` colours it, paler where it tells less."""
    if not kind:
        inner = format_html('<circle cx="7" cy="8" r="1.5"/>')
    elif kind == "check":
        inner = format_html('<circle cx="7.5" cy="8" r="5"/>')
    else:
        inner = format_html('<path d="{}" fill-opacity="{}"/>', TAG, f"{max(0.16, min(1.0, strength)):.2f}")
    return format_html(
        '<svg class="year {}" width="15" height="16" role="img" aria-label="{}"><title>{}</title>{}</svg>',
        kind or "none",
        said,
        said,
        inner,
    )
