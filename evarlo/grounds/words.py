"""The sentences about beds."""

from __future__ import annotations

from evarlo.grounds.history import Lain
from evarlo.ui.templatetags.ui import day
from evarlo.ui.units import figure_shown, measured


def when_in_words(lain: Lain) -> str:
    return f"{day(lain.use.since)} to {day(lain.use.until) if lain.use.until else 'now'}"


def part_in_words(lain: Lain) -> str:
    """Which part of the bed it was, of what family, what it bore, and what was noted."""
    use, kept = lain.use, lain.kept
    said = f"{figure_shown(use.start_m, 'm', 1)}–{measured(use.end_m, 'm', 1)}"
    said += f", {use.family}" if use.family else ""
    said += f", bore {measured(kept.yield_kg, 'kg')}" if kept and kept.yield_kg is not None else ""
    said += ", shares its ground" if lain.together else ""
    return said + (f". {kept.note}" if kept and kept.note else "")
