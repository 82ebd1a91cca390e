"""What keeps people out of a trial's plots, or their harvest off the table, in words. What holds them is asked of the registry."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Sequence
from datetime import datetime

from evarlo.trials.models import Trial
from evarlo.trials.queries import plots_of
from evarlo.trials.registry import registry
from trialcore.reckoning.withholding import Held


def held_plots(trial: Trial, now: datetime) -> dict[int, Held]:
    """The plots (by id) that nobody enters, or nothing is picked from, at `now`."""
    return registry.holds(trial, now) if registry.holds else {}


def entry_words(h: Held) -> str:
    return f"Nobody enters until {h.entry_until:%-d %b, %H:%M} ({h.entry_for})." if h.entry_until else ""


def pick_words(h: Held) -> str:
    return f"Not to be picked before {h.pick_from:%-d %b %Y} ({h.pick_for})." if h.pick_from else ""


def holds_in_words(trial: Trial, now: datetime, parts: Sequence[Callable[[Held], str]] = (entry_words, pick_words)) -> list[str]:
    """What holds now, plots under the same one together: for the top of wherever a walk or a pick is started."""
    numbers = {p.pk: p.number for p in plots_of(trial)}
    groups: dict[str, list[str]] = defaultdict(list)
    for plot, h in held_plots(trial, now).items():
        for words in filter(None, (part(h) for part in parts)):
            groups[words].append(numbers[plot])
    every = len(numbers)
    return [f"{'Every plot' if len(some) == every else plots_in_words(some)}: {words}" for words, some in groups.items()]


def plots_in_words(numbers: Sequence[str]) -> str:
    """“Plots 101, 102 and 4 more”, the first eight by name."""
    some = sorted(numbers, key=lambda n: (len(n), n))
    more = f" and {len(some) - 8} more" if len(some) > 8 else ""
    return f"Plot{'s' if len(some) > 1 else ''} {', '.join(some[:8])}{more}"
