"""The sentences about care."""

from __future__ import annotations

from collections.abc import Sequence

from evarlo.events.models import Care
from evarlo.trials.models import Plot
from evarlo.ui.templatetags.ui import plain

NAMED = 8  # plots that a line of care names


def kind_in_words(made: Care) -> str:
    """Of what kind an act of care was, and what follows from it."""
    said: list[str] = [made.get_kind_display()]
    if made.pick_days:
        said.append(f"not picked for {made.pick_days} days")
    if made.entry_hours:
        said.append(f"nobody enters for {plain(made.entry_hours)} h")
    if made.every_days:
        said.append(f"every {made.every_days} days")
    return "; ".join(said)


def amount_in_words(made: Care) -> str:
    """How much each plot got; a dash where that was not said."""
    return "–" if made.amount is None else f"{plain(made.amount)} {made.unit}"


def plots_in_words(plots: Sequence[Plot], in_all: int) -> str:
    """Which plots got it."""
    if len(plots) == in_all:
        return "every plot"
    return ", ".join(p.number for p in plots[:NAMED]) + (" …" if len(plots) > NAMED else "")
