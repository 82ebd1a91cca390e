"""What a trial's harvest is weighed by, and the crates it is weighed in."""

from __future__ import annotations

from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST

from evarlo.catalogue.models import Trait
from evarlo.catalogue.traits import library
from evarlo.harvest.classes import MOST_CLASSES, ClassPlan, Picked, keep_classes, keep_plan, plan_of, usual_classes
from evarlo.harvest.models import PickClass
from evarlo.harvest.services import keep_crate
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.trials.frame import frame
from evarlo.trials.models import Trial
from evarlo.trials.views import trial_or_404
from evarlo.ui.fields import Number, OwnIds, Words
from evarlo.ui.notice import say
from evarlo.ui.refused import Refused, said_beside

ROWS = range(1, MOST_CLASSES + 1)
PLANNED = ("every_days", "first_days", "piece_low_g", "piece_high_g", "standard_moisture")


class ClassesForm(OwnIds):
    """A row for each class in the order in which they are weighed; one without a name is none."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        for n in ROWS:
            self.fields[f"name_{n}"] = Words(label=f"Class {n}", most=40, required=False)
            self.fields[f"kind_{n}"] = forms.ChoiceField(label="Is", choices=PickClass.Kind.choices, required=False)
            self.fields[f"part_{n}"] = forms.ChoiceField(label="Part of", choices=PickClass.Part.choices, required=False)
            self.fields[f"reason_{n}"] = forms.ChoiceField(label="Culled for", choices=PickClass.Reason.choices, required=False)
            self.fields[f"counted_{n}"] = forms.BooleanField(label="Pieces counted", required=False)
        self.fields |= {
            "every_days": Number(label="Picked every", low=1, high=60, unit="days", whole=True, required=False),
            "first_after": forms.ChoiceField(label="First pick after", required=False),
            "first_days": Number(label="Days after it", low=0, high=200, unit="days", whole=True, required=False),
            "piece_low_g": Number(label="A piece weighs at least", low=0.1, high=100_000, unit="g", required=False),
            "piece_high_g": Number(label="and at most", low=0.1, high=100_000, unit="g", required=False),
            "standard_moisture": Number(label="Dry harvest at a moisture of", low=0, high=60, unit="%", required=False),
        }
        self.stages = {t.key: t for t in library() if t.kind == Trait.Kind.DATE}
        self.choose_from("first_after", [("", "no stage"), *((key, t.name) for key, t in self.stages.items())])
        for field in self.fields.values():
            field.unmarked = True  # type: ignore[attr-defined]

    @property
    def rows(self) -> list[list[forms.BoundField]]:
        """As many as are named, and two more."""
        named = [n for n in ROWS if self[f"name_{n}"].value()]
        last = min(MOST_CLASSES, max(named, default=0) + 2)
        return [[self[f"{name}_{n}"] for name in ("name", "kind", "part", "reason", "counted")] for n in range(1, last + 1)]

    @property
    def picked(self) -> Picked:
        d = self.cleaned_data
        named = ("every_days", "piece_low_g", "piece_high_g", "standard_moisture")
        stage = self.stages.get(d["first_after"])
        return Picked(first_after=stage, first_days=d["first_days"] or 0 if stage else 0, **{n: d[n] for n in named})

    @property
    def plans(self) -> list[ClassPlan]:
        d = self.cleaned_data
        named = [n for n in ROWS if d[f"name_{n}"]]
        return [
            ClassPlan(
                d[f"name_{n}"],
                d[f"kind_{n}"] or PickClass.Kind.MARKETABLE,
                d[f"part_{n}"] or PickClass.Part.MAIN,
                d[f"reason_{n}"],
                d[f"counted_{n}"],
            )
            for n in named
        ]


class CrateForm(OwnIds):
    crate = Words(label="Crate", most=30, error_messages={"required": "Nothing was typed. Expected a name, such as A."})
    kg = Number(label="Weighs empty", low=0.001, high=50, unit="kg")


@may("plan")
def classes(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    if request.method != "POST":
        return _page(request, trial)
    form = ClassesForm(request.POST)
    if form.is_valid():
        with said_beside(form):
            keep_classes(trial, form.plans, request.user)
            keep_plan(trial, form.picked, request.user)
            say(request, "The harvest is weighed so from now on.")
            return redirect("harvest:pick", slug)
    return _page(request, trial, form=form)


@may("plan")
@require_POST
def crate(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    form = CrateForm(request.POST)
    if form.is_valid():
        with said_beside(form):
            if trial.bed is None:
                raise Refused("A crate belongs to a site, and this trial lies in no bed.", "crate")
            made = keep_crate(trial.bed.site, form.cleaned_data["crate"], form.cleaned_data["kg"])
            say(request, f"Crate {made} is on the list.")
            return redirect("harvest:classes", slug)
    return _page(request, trial, crate=form)


def _page(request: PersonRequest, trial: Trial, **given: forms.Form) -> HttpResponse:
    """The classes as they are, or as the crop proposes them while there are none."""
    there = list(trial.pick_classes.filter(used=True))
    proposed = [ClassPlan(c.name, c.kind, c.part, c.reason, c.counted) for c in there] or usual_classes(trial.crop)
    picked = plan_of(trial)
    initial: dict[str, Any] = {name: getattr(picked, name) for name in PLANNED}
    initial["first_after"] = picked.first_after.key if picked.first_after else ""
    for n, plan in enumerate(proposed, start=1):
        initial |= {f"{name}_{n}": getattr(plan, name) for name in ("name", "kind", "part", "reason", "counted")}
    context = {
        "form": ClassesForm(initial=initial),
        "crate": CrateForm(),
        "proposed": not there,
        "off": trial.pick_classes.filter(used=False),
        "crates": trial.bed.site.crates.all() if trial.bed else (),
    }
    context |= frame(request, trial, "pick", layer="marketable-yield") | given
    return render(request, "harvest/classes.html", context, status=422 if given else 200)
