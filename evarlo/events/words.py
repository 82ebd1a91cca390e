"""The sentences about care, and about what the rule of an event comes to."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from evarlo.events.events import EventLine
from evarlo.events.models import Care
from evarlo.events.plants import Lives
from evarlo.events.rules import KEEP, PULL
from evarlo.trials.models import Plot
from evarlo.ui.templatetags.ui import plain
from evarlo.ui.words import counted

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


@dataclass(frozen=True)
class RuleActs:
    """What following the rule would do now, and which entries would lose most of their plots by it."""

    does: str
    toll: str


def rule_acts_in_words(line: EventLine, names: Mapping[int, str]) -> RuleActs | None:
    """None while the rule says nothing of a plot that is not judged."""
    pulled, kept = line.by_rule(PULL), line.by_rule(KEEP)
    if not pulled and not kept:
        return None
    parts = [f"leave out {', '.join(h.hit.plot.number for h in pulled)}"] if pulled else []
    parts += [f"keep {counted(len(kept), 'plot')}"] if kept else []
    hard = [f"{names[entry]} {n} of {here}" for entry, (n, here) in line.toll.items() if 2 * n > here]
    toll = f"Of the plots it reached these would lose most: {', '.join(hard)}"
    asked = ". Where the plots beside stood it unhurt, that is a weakness of the cultivar and no accident: judge it by hand."
    return RuleActs(f"By the rule: {' and '.join(parts)}.", toll + asked if hard else "")


def lives_in_words(lives: Lives | None) -> str:
    """What became of a plot's plants."""
    if lives is None:
        return "look and mark"
    if not lives.hurt:
        return f"none of {lives.stood} hurt"
    more = [f"{lives.dead} dead"] if lives.dead else []
    more += [f"{lives.back} there again"] if lives.back else []
    return f"{lives.hurt} of {lives.stood} hurt" + (f": {', '.join(more)}" if more else "")
