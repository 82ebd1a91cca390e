"""Sites and their beds."""

from __future__ import annotations

from collections.abc import Iterable
from functools import partial

from django import forms
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone

from evarlo.grounds.models import Site
from evarlo.grounds.services import SITE_FIGURES, add_bed, bed_named, keep_site, site_on_record
from evarlo.grounds.site_map import site_drawn
from evarlo.grounds.weather import frost_of
from evarlo.grounds.zones import offered_zones
from evarlo.people.given_again import given_again
from evarlo.people.permissions import allowed, may
from evarlo.people.requests import PersonRequest, typed
from evarlo.ui.fields import Number, Words, read_day
from evarlo.ui.notice import say
from evarlo.ui.unchanged import kept


class SiteFigures(forms.Form):
    """What is known of a site: where it lies, and when frost goes and comes in half of the years."""

    latitude = Number(label="Latitude", low=-90, high=90, unit="°", required=False)
    longitude = Number(label="Longitude", low=-180, high=180, unit="°", required=False)
    last_frost = Words(label="Last frost", most=12, required=False)
    first_frost = Words(label="First frost", most=12, required=False)
    time_zone = Words(label="Time zone", most=40, required=False, widget=forms.TextInput(attrs={"list": "zones"}))

    def _frost(self, field: str) -> str:
        text = self.cleaned_data[field]
        found = read_day(text, 2001) if text else None
        if text and found is None:
            raise forms.ValidationError(f"Found “{text}”. Expected a day such as 12 Apr.")
        return f"{found:%m-%d}" if found else ""

    def clean_time_zone(self) -> str:
        typed = self.cleaned_data["time_zone"].replace(" ", "_").casefold()
        found = next((zone for zone in offered_zones() if zone.casefold() == typed), "")
        if typed and not found:
            raise forms.ValidationError(f"Found “{self.cleaned_data['time_zone']}”. Expected an area and city from the list.")
        return found

    def clean_last_frost(self) -> str:
        return self._frost("last_frost")

    def clean_first_frost(self) -> str:
        return self._frost("first_frost")


class NewBed(SiteFigures):
    site = Words(
        label="Site",
        most=60,
        error_messages={"required": "Nothing was typed. Expected a site."},
        widget=forms.TextInput(attrs={"list": "sites"}),
    )
    name = Words(label="Bed", most=40, error_messages={"required": "Nothing was typed. Expected a name for the bed."})
    length_m = Number(
        label="Length", low=0.5, high=1000, unit="m", error_messages={"required": "Nothing was typed. Expected a length in m."}
    )
    width_m = Number(
        label="Width", low=0.3, high=500, unit="m", error_messages={"required": "Nothing was typed. Expected a width in m."}
    )
    bearing = Number(
        label="Length points to",
        low=0,
        high=359,
        unit="°",
        initial=90,
        error_messages={"required": "Nothing was typed. Expected 0 to 359°."},
    )

    def clean(self) -> dict[str, object]:
        data = super().clean() or {}
        if bed_named(data.get("site", ""), data.get("name", "")):
            self.add_error("name", f"{data['site']} has a bed {data['name']} already.")
        return data


@may("see")
@given_again
def ground(request: PersonRequest) -> HttpResponse:
    form = NewBed(typed(request))
    if request.method == "POST" and allowed(request.user, "plan") and form.is_valid():
        data = form.cleaned_data
        site = site_on_record(data["site"])
        keep_site(site, {k: data[k] for k in SITE_FIGURES if data[k] not in ("", None)})
        add_bed(site, data["name"], data["length_m"], data["width_m"], data["bearing"])
        say(request, f"{data['name']} is on record at {site.name}.")
        return redirect("grounds:list")
    sites = _with_frost(Site.objects.prefetch_related("beds"))
    today, movable = timezone.localdate(), allowed(request.user, "plan")
    for site in sites:
        draw = partial(site_drawn, site, list(site.beds.all()), today, movable)
        site.drawn = kept(("site", site.pk, today, movable), draw, of=[site]) if site.beds.all() else None  # type: ignore[attr-defined]
    context = {"sites": sites, "form": form, "adding": movable and ("new" in request.GET or bool(form.errors) or not sites)}
    return render(request, "grounds/ground.html", context, status=422 if form.errors else 200)


def _with_frost(sites: Iterable[Site]) -> list[Site]:
    listed = list(sites)
    for site in listed:
        site.frost = frost_of(site)  # type: ignore[attr-defined]
    return listed


@may("plan")
@given_again
def site_page(request: PersonRequest, pk: int) -> HttpResponse:
    """What is known of a site, to be changed."""
    site = get_object_or_404(Site, pk=pk)
    initial = {"latitude": site.latitude, "longitude": site.longitude, "time_zone": site.time_zone}
    form = SiteFigures(typed(request), initial=initial | {"last_frost": site.last_frost_text, "first_frost": site.first_frost_text})
    if request.method == "POST" and form.is_valid():
        keep_site(site, {name: form.cleaned_data[name] for name in SITE_FIGURES})
        say(request, f"What is known of {site.name} is kept.")
        return redirect("grounds:list")
    return render(
        request, "grounds/site.html", {"site": site, "form": form, "zones": offered_zones()}, status=422 if form.errors else 200
    )
