"""The plan of a trial for other programs: as GeoJSON for maps, and as a drawing that stands alone."""

from __future__ import annotations

import json
from typing import Any

from django.http import HttpResponse

from evarlo.grounds.models import Bed
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.trials.ground import paper_plan
from evarlo.trials.models import Plot, Trial
from evarlo.trials.queries import entry_names, plots_of
from evarlo.trials.views import trial_or_404
from evarlo.ui.tables import attached
from trialcore.layouts.earth import polygon, ring
from trialcore.layouts.shade import Standing

LOOK = (
    "text{font-family:sans-serif;fill:#16211e}.soil{fill:#e9e4d8}.block-name,.bar-text{font-size:12px;fill:#4c5b57}"
    ".block-name.aside{font-size:9px}.number{font-weight:700}.figure,.code{font-weight:600}.dark text{fill:#fff}"
    ".check-edge{fill:none;stroke:#16211e;stroke-width:2}.edge,.block-edge,.bar{fill:none}.block-edge{stroke:#4c5b57}"
    ".way{fill:none;stroke:#16211e;stroke-width:1.2;stroke-dasharray:2 4;opacity:.55}.way-start{fill:none;stroke:#16211e}"
    ".bar{stroke:#16211e;stroke-width:1.4}"
)


def plan_of(trial: Trial) -> dict[str, Any]:
    """The plots as a GeoJSON collection (RFC 7946, WGS 84). A plot whose bed or site has no known place is a feature without
    geometry; its place in its bed, in metres, is told all the same. Entries by their codes: no name is in it."""
    return {
        "type": "FeatureCollection",
        "name": f"{trial.name}, {trial.season}",
        "features": [_feature(p, p.bed or trial.bed) for p in plots_of(trial)],
    }


def _feature(plot: Plot, bed: Bed | None) -> dict[str, Any]:
    told = {"plot": plot.number, "entry": plot.entry.code, "block": plot.block, "row": plot.row, "column": plot.col}
    if plot.level:
        told["level"] = plot.level
    if bed:
        told |= {"site": bed.site.name, "bed": bed.name}
    told |= {"x_m": plot.x, "y_m": plot.y, "length_m": plot.length, "width_m": plot.width}
    return {"type": "Feature", "id": plot.pk, "geometry": _geometry(plot, bed), "properties": told}


def _geometry(plot: Plot, bed: Bed | None) -> dict[str, Any] | None:
    if bed is None or bed.east_m is None or bed.north_m is None or bed.site.latitude is None or bed.site.longitude is None:
        return None
    standing = Standing(bed.name, bed.east_m, bed.north_m, bed.length_m, bed.width_m, bed.bearing)
    outline = ring(standing, plot.x, plot.y, plot.length, plot.width)
    return {"type": "Polygon", "coordinates": [polygon(bed.site.latitude, bed.site.longitude, outline)]}


def drawing_of(trial: Trial, user: Any) -> str:
    """The plan to scale as an SVG file of its own, with its look in it; names where `user` may read them."""
    made = str(paper_plan(trial, entry_names(trial, user)))
    return made.replace("<svg ", '<svg xmlns="http://www.w3.org/2000/svg" ', 1).replace("<defs>", f"<style>{LOOK}</style><defs>", 1)


@may("see")
def geojson_file(_request: PersonRequest, slug: str) -> HttpResponse:
    """The plan for a map."""
    trial = trial_or_404(slug)
    return attached(f"{trial.slug}.geojson", json.dumps(plan_of(trial), ensure_ascii=False), "application/geo+json")


@may("see")
def drawing_file(request: PersonRequest, slug: str) -> HttpResponse:
    """The plan as a drawing."""
    trial = trial_or_404(slug)
    return attached(f"{trial.slug}.svg", drawing_of(trial, request.user), "image/svg+xml")
