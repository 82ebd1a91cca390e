"""Bring in a trial from a sheet: upload, look at what was understood, then make the trial."""

from __future__ import annotations

import re
from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_POST
from django_htmx.http import HttpResponseClientRedirect

from evarlo.catalogue.models import Crop, Trait
from evarlo.catalogue.services import crop_on_record
from evarlo.exchange.models import Sheet
from evarlo.exchange.services import (
    Wanted,
    bring_next,
    designs_of,
    leave,
    make_trial,
    matters_proposed,
    progress_of,
    read_of,
    repeated_entries,
)
from evarlo.exchange.shapes import choose, keep_sheet, remember, rows_of, understood
from evarlo.exchange.words import at_home, understood_in_words
from evarlo.people.once import takes_long
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest, brought, typed
from evarlo.trials.models import Trial
from evarlo.ui.fields import Number, Words
from evarlo.ui.notice import say
from evarlo.ui.refused import Refused, said_beside
from evarlo.ui.uploads import PASTED, Upload
from evarlo.ui.words import counted, names_in
from trialcore.formats.meanings import MEANINGS, less_is_better
from trialcore.formats.messy import Column
from trialcore.formats.sheet import TrialSheet

LAID: dict[str, str] = {
    Trial.Design.BLOCKS: "complete blocks",
    Trial.Design.NO_BLOCKS: "without blocks",
}  # no more than a sheet says
SHOWN, SHOWN_LINES = 60, 40


