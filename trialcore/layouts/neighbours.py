"""What stands beside what: the conditions a layout should meet in the ground, and a plain report of those it does not."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from math import atan2, cos, degrees, hypot, radians, sin, tan


@dataclass(frozen=True)
class PlotInGround:
    """One plot in the ground: entry, its near corner and size in metres in the bed (x along it, y across)."""

    number: str
    entry: str
    block: str
    x: float
    y: float
    length: float
    width: float


@dataclass(frozen=True)
class Rules:
    """What is known of the entries and the place. Heights in cm; `bearing` is where the bed's x axis points (degrees from
    north), `latitude` in degrees, north positive. `crossing` names the group within which entries cross, and
    `isolation_m` how far apart such plots should be; `least_rows` is for a crop that has to stand in a block to set."""

    checks: frozenset[str] = frozenset()
    heights_cm: Mapping[str, float] = field(default_factory=dict)
    bearing: float = 90.0
    latitude: float | None = None
    crossing: Mapping[str, str] = field(default_factory=dict)
    isolation_m: float = 0.0
    row_distance_m: float | None = None
    least_rows: int = 1
    gradient_along_x: bool | None = None


@dataclass(frozen=True)
class Fault:
    """A condition that is not met: its kind, the plots, what is wrong and what to do. `mendable` tells whether another
    draw may mend it."""

    kind: str
    plots: tuple[str, ...]
    said: str
    mendable: bool


def faults_of(plots: Sequence[PlotInGround], rules: Rules) -> list[Fault]:
    """Everything about these plots that does not meet the rules, the gravest kinds first."""
    beside = list(_beside(plots))
    return [
        *_alike(beside),
        *_checks(beside, rules),
        *_shade(plots, rules),
        *_crossing(plots, rules),
        *_block_crop(plots, rules),
        *_gradient(plots, rules),
    ]


def mendable_faults(plots: Sequence[PlotInGround], rules: Rules) -> int:
    """How many faults another draw may mend: what a search for a better draw counts."""
    beside = list(_beside(plots))
    return sum(f.mendable for f in (*_alike(beside), *_checks(beside, rules), *_shade(plots, rules)))


def _gap(a: PlotInGround, b: PlotInGround) -> tuple[float, float]:
    """Free distance along and across; nought or below where they overlap in that direction."""
    return max(a.x, b.x) - min(a.x + a.length, b.x + b.length), max(a.y, b.y) - min(a.y + a.width, b.y + b.width)


def _beside(plots: Sequence[PlotInGround]) -> Iterable[tuple[PlotInGround, PlotInGround]]:
    """Pairs of plots that face each other with no plot between: a path's width apart at the most."""
    reach = 1e-6 + max((min(p.length, p.width) for p in plots), default=0.0)
    ordered = sorted(plots, key=lambda p: p.x)
    for i, a in enumerate(ordered):
        for b in ordered[i + 1 :]:
            if b.x - a.x > a.length + reach:
                break
            along, across = _gap(a, b)
            if (along < -1e-6 and across < reach) or (across < -1e-6 and along < reach):
                yield a, b


def _alike(beside: Sequence[tuple[PlotInGround, PlotInGround]]) -> list[Fault]:
    return [
        Fault("same entry", (a.number, b.number), f"{a.entry} stands beside itself in plots {a.number} and {b.number}.", True)
        for a, b in beside
        if a.entry == b.entry
    ]


def _checks(beside: Sequence[tuple[PlotInGround, PlotInGround]], rules: Rules) -> list[Fault]:
    return [
        Fault(
            "checks together",
            (a.number, b.number),
            f"The checks {a.entry} and {b.entry} stand side by side in plots {a.number} and {b.number}; spread over the ground "
            "they tell more.",
            True,
        )
        for a, b in beside
        if a.entry != b.entry and a.entry in rules.checks and b.entry in rules.checks
    ]


def shadow_m(difference_cm: float, latitude: float) -> float:
    """How far a plant throws its shadow over another `difference_cm` lower, at noon on the equinox, in metres."""
    return difference_cm / 100 * tan(radians(min(abs(latitude), 80)))


