"""Labels for trays: a code to scan, the tray's name, the entries in it by code, and when they were sown."""

from __future__ import annotations

from collections import defaultdict

from django.http import HttpResponse
from django.shortcuts import redirect
from django.utils import timezone

from evarlo.nursery.book import sowings_of
from evarlo.nursery.models import Sowing, Tray
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.trials.stakes import SHEETS, Label, labels_pdf
from evarlo.trials.views import trial_or_404
from evarlo.ui.notice import warn
from trialcore.reckoning.trays import cells_in_words


def labels_for(sowings: list[Sowing]) -> list[Label]:
    """One label a tray, in the order in which they were put up; no name is told."""
    in_tray: dict[Tray, list[Sowing]] = defaultdict(list)
    rows = Sowing.objects.in_force().filter(tray__in={s.tray_id for s in sowings if s.tray_id})
    for sowing in rows.select_related("tray", "entry__trial", "session").order_by("tray_id", "id"):
        if sowing.tray:
            in_tray[sowing.tray].append(sowing)
    made = []
    for tray, here in in_tray.items():
        cells = sorted((s.cells[0], f"{s.entry.code} {cells_in_words(s.cells, tray.cols)}") for s in here if s.cells)
        trials = dict.fromkeys(s.entry.trial.name for s in here)
        days = dict.fromkeys(f"{s.session.on:%-d %b %Y}" for s in here)
        place = f"{', '.join(trials)} · sown {', '.join(days)} · A1 at the notch"
        made.append(Label(f"TRAY-{tray.name}", tray.name, ", ".join(text for _, text in cells), place))
    return made


@may("see")
def tray_labels(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    labels = labels_for(sowings_of([trial]))
    if not labels:
        warn(request, "No tray of this trial is sown yet, so there is no label to print.")
        return redirect("nursery:sow", slug)
    sheet = next((s for s in SHEETS if s.key == request.GET.get("sheet")), SHEETS[0])
    response = HttpResponse(labels_pdf(labels, sheet), content_type="application/pdf")
    response["Content-Disposition"] = f'inline; filename="{trial.slug}-trays-{timezone.localdate():%Y-%m-%d}.pdf"'
    return response