class MakeTrial(forms.Form):
    name = Words(label="Name", most=80, error_messages={"required": "Nothing was typed. Expected a name for the trial."})
    season = Words(label="Season", most=20, error_messages={"required": "Nothing was typed. Expected a season, such as 2026."})
    crop = Words(
        label="Crop",
        most=60,
        error_messages={"required": "Nothing was typed. Expected the crop."},
        widget=forms.TextInput(attrs={"list": "crops"}),
    )

    def __init__(self, read: TrialSheet, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.columns = list(read.values)
        self.fields["check"] = forms.ChoiceField(
            label="Check",
            choices=[("", "Choose…"), *((e, e) for e in read.entries)],
            error_messages={"required": "Nothing was chosen. Expected the entry the others are set against."},
        )
        self.designs = designs_of(read)
        self.fields["design"] = forms.ChoiceField(
            label="Laid out as", choices=[(d, LAID.get(d) or Trial.Design(d).label) for d in self.designs], required=False
        )
        self.fields["design"].unmarked = True  # type: ignore[attr-defined]
        again = repeated_entries(read) if self.designs[0] == Trial.Design.AUGMENTED else []
        self.fields["further"] = Words(
            label="Further checks",
            most=600,
            required=False,
            initial=", ".join(again[1:]),
            widget=forms.TextInput(attrs={"placeholder": "names, commas between"}),
        )
        if again:
            self.fields["check"].initial = again[0]
        if len(read.levels) > 1:
            self.fields["factor"] = Words(label="The second factor is", most=40, required=False, initial="Second factor")
            self.fields["entries_whole"] = forms.BooleanField(
                label="Entries stand on the whole plots of a split-plot", required=False, initial=_entries_are_whole(read)
            )
        for i in range(len(self.columns)):
            self.fields[f"direction_{i}"] = forms.ChoiceField(
                label="Better when",
                choices=Trait.Direction.choices,
                initial=Trait.Direction.LOWER if less_is_better(self.columns[i]) else Trait.Direction.HIGHER,
            )
            proposed = matters_proposed(read, self.columns[i])
            self.fields[f"matters_{i}"] = Number(
                label="Smallest difference that matters", low=0, high=1e12, required=False, initial=proposed
            )

    @property
    def column_rows(self) -> list[dict[str, Any]]:
        return [
            {"name": c, "direction": self[f"direction_{i}"], "matters": self[f"matters_{i}"]} for i, c in enumerate(self.columns)
        ]

    def by_column(self, part: str) -> dict[str, Any]:
        return {c: self.cleaned_data[f"{part}_{i}"] for i, c in enumerate(self.columns)}


def _entries_are_whole(read: TrialSheet) -> bool:
    """Whether each whole plot holds one entry, as far as the sheet tells whole plots."""
    held: dict[tuple[str, str], set[str]] = {}
    for p in read.plots:
        held.setdefault((p.rep, p.block), set()).add(p.entry)
    return read.has_inner_blocks and all(len(entries) == 1 for entries in held.values())


@takes_long
@may("bring_in")
def bring_in(request: PersonRequest) -> HttpResponse:
    form = Upload(typed(request), brought(request))
    if request.method == "POST" and form.is_valid():
        with said_beside(form, form.used):
            sheet = keep_sheet(*form.taken(), request.user)
            plain = understood(sheet).plain and len(sheet.grids) == 1  # of several a person sees which one was taken
            return redirect("exchange:dry-run" if plain else "exchange:shape", sheet.pk)
    return render(request, "exchange/bring_in.html", {"form": form}, status=422 if form.errors else 200)


@takes_long
@may("bring_in")
def shape(request: PersonRequest, pk: int) -> HttpResponse:
    """What the columns of a sheet mean, seen over its own lines; what is doubtful is asked."""
    sheet = get_object_or_404(Sheet, pk=pk, by=request.user)
    if sheet.trial:
        return redirect("exchange:arriving", sheet.pk)
    if request.method == "POST":
        told = choose(sheet, _chosen(request, sheet))
        if not told.open and request.POST.get("then") == "look":
            return redirect("exchange:dry-run", pk)
    told, rows = understood(sheet), rows_of(sheet)
    missing = request.POST.get("then") == "look" and bool(told.open)
    context = {
        "sheet": sheet,
        "told": told,
        "columns": [(c, _meanings(c)) for c in told.columns],
        "lines": [(i, rows[i], told.left_out.get(i, "")) for i in range(len(rows)) if any(rows[i])][:SHOWN_LINES],
        "more_lines": max(0, len(rows) - SHOWN_LINES),
        "missing": missing,
    }
    return render(request, "exchange/shape.html", context, status=422 if missing else 200)


def _meanings(column: Column) -> list[tuple[str, str]]:
    """What a column may be taken for, its own kind among them."""
    kind, _, which = column.meaning.partition(":")
    own = {"rep": f"{column.trait} of replicate {which}", "day": f"the value of {which}"}
    return [*([(column.meaning, own[kind])] if which else []), *MEANINGS.items()]


def _chosen(request: PersonRequest, sheet: Sheet) -> dict[str, str]:
    """What was chosen, on top of what was before. Another sheet or another header begins anew."""
    posted = {
        key: value for key, value in request.POST.items() if key.startswith(("mean:", "decimal:", "one:", "keep:", "together:"))
    }
    place = {key: request.POST[key] for key in ("sheet", "header") if request.POST.get(key, "").isdecimal()}
    before = {key: sheet.chosen.get(key, "") for key in ("sheet", "header")}
    told = understood(sheet)
    now = {"sheet": before["sheet"] or "0", "header": before["header"] or str(told.header)}
    if any(place.get(key, now[key]) != now[key] for key in now):
        return place if place.get("sheet", now["sheet"]) == now["sheet"] else {"sheet": place["sheet"]}
    proposed = {f"mean:{c.at}": c.meaning for c in told.columns}
    if all(proposed.get(key, value) == value for key, value in posted.items()):  # no column is taken otherwise than it was
        posted = {key: value for key, value in posted.items() if key not in proposed}
    return {**sheet.chosen, **posted}


@takes_long
@may("bring_in")
def dry_run(request: PersonRequest, pk: int) -> HttpResponse:
    """What was understood of a sheet. Nothing is made before the person says so."""
    sheet = get_object_or_404(Sheet, pk=pk, by=request.user)
    if sheet.trial:
        return redirect("exchange:arriving", sheet.pk)
    if not sheet.text:
        return redirect("exchange:shape", pk)
    read = read_of(sheet.text)
    told = understood(sheet)
    by_name = sheet.name.rsplit(".", 1)[0].replace("_", " ")
    year = re.search(r"\b(19|20)[0-9]{2}\b", f"{told.title} {by_name}")
    name = told.title[:80] if told.title and sheet.name == PASTED else by_name
    initial = {"name": name, "season": year[0] if year else timezone.localdate().year}
    form = MakeTrial(read, typed(request), initial=initial)
    if request.method == "POST" and not read.problems and form.is_valid():
        data = form.cleaned_data
        matters = {c: matters_proposed(read, c) if v is None else v for c, v in form.by_column("matters").items()}
        crop = crop_on_record(data["crop"])
        more = (data["design"], data.get("factor", ""), data.get("entries_whole", False), names_in(data["further"]))
        wanted = Wanted(data["name"], crop, data["season"], data["check"], form.by_column("direction"), matters, *more)
        try:
            make_trial(sheet, wanted, request.user, timezone.localdate())
        except Refused as refusal:
            form.add_error(refusal.field if refusal.field in form.fields else None, str(refusal))
        else:
            remember(sheet)
            return redirect("exchange:arriving", sheet.pk)
    columns = [
        {
            "name": name,
            "values": sum(v is not None for v in values),
            "missing": sum(v is None for v in values),
            "low": min((v for v in values if v is not None), default=None),
            "high": max((v for v in values if v is not None), default=None),
        }
        for name, values in read.values.items()
    ]
    context = {
        "sheet": sheet,
        "read": read,
        "understood": "" if read.problems else understood_in_words(read),
        "form": form,
        "columns": columns,
        "shown": at_home(read.problems[:SHOWN], told),
        "crops": Crop.objects.all(),
        "more": max(0, len(read.problems) - SHOWN),
        "told": told,
    }
    return render(request, "exchange/dry_run.html", context, status=422 if form.errors or read.problems else 200)


@may("bring_in")
def arriving(request: PersonRequest, pk: int) -> HttpResponse:
    """How far a sheet has come in; the page asks for piece after piece."""
    sheet = get_object_or_404(Sheet.objects.select_related("trial"), pk=pk, by=request.user)
    if sheet.trial is None:
        return redirect("exchange:dry-run", pk)
    if not sheet.trial.arriving:
        say(request, f"{sheet.trial.name}: {counted(len(read_of(sheet.text).plots), 'plot')} in.")
        return redirect("compare:compare", sheet.trial.slug)
    return render(request, "exchange/arriving.html", {"sheet": sheet, "progress": progress_of(sheet)})


@takes_long
@may("bring_in")
@require_POST
def go_on(request: PersonRequest, pk: int) -> HttpResponse:
    """The next piece of a sheet."""
    sheet = get_object_or_404(Sheet.objects.select_related("trial"), pk=pk, by=request.user)
    progress = bring_next(sheet, request.user)
    if not request.htmx:
        return redirect("exchange:arriving", pk)
    if progress.is_whole:
        return HttpResponseClientRedirect(reverse("exchange:arriving", args=[pk]))
    return render(request, "exchange/arriving.html#piece", {"sheet": sheet, "progress": progress})


@may("bring_in")
@require_POST
def take_back(request: PersonRequest, pk: int) -> HttpResponse:
    """No more of it; the sheet can be brought in afresh."""
    leave(get_object_or_404(Sheet, pk=pk, by=request.user))
    return redirect("exchange:dry-run", pk)
