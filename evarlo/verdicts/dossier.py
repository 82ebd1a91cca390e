"""All that is on record of a cultivar: every season and site, verdict, claim, lot of seed and name."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.db.models import Q
from django.utils import timezone
from django.utils.safestring import SafeString

from evarlo.catalogue.models import Cultivar
from evarlo.compare.claims import Verified, claims_of
from evarlo.events.models import Photo
from evarlo.seeds.queries import Stock, stocks
from evarlo.trials.models import Entry
from evarlo.trials.queries import names_shown
from evarlo.ui.draw.steps import Step, interval, span_of
from evarlo.verdicts.models import Lesson, SignedBoard

MOST_PHOTOS = 8


@dataclass(frozen=True)
class Season:
    """One trial that a cultivar stood in: what was said of it, and its lead over the check by the first criterion as signed."""

    entry: Entry
    under: str  # the name it stood under, where that is another
    site: str
    verdict: str
    whom: tuple[tuple[str, str], ...]
    why: str
    trait: str
    unit: str
    mean: float | None
    lead: float | None
    se: float | None
    digits: int
    bar: SafeString


@dataclass(frozen=True)
class Dossier:
    cultivar: Cultivar
    names: tuple[str, ...]
    seasons: tuple[Season, ...]
    claims: tuple[Verified, ...]
    lots: tuple[Stock, ...]
    kin: tuple[Cultivar, ...]
    lessons: tuple[Lesson, ...]
    photos: tuple[Photo, ...]


def dossier_of(cultivar: Cultivar, user: Any) -> Dossier:
    """Everything about a cultivar, also under its other names; trials whose names this person may not read stay out."""
    same = [cultivar, *Cultivar.objects.filter(related=cultivar, relation=Cultivar.Relation.SAME)]
    if cultivar.known_as != cultivar.pk and cultivar.related:
        same = [cultivar.related, *Cultivar.objects.filter(related=cultivar.related, relation=Cultivar.Relation.SAME)]
    entries = Entry.objects.filter(cultivar__in=same).select_related("trial__bed__site", "trial__crop", "cultivar")
    shown = [e for e in entries.order_by("trial__season", "trial__name") if names_shown(e.trial, user)]
    boards = SignedBoard.objects.filter(trial__in=[e.trial_id for e in shown]).defer("stood_on", "covariances").order_by("at", "id")
    newest = {b.trial_id: b for b in boards}
    raw = [_season(e, newest.get(e.trial_id), cultivar) for e in shown]
    span = span_of([step for _, step in raw])
    photos = Photo.objects.filter(plot__entry__in=[e.pk for e in shown]).order_by("-taken_on")
    names = {s.name for c in same for s in c.synonyms.all()} | {c.name for c in same}
    kin = Cultivar.objects.filter(Q(related=cultivar) | Q(offspring=cultivar)).exclude(pk__in=[c.pk for c in same]).distinct()
    return Dossier(
        cultivar,
        tuple(sorted(names - {cultivar.name})),
        tuple(make(interval(step, span)) for make, step in raw),
        tuple(claims_of(cultivar, user)),
        tuple(stocks(timezone.localdate().year, [c.pk for c in same])),
        tuple(kin),
        tuple(Lesson.objects.in_force().filter(cultivar__in=same).select_related("trial", "by")),
        tuple(photos[:MOST_PHOTOS]),
    )


def _season(entry: Entry, board: SignedBoard | None, cultivar: Cultivar) -> tuple[Any, Step]:
    """A season without its drawing, and the step that is drawn."""
    site = entry.trial.bed.site.name if entry.trial.bed else ""
    line = next((x for x in board.lines if x["code"] == entry.code), None) if board else None
    under = entry.cultivar.name if entry.cultivar_id != cultivar.pk else ""
    verdict, why, trait, unit, digits = "", "", "", "", 1
    whom: tuple[tuple[str, str], ...] = ()
    mean = lead = se = None
    kind = "check" if entry.any_check else ""
    if board and line:
        verdict = line["verdict"]
        whom = tuple((w["whom"], w["verdict"]) for w in line.get("whom", ()))
        why = line.get("own_reason") or " ".join(line["reasons"])
        base = next((x for x in board.lines if x["check"]), None)
        if board.figures and line["means"]:
            trait, unit, digits = board.figures[0]["trait"], board.figures[0]["unit"], line["digits"][0]
            mean = line["means"][0]
            own = (line.get("variances") or [None])[0]
            of_base = (base.get("variances") or [None])[0] if base else None
            if base and mean is not None and base["means"][0] is not None and not line["check"]:
                lead = board.figures[0].get("sign", 1) * (mean - base["means"][0])
                se = (own + of_base) ** 0.5 if own and of_base else None
    matters = entry.trial.criteria.order_by("rank").values_list("matters", flat=True).first() or 1.0
    step = Step(
        None if lead is None else lead / matters,
        None if se is None else se / matters,
        None if lead is None else lead / matters,
        verdict or kind,
    )

    def make(bar: SafeString) -> Season:
        return Season(entry, under, site, verdict, whom, why, trait, unit, mean, lead, se, digits, bar)

    return make, step
