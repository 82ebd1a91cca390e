"""The second step of a log-in, and the page on which one chooses it."""

from __future__ import annotations

import time

from django import forms
from django.contrib.auth import login
from django.contrib.auth.decorators import login_not_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.cache import never_cache

from evarlo.people.once import takes_long
from evarlo.people.places import place
from evarlo.people.requests import PersonRequest, typed
from evarlo.people.second import HALF_WAY, address_of_key, check, choose, give_up, has_to_have_second, new_key
from evarlo.ui.draw.code import scannable
from evarlo.ui.fields import Words
from evarlo.ui.notice import say
from evarlo.ui.refused import Refused, said_beside


class CodeForm(forms.Form):
    code = Words(
        label="Six digits",
        most=12,
        error_messages={"required": "Nothing was typed. Expected the six digits that your app shows."},
        widget=forms.TextInput(attrs={"inputmode": "numeric", "autocomplete": "one-time-code"}),
    )


@login_not_required
@never_cache
def code(request: HttpRequest) -> HttpResponse:
    """After the password: the code. Whoever takes too long begins anew."""
    half = request.session.get("half")
    if not half or time.time() - half[2] > HALF_WAY:
        request.session.pop("half", None)
        return redirect("people:log-in")
    form = CodeForm(typed(request))
    if request.method == "POST" and form.is_valid():
        with said_beside(form, "code"):
            person = check(half[0], form.cleaned_data["code"])
            request.session.pop("half")
            login(request, person, backend=half[1])
            return redirect(_next(request))
    return render(request, "people/code.html", {"form": form}, status=422 if form.errors else 200)


def _next(request: HttpRequest) -> str:
    """Where they wanted to go, where that is a page of ours."""
    wanted = request.GET.get("next", "")
    fine = url_has_allowed_host_and_scheme(wanted, allowed_hosts={request.get_host()}, require_https=request.is_secure())
    return wanted if fine else "/"


@takes_long  # a wrong code is remembered although it is refused
@never_cache
def own(request: PersonRequest) -> HttpResponse:
    """Choose it, by proving that the app has the key; or give it up, with a code of it."""
    form, chosen = CodeForm(typed(request)), bool(request.user.second_key)
    key = request.session.setdefault("new-second", new_key()) if not chosen else ""
    if request.method == "POST" and form.is_valid():
        with said_beside(form, "code"):
            if chosen and has_to_have_second(request.user):
                raise Refused("Your role has to have a second factor. With a link from a manager you can begin anew.", "code")
            if chosen:
                give_up(check(request.user.pk, form.cleaned_data["code"]))
            else:
                choose(request.user, key, form.cleaned_data["code"])
                request.session.pop("new-second")
            say(request, "No code is asked for any more." if chosen else "From now on a code is asked for after your password.")
            return redirect("people:me")
    here = place()
    drawn = scannable(address_of_key(request.user, key, here.name if here else "Evarlo"), 3.2) if key else ""
    context = {"form": form, "chosen": chosen, "has_to": has_to_have_second(request.user), "key": key, "drawn": drawn}
    return render(request, "people/second.html", context, status=422 if form.errors else 200)
