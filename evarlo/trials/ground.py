"""The ground beside every stage: the plots to scale, coloured by what the person chose."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from django.urls import reverse
from django.utils.safestring import SafeString

from evarlo.catalogue.models import Trait
from evarlo.grounds.models import Obstacle
from evarlo.people.permissions import allowed
from evarlo.trials.models import IDENTITY, Cause, Plot, Trial
from evarlo.trials.queries import blocks_of, completeness, entry_names, may_move, plots_of, readings_of, traits_with_records
from evarlo.trials.registry import Readings, registry
from evarlo.ui.draw.plan import Handle, Outline, Tag, plan, small_plan, stacked
from evarlo.ui.draw.scale import SHADES, bounds, shade_of


@dataclass(frozen=True)
class Layer:
    """Something the plan can be coloured by."""

    key: str
    name: str


@dataclass(frozen=True)
class Ground:
    """The plan with its legend, ready to print. `low` and `high` are texts with units, empty without a scale."""

    drawing: SafeString
    layers: tuple[Layer, ...]
    layer: Layer
    low: str
    high: str
    has_gaps: bool
    has_check: bool
    scaled: bool

    @property
    def gaps_are(self) -> str:
        """What a hatched plot means under this layer."""
        return "left out" if self.layer.key in ("complete", "scored") else "no value"


MOST_DOTS = 20_000  # plants beyond which they are no longer drawn one by one: a browser would stutter
ENTRY = Layer("entry", "Entry")
COMPLETE = Layer("complete", "Complete")
SCORED = Layer("scored", "This round")


def layers_of(trial: Trial) -> tuple[Layer, ...]:
    traits = [Layer(t.key, t.name) for t in traits_with_records(trial)]
    return (*traits, COMPLETE, ENTRY)


def scoring_ground(trial: Trial, done: set[int]) -> Ground:
    """The plan while plots are being scored: which ones have an answer, and neither names nor codes nor scores."""
    tags = [
        _tag(trial, p, None, shade=4 if p.pk in done else None, hatched=bool(p.exclusions_in_force))  # type: ignore[attr-defined]
        for p in plots_of(trial)
    ]
    bearing = trial.bed.bearing if trial.bed else None
    drawing = plan(tags, outlines(plots_of(trial), trial), bearing, trial.bed is not None, title=f"Ground plan, {trial.name}")
    return Ground(drawing, (SCORED,), SCORED, "", "", any(t.hatched for t in tags), False, trial.bed is not None)


def ground_of(trial: Trial, user: Any, wanted: str = "") -> Ground:
    """The plan of a trial coloured by `wanted`: a trait's key, `complete` or `entry`."""
    layers = layers_of(trial)
    layer = next((x for x in layers if x.key == wanted), ENTRY if not trial.is_fixed else COMPLETE)
    plots = plots_of(trial)
    names = entry_names(trial, user)
    low = high = ""
    if layer == ENTRY:
        tags = [_tag(trial, p, names, left=p.level) for p in plots]
    elif layer == COMPLETE:
        share = completeness([trial])[trial.pk].by_plot
        tags = [_tag(trial, p, names, shade=_complete_shade(share.get(p.pk)), hatched=p.pk not in share) for p in plots]
    else:
        trait = Trait.objects.get(key=layer.key)
        readings = readings_of(trial, trait)
        tags, low, high = _by_trait(trial, plots, names, trait, readings)
    scaled = trial.bed is not None
    drawing = plan(
        tags,
        outlines(plots, trial),
        trial.bed.bearing if trial.bed else None,
        scaled,
        title=f"Ground plan, {trial.name}",
        handles=_handles(trial) if layer == ENTRY and may_move(trial) and allowed(user, "plan") else (),
        obstacles=_obstacles(trial) if layer == ENTRY else (),
    )
    gaps = any(t.hatched for t in tags)
    return Ground(drawing, layers, layer, low, high, gaps, any(t.ring for t in tags), scaled)


def _told(trial: Trial, plot: Plot, names: dict[int, str]) -> bool:
    """Whether `names` are names: of a blind trial, whoever sees codes must not see which of them is the check either."""
    return not trial.blind or trial.opened_at is not None or names.get(plot.entry_id) != plot.entry.code


def values_ground(trial: Trial, values: dict[int, float], top: float, title: str) -> SafeString:
    """The plan coloured by some percent of each plot (by id), from nothing to `top`; neither codes nor names."""
    plots = plots_of(trial)
    tags = [
        _tag(
            trial,
            p,
            None,
            f"{values[p.pk]:.3g} %" if p.pk in values else "",
            shade=shade_of(values[p.pk], 0, top) if p.pk in values else None,
            hatched=p.pk not in values,
        )
        for p in plots
    ]
    bearing = trial.bed.bearing if trial.bed else None
    return plan(tags, outlines(plots, trial), bearing, trial.bed is not None, 520.0, 330.0, title)


