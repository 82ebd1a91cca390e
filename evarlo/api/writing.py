"""What programs write: values of a round, as a phone brings them, and the weather of a site."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpRequest
from django.utils import timezone

from evarlo.api import reading
from evarlo.api.door import asking
from evarlo.api.models import Token
from evarlo.api.reading import site_numbered, trial_named
from evarlo.api.shapes import AnswerOut, Answers, Batch, Kept, Sighting, WeatherDays
from evarlo.api.shapes import answers as told
from evarlo.grounds.models import WeatherDay
from evarlo.grounds.weather import keep_days
from evarlo.ui.refused import Refused
from evarlo.walks.field import Answer, Brought, bring_in
from evarlo.walks.services import Seen
from trialcore.field.weather import Day

router = reading.router  # an address may be read and written
WRITING = ["writing"]


@router.post(
    "/trials/{slug}/rounds/{int:pk}/observations",
    response=told(Answers),
    tags=WRITING,
    summary="Values of a round; each gets its own answer",
)
def observations(request: HttpRequest, slug: str, pk: int, batch: Batch) -> Any:
    """Each record is kept by itself: one that cannot be kept holds none of the others up, and any may be sent again."""
    by, trial = asking(request, "observe", Token.Scope.WRITE), trial_named(slug)
    walk = trial.rounds.filter(pk=pk).select_related("trait", "trial").first() if pk < 2**63 else None
    if walk is None:
        raise Http404
    numbers = {p.number: p.pk for p in trial.plots.all()}
    now = timezone.now()
    answers: list[Answer] = bring_in(walk, [_brought(r, numbers) for r in batch.records], by, now, batch.clock or now)
    return Answers(answers=[AnswerOut(**a.__dict__) for a in answers])


def _brought(r: Sighting, numbers: dict[str, int]) -> Brought:
    seen = Seen(r.number, r.day, r.cause, " ".join(r.note.replace("\x00", " ").split()), r.looked)
    made = r.made_at if r.made_at.tzinfo else timezone.make_aware(r.made_at)
    return Brought(r.key, numbers.get(r.plot, 0), seen, made, r.before)


@router.post(
    "/sites/{int:pk}/weather",
    response=told(Kept),
    tags=WRITING,
    summary="Days of weather; a day that is there already is taken anew",
)
def weather(request: HttpRequest, pk: int, sent: WeatherDays) -> Kept:
    asking(request, "plan", Token.Scope.WRITE)
    site, today = site_numbered(pk), timezone.localdate()
    for d in sent.days:
        if d.tmin_c > d.tmax_c:
            raise Refused(f"{d.day}: the lowest is above the highest temperature.", "tmin_c")
        if d.day > today or d.day.year < 1900:
            raise Refused(f"{d.day} is no day that weather can be known of. Expected one up to today.", "day")
    days = [Day(d.day, d.tmin_c, d.tmax_c, d.rain_mm, d.soil_c) for d in sent.days]
    return Kept(kept=keep_days(site, days, WeatherDay.Source.PROGRAM))
