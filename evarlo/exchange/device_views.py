"""The devices of the place: what each is, whether it can be gone by, and how a stand-in behaves when it fails."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from django import forms
from django.conf import settings
from django.http import HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.utils import timezone

from evarlo.devices.faults import Fault, FaultyProbe, FaultyScale, FaultyScanner, FaultySoilProbe, FaultyStation
from evarlo.devices.probe import SimulatedProbe
from evarlo.devices.scale import scale_at
from evarlo.devices.scanner import SimulatedScanner
from evarlo.devices.soil import SimulatedSoilProbe
from evarlo.devices.sound import LOOKED_AT, Health, of_probe, of_scale, of_scanner, of_soil_probe, of_station
from evarlo.devices.station import SimulatedStation
from evarlo.grounds.models import Bed, Site
from evarlo.nursery.models import Place
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.trials.models import Plot
from evarlo.trials.stakes import code_read, plot_code
from evarlo.ui.fields import Words

MOST = 12  # of each kind that are shown


@dataclass(frozen=True)
class Shown:
    """A device as it is listed."""

    kind: str
    where: str
    standing_in: bool
    health: Health
    url: str = ""


class ScanForm(forms.Form):
    code = Words(label="Scan a stake into this field", most=80, required=False)


@may("see")
def devices_page(request: PersonRequest) -> HttpResponse:
    """Every device, and what a scanner types."""
    asked = request.GET.get("fault", "")
    fault = Fault(asked) if asked in list(Fault) else None
    form = ScanForm(request.GET if "code" in request.GET else None)
    context: dict[str, Any] = {"devices": _devices(fault), "faults": list(Fault), "fault": fault, "form": form}
    if form.is_bound and form.is_valid():
        context["scanned"] = _scanned(form.cleaned_data["code"])
    return render(request, "exchange/devices.html", context)


def _devices(fault: Fault | None) -> list[Shown]:
    now = timezone.localtime()
    return [*_stations(fault), *_scales(fault), *_probes(fault, now), *_soil(fault, now), *_scanners(fault)]


def _stations(fault: Fault | None) -> list[Shown]:
    today, made = timezone.localdate(), []
    sites = [s for s in Site.objects.order_by("name")[:MOST] if s.latitude is not None]
    for site in sites:
        station = SimulatedStation(site.name, site.latitude or 0.0)
        beside = station.days(today - timedelta(days=LOOKED_AT), today) if fault else []
        health = of_station(FaultyStation(station, fault) if fault else station, today, beside)
        made.append(Shown("Weather station", site.name, True, health, reverse("grounds:weather", args=[site.pk])))
    return made


def _scales(fault: Fault | None) -> list[Shown]:
    scale = scale_at(settings.SCALE)
    if scale is None:
        return [Shown("Bench scale", "none is set", False, Health(True, "Set EVARLO_SCALE to weigh with one."))]
    where = settings.SCALE.partition(":")[2] or "the bench"
    health = of_scale(FaultyScale(scale, fault) if fault else scale)
    return [Shown("Bench scale", where, settings.SCALE.startswith("simulated"), health)]


def _probes(fault: Fault | None, now: datetime) -> list[Shown]:
    made = []
    for place in Place.objects.select_related("site").order_by("site__name", "name")[:MOST]:
        probe = SimulatedProbe(str(place), place.celsius)
        health = of_probe(FaultyProbe(probe, fault) if fault else probe, now, place.celsius)
        made.append(Shown("Temperature probe", str(place), True, health))
    return made


def _soil(fault: Fault | None, now: datetime) -> list[Shown]:
    made = []
    for bed in Bed.objects.select_related("site").exclude(site__latitude=None).order_by("site__name", "name")[:MOST]:
        probe = SimulatedSoilProbe(str(bed), bed.site.latitude or 0.0)
        health = of_soil_probe(FaultySoilProbe(probe, fault) if fault else probe, now)
        made.append(Shown("Soil probe", str(bed), True, health, reverse("grounds:bed", args=[bed.pk])))
    return made


def _scanners(fault: Fault | None) -> list[Shown]:
    scanner = SimulatedScanner()
    health = of_scanner(FaultyScanner(scanner, fault) if fault else scanner, "T1-101")
    return [Shown("Code scanner", "acts as a keyboard", True, health)]


def _scanned(code: str) -> str:
    read = code_read(code)
    if read is None:
        return f"“{code[:40]}” is no code of a stake. Expected one such as T1-101: look at the scanner's sheet of settings."
    trial, number = read
    plot = Plot.objects.select_related("trial").filter(trial=trial, number=number).first() if trial < 2**63 else None
    if plot is None:
        return f"{code} is well read, and no plot here has it."
    return f"{plot_code(plot)} is plot {plot.number} of {plot.trial.name}, {plot.trial.season}."