def paper_plan(trial: Trial, names: dict[int, str]) -> SafeString:
    """The plan for paper: plots with their codes, the way through them, north and scale."""
    plots = plots_of(trial)
    tags = [_tag(trial, p, names) for p in plots]
    way = [(t.x + t.length / 2, t.y + t.width / 2) for t in tags]
    bearing = trial.bed.bearing if trial.bed else None
    title = f"Plan, {trial.name}"
    return plan(tags, outlines(plots, trial), bearing, trial.bed is not None, 980.0, 620.0, title, way)


def close_plan(trial: Trial, user: Any) -> SafeString:
    """The plan large enough to be looked into: every plant at its station, beds and obstacles, north and the noon sun."""
    plots, names = plots_of(trial), entry_names(trial, user)
    tags = [_tag(trial, p, names, left=p.level) for p in plots]
    site = trial.bed.site if trial.bed else None
    sun = (180.0 if site.latitude >= 0 else 0.0) if site and site.latitude is not None else None
    at = corners(trial)
    soils = [Outline(b.name, *at[b.pk], b.length_m, b.width_m, b.pk) for b in trial.beds] or outlines(plots, trial)
    bearing = trial.bed.bearing if trial.bed else None
    return plan(
        tags,
        soils,
        bearing,
        trial.bed is not None,
        1240.0,
        620.0,
        f"Plan, {trial.name}",
        obstacles=_obstacles(trial),
        plants=_plants(trial, plots),
        sun=sun,
    )


Dots = list[tuple[float, float]]


def _plants(trial: Trial, plots: Sequence[Plot]) -> tuple[Dots, Dots, Dots]:
    """Where every plant stands, in metres as drawn: those judged, those of borders, and the stations at which none stands. Rows
    run along a plot, and turn with it."""
    judged: Dots = []
    edge: Dots = []
    gone: Dots = []
    if not 0 < dots_of(trial, plots) <= MOST_DOTS:
        return judged, edge, gone
    standing = {spacing: (spacing.points(), spacing.inside) for p in plots if (spacing := trial.spacing_of(p.entry))}
    at, gaps = corners(trial), {pk: some for source in registry.gaps for pk, some in source(trial).items()}
    for p in plots:
        x, y = at.get(p.bed_id, (0.0, 0.0))
        spacing = trial.spacing_of(p.entry)
        if spacing is None:
            continue
        every, inside = standing[spacing]
        turned = abs(p.length - spacing.length) > 1e-6
        here = gaps.get(p.pk, set())
        for n, (a, b) in enumerate(every):
            dot = (x + p.x + (b if turned else a), y + p.y + (a if turned else b))
            (gone if n in here else judged if n in inside else edge).append(dot)
    return judged, edge, gone


def dots_of(trial: Trial, plots: Sequence[Plot]) -> int:
    """How many stations the plots have in all."""
    return sum(spacing.stations for p in plots if (spacing := trial.spacing_of(p.entry)))


def _complete_shade(share: float | None) -> int | None:
    return None if not share else shade_of(share, 0, 1)


def corners(trial: Trial) -> dict[int | None, tuple[float, float]]:
    """Where each bed of the trial is drawn, by its id."""
    beds = trial.beds
    return dict(zip((b.pk for b in beds), stacked([(b.length_m, b.width_m) for b in beds]), strict=True))


def _tag(trial: Trial, plot: Plot, names: dict[int, str] | None, left: str = "", **look: Any) -> Tag:
    """A plot as drawn; without `names` neither the code nor the check is told."""
    code = plot.entry.code if names is not None else ""
    said = names.get(plot.entry_id, plot.entry.code) if names is not None else "plot"
    if plot.level:
        said = f"{said}, {plot.level}"
    x, y = trial.once("corners", lambda: corners(trial)).get(plot.bed_id, (0.0, 0.0))
    return Tag(
        plot.pk,
        plot.number,
        plot.x + x,
        plot.y + y,
        plot.length,
        plot.width,
        left=left,
        right=code,
        ring=names is not None and plot.entry.is_check and _told(trial, plot, names),
        url=reverse("trials:plot", args=[trial.slug, plot.pk]),
        said=said,
        entry=plot.entry_id if names is not None else 0,
        **look,
    )


