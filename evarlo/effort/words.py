"""Sentences of the time book."""

from __future__ import annotations

from collections.abc import Sequence

from django.utils.html import format_html
from django.utils.safestring import SafeString

from evarlo.effort.models import WorkTime
from evarlo.effort.queries import EntryWork
from evarlo.ui.units import measured
from evarlo.ui.words import counted

NO_RANKS = "It is the cultivars that are set against each other here. Who worked how fast is not asked, and nobody is ranked."


def clock(minutes: float) -> str:
    """4 h 20 min"""
    whole = round(minutes)
    hours, rest = divmod(whole, 60)
    return f"{hours} h {rest} min" if hours and rest else f"{hours} h" if hours else f"{rest} min"


def work_in_words(times: Sequence[WorkTime], entries: Sequence[EntryWork]) -> SafeString:
    """How much time is on record, and what an hour of picking brings of the best and of the check."""
    if not times:
        return SafeString("No time is on record yet.")
    total = sum(t.minutes * t.people for t in times)
    plots = len({p.pk for t in times for p in t.plots.all()})
    said = f"{clock(total)} of one person on {counted(plots, 'plot')}."
    hourly = [e for e in entries if e.kg_hour is not None]
    check = next((e for e in hourly if e.is_check), None)
    if not hourly or check is None:
        return SafeString(said)
    best = hourly[0]
    own = f"{measured(round(check.kg_hour or 0.0, 1), 'kg')} of {check.name}"
    if best is check:
        return format_html("{} An hour of picking brings most of the check: {}.", said, own)
    return format_html(
        "{} An hour of picking brings {} of <strong>{}</strong>, {}, the check.",
        said,
        measured(round(best.kg_hour or 0.0, 1), "kg"),
        best.name,
        own,
    )
