"""The rule by which plots are kept or left out after an event: written before anybody looks, then read as it is written."""

from __future__ import annotations

from dataclasses import dataclass

from django.db import transaction

from evarlo.events.models import Event
from evarlo.events.plants import lives_of, marks_by_plot
from evarlo.people.models import User
from evarlo.trials.deeds import record
from evarlo.ui.refused import Refused
from evarlo.walks.queries import current

KEEP, PULL, WAIT, NO_RULE = "keep", "pull", "wait", ""


@dataclass(frozen=True)
class Rule:
    """A plot is left out of the comparison when its damage is over `pull_over` percent, unless its recovery comes to
    `unless_over` percent."""

    pull_over: float | None = None
    unless_over: float | None = None


def check_rule(rule: Rule, recover_days: int | None) -> None:
    if rule.unless_over is not None and rule.pull_over is None:
        raise Refused("Say first over how much damage a plot is left out.", "pull_over")
    if rule.unless_over is not None and not recover_days:
        raise Refused("Say after how many days recovery is scored.", "recover_days")


def rule_of(event: Event) -> Rule:
    return Rule(event.pull_over, event.unless_over)


def rule_in_words(rule: Rule) -> str:
    if rule.pull_over is None:
        return "No rule was written."
    unless = f", unless its recovery comes to {rule.unless_over:g} % or more" if rule.unless_over is not None else ""
    return f"A plot is left out of the comparison when its damage is over {rule.pull_over:g} %{unless}."


@transaction.atomic
def keep_rule(event: Event, rule: Rule, by: User) -> None:
    """Write the rule, or another one. Raises Refused once a plot was scored: a rule written then fits what was seen."""
    event = Event.objects.select_for_update().get(pk=event.pk)
    marks = marks_by_plot(event.trial) if event.by_plants else {}
    scored = event.damage and current(event.damage).exists()
    if scored or any(lives_of(event, h, marks.get(h.plot_id, ())) for h in event.hits.all()):
        raise Refused("Damage was scored already. A rule written now would fit what was seen, so it stays as it is.", "pull_over")
    check_rule(rule, event.recover_days)
    event.pull_over, event.unless_over = rule.pull_over, rule.unless_over
    event.save(update_fields=["pull_over", "unless_over"])
    record(event.trial, by, f"{event}: {rule_in_words(rule)}"[:300])


def ruled(rule: Rule, damage: float | None, recovery: float | None) -> str:
    """What the rule says of a plot: keep, pull, wait for a score, or nothing where there is none."""
    if rule.pull_over is None:
        return NO_RULE
    if damage is None:
        return WAIT
    if damage <= rule.pull_over:
        return KEEP
    if rule.unless_over is None:
        return PULL
    if recovery is None:
        return WAIT
    return KEEP if recovery >= rule.unless_over else PULL


def reason_in_words(rule: Rule, damage: float | None, recovery: float | None) -> str:
    """Why the rule says what it says of a plot."""
    if damage is None or rule.pull_over is None:
        return "By the rule"
    over = damage > rule.pull_over
    said = f"By the rule: damage {damage:.3g} %, {'over' if over else 'not over'} {rule.pull_over:g}"
    if over and recovery is not None and rule.unless_over is not None:
        said += f"; recovery {recovery:.3g} %, {'at least' if recovery >= rule.unless_over else 'below'} {rule.unless_over:g}"
    return said
