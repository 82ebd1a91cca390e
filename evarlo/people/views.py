from typing import Any

from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.views import LoginView
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render

from evarlo.people.models import User
from evarlo.people.services import choose_units
from evarlo.ui.notice import say


class LogIn(LoginView):
    template_name = "people/log_in.html"
    redirect_authenticated_user = True


def locked_out(request: HttpRequest, *_args: Any, **_kwargs: Any) -> HttpResponse:
    """After too many wrong passwords: said in words, with how long to wait."""
    return render(request, "people/locked_out.html", status=429)


@login_not_required
def here(request: HttpRequest) -> HttpResponse:
    """Whether someone is logged in, asked before a page's form is sent."""
    return HttpResponse(status=204 if request.user.is_authenticated else 401)


def me(request: HttpRequest) -> HttpResponse:
    """What a person can choose for themselves."""
    if request.method == "POST":
        assert isinstance(request.user, User)
        choose_units(request.user, request.POST.get("units") == "imperial")
        say(request, f"Amounts are shown in {'imperial' if request.user.imperial else 'metric'} units from now on.")
        return redirect("people:me")
    return render(request, "people/me.html")
