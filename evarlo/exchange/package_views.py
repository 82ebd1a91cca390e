"""Packages in the browser, for managers: take out the place, a trial or a programme; bring in what came from elsewhere, after
looking at what that would do."""

from __future__ import annotations

import re
import time
from pathlib import Path
from tempfile import TemporaryFile
from typing import IO, Any, cast
from uuid import uuid4

from django import forms
from django.conf import settings
from django.http import FileResponse, Http404, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from evarlo.exchange.backups import back_up
from evarlo.exchange.packages.joining import bring_in, dry_run
from evarlo.exchange.packages.leaving import write
from evarlo.exchange.packages.opening import MOST_BYTES, opened
from evarlo.exchange.packages.workbook import write_workbook
from evarlo.people.once import takes_long
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest, brought, typed
from evarlo.programmes.models import Programme
from evarlo.trials.models import Trial
from evarlo.ui.notice import say
from evarlo.ui.refused import Refused, said_beside, said_on_top
from evarlo.ui.tables import WORKBOOK
from evarlo.ui.words import counted

BEFORE_PACKAGE = "before a package was brought in"
KEPT = 24 * 3600  # seconds that an uploaded package waits to be brought in
ZIP = "application/zip"


class TakeOut(forms.Form):
    what = forms.ChoiceField(label="Of")
    form = forms.ChoiceField(
        label="As",
        choices=[
            ("package", "Data package (zip): comes in again without loss"),
            ("workbook", "Workbook (xlsx): a sheet for each table"),
        ],
    )

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        trials = [(f"trial:{t.slug}", f"{t.name}, {t.season}") for t in Trial.objects.order_by("-season", "name")]
        programmes = [(f"programme:{p.slug}", p.name) for p in Programme.objects.order_by("name")]
        groups = [("A programme with its trials", programmes), ("A trial with what it rests on", trials)]
        field = cast(forms.ChoiceField, self.fields["what"])
        field.choices = [("place", "The whole place"), *[g for g in groups if g[1]]]


class Bring(forms.Form):
    file = forms.FileField(
        label="Data package (zip)",
        error_messages={"required": "Nothing was chosen. Expected the zip file that Evarlo wrote."},
        widget=forms.ClearableFileInput(attrs={"accept": ".zip,application/zip"}),
    )


class Piece(forms.Form):
    """A part of a file that is too large for one request: `at` is where in it the part begins, `of` how long the whole is."""

    name = forms.RegexField(r"^[0-9a-f]{32}$")
    at = forms.IntegerField(min_value=0, max_value=MOST_BYTES)
    of = forms.IntegerField(min_value=1, max_value=MOST_BYTES)
    piece = forms.FileField()


def waiting() -> Path:
    """Where packages lie that were uploaded and not brought in yet; those of days before go."""
    folder = Path(settings.DATA) / "arriving"
    folder.mkdir(mode=0o700, exist_ok=True)
    for old in (*folder.glob("*.zip"), *folder.glob("*.part")):
        if old.stat().st_mtime < time.time() - KEPT:
            old.unlink(missing_ok=True)
    return folder


def _waiting_or_404(name: str) -> Path:
    file = waiting() / f"{name}.zip"
    if not re.fullmatch(r"[0-9a-f]{32}", name) or not file.exists():
        raise Http404
    return file


def _shown_at(file: Path) -> str:
    """Where an uploaded package is shown. Raises Refused for what is none: that is gone then."""
    try:
        with opened(file):
            return reverse("exchange:package", args=[file.stem])
    except Refused:
        file.unlink()
        raise


@takes_long
@may("bring_in")
def packages_page(request: PersonRequest) -> HttpResponse:
    """What can be taken out, and where a package is brought."""
    form = Bring(typed(request), brought(request))
    if form.is_valid():
        name = uuid4().hex
        file = waiting() / f"{name}.zip"
        with said_beside(form, "file"):
            file.write_bytes(form.cleaned_data["file"].read())
            return redirect(_shown_at(file))
    return render(request, "exchange/packages.html", {"take": TakeOut(), "form": form})


@takes_long
@may("bring_in")
@require_POST
def piece(request: PersonRequest) -> HttpResponse:
    """Take in a piece of a package: where the next begins, or where the whole of it is shown. A piece that comes twice is kept
    once; one out of turn is answered with where to go on."""
    form = Piece(request.POST, request.FILES)
    if not form.is_valid():
        return JsonResponse({"wrong": f"That is no piece of a package: {form.errors.as_text()}"}, status=422)
    at, whole, content = form.cleaned_data["at"], form.cleaned_data["of"], form.cleaned_data["piece"].read()
    name = form.cleaned_data["name"]
    part, file = waiting() / f"{name}.part", waiting() / f"{name}.zip"
    if not file.exists():  # else the answer to its last piece was lost
        with part.open("ab") as out:
            if at == out.tell() and at + len(content) <= whole:
                out.write(content)
            there = out.tell()
        if there < whole:
            return JsonResponse({"at": there})
        part.rename(file)
    try:
        return JsonResponse({"to": _shown_at(file)})
    except Refused as refusal:
        return JsonResponse({"wrong": str(refusal)}, status=422)


@takes_long
@may("bring_in")
def take_out(request: PersonRequest) -> HttpResponse:
    """The file, written from one moment of the place and then sent piece by piece."""
    form = TakeOut(request.GET)
    if not form.is_valid():
        raise Http404
    what, _, slug = form.cleaned_data["what"].partition(":")
    out = cast(IO[bytes], TemporaryFile(dir=settings.DATA))  # noqa: SIM115 - closed when it has been sent
    name = slug or what
    if form.cleaned_data["form"] == "workbook":
        write_workbook(out, what, slug)
        name, kind = f"{name}.xlsx", WORKBOOK
    else:
        write(out, what, slug, request.user)
        name, kind = f"{name}-package.zip", ZIP
    out.seek(0)
    return cast(HttpResponse, FileResponse(out, as_attachment=True, filename=name, content_type=kind))


@may("bring_in")
def package_page(request: PersonRequest, name: str) -> HttpResponse:
    """What bringing it in would do."""
    context: dict[str, Any] = {"name": name}
    try:
        with opened(_waiting_or_404(name)) as package:
            context |= {"title": package.title, "called": package.called, "told": dry_run(package)}
    except Refused as refusal:
        context["wrong"] = str(refusal)
    return render(request, "exchange/package.html", context)


@takes_long
@may("bring_in")
@require_POST
def package_act(request: PersonRequest, name: str) -> HttpResponse:
    """Bring it in: the place is copied first."""
    file = _waiting_or_404(name)
    with said_on_top(request):
        before = back_up(BEFORE_PACKAGE)
        with opened(file) as package:
            told = bring_in(package)
        file.unlink(missing_ok=True)
        new, newer = sum(told.new.values()), sum(told.newer.values())
        said = (
            f"{counted(new, 'record')} brought in, {newer} brought up to date. The place as it was before is kept as {before.name}."
        )
        say(request, said)
        return redirect("exchange:packages")
    return redirect("exchange:package", name)
