"""The page on which a person keeps the programs that may ask as them."""

from __future__ import annotations

from datetime import timedelta

from django import forms
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_POST

from evarlo.api.models import Token
from evarlo.api.tokens import end_token, make_token, working
from evarlo.people.once import takes_long
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.ui.fields import Day, Words
from evarlo.ui.notice import say
from evarlo.ui.refused import said_beside


class NewToken(forms.Form):
    name = Words(label="Program", most=60, error_messages={"required": "Nothing was typed. Expected the program it is for."})
    scope = forms.ChoiceField(label="May", choices=Token.Scope.choices)
    ends_on = Day(label="Works until")


@takes_long  # the text is in the answer, which is never given again
@never_cache
@may("see")
def tokens_page(request: PersonRequest) -> HttpResponse:
    """Programs that may ask as this person; a new token is shown once."""
    made = text = None
    start = {"scope": "read", "ends_on": timezone.localdate() + timedelta(days=365)}
    form = NewToken(request.POST) if request.method == "POST" else NewToken(initial=start)
    if request.method == "POST" and form.is_valid():
        with said_beside(form):
            made, text = make_token(request.user, **form.cleaned_data)
            form = NewToken(initial=start)
    context = {"form": form, "tokens": working(request.user), "made": made, "text": text, "root": request.build_absolute_uri("v1/")}
    return render(request, "api/tokens.html", context)


@may("see")
@require_POST
def end(request: PersonRequest, pk: int) -> HttpResponse:
    """A token lets nobody in from now on."""
    end_token(request.user, pk)
    say(request, "It lets nobody in any more.")
    return redirect("api:tokens")
