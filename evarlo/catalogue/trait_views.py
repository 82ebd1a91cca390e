"""Traits: the list, one of one's own, and the guide by which a trait is scored."""

from __future__ import annotations

from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from evarlo.catalogue.models import Crop, Guide, Trait
from evarlo.catalogue.traits import add_trait, guide_of, keep_guide, library
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.ui.draw.anchor import drawing_named
from evarlo.ui.fields import NUMBER, Number, OwnIds, Words
from evarlo.ui.notice import say
from evarlo.ui.refused import said_beside

OWN_KINDS = [(Trait.Kind.SCORE.value, "a score from 1 to 9"), *[(k, label) for k, label in Trait.Kind.choices if k != "score"]]


class TraitForm(OwnIds):
    unmarked = ("choices", "low", "high", "matters", "unit", "crop", "repeated")
    name = Words(label="Name", most=60, error_messages={"required": "Nothing was typed. Expected what it is called."})
    kind = forms.ChoiceField(label="What is written down", choices=OWN_KINDS)
    unit = Words(label="Unit", most=16, required=False)
    samples = Number(label="Plants looked at in a plot", low=1, high=60, whole=True, required=False, unmarked=True)
    low = Number(label="Lowest it can be", low=-1e6, high=1e6, required=False)
    high = Number(label="Highest it can be", low=-1e6, high=1e6, required=False)
    choices = Words(label="Kinds, with commas between", most=200, required=False)
    direction = forms.ChoiceField(label="Better is", choices=[("higher", "higher"), ("lower", "lower")])
    matters = Number(label="A difference that matters", low=0, high=1e6, required=False)
    method = Words(label="How it is done", most=300, error_messages={"required": "Nothing was typed. Expected how it is measured."})
    crop = forms.ModelChoiceField(label="For", queryset=Crop.objects.all(), required=False, empty_label="every crop")
    repeated = forms.BooleanField(label="Scored anew in each round", required=False, initial=True)


class GuideForm(OwnIds):
    """The guide as lines of text: quick to write, and whole on one screen."""

    unmarked = ("anchors", "alike", "why")
    anchors = forms.CharField(
        label="Places on the scale, one a line",
        required=False,
        max_length=3000,
        strip=True,
        widget=forms.Textarea(attrs={"rows": 7}),
        help_text="A number, then words; after a bar the name of a drawing if there is one: 25 a quarter of the area | leaf:25. "
        "Drawings: leaf, eaten, edge, cover, lean (percent), plant, even (1–9).",
    )
    alike = forms.CharField(
        label="What can be taken for it, one a line",
        required=False,
        max_length=3000,
        strip=True,
        widget=forms.Textarea(attrs={"rows": 4}),
    )
    why = Words(label="Why it changes", most=200, required=False)

    def clean_anchors(self) -> list[dict[str, Any]]:
        found = []
        for line in filter(None, (" ".join(x.split()) for x in self.cleaned_data["anchors"].splitlines())):
            at, _, rest = line.partition(" ")
            words, _, drawing = rest.partition("|")
            if not NUMBER.fullmatch(at) or not words.strip():
                raise forms.ValidationError(f"Found “{line[:30]}”. Expected a number and words, such as “5 as usual”.")
            found.append({"at": float(at.replace(",", ".")), "words": words.strip()[:120], "drawing": drawing.strip()[:20]})
        return found

    def clean_alike(self) -> list[dict[str, str]]:
        found = []
        for line in filter(None, (" ".join(x.split()) for x in self.cleaned_data["alike"].splitlines())):
            what, colon, tell = line.partition(":")
            if not colon or not what.strip() or not tell.strip():
                raise forms.ValidationError(f"Found “{line[:30]}”. Expected what it is and how to tell, such as “Dust: wipes off”.")
            found.append({"what": what.strip()[:60], "tell": tell.strip()[:160]})
        return found


def _typed(guide: Guide | None) -> dict[str, str]:
    if guide is None:
        return {}
    anchors = "\n".join(f"{a['at']:g} {a['words']}" + (f" | {a['drawing']}" if a["drawing"] else "") for a in guide.anchors)
    return {"anchors": anchors, "alike": "\n".join(f"{a['what']}: {a['tell']}" for a in guide.alike)}


@may("see")
def traits_page(request: PersonRequest, form: TraitForm | None = None) -> HttpResponse:
    guided = set(Guide.objects.values_list("trait", flat=True))
    rows = [(t, t.pk in guided) for t in library()]
    context = {"rows": rows, "form": form or TraitForm(initial={"samples": 1}), "opened": form is not None}
    return render(request, "catalogue/traits.html", context, status=422 if form else 200)


@may("describe")
@require_POST
def new_trait(request: PersonRequest) -> HttpResponse:
    form = TraitForm(request.POST)
    if form.is_valid():
        with said_beside(form):
            made = add_trait(form.cleaned_data, form.cleaned_data["crop"])
            say(request, f"{made.name} can be walked from now on.")
            return redirect("catalogue:trait", made.pk)
    return traits_page(request, form)


def _trait(pk: int) -> Trait:
    return get_object_or_404(Trait.objects.filter(of__isnull=True).exclude(key__startswith="sheet-"), pk=pk)


@may("see")
def trait_page(request: PersonRequest, pk: int, form: GuideForm | None = None) -> HttpResponse:
    trait = _trait(pk)
    guide = guide_of(trait)
    context = {
        "trait": trait,
        "guide": guide,
        "form": form or GuideForm(initial=_typed(guide)),
        "opened": form is not None,
        "anchors": [(a, drawing_named(a["drawing"])) for a in guide.anchors] if guide else [],
        "versions": trait.guides.select_related("by").order_by("-version"),
    }
    return render(request, "catalogue/trait.html", context, status=422 if form else 200)


@may("describe")
@require_POST
def new_guide(request: PersonRequest, pk: int) -> HttpResponse:
    trait, form = _trait(pk), GuideForm(request.POST)
    if form.is_valid():
        data = form.cleaned_data
        with said_beside(form):
            made = keep_guide(trait, data["anchors"], data["alike"], data["why"], request.user)
            say(request, f"Guide {made.version} of {trait.name} counts from now on." if made else "Nothing changed.")
            return redirect("catalogue:trait", pk)
    return trait_page(request, pk, form)
