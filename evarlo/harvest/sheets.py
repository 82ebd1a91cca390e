"""Weights that come in from a sheet: read, set against the trial, shown before anything is kept, and taken back as a whole."""

from __future__ import annotations

import uuid
from collections import defaultdict
from dataclasses import dataclass, field
from datetime import date

from django.db import transaction
from django.utils import timezone

from evarlo.events.care import held_days
from evarlo.harvest.classes import classes_of
from evarlo.harvest.models import PickClass, Picking, PickPart, WeightsFile
from evarlo.harvest.queries import standing
from evarlo.harvest.services import MOST_KG, MOST_PIECES, Weighed, WeighedPart, weighed_by_class
from evarlo.nursery.queries import sown_on
from evarlo.people.models import User
from evarlo.trials.deeds import record
from evarlo.trials.laying import fixed_or_refused, running_or_refused
from evarlo.trials.models import Plot, Trial
from evarlo.trials.stakes import code_read
from evarlo.ui.fields import read_day
from evarlo.ui.refused import Refused
from evarlo.ui.uploads import text_of
from evarlo.ui.words import counted
from trialcore.formats.sheet import Problem
from trialcore.formats.weights import Weight, read_weights
from trialcore.inference.outliers import usual_factor

GOOD, CULL = ("", "marketable", "good", "sold", "first"), ("cull", "culled", "culls", "waste", "rejected")


@dataclass
class Understood:
    """A sheet set against its trial: what each plot gave on each day, what is there already and stays as it is, what looks far off,
    what has to be mended first."""

    weighed: dict[tuple[Plot, date], Weighed] = field(default_factory=dict)
    there: int = 0
    far: list[tuple[Plot, date, float, tuple[float, float]]] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)

    @property
    def days(self) -> list[date]:
        return sorted({on for _, on in self.weighed})

    @property
    def kg(self) -> float:
        return sum(w.marketable_kg for w in self.weighed.values())


@transaction.atomic
def keep_file(trial: Trial, name: str, raw: bytes, by: User) -> WeightsFile:
    """Keep an uploaded sheet, to be looked at. Raises Refused for what is no sheet, or a trial that is not running."""
    running_or_refused(trial, "file")
    fixed_or_refused(trial)
    try:
        text = text_of(raw)
    except ValueError as error:
        raise Refused(str(error), "file") from None
    return WeightsFile.objects.create(trial=trial, name=name[:120] or "pasted lines", text=text, by=by, at=timezone.now())


def understood(file: WeightsFile, today: date) -> Understood:
    """What a sheet says, set against its trial."""
    read = read_weights(file.text, lambda text: read_day(text, today.year))
    found = Understood(problems=list(read.problems), notes=list(read.notes))
    plots = {p.number.casefold(): p for p in file.trial.plots.select_related("entry", "trial")}
    by_plot: dict[tuple[Plot, date], list[Weight]] = defaultdict(list)
    sown, held = sown_on(file.trial), held_days(file.trial)
    for w in read.weights:
        scanned = code_read(w.plot)
        plot = plots.get((scanned[1] if scanned and scanned[0] == file.trial_id else w.plot).casefold())
        if wrong := _wrong(w, plot, sown, held, today):
            found.problems.append(wrong)
        elif plot:
            by_plot[plot, w.on].append(w)
    _by_class(file.trial, by_plot, found)
    there = set(standing(file.trial).values_list("plot", "on"))
    for key in [k for k in found.weighed if (k[0].pk, k[1]) in there]:
        del found.weighed[key]
        found.there += 1
    weights = [w.marketable_kg for w in found.weighed.values() if w.marketable_kg]
    usual = usual_factor([*weights, *standing(file.trial).filter(marketable_kg__gt=0).values_list("marketable_kg", flat=True)])
    if usual:
        kept = ((p, on, w.marketable_kg) for (p, on), w in found.weighed.items() if w.marketable_kg)
        found.far = [(p, on, kg, usual) for p, on, kg in kept if not usual[0] <= kg <= usual[1]]
    found.problems.sort(key=lambda p: p.line)
    return found


def _wrong(
    w: Weight, plot: Plot | None, sown: dict[int, date], held: dict[int, list[tuple[date, date]]], today: date
) -> Problem | None:
    """What is wrong with a weight in this trial."""
    if plot is None:
        return Problem(w.line, "plot", w.plot[:40], "a plot of this trial")
    if w.on > today:
        return Problem(w.line, "day", f"{w.on:%-d %b %Y}", "a day that is not to come")
    if plot.pk in sown and w.on < sown[plot.pk]:
        return Problem(w.line, "day", f"{w.on:%-d %b %Y}", f"a day after plot {plot.number} was sown, {sown[plot.pk]:%-d %b %Y}")
    if not 0 <= w.kg <= MOST_KG:
        return Problem(w.line, w.pick_class or "weight", f"{w.kg:g} kg", f"from 0 to {MOST_KG:g} kg")
    if w.count is not None and (w.count > MOST_PIECES or (w.count == 0) != (w.kg == 0)):
        return Problem(w.line, w.pick_class or "pieces", f"{w.count} pieces and {w.kg:g} kg", "pieces that go with their weight")
    anyway = plot.trial.once("anyway-days", lambda: set(plot.trial.picked_anyway.values_list("on", flat=True)))
    if any(start <= w.on < end for start, end in held.get(plot.pk, ())) and w.on not in anyway:
        return Problem(w.line, "day", f"{w.on:%-d %b %Y}", "a day on which the plot may be picked, or its reason under Pick")
    return None


