"""Pages that print a trial: the choice of labels, the plan with its sowing direction, the scoring sheet; and its dates
as a calendar file."""

from __future__ import annotations

from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import render
from django.utils import timezone

from evarlo.catalogue.models import Trait
from evarlo.people.on_paper import running_head_of
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.trials import queries
from evarlo.trials.frame import frame
from evarlo.trials.ground import paper_plan
from evarlo.trials.icalendar import calendar_of
from evarlo.trials.stakes import SHEETS, labels_of, labels_pdf
from evarlo.trials.views import trial_or_404
from evarlo.ui.fields import Number
from evarlo.ui.tables import attached

MOST_TRAITS = 6
LEAST_COLUMNS = 4


class LabelForm(forms.Form):
    sheet = forms.ChoiceField(label="Paper", choices=[(s.key, s.name) for s in SHEETS])
    kind = forms.ChoiceField(
        label="On the label",
        choices=[
            ("blind", "Codes only: whoever scores learns no name"),
            ("named", "Cultivar names"),
            ("both", "Both: a second, named label to hide at the foot"),
        ],
    )
    start = Number(label="First free label of the sheet", low=1, high=65, whole=True, initial=1)

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        sheet = next((s for s in SHEETS if s.key == data.get("sheet")), None)
        if sheet and data.get("start") and data["start"] > sheet.count:
            self.add_error("start", f"Found “{data['start']}”. Expected a place from 1 to {sheet.count} on this paper.")
        return data


@may("see")
def running_head(request: PersonRequest, slug: str) -> HttpResponse:
    """What runs along the top of every printed page of a trial."""
    trial = trial_or_404(slug)
    return running_head_of(f"{trial.name}, {trial.season}", request.user)


@may("see")
def paper(request: PersonRequest, slug: str) -> HttpResponse:
    """What can be printed. Names are offered to those who may see them."""
    trial = trial_or_404(slug)
    wanted = "sheet" in request.GET
    form = LabelForm(request.GET if wanted else None, initial={"kind": "blind", "sheet": "a4-24", "start": 1})
    if not queries.names_shown(trial, request.user):
        kinds = form.fields["kind"]
        assert isinstance(kinds, forms.ChoiceField)
        kinds.choices = [("blind", "Codes only: whoever scores learns no name")]
    if wanted and form.is_valid():
        data = form.cleaned_data
        sheet = next(s for s in SHEETS if s.key == data["sheet"])
        plots = list(trial.plots.select_related("entry"))
        if plots:
            labels = labels_of(trial, plots, queries.entry_names(trial, request.user), data["kind"])
            response = HttpResponse(labels_pdf(labels, sheet, data["start"]), content_type="application/pdf")
            response["Content-Disposition"] = f'inline; filename="{trial.slug}-labels.pdf"'
            return response
        form.add_error(None, "This trial has no plot yet, so there is no label to print.")
    context = frame(request, trial, "plan", layer="entry") | {"form": form, "count": trial.plots.count()}
    return render(request, "trials/paper.html", context, status=422 if form.errors else 200)


@may("see")
def plan_sheet(request: PersonRequest, slug: str) -> HttpResponse:
    """The plan on one page, with the origin, the way through the plots and what stands where."""
    trial = trial_or_404(slug)
    names = queries.entry_names(trial, request.user)
    context = {
        "trial": trial,
        "drawing": paper_plan(trial, names),
        "entries": [(e, names.get(e.pk, e.code)) for e in trial.entries.all()],
        "names_shown": queries.names_shown(trial, request.user),
        "first": trial.plots.first(),
        "today": timezone.localdate(),
    }
    return render(request, "trials/plan_sheet.html", context)


@may("see")
def scoring_sheet(request: PersonRequest, slug: str) -> HttpResponse:
    """A table to write on where no phone will do: plots along the path, a column for each criterion that is seen on a walk
    and some left free, no names."""
    trial = trial_or_404(slug)
    walked = trial.criteria.filter(trait__source=Trait.Source.WALK).select_related("trait")
    traits = [c.trait for c in walked[:MOST_TRAITS]]
    context = {
        "trial": trial,
        "plots": queries.plots_of(trial),
        "traits": traits,
        "free": range(max(0, LEAST_COLUMNS - len(traits))),
        "today": timezone.localdate(),
    }
    return render(request, "trials/scoring_sheet.html", context)


@may("see")
def calendar_file(request: PersonRequest, slug: str) -> HttpResponse:
    """What is still to be done, as an iCalendar file."""
    trial = trial_or_404(slug)
    content = calendar_of(trial, request.build_absolute_uri(trial.get_absolute_url()), request.user)
    return attached(f"{trial.slug}.ics", content, "text/calendar; charset=utf-8")
