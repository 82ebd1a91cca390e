"""What a report tells, and the report as a file that stands by itself."""

from __future__ import annotations

import re
from functools import cache
from pathlib import Path
from typing import Any

from django.contrib.staticfiles import finders
from django.template.loader import render_to_string
from django.utils import timezone
from django.utils.html import format_html
from django.utils.safestring import SafeString

from evarlo.compare.queries import said_of
from evarlo.compare.views import chart
from evarlo.compare.words import sentence
from evarlo.trials.models import Trial
from evarlo.trials.queries import without_names
from evarlo.verdicts.board import board_of, counts
from evarlo.verdicts.showing import drawn
from evarlo.verdicts.words import best_bet_in_words, counts_in_words, not_said_in_words

FONTS = re.compile(r"@font-face\s*\{[^}]*\}")  # a file by itself has none beside it


def told_in_report(trial: Trial, user: Any) -> dict[str, Any]:
    """What was asked, what was found and how sure it is, with the names that `user` may read."""
    board = board_of(trial, user)
    parts = [{"c": c, "sentence": sentence(c)} | chart(c) for c in board.comparisons]
    return {
        "trial": trial,
        "said": said_of(trial),
        "question": without_names(trial, trial.question, user),
        "board": board,
        "rows": drawn(board),
        "labels": dict(enumerate(c.trait.with_unit for c in board.criteria)),
        "parts": parts,
        "lead": counts_in_words(counts(board)),
        "best_bet": best_bet_in_words(board),
        "not_said": not_said_in_words(board),
        "today": timezone.localdate(),
        "frozen": {x["code"]: x for x in board.signed.lines} if board.signed else {},
    }


def report_file(trial: Trial, user: Any) -> bytes:
    """The whole report as one file of HTML that needs nothing beside it."""
    told = told_in_report(trial, user) | {"short": False, "style": _style()}
    return render_to_string("verdicts/report_file.html", told).encode()


@cache
def _style() -> SafeString:
    found = finders.find("ui/evarlo.css")
    style = FONTS.sub("", Path(str(found)).read_text()) if found else ""
    return format_html("<style>{}</style>", SafeString(style))
