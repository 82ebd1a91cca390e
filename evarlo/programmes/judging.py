"""By what the trials of a programme are judged."""

from __future__ import annotations

from evarlo.programmes.models import Membership, Programme
from evarlo.trials.models import Trial
from evarlo.trials.registry import Judging
from evarlo.ui.unchanged import told
from trialcore.inference.verdict import Dropping, Rule

FLAT = {0.90: 0.95, 0.95: 0.975, 0.97: 0.985}  # the one-sided bar of each season by itself: half of what is left on either side


def judging_of(trial: Trial) -> Judging:
    """The rule of the trial's programme and the trials whose seasons count in it; the usual rule where it is in none."""
    found: Judging = trial.once("judging", lambda: told(_read, trial))
    return found


def _read(trial: Trial) -> Judging:
    member = Membership.objects.filter(trial=trial).select_related("programme").first()
    if member is None:
        return Judging(Rule())
    programme = member.programme
    others = list(programme.memberships.select_related("trial"))
    return Judging(
        rule_of(programme),
        programme.good_check,
        programme.second_signature,
        programme.name,
        programme.get_absolute_url(),
        frozenset(m.trial_id for m in others if not m.left_out),
        tuple(f"{m.trial.name} {m.trial.season} ({m.left_out})" for m in others if m.left_out),
    )


def rule_of(programme: Programme) -> Rule:
    """The rule that a programme's settings make."""
    return Rule(
        sure_better=FLAT.get(programme.bar, programme.bar),
        allowed_better=programme.bar,
        fresh=programme.fresh,
        dropping=Dropping(programme.dropping),
        flat=programme.flat,
    )
