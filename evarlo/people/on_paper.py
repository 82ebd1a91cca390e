"""What runs along the top of every printed page."""

from __future__ import annotations

import re

from django.http import HttpResponse
from django.utils import timezone

from evarlo.people.models import User

KEPT = 600  # seconds for which a browser does not ask again


def running_head_of(what: str, by: User) -> HttpResponse:
    """A style sheet, since only that can say it there: what was printed on the left, when and by whom on the right."""
    told, who = (re.sub(r'[\\"\n\r<>{}]', " ", text) for text in (what, f"printed {timezone.localdate():%-d %b %Y} by {by}"))
    font = "font: 9pt Archivo, sans-serif"
    css = f'@page {{ @top-left {{ content: "{told}"; {font} }} @top-right {{ content: "{who}"; {font} }} }}'
    response = HttpResponse(css, content_type="text/css; charset=utf-8")
    response["Cache-Control"] = f"private, max-age={KEPT}"
    return response
