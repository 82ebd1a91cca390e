"""What happened to every record, for managers, and a person's last acts taken back."""

from __future__ import annotations

from datetime import datetime, timedelta
from urllib.parse import urlencode

from django import forms
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.exchange.happened import happened, kinds
from evarlo.exchange.taking_back import MOST, acts_of_person, take_back_all
from evarlo.people.audit import address_of, note
from evarlo.people.models import User
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.ui.notice import say, warn
from evarlo.ui.refused import Refused

SHOWN = 200
LEFT_SAID = 5  # of the records that stay


class Asked(forms.Form):
    """What of all that happened is asked for; days and times of the place."""

    who = forms.ModelChoiceField(User.objects.order_by("first_name", "username"), required=False, empty_label="anybody")
    kind = forms.ChoiceField(required=False)
    since = forms.DateTimeField(required=False, error_messages={"invalid": "Expected a day and a time, such as 2026-06-14 13:30."})
    until = forms.DateTimeField(required=False, error_messages={"invalid": "Expected a day and a time, such as 2026-06-14 18:00."})

    def __init__(self, *args: object, **kwargs: object) -> None:
        super().__init__(*args, **kwargs)  # type: ignore[arg-type]
        self.fields["kind"].choices = [("", "anything"), *sorted(kinds().items(), key=lambda k: k[1])]  # type: ignore[attr-defined]
        for name in ("since", "until"):
            self.fields[name].widget = forms.DateTimeInput(attrs={"type": "datetime-local"}, format="%Y-%m-%dT%H:%M")


class TakeBack(forms.Form):
    """Whose acts of which time are taken back, and why."""

    who = forms.ModelChoiceField(User.objects.all())
    since = forms.DateTimeField()
    until = forms.DateTimeField()
    why = forms.CharField(max_length=200, error_messages={"required": "Say why they are taken back."})


@may("people")
def history(request: PersonRequest) -> HttpResponse:
    """Everything that was done, the newest first, of one person, time or kind where asked."""
    form = Asked(request.GET)
    status = 200 if form.is_valid() else 422
    asked = form.cleaned_data if status == 200 else {}
    who, since = asked.get("who"), asked.get("since")
    until = asked.get("until") or timezone.now()
    rows = happened(SHOWN, who, since, asked.get("until"), asked.get("kind") or "") if status == 200 else []
    context = {"form": form, "rows": rows, "more": len(rows) == SHOWN, "who": who, "since": since, "until": until}
    if who and since:
        acts = acts_of_person(who, since, until)
        context |= {"counted": acts.counted(), "number": len(acts.records), "most": MOST}
    return render(request, "exchange/history.html", context, status=status)


@may("people")
@require_POST
def take_back_acts(request: PersonRequest) -> HttpResponse:
    """Take back what one person did within a time, where a reason was typed."""
    form = TakeBack(request.POST)
    if not form.is_valid():
        warn(request, str(next(iter(form.errors.values()))[0]))
        return redirect(_page(request.POST.get("who", ""), request.POST.get("since", ""), request.POST.get("until", "")))
    who, since, until = (form.cleaned_data[name] for name in ("who", "since", "until"))
    try:
        done, left = take_back_all(who, since, until, request.user)
    except Refused as refusal:
        warn(request, str(refusal))
        return redirect(_page(str(who.pk), _typed(since), _typed(until)))
    about = f"{who.username}, {since:%Y-%m-%d %H:%M} to {until:%Y-%m-%d %H:%M}: {done} taken back, {len(left)} stay"
    note("took back somebody's acts", request.user.username, address_of(request), about, {"why": form.cleaned_data["why"]})
    say(request, f"Taken back: {done}. They stay on record, struck out.")
    if left:
        more = f" And {len(left) - LEFT_SAID} more." if len(left) > LEFT_SAID else ""
        warn(request, "Not taken back: " + " ".join(left[:LEFT_SAID]) + more)
    return redirect(_page(str(who.pk), _typed(since), _typed(until + timedelta(minutes=1))))


def _typed(at: datetime) -> str:
    return f"{timezone.localtime(at):%Y-%m-%dT%H:%M}"


def _page(who: str, since: str, until: str) -> str:
    return f"{reverse('exchange:history')}?{urlencode({'who': who, 'since': since[:16], 'until': until[:16]})}"
