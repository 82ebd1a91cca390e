"""The history of beds: what stood on which part of each, when, and what that means for the next crop."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from django.db import transaction

from evarlo.catalogue.models import Crop
from evarlo.grounds.models import Bed, BedUse
from evarlo.grounds.registry import Taken, registry
from evarlo.ui.refused import Refused
from evarlo.ui.units import measured
from trialcore.reckoning.rotation import Use, clashes

WHOLE = 0.05  # metres by which a part may reach over its bed


@dataclass(frozen=True)
class Lain:
    """A use with where it is looked at, and its own record where it is kept by hand."""

    use: Use
    url: str = ""
    kept: BedUse | None = None
    weighed_kg: float | None = None  # by the weigh-ins of a trial

    @property
    def yield_kg(self) -> float | None:
        """What it bore: as it was weighed, else as it was written down."""
        return self.weighed_kg if self.weighed_kg is not None else self.kept.yield_kg if self.kept else None

    @property
    def together(self) -> bool:
        """Whether it shares its ground with another crop on purpose."""
        return self.kept is not None and self.kept.together

    @property
    def grew(self) -> bool:
        """Whether plants stood: something put on the ground, or rest, leaves what stood before it the last."""
        return self.kept is None or self.kept.kind in (BedUse.Kind.CROP, BedUse.Kind.GREEN)

    @property
    def said(self) -> str:
        until = f"{self.use.until:%-d %b %Y}" if self.use.until else "now"
        return f"{self.use.name}, {self.use.since:%-d %b %Y} to {until}"


def history_of(beds: Sequence[Bed]) -> dict[int, list[Lain]]:
    """What stood, stands and is planned on each bed, by its id, oldest first."""
    made: dict[int, list[Lain]] = defaultdict(list)
    for kept in BedUse.objects.in_force().filter(bed__in=beds).select_related("crop"):
        family, fixes = (
            family_of(kept.crop) if kept.crop else ("", kept.kind == BedUse.Kind.GREEN and "clover" in kept.what.casefold())
        )
        made[kept.bed_id].append(Lain(Use(kept.what, family, kept.from_m, kept.to_m, kept.since, kept.until, fixes), kept=kept))
    taken: list[Taken] = [t for source in registry.uses for t in source(beds)]
    for t in taken:
        made[t.bed].append(Lain(t.use, t.url, weighed_kg=t.yield_kg))
    return {bed.pk: sorted(made[bed.pk], key=lambda x: (x.use.since, x.use.start_m)) for bed in beds}


def family_of(crop: Crop) -> tuple[str, bool]:
    """A crop's family, and whether it leaves nitrogen behind."""
    family = str(crop.profile.get("family", ""))
    return family, family.casefold() == "fabaceae"


def clashes_in(lain: Sequence[Lain]) -> list[str]:
    """Which uses want one place at one time and are not meant to share it, in words."""
    return [f"{a.said} and {b.said} want the same part of the bed." for a, b in _pairs(lain) if not (a.together or b.together)]


def _pairs(lain: Sequence[Lain]) -> list[tuple[Lain, Lain]]:
    by_use = {id(x.use): x for x in lain}
    return [(by_use[id(a)], by_use[id(b)]) for a, b in clashes([x.use for x in lain])]


def shared_yields(bed: Bed, lain: Sequence[Lain]) -> list[str]:
    """What crops that share ground on purpose bore, each and together, by the ground that both of them take, in words."""
    said = []
    for a, b in _pairs(lain):
        if not (a.together or b.together) or a.yield_kg is None or b.yield_kg is None:
            continue
        both, parts = a.yield_kg + b.yield_kg, [a.use, b.use]
        ground = (max(u.end_m for u in parts) - min(u.start_m for u in parts)) * bed.width_m
        each = ", ".join(f"{x.use.name} {measured(x.yield_kg, 'kg')}" for x in (a, b) if x.yield_kg is not None)
        said.append(f"{each}: together {measured(both, 'kg')} from {measured(ground, 'm²')}.")
    return said


@transaction.atomic
def keep_use(
    bed: Bed,
    kind: str,
    what: str,
    crop: Crop | None,
    part: tuple[float, float],
    since: date,
    until: date | None,
    note: str,
    together: bool = False,
    yield_kg: float | None = None,
) -> BedUse:
    """Write down what stood on a part of a bed. Raises Refused for a part that is not in it, or an end before the start."""
    start, end = part
    if not 0 <= start < end <= bed.length_m + WHOLE:
        raise Refused(f"Found {start:g} to {end:g} m. Expected a part of its {bed.length_m:g} m, the nearer end first.", "from_m")
    if until and until < since:
        raise Refused(f"{until:%-d %b %Y} lies before {since:%-d %b %Y}. Expected an end after the start.", "until")
    return BedUse.objects.create(
        bed=bed,
        kind=kind,
        what=what,
        crop=crop,
        from_m=start,
        to_m=end,
        since=since,
        until=until,
        note=note,
        together=together,
        yield_kg=yield_kg,
    )
