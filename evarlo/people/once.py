"""Each act once: whatever is sent twice (a double tap, a reload, an answer that was lost) is kept once."""

from __future__ import annotations

import uuid
from collections.abc import Callable
from datetime import timedelta
from hashlib import sha256
from typing import TypeVar

from django.contrib import messages
from django.db import transaction
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.http.response import HttpResponseBase
from django.urls import Resolver404, resolve
from django.utils import timezone

from evarlo.databases.journal import acknowledge
from evarlo.people.models import Sent, User
from evarlo.people.permissions import acts_of, allowed

View = TypeVar("View", bound=Callable[..., HttpResponseBase])
KEPT_FOR = timedelta(days=120)  # longer than a phone lies in a drawer with what it has not sent


class Once:
    """Every form carries a key of its own, made with it, and every record typed ahead one made by the browser. What comes with
    a key is done and remembered in one transaction; when it comes again the first answer is given again. The same key with other
    content is refused: silence would drop what was typed."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        if request.method != "POST" or not request.user.is_authenticated:
            return self.get_response(request)
        who = request.headers.get("X-Who", "")
        if who and who != str(request.user.pk):
            return HttpResponse("These records are another person's. Log in as that person to bring them in.", status=409)
        key = key_of(request)
        if key is None:
            return self.get_response(request)
        by = request.user  # whoever logs out with this is nobody afterwards
        with transaction.atomic():
            before = Sent.objects.filter(pk=key).first()
            if before is not None:
                return _again(request, before)
            response = self.get_response(request)
            if response.status_code >= 400:
                transaction.set_rollback(True)
            elif response.status_code >= 300 or "X-Key" in request.headers:  # a page or a file asked for by a form is no act
                keep_sent(request, key, by, response.get("Location", ""))
        return response


def takes_long(view: View) -> View:
    """Marks a view that must not hold the database while it works; it sees to its doubles itself."""
    view.takes_long = True  # type: ignore[attr-defined]
    return view


def key_of(request: HttpRequest) -> uuid.UUID | None:
    """The key a request came with: the browser's for what was typed ahead, else that of a form of a whole page."""
    try:
        view = resolve(request.path_info).func
        if getattr(view, "takes_long", False) or not all(allowed(request.user, act) for act in acts_of(view)):
            return None  # whoever may not is refused before the form is read
        typed = request.headers.get("X-Key") or ("" if request.headers.get("HX-Request") else request.POST.get("act-key", ""))
        return uuid.UUID(typed) if typed else None
    except (ValueError, Resolver404):
        return None


def keep_sent(request: HttpRequest, key: uuid.UUID, by: User, answer: str) -> None:
    """Remember what was sent, and where its answer led. What is long past is forgotten."""
    now = timezone.now()
    Sent.objects.create(pk=key, by=by, content=_content(request), answer=answer[:500], at=now)
    acknowledge(Sent, [key], by.username, request.path)
    Sent.objects.filter(at__lt=now - KEPT_FOR).delete()


def _again(request: HttpRequest, before: Sent) -> HttpResponseBase:
    request.not_done = True  # type: ignore[attr-defined] # it was written down when it was done
    if before.by_id != request.user.pk or before.content != _content(request):
        said = "This form was saved before with other values. Open the page anew and type what is to be changed."
        if request.headers.get("HX-Request"):
            return HttpResponse(said, status=422, content_type="text/plain")
        messages.error(request, said)
        return HttpResponseRedirect(before.answer or request.path)
    if request.headers.get("HX-Request"):
        return HttpResponse(status=204)
    messages.info(request, "This was saved already; it was sent twice.")
    return HttpResponseRedirect(before.answer or request.path)


def _content(request: HttpRequest) -> str:
    """What was sent, in short: the address and every field but the proof that the form is ours, which changes with a log-in."""
    told = sha256(request.path.encode())
    for name, values in sorted(request.POST.lists()):
        if name != "csrfmiddlewaretoken":
            told.update(repr((name, values)).encode())
    for name, files in sorted(request.FILES.lists()):
        told.update(repr((name, [(str(f), getattr(f, "size", 0)) for f in files])).encode())
    return told.hexdigest()
