"""The sentence under the date."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from evarlo.compare.words import number_word
from evarlo.trials.registry import Due


def day_in_words(due: Sequence[Due], today: date) -> str:
    """How the day stands: what is late, else what is due, else that nothing is."""
    late = [d for d in due if d.by < today]
    now = [d for d in due if d.by == today]
    if late:
        oldest = late[0]
        rest = f"{number_word(len(late))} things are late" if len(late) > 1 else "One thing is late"
        return f"{rest}; longest: {oldest.verb.lower()} {oldest.trial.name}, since {oldest.by:%-d %b}."
    if now:
        return "One thing is due today." if len(now) == 1 else f"{number_word(len(now))} things are due today."
    if due:
        return f"Nothing is due today. Next: {due[0].verb.lower()} {due[0].trial.name} on {due[0].by:%-d %b}."
    return "Nothing is due in the next seven days."
