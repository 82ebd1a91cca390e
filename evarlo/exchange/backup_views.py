"""Copies of the place in the browser, for managers."""

from __future__ import annotations

from typing import cast

from django.http import FileResponse, Http404, HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.exchange.backups import BackUp, back_up, backup_named, backups, locks, prune, replaced_by, restore, wrong_with
from evarlo.people.once import takes_long
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.ui.notice import say, warn
from evarlo.ui.refused import said_on_top

MOST_KEY = 10_000  # bytes of a file with a key


def backup_or_404(name: str) -> BackUp:
    found = backup_named(name)
    if found is None:
        raise Http404
    return found


@takes_long
@may("people")
def backups_page(request: PersonRequest) -> HttpResponse:
    """Which copies there are, and one more at a touch."""
    if request.method == "POST":
        with said_on_top(request):
            made = back_up()
            prune(timezone.localtime())
            say(request, f"The place is copied and checked: {made.records} records.")
        return redirect("exchange:backups")
    found = backups()
    old = found[0].made if found else None
    days = (timezone.localtime() - old).days if old else None
    return render(request, "exchange/backups.html", {"backups": found, "days": days, "locked": bool(locks())})


@may("people")
def backup_page(request: PersonRequest, name: str) -> HttpResponse:
    """One copy: whether it is sound, what it holds, and what putting it back would change."""
    made = backup_or_404(name)
    context = {"backup": made, "wrong": wrong_with(made), "differences": replaced_by(made)}
    return render(request, "exchange/backup.html", context)


@takes_long  # the database under it is replaced: no transaction may be open
@may("people")
@require_POST
def restore_act(request: PersonRequest, name: str) -> HttpResponse:
    """Put a copy back, where the word was typed."""
    made = backup_or_404(name)
    if request.POST.get("word", "").strip().casefold() != "put it back":
        warn(request, "Nothing was changed. Type the words “put it back” to do it.")
        return redirect("exchange:backup", name)
    with said_on_top(request):
        before = restore(made, typed_key(request))
        say(request, f"The place is as it was on {made.made:%-d %b %Y, %H:%M}. What was there is kept as {before.name}.")
    return redirect("exchange:backups")


def typed_key(request: PersonRequest) -> str:
    """The key in the file that was given, empty without one."""
    given = request.FILES.get("key")
    return given.read(MOST_KEY).decode("utf-8", "replace") if given else ""


@may("people")
def take_away(_request: PersonRequest, name: str) -> HttpResponse:
    """A copy to be kept elsewhere, sent piece by piece."""
    return cast(HttpResponse, FileResponse(backup_or_404(name).file.open("rb"), as_attachment=True, filename=name))