def _by_trait(
    trial: Trial, plots: Sequence[Plot], names: dict[int, str], trait: Trait, readings: Readings
) -> tuple[list[Tag], str, str]:
    known = [r.number for r in readings.values() if r.number is not None]
    low, high = bounds(known) if known else (0.0, 1.0)
    digits = max(trait.decimals, 0 if not known or high - low > 5 else 1 if high - low > 0.5 else 2)
    tags = []
    for plot in plots:
        reading = readings.get(plot.pk)
        standing = plot.exclusions_in_force[0] if plot.exclusions_in_force else None  # type: ignore[attr-defined]
        if standing:
            tags.append(_tag(trial, plot, names, left=_short(standing.cause), hatched=True))
        elif reading is None or reading.number is None:
            left = _short(reading.cause) if reading and reading.cause else ""
            tags.append(_tag(trial, plot, names, left=left, hatched=True))
        else:
            shade = shade_of(reading.number, low, high)
            tags.append(_tag(trial, plot, names, left=f"{reading.number:.{digits}f}", shade=shade))
    unit = trait.shown_unit
    if not known:
        return tags, "", ""
    return tags, f"{low:.{digits}f} {unit}".strip(), f"{high:.{digits}f} {unit}".strip()


def _handles(trial: Trial) -> list[Handle]:
    """What a block is taken by, while the layout is open."""
    at = corners(trial)
    return [Handle(b.number, b.bed.pk, at[b.bed.pk][0] + b.x, at[b.bed.pk][1] + b.y, b.length, b.width) for b in blocks_of(trial)]


def _obstacles(trial: Trial) -> list[Outline]:
    at = corners(trial)
    found = Obstacle.objects.in_force().filter(bed__in=trial.beds)
    return [Outline(o.what, at[o.bed_id][0] + o.x, at[o.bed_id][1] + o.y, o.length, o.width) for o in found]


def _short(cause: str) -> str:
    short: dict[str, str] = {
        Cause.ACCIDENT: "accident",
        Cause.FAILED: "failed",
        Cause.NOT_REACHED: "not reached",
        Cause.LOST_LABEL: "label",
        IDENTITY: "which?",
    }
    return short.get(cause, "")


def outlines(plots: Sequence[Plot], trial: Trial) -> list[Outline]:
    """The soil behind the plots: the beds themselves where there are several, one rectangle a block where blocks lie apart,
    else one for the whole field."""
    if len(trial.beds) > 1 or may_move(trial):
        at = corners(trial)
        return [Outline(b.name if len(trial.beds) > 1 else "", *at[b.pk], b.length_m, b.width_m, b.pk) for b in trial.beds]
    groups: dict[str, list[Plot]] = {}
    for p in plots:
        groups.setdefault(p.block, []).append(p)
    boxes = [_box(f"Block {name}" if name else "", members) for name, members in groups.items()]
    apart = all(not _touch(a, b) for i, a in enumerate(boxes) for b in boxes[i + 1 :])
    if apart:
        return boxes
    return [_box("", list(plots))]


def _box(name: str, plots: Sequence[Plot]) -> Outline:
    x, y = min(p.x for p in plots), min(p.y for p in plots)
    return Outline(name, x, y, max(p.x + p.length for p in plots) - x, max(p.y + p.width for p in plots) - y)


def _touch(a: Outline, b: Outline) -> bool:
    gap = 0.25
    return not (
        a.x + a.length + gap <= b.x or b.x + b.length + gap <= a.x or a.y + a.width + gap <= b.y or b.y + b.width + gap <= a.y
    )


def small_ground(trial: Trial, plots: Sequence[Plot], share: dict[int, float]) -> SafeString:
    """A trial among others: the darker a plot, the more of its records are in; hatched when it was lost."""
    at = corners(trial)
    tags = []
    for p in plots:
        x, y = at.get(p.bed_id, (0.0, 0.0))
        look: dict[str, Any] = {"shade": _complete_shade(share.get(p.pk)), "hatched": p.pk not in share}
        tags.append(Tag(p.pk, "", p.x + x, p.y + y, p.length, p.width, **look))
    return small_plan(tags)


def strip(
    trial: Trial,
    user: Any,
    values: Sequence[tuple[str, dict[int, float]]],
    unit: str,
    scale: tuple[float, float] | None = None,
    size: tuple[float, float] = (150.0, 90.0),
) -> list[tuple[str, SafeString]]:
    """Small plans of the trial side by side, each under its words and all to one scale, from nought if not said: the darker a plot,
    the more of it. A touched plot is chosen on the ground; one without a value is hatched."""
    names, plots = entry_names(trial, user), plots_of(trial)
    low, top = scale or (0.0, max((v for _, some in values for v in some.values()), default=0.0))
    drawn, plain = [], [(p.pk, _tag(trial, p, names)) for p in plots]
    for words, some in values:
        tags = []
        for pk, tag in plain:
            value = some.get(pk)
            shade = None if value is None else shade_of(value, low, top or 1.0)
            amount = "no value" if value is None else f"{value:.2f} {unit}"
            tags.append(replace(tag, said=f"{tag.said}: {amount}", shade=shade, hatched=value is None))
        drawn.append((words, small_plan(tags, *size)))
    return drawn


def legend() -> tuple[str, ...]:
    """The eight shades, low to high."""
    return SHADES