def _shade(plots: Sequence[PlotInGround], rules: Rules) -> list[Fault]:
    if rules.latitude is None or len(set(rules.heights_cm.values())) < 2:
        return []
    sun = radians((180.0 if rules.latitude >= 0 else 0.0) - rules.bearing)  # turned into the bed's own axes
    towards = cos(sun), sin(sun)
    found = []
    for short in plots:
        for tall in plots:
            lead = rules.heights_cm.get(tall.entry, 0.0) - rules.heights_cm.get(short.entry, 0.0)
            if lead <= 0:
                continue
            along, across = _gap(short, tall)
            gap = hypot(max(0.0, along), max(0.0, across))
            if gap >= shadow_m(lead, rules.latitude):
                continue
            dx = tall.x + tall.length / 2 - short.x - short.length / 2
            dy = tall.y + tall.width / 2 - short.y - short.width / 2
            off = abs(degrees(atan2(dx * towards[1] - dy * towards[0], dx * towards[0] + dy * towards[1])))
            if off < 60 and (along < -1e-6 or across < -1e-6):
                said = (
                    f"{tall.entry} ({tall.number}), {lead:.0f} cm taller, is on the sunny side of {short.entry} ({short.number})."
                )
                found.append(Fault("shade", (tall.number, short.number), said, True))
    return found


def _crossing(plots: Sequence[PlotInGround], rules: Rules) -> list[Fault]:
    if rules.isolation_m <= 0:
        return []
    nearest: dict[tuple[str, str], tuple[float, str, str]] = {}
    for i, a in enumerate(plots):
        for b in plots[i + 1 :]:
            group = rules.crossing.get(a.entry)
            if a.entry == b.entry or group is None or group != rules.crossing.get(b.entry):
                continue
            along, across = _gap(a, b)
            gap = hypot(max(0.0, along), max(0.0, across))
            first, second = sorted((a.entry, b.entry))
            if gap < rules.isolation_m and gap < nearest.get((first, second), (float("inf"), "", ""))[0]:
                nearest[first, second] = (gap, a.number, b.number)
    return [
        Fault(
            "isolation",
            (one, two),
            f"{first} and {second} cross and stand {gap:.1f} m apart where {rules.isolation_m:g} m are "
            "needed: save no seed from them, or bag and pollinate by hand.",
            False,
        )
        for (first, second), (gap, one, two) in sorted(nearest.items())
    ]


def _block_crop(plots: Sequence[PlotInGround], rules: Rules) -> list[Fault]:
    if rules.least_rows <= 1 or not rules.row_distance_m or not plots:
        return []
    rows = min(int(min(p.length, p.width) / rules.row_distance_m + 1e-9) for p in plots)
    if rows >= rules.least_rows:
        return []
    said = f"Plots hold {rows} rows; this crop is pollinated by wind and needs a block of at least {rules.least_rows} to set well."
    return [Fault("block crop", (), said, False)]


def _gradient(plots: Sequence[PlotInGround], rules: Rules) -> list[Fault]:
    """Blocks should be long across the gradient and short along it, so that each holds one part of it."""
    if rules.gradient_along_x is None:
        return []
    extent: dict[str, list[PlotInGround]] = {}
    for p in plots:
        extent.setdefault(p.block, []).append(p)
    wrong = []
    for name, members in extent.items():
        along = max(p.x + p.length for p in members) - min(p.x for p in members)
        across = max(p.y + p.width for p in members) - min(p.y for p in members)
        with_it, against = (along, across) if rules.gradient_along_x else (across, along)
        if with_it > 1.5 * against:
            wrong.append(name)
    if not wrong:
        return []
    which = "along" if rules.gradient_along_x else "across"
    return [
        Fault(
            "gradient",
            (),
            f"Blocks {', '.join(wrong[:6])} stretch with the gradient, {which} the bed, so each holds good "
            "and poor ground; turn them.",
            False,
        )
    ]
