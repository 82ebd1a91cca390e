"""The sentence under the date."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from evarlo.trials.registry import Due
from evarlo.ui.words import number_word

WEIGHT = {"Sow": 0, "Plant": 0, "Pick": 0, "Fix": 1, "Walk": 2, "Judge": 3}  # what the season does not give back comes first


def weight(due: Due) -> tuple[int, date]:
    """What is late in the order in which it matters: what the season does not give back, then what waits longest."""
    return WEIGHT.get(due.verb, len(WEIGHT)), due.by


def day_in_words(due: Sequence[Due], today: date) -> str:
    """How the day stands: what is late, else what is due, else that nothing is."""
    late = [d for d in due if d.by < today]
    now = [d for d in due if d.by == today]
    if late:
        first = min(late, key=weight)
        rest = f"{number_word(len(late))} things are late" if len(late) > 1 else "One thing is late"
        return f"{rest}. What matters most: {_task(first)} in {first.trial.name}, since {first.by:%-d %B}."
    if now:
        return "One thing is due today." if len(now) == 1 else f"{number_word(len(now))} things are due today."
    if due:
        return f"Nothing is due today. Next: {_task(due[0])} in {due[0].trial.name} on {due[0].by:%-d %B}."
    return "Nothing is due in the next seven days."


def _task(due: Due) -> str:
    """What is to be done, as a noun: “sowing”, “walking for vigour”, “earthing up”."""
    what = due.what[:1].lower() + due.what[1:]
    nouns = {"Sow": "sowing", "Plant": "planting", "Pick": "picking", "Walk": f"walking for {what}", "Judge": f"judging {what}"}
    nouns["Fix"] = "fixing the layout"
    return nouns.get(due.verb, what)
