"""A trial that was grown elsewhere, taken in piece by piece."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.db import transaction
from django.utils import timezone

from evarlo.catalogue.models import Crop
from evarlo.catalogue.services import cultivars_named
from evarlo.people.models import User
from evarlo.trials.models import (
    Entry,
    Plot,
    Trial,
)
from evarlo.trials.planning import free_slug


@dataclass(frozen=True)
class FinishedPlot:
    """A plot of a trial that was grown elsewhere, as it stood: its entry by name, and where it lies in metres."""

    entry: str
    number: str
    block: str
    inner: str
    place: int
    row: int
    col: int
    x: float
    y: float
    length: float
    width: float
    level: str = ""
    environment: str = ""


@dataclass(frozen=True)
class FinishedDesign:
    """How a trial that was grown elsewhere was laid out, and whether it is known where its plots stood."""

    design: str
    blocks: int
    placed: bool = True
    factor: str = ""
    levels: Sequence[str] = ()
    entries_whole: bool = False


@transaction.atomic
def take_in_trial(name: str, crop: Crop, season: str, laid: FinishedDesign, by: User) -> Trial:
    """A trial that was grown already, to be filled with its entries, plots and values; nobody sees it before it is `arrived`.
    Nothing about it is blind or open."""
    now = timezone.now()
    return Trial.objects.create(
        slug=free_slug(f"{name} {season}"),
        name=name,
        crop=crop,
        season=season,
        origin=Trial.Origin.SHEET,
        design=laid.design,
        blocks=laid.blocks,
        factor=laid.factor,
        levels=list(laid.levels),
        entries_whole=laid.entries_whole,
        blind=False,
        arriving=True,
        placed=laid.placed,
        layout_fixed_at=now,
        made_by=by,
        made_at=now,
    )


@transaction.atomic
def take_in_entries(trial: Trial, codes: Sequence[str], check: str, further: Sequence[str] = ()) -> None:
    """Entries of a trial that is arriving, each the cultivar of that name."""
    cultivars = cultivars_named(trial.crop, codes)
    Entry.objects.bulk_create(
        Entry(trial=trial, code=code, cultivar=cultivar, is_check=code == check, repeated=code in further and code != check)
        for code, cultivar in cultivars.items()
    )


@transaction.atomic
def take_in_plots(trial: Trial, plots: Sequence[FinishedPlot]) -> None:
    """Plots of a trial that is arriving, as they stood."""
    known = {entry.code: entry for entry in trial.entries.filter(code__in={plot.entry for plot in plots})}
    Plot.objects.bulk_create(Plot(trial=trial, **{**vars(plot), "entry": known[plot.entry]}) for plot in plots)


@transaction.atomic
def arrived(trial: Trial) -> None:
    """All of it is in: from now on it is seen."""
    Trial.objects.filter(pk=trial.pk).update(arriving=False)
