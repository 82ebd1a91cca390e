"""What a package holds besides its tables: of each trial the values of its plots in one flat table, the plan for a map and as a
drawing, the report, and what is still to be done."""

from __future__ import annotations

import json
import zipfile
from collections.abc import Iterable
from typing import Any

from evarlo.exchange.packages.values import values_of
from evarlo.trials.icalendar import calendar_of
from evarlo.trials.maps import drawing_of, plan_of
from evarlo.trials.models import Trial
from evarlo.verdicts.reporting import report_file


def into(archive: zipfile.ZipFile, trials: Iterable[int], by: Any) -> list[dict[str, Any]]:
    """Put them into the archive, with names where `by` may read them; a resource for each."""
    told = []
    for trial in Trial.objects.filter(pk__in=list(trials)).select_related("crop", "bed__site").order_by("pk"):
        files = [("calendar.ics", calendar_of(trial, trial.get_absolute_url(), by), "text/calendar", "what is to be done")]
        if trial.plots.exists():
            plan = json.dumps(plan_of(trial), ensure_ascii=False)
            files.append(("plan.geojson", plan.encode(), "application/geo+json", "plan, WGS 84"))
            files.append(("plan.svg", drawing_of(trial, by).encode(), "image/svg+xml", "plan, drawn to scale"))
            files.append(("report.html", report_file(trial, by), "text/html", "what was found, and how sure it is"))
        values = values_of(trial)
        if values:
            path = f"trials/{trial.slug}/values.csv"
            archive.writestr(path, values[0])
            title = f"{trial.name}, {trial.season}: the value of each plot"
            told.append({"name": f"{trial.slug}-values", "path": path, "title": title, "mediatype": "text/csv"} | values[1])
        for name, content, kind, what in files:
            path = f"trials/{trial.slug}/{name}"
            archive.writestr(path, content)
            title = f"{trial.name}, {trial.season}: {what}"
            told.append({"name": f"{trial.slug}-{name}", "path": path, "title": title, "mediatype": kind})
    return told
