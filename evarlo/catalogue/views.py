"""Cultivars by crop."""

from __future__ import annotations

from django import forms
from django.db.models import Prefetch
from django.http import HttpResponse
from django.shortcuts import redirect, render

from evarlo.catalogue.models import Crop, Cultivar
from evarlo.people.permissions import allowed, may
from evarlo.people.requests import PersonRequest, typed
from evarlo.ui.fields import Words
from evarlo.ui.notice import say


class NewCultivar(forms.Form):
    crop = Words(
        label="Crop",
        most=60,
        error_messages={"required": "Nothing was typed. Expected a crop."},
        widget=forms.TextInput(attrs={"list": "crops"}),
    )
    name = Words(label="Cultivar", most=60, error_messages={"required": "Nothing was typed. Expected a name."})
    note = Words(label="Note", most=200, required=False)

    def clean(self) -> dict[str, str]:
        data = super().clean() or {}
        if Cultivar.objects.filter(crop__name__iexact=data.get("crop", ""), name__iexact=data.get("name", "")).exists():
            self.add_error("name", f"{data['name']} is on the list of {data['crop']} already.")
        return data


@may("see")
def cultivars(request: PersonRequest) -> HttpResponse:
    form = NewCultivar(typed(request))
    if request.method == "POST" and allowed(request.user, "plan") and form.is_valid():
        data = form.cleaned_data
        crop = Crop.objects.filter(name__iexact=data["crop"]).first() or Crop.objects.create(name=data["crop"])
        Cultivar.objects.create(crop=crop, name=data["name"], note=data["note"])
        say(request, f"{data['name']} is on the list of {crop.name}.")
        return redirect("catalogue:list")
    crops = Crop.objects.prefetch_related(Prefetch("cultivars", Cultivar.objects.order_by("name")))
    return render(request, "catalogue/cultivars.html", {"crops": crops, "form": form}, status=422 if form.errors else 200)
