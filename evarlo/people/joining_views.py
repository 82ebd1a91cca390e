"""Pages of those who are not in yet: the first start, and a link that lets somebody in."""

from __future__ import annotations

from django.contrib.auth import login
from django.contrib.auth.decorators import login_not_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render

from evarlo.people.forms import FirstManager, Newcomer, NewPassword
from evarlo.people.joining import first_manager, invitation_of, join, reset
from evarlo.people.models import Invitation, User
from evarlo.people.places import first_key, nobody_yet
from evarlo.people.requests import typed
from evarlo.ui.notice import say
from evarlo.ui.refused import said_beside

BACKEND = "django.contrib.auth.backends.ModelBackend"


@login_not_required
def first(request: HttpRequest) -> HttpResponse:
    """The first start: what the place is called and who manages it. Once there is somebody, it leads to the log-in."""
    if not nobody_yet():
        return redirect("people:log-in")
    key = request.GET.get("key", "")
    form = FirstManager(typed(request), first_key(), initial={"key": key})
    if form.is_valid():
        told = form.cleaned_data
        with said_beside(form):
            made = first_manager(told["place"], told["username"], told["first"], told["last"], told["password"])
            login(request, made, BACKEND)
            return redirect("today:home")
    asks = request.method == "POST" and "key" in form.errors
    return render(
        request,
        "people/first.html",
        {"form": form, "asks_key": asks or (not key and request.method != "POST")},
        status=_status(form),
    )


@login_not_required
def come_in(request: HttpRequest, secret: str) -> HttpResponse:
    """A link that was given to somebody: they choose how they log in, or a new password."""
    invitation = invitation_of(secret)
    if invitation is None:
        return render(request, "people/link_over.html", status=410)
    return _new_password(request, invitation) if invitation.person else _newcomer(request, invitation)


def _newcomer(request: HttpRequest, invitation: Invitation) -> HttpResponse:
    name, _, rest = invitation.name.partition(" ")
    form = Newcomer(typed(request), initial={"first": name, "last": rest, "username": _free_name(name)})
    if form.is_valid():
        told = form.cleaned_data
        with said_beside(form):
            made = join(invitation, told["username"], told["first"], told["last"], told["password"])
            login(request, made, BACKEND)
            say(request, f"Welcome, {made}. From now on you log in as “{made.username}”.")
            return redirect("today:home")
    return render(request, "people/join.html", {"form": form, "invitation": invitation}, status=_status(form))


def _new_password(request: HttpRequest, invitation: Invitation) -> HttpResponse:
    form = NewPassword(typed(request))
    if form.is_valid():
        with said_beside(form, "password"):
            person = reset(invitation, form.cleaned_data["password"])
            login(request, person, BACKEND)
            say(request, "Your new password is set. Wherever you were logged in with the old one, you are logged out.")
            return redirect("today:home")
    return render(request, "people/join.html", {"form": form, "invitation": invitation}, status=_status(form))


def _free_name(name: str) -> str:
    """A log-in name to propose: the first name, with a number where it is taken."""
    base = "".join(c for c in name.casefold() if c.isalnum()) or "person"
    taken = set(User.objects.filter(username__istartswith=base).values_list("username", flat=True))
    return next(f"{base}{n or ''}" for n in (0, *range(2, 1000)) if f"{base}{n or ''}" not in {t.casefold() for t in taken})


def _status(form: object) -> int:
    return 422 if getattr(form, "errors", None) else 200