def _by_class(trial: Trial, by_plot: dict[tuple[Plot, date], list[Weight]], found: Understood) -> None:
    """Each plot and day from its weights, class by class."""
    classes = classes_of(trial)
    named = {c.name.casefold(): c for c in trial.pick_classes.all()}
    first = next((c for c in classes if c.kind == PickClass.Kind.MARKETABLE), None)
    unnamed = False
    for key, some in by_plot.items():
        parts: dict[PickClass, WeighedPart] = {}
        good, cull = [], []
        for w in some:
            kind = named.get(w.pick_class.casefold())
            if classes and kind is None and w.pick_class.casefold() in GOOD:
                kind, unnamed = first, True
            if kind is not None:
                had = parts.get(kind)
                count = w.count if had is None else None if had.count is None or w.count is None else had.count + w.count
                parts[kind] = WeighedPart(kind, round(w.kg + (had.kg if had else 0.0), 6), count)
            elif not classes and w.pick_class.casefold() in GOOD:
                good.append(w)
            elif not classes and w.pick_class.casefold() in CULL:
                cull.append(w)
            else:
                expected = ", ".join(c.name for c in classes) or "marketable or cull; other classes are set under Pick"
                found.problems.append(Problem(w.line, "class", w.pick_class[:40], expected))
        if parts:
            made = weighed_by_class(list(parts.values()))
        else:
            made = Weighed(_sum(good), _count(good), _sum(cull), _count(cull))
        nothing = not made.marketable_kg and not made.cull_kg
        found.weighed[key] = Weighed(0.0, nought=Picking.Nought.NOTHING) if nothing else made
    if unnamed and first:
        found.notes.append(f"Weights without a class are taken as {first.name.lower()}.")


def _sum(some: list[Weight]) -> float:
    return round(sum(w.kg for w in some), 6)


def _count(some: list[Weight]) -> int | None:
    counts = [w.count for w in some]
    known = [c for c in counts if c is not None]
    return sum(known) if counts and len(known) == len(counts) else None


@transaction.atomic
def bring_in(file: WeightsFile, by: User, today: date) -> int:
    """Keep every weigh-in of a sheet that is not there yet, and say how many. Raises Refused where something has to be mended, or
    it was brought in already."""
    file = WeightsFile.objects.in_force().select_for_update().select_related("trial").get(pk=file.pk)
    running_or_refused(file.trial)
    if file.brought_at:
        raise Refused("This sheet was brought in already.")
    found = understood(file, today)
    if found.problems:
        raise Refused(f"Mend {counted(len(found.problems), 'cell')} first.")
    now, rows, parts = timezone.now(), [], []
    for (plot, on), w in found.weighed.items():
        figures = {n: getattr(w, n) for n in ("marketable_kg", "marketable_count", "cull_kg", "cull_count", "nought")}
        row = Picking(id=_key(file, plot, on), plot=plot, on=on, by=by, at=now, **figures)
        rows.append(row)
        parts += [PickPart(picking=row, pick_class=p.pick_class, kg=p.kg, count=p.count) for p in w.parts]
    Picking.objects.bulk_create(rows, batch_size=500)
    PickPart.objects.bulk_create(parts, batch_size=500)
    WeightsFile.objects.filter(pk=file.pk).update(brought_at=now)
    record(file.trial, by, f"{counted(len(rows), 'weigh-in')} brought in from “{file.name}”."[:300])
    return len(rows)


def _key(file: WeightsFile, plot: Plot, on: date) -> uuid.UUID:
    """The same weigh-in of the same sheet is the same record."""
    return uuid.uuid5(uuid.NAMESPACE_URL, f"weights-{file.pk}-{plot.pk}-{on}")


@transaction.atomic
def take_back(file: WeightsFile, by: User) -> int:
    """Take back every weigh-in of a sheet that nobody corrected since; says how many."""
    running_or_refused(file.trial)
    WeightsFile.objects.in_force().filter(pk=file.pk).update(undone_at=timezone.now())
    rows = standing(file.trial).filter(at=file.brought_at).select_related("plot") if file.brought_at else ()
    mine = [r for r in rows if r.pk == _key(file, r.plot, r.on)]
    now = timezone.now()
    gone = [Picking(plot=r.plot, on=r.on, marketable_kg=0, withdrawn=True, supersedes=r, by=by, at=now) for r in mine]
    Picking.objects.bulk_create(gone, batch_size=500)
    record(file.trial, by, f"{counted(len(gone), 'weigh-in')} of “{file.name}” taken back."[:300])
    return len(gone)
