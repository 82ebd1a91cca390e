"""The grower's page: opened by a link, no account; one table to fill, kept on the phone while there is no signal."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlencode

from django import forms
from django.contrib.auth.decorators import login_not_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.partners.models import Partner
from evarlo.partners.services import LOST, Typed, keep_typed, partner_of, rounds_of
from evarlo.trials.models import Plot
from evarlo.trials.queries import plots_of
from evarlo.ui.fields import Words
from evarlo.ui.refused import Refused, said_beside
from evarlo.walks.models import Observation, Round
from evarlo.walks.queries import current

NAMED = re.compile(r"v_(\d{1,18})_(\d{1,18})")


class CodeForm(forms.Form):
    code = Words(
        label="The letters of your link", most=40, error_messages={"required": "Nothing was typed. Expected sixteen letters."}
    )


@dataclass(frozen=True)
class Cell:
    """A field of the table: what stands there, what is wrong with what was typed."""

    walk: Round
    plot: Plot
    value: str
    was: str
    wrong: str = ""

    @property
    def name(self) -> str:
        return f"{self.walk.pk}_{self.plot.pk}"


@login_not_required
def by_code(request: HttpRequest) -> HttpResponse:
    """Where the letters of a link are typed from paper."""
    given = request.POST if request.method == "POST" else request.GET if "code" in request.GET else None
    form = CodeForm(given)
    if form.is_bound and form.is_valid():
        with said_beside(form, "code"):
            code = form.cleaned_data["code"].replace(" ", "").replace("-", "")
            return redirect("partner", partner_of(code, timezone.localdate()).code)
    return render(request, "partners/code.html", {"form": form}, status=422 if form.is_bound else 200)


@login_not_required
def own_page(request: HttpRequest, code: str) -> HttpResponse:
    """The table: a plot a row, few traits, what is there already."""
    try:
        partner = partner_of(code, timezone.localdate())
    except Refused:
        return redirect(f"{reverse('partner-code')}?{urlencode({'code': code[:20]})}")  # where it is said beside the field
    return _page(request, partner, {}, {})


@login_not_required
@require_POST
def own_keep(request: HttpRequest, code: str) -> HttpResponse:
    """What was typed. The page sends it in the background and asks for JSON; a browser without script gets its page again."""
    in_background = request.headers.get("Accept") == "application/json"
    typed = {}
    for name, text in list(request.POST.items()):
        if found := NAMED.fullmatch(name):
            was = str(request.POST.get(f"w_{found[1]}_{found[2]}", ""))
            typed[int(found[1]), int(found[2])] = Typed(str(text)[:40].replace("\x00", ""), was[:40])
    try:
        partner = partner_of(code, timezone.localdate())
        kept, wrong = keep_typed(partner, typed, timezone.now())
    except Refused as refusal:
        if in_background:
            return JsonResponse({"said": str(refusal)}, status=422)
        return render(request, "partners/code.html", {"form": CodeForm({"code": code[:20]}), "said": str(refusal)}, status=422)
    if in_background:
        return JsonResponse({"kept": kept, "wrong": {f"{r}_{p}": said for (r, p), said in wrong.items()}})
    return _page(request, partner, typed, wrong, kept)


def _page(
    request: HttpRequest,
    partner: Partner,
    typed: dict[tuple[int, int], Typed],
    wrong: dict[tuple[int, int], str],
    kept: int | None = None,
) -> HttpResponse:
    rounds, plots = rounds_of(partner), plots_of(partner.trial)
    there = {r.pk: {o.plot_id: _text(o) for o in current(r)} for r in rounds}
    rows = []
    for plot in plots:
        cells = []
        for r in rounds:
            now, said = there[r.pk].get(plot.pk, ""), wrong.get((r.pk, plot.pk), "")
            cells.append(Cell(r, plot, typed[r.pk, plot.pk].text if said else now, now, said))
        rows.append((plot, cells))
    context: dict[str, Any] = {
        "partner": partner,
        "garden": partner.trial,
        "rounds": rounds,
        "rows": rows,
        "kept": kept,
        "lost": LOST,
        "wrong": len(wrong),
    }
    return render(request, "partners/own.html", context, status=422 if wrong else 200)


def _text(o: Observation) -> str:
    return f"{o.number:g}" if o.number is not None else LOST if o.cause else ""
