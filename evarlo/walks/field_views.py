"""The round in the hand: the page that works without a signal, what it takes along, what it brings back, and settling."""

from __future__ import annotations

import json
import uuid
from datetime import date, datetime
from hashlib import sha256
from math import isfinite
from pathlib import Path
from typing import Any

from django.contrib.staticfiles import finders
from django.core.exceptions import BadRequest
from django.http import HttpRequest, HttpResponse, JsonResponse, RawPostDataException
from django.shortcuts import get_object_or_404, redirect, render
from django.templatetags.static import static
from django.utils import timezone
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_POST

from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.trials.queries import scores_blind
from evarlo.trials.registry import registry
from evarlo.trials.views import trial_or_404
from evarlo.ui.notice import say
from evarlo.ui.refused import said_on_top
from evarlo.walks.field import Answer, Brought, bring_in, settle, taken_along, unsettled
from evarlo.walks.models import Rival
from evarlo.walks.queries import current, shown, who_scored
from evarlo.walks.services import MOST_PARTS, Seen
from evarlo.walks.views import day_asked, round_or_404, rounds_asked

SHELL = (
    "ui/evarlo.css",
    "ui/js/page.js",
    "ui/js/light.js",
    "ui/js/forms.js",
    "ui/js/notice.js",
    "ui/js/lines.js",
    "ui/js/scale.js",
    "ui/js/stations.js",
    "ui/js/tray.js",
    "ui/js/queue.js",
    "ui/js/store.js",
    "ui/js/ground.js",
    "ui/js/news.js",
    "ui/js/walk/camera.js",
    "ui/js/walk/component.js",
    "ui/js/walk/ground.js",
    "ui/js/walk/keys.js",
    "ui/js/walk/known.js",
    "ui/js/walk/path.js",
    "ui/js/walk/pictures.js",
    "ui/js/walk/values.js",
    "ui/js/walk/view.js",
    "ui/vendor/idb.js",
    "ui/vendor/htmx.min.js",
    "ui/vendor/alpine-csp.min.js",
    "ui/fonts/archivo-latin.woff2",
    "ui/fonts/archivo-latin-ext.woff2",
    "ui/mark.svg",
    "ui/icons.svg",
)
MOST_AT_ONCE = 200
NO_RECORDS = (ValueError, KeyError, TypeError, AttributeError, OverflowError, OSError, RecursionError, RawPostDataException)


@may("observe")
@never_cache
def field_data(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """What the phone takes along."""
    rounds = rounds_asked(request, trial_or_404(slug), pk)
    return JsonResponse(taken_along(rounds, request.user, timezone.localdate(), day_asked(request)))


@may("observe")
@require_POST
def field_batch(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """Records that a phone brings; each gets an answer of its own."""
    walk = round_or_404(trial_or_404(slug), pk)
    try:
        sent = json.loads(request.body)
        if int(sent["who"]) != request.user.pk:
            return JsonResponse(
                {"error": "These records are another person's. Log in as that person to bring them in."}, status=409
            )
        records = [(r, str(uuid.UUID(r["key"]))) for r in sent["records"][:MOST_AT_ONCE]]
        clock = _time(sent["clock"])
    except NO_RECORDS as error:
        raise BadRequest("That is not what a phone sends.") from error
    brought, unread = [], []
    for record, key in records:
        try:
            brought.append(_read(record))
        except NO_RECORDS:  # it holds the others up no more than one that is read and refused
            unread.append(Answer(key, "refused", "This is no record of a round."))
    answers = bring_in(walk, brought, request.user, timezone.now(), clock) + unread
    return JsonResponse({"answers": [a.__dict__ for a in answers]})


def _time(ms: Any) -> datetime:
    return datetime.fromtimestamp(float(ms) / 1000, tz=timezone.get_current_timezone())


def _read(r: dict[str, Any]) -> Brought:
    number, day = r.get("number"), r.get("day")
    value = None if number is None or not isfinite(float(number)) else float(number)
    looked, guide = (int(r[k]) if r.get(k) is not None else None for k in ("looked", "guide"))
    seen = Seen(
        value,
        date.fromisoformat(day) if day else None,
        str(r.get("cause") or ""),
        " ".join(str(r.get("note") or "").encode(errors="replace").decode().split())[:300],
        looked,
        tuple(float(p) for p in (r.get("parts") or ())[:MOST_PARTS]),
        guide,
    )
    if not all(isfinite(p) for p in seen.parts) or any(not 0 <= (n or 0) < 30_000 for n in (looked, guide)):
        raise ValueError("not what a phone sends")
    before = str(r.get("before") or "")
    on = date.fromisoformat(r["on"]) if r.get("on") else None
    undone, again = bool(r.get("undone")), bool(r.get("again"))
    return Brought(uuid.UUID(r["key"]), int(r["plot"]), seen, _time(r["made"]), before, undone, again, on)


@may("observe")
def settle_page(request: PersonRequest, slug: str) -> HttpResponse:
    """Two values for one plot: both, with who saw them when, to choose from."""
    trial = trial_or_404(slug)
    rows = []
    eyes: dict[int, dict[int, str]] = {}
    for rival in unsettled(trial.rounds.all()):
        counts = current(rival.round).filter(plot=rival.plot).select_related("by").first()
        trait = rival.round.trait
        if registry.eyes and trait.pk not in eyes:
            eyes[trait.pk] = registry.eyes(trait)
        of = eyes.get(trait.pk, {})
        theirs, their_eye = (shown(counts, trait), of.get(counts.by_id)) if counts else ("", None)
        its = shown(rival, trait)
        if scores_blind(request.user) and request.user.pk not in who_scored(rival.plot)[rival.round_id]:
            its = theirs = "shown once you have scored it too"
        rows.append((rival, its, counts, theirs, of.get(rival.by_id), their_eye))
    return render(request, "walks/settle.html", {"trial": trial, "rows": rows})


@may("exclude")
@require_POST
def settle_act(request: PersonRequest, slug: str, key: uuid.UUID) -> HttpResponse:
    rival = get_object_or_404(Rival.objects.select_related("plot"), pk=key, round__trial__slug=slug)
    with said_on_top(request):
        settle(rival, request.POST.get("take") == "rival", request.user, timezone.localdate())
        say(request, f"Plot {rival.plot.number} is settled; the other value stays on record.")
    return redirect("walks:settle", slug)


def worker(_request: HttpRequest) -> HttpResponse:
    """The script that answers for the server while there is no signal. Its version changes with what it keeps, for the names
    of that do."""
    script = Path(str(finders.find("ui/js/worker.js"))).read_text()
    shell = json.dumps([static(name) for name in SHELL])
    version = json.dumps(sha256(shell.encode()).hexdigest()[:12])
    response = HttpResponse(f"const VERSION = {version};\nconst SHELL = {shell};\n{script}", content_type="text/javascript")
    response["Cache-Control"] = "no-cache"
    response["Service-Worker-Allowed"] = "/"
    return response


def manifest(_request: HttpRequest) -> HttpResponse:
    """What makes Evarlo a program of its own on a phone."""
    icon = {"src": static("ui/mark.svg"), "sizes": "any", "type": "image/svg+xml", "purpose": "any"}
    said = {
        "name": "Evarlo",
        "short_name": "Evarlo",
        "start_url": "/",
        "scope": "/",
        "display": "standalone",
        "background_color": "#eef2f1",
        "theme_color": "#1b2a2f",
        "icons": [icon],
    }
    return JsonResponse(said, content_type="application/manifest+json")
