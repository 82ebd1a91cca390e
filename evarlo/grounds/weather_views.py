"""The weather page of a site: a year at a glance, frost by risk, gaps, months, degree days, and a sheet to bring in."""

from __future__ import annotations

from collections import defaultdict
from datetime import date, timedelta
from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.grounds.models import Site, WeatherDay, day_text
from evarlo.grounds.weather import Record, frost_of, go_by_frost, keep_days, read_station, read_weather_sheet, record_of
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest, typed
from evarlo.ui.draw.weather import Drawn, weather_year
from evarlo.ui.fields import Day, Number
from evarlo.ui.notice import say, warn
from evarlo.ui.refused import said_on_top
from evarlo.ui.units import unit_shown
from evarlo.ui.words import counted
from trialcore.field.degree_days import day_length_hours, degree_days
from trialcore.formats.sheet import decode
from trialcore.reckoning.frost import Frost

SHOWN = timedelta(days=396)


class Warmth(forms.Form):
    base = Number(label="Grows above", low=-10, high=30, unit="°C", initial=6)
    upper = Number(label="No faster above", low=5, high=50, unit="°C", initial=30)
    since = Day(label="Since")

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        if data.get("base") is not None and data.get("upper") is not None and data["upper"] <= data["base"]:
            self.add_error("upper", f"Found {data['upper']:g}. Expected more than {data['base']:g} °C.")
        return data


class WeatherUpload(forms.Form):
    file = forms.FileField(label="CSV file", required=False, allow_empty_file=True)
    text = forms.CharField(label="or paste the lines", required=False, widget=forms.Textarea(attrs={"rows": 6, "wrap": "off"}))

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        if not data.get("file") and not (data.get("text") or "").strip():
            self.add_error("file", "Nothing was chosen. Expected a CSV file, or its lines pasted below.")
        return data


@may("see")
def weather(request: PersonRequest, pk: int) -> HttpResponse:
    site = get_object_or_404(Site, pk=pk)
    record = record_of(site)
    today = timezone.localdate()
    asked = Warmth(request.GET if "base" in request.GET else None, initial={"since": date(today.year, 1, 1)})
    return render(request, "grounds/weather.html", _context(site, record, today, asked, WeatherUpload(None)))


def _context(site: Site, record: Record, today: date, asked: Warmth, upload: WeatherUpload, **more: Any) -> dict[str, Any]:
    context: dict[str, Any] = {"site": site, "record": record, "warmth": asked, "upload": upload, "today": today, **more}
    if site.latitude is not None:
        context["daylight"] = day_length_hours(site.latitude, today.timetuple().tm_yday)
    context["frost"] = frost_of(site)
    context["risks"] = _risks(context["frost"])
    if not record.days:
        return context
    start, end = max(record.days[0].day, record.days[-1].day - SHOWN), record.days[-1].day
    shown = record.since(start)
    drawn = [Drawn(d.day, d.tmin, d.tmax, d.rain_mm, d.soil_c) for d in shown if d.tmin is not None and d.tmax is not None]
    said = f"{len(drawn)} days from {start:%-d %b %Y} to {end:%-d %b %Y}, {sum(d.low <= 0 for d in drawn)} nights with frost"
    context |= {
        "drawing": weather_year(drawn, start, end, record.gaps, said),
        "said": said,
        "months": _months(drawn),
        "recent_gaps": [g for g in record.gaps if g[1] >= start],
        "sum": _degree_days(record, asked),
    }
    return context


def _months(days: list[Drawn]) -> list[dict[str, Any]]:
    by_month: dict[date, list[Drawn]] = defaultdict(list)
    for d in days:
        by_month[d.day.replace(day=1)].append(d)
    return [
        {
            "month": f"{month:%b %Y}",
            "days": len(some),
            "low": sum(d.low for d in some) / len(some),
            "high": sum(d.high for d in some) / len(some),
            "rain": sum(d.rain or 0.0 for d in some),
            "frosts": sum(d.low <= 0 for d in some),
            "hot": sum(d.high >= 30 for d in some),
            "warm": sum(d.low >= 20 for d in some),
        }
        for month, some in sorted(by_month.items(), reverse=True)
    ]


def _risks(frost: Frost | None) -> list[tuple[str, str, str]]:
    if frost is None:
        return []
    words = {0.9: "9 years in 10", 0.5: "half of the years", 0.1: "1 year in 10"}
    return [(words[r], day_text(frost.last[r]), day_text(frost.first[r])) for r in words]


def _degree_days(record: Record, asked: Warmth) -> str:
    if not asked.is_bound or not asked.is_valid():
        return ""
    data = asked.cleaned_data
    days = [d for d in record.since(data["since"]) if d.tmin is not None and d.tmax is not None]
    if not days:
        return "There is no record since that day."
    daily = degree_days([d.tmin or 0.0 for d in days], [d.tmax or 0.0 for d in days], data["base"], data["upper"])
    missing = (days[-1].day - data["since"]).days + 1 - len(days)
    warm = unit_shown("°C")
    total = daily.sum() * (1.8 if warm == "°F" else 1)
    told = f"{total:.0f} {warm}·days from {data['since']:%-d %b %Y} to {days[-1].day:%-d %b %Y}"
    return told + (f"; {missing} days are missing, so it is somewhat more." if missing > 0 else ".")


@may("plan")
@require_POST
def read_station_act(request: PersonRequest, pk: int) -> HttpResponse:
    site = get_object_or_404(Site, pk=pk)
    try:
        kept = read_station(site, timezone.localdate() - timedelta(days=1))
        say(request, f"{counted(kept, 'day')} read from the simulated station." if kept else "The station had nothing new.")
    except ValueError as error:
        warn(request, str(error))
    except OSError as error:
        warn(request, f"Nothing was read: {error}. What is on record is as it was.")
    return redirect("grounds:weather", pk)


@may("plan")
@require_POST
def bring_in_weather(request: PersonRequest, pk: int) -> HttpResponse:
    """A sheet of days: with any bad cell nothing is kept and each is named."""
    site = get_object_or_404(Site, pk=pk)
    form = WeatherUpload(typed(request), request.FILES)
    today = timezone.localdate()
    problems: tuple[Any, ...] = ()
    if form.is_valid():
        file = form.cleaned_data.get("file")
        try:
            text = decode(file.read()) if file else form.cleaned_data["text"]
        except ValueError as error:
            form.add_error("file", str(error))
        else:
            sheet = read_weather_sheet(text, today)
            problems = sheet.problems
            if not problems:
                kept = keep_days(site, list(sheet.days), WeatherDay.Source.SHEET)
                say(request, f"{counted(kept, 'day')} brought in.")
                return redirect("grounds:weather", pk)
    asked = Warmth(None, initial={"since": date(today.year, 1, 1)})
    context = _context(site, record_of(site), today, asked, form, problems=problems[:60])
    return render(request, "grounds/weather.html", context, status=422)


@may("plan")
@require_POST
def take_frost_act(request: PersonRequest, pk: int) -> HttpResponse:
    """Every page goes by the typed frost dates, or by those of the record."""
    site = get_object_or_404(Site, pk=pk)
    with said_on_top(request):
        by = "typed" if request.POST.get("by") == "typed" else "record"
        go_by_frost(site, by)
        say(
            request, f"{site.name}: every page goes by the frost dates {'typed' if by == 'typed' else 'of the record'} from now on."
        )
    return redirect("grounds:weather", pk)
