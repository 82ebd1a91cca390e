"""Reasons for a verdict, in words."""

from __future__ import annotations

from collections.abc import Sequence

from django.utils.html import format_html
from django.utils.safestring import SafeString

from evarlo.compare.analysis import Comparison
from evarlo.trials.models import Criterion
from trialcore.inference.verdict import Ground, Reason

SURE_ENOUGH = "95 %"
LIKELY = 0.8  # from which on something is called likely


def reason_in_words(reason: Reason, criteria: Sequence[Criterion]) -> str:
    """One plain sentence with the chance it rests on."""
    trait = reason.criterion.lower() if not reason.criterion[:2].isupper() else reason.criterion
    chance = "" if reason.chance is None else percent(reason.chance)
    matters = next((f"{c.matters:g} {c.trait.shown_unit}".strip() for c in criteria if c.trait.name == reason.criterion), "")
    must = next((c.must_in_words for c in criteria if c.trait.name == reason.criterion), "")
    chance_of = reason.chance or 0.0
    likely = "likely" if chance_of >= LIKELY else "more likely than not" if chance_of > 0.5 else "as likely as not"
    return {
        Ground.NO_FIGURE: f"There is no figure for {trait}, so it cannot be judged.",
        Ground.KNOCKED_OUT: f"Fails what it must have in {trait}, {must}: chance {chance}.",
        Ground.MAY_FAIL: f"Good, but {likely} to fail what it must have in {trait}, {must}: chance {chance}.",
        Ground.BETTER: f"Ahead of the check in {trait}: chance {chance}.",
        Ground.BETTER_BUT_SMALL: f"Ahead in {trait} (chance {chance}), but by less than the {matters} that matters.",
        Ground.WORSE: f"Behind the check in {trait}: chance {chance}.",
        Ground.WORSE_ELSEWHERE: f"Worse in {trait} by more than the {matters} that matters: chance {chance}.",
        Ground.HELD_BACK: f"Good, but {likely} worse in {trait} by more than {matters}: chance {chance}.",
        Ground.NOT_SURE_YET: f"Not sure enough yet in {trait}: chance {chance}, and {SURE_ENOUGH} is asked for.",
        Ground.FRESH_PROMISES_MORE: f"A new entry would promise more in {trait} (chance {chance}).",
        Ground.CONFOUNDED: f"{reason.criterion}: no figure can tell that from the cultivar.",
        Ground.COULD_BE_LUCK: f"The difference in {trait} could be luck: chance of being better {chance}.",
    }[reason.ground]


def percent(chance: float) -> str:
    """A chance in percent, never rounded to certainty."""
    if chance > 0.995:
        return "over 99 %"
    if chance < 0.005:
        return "under 1 %"
    return f"{100 * chance:.0f} %"


def best_bet_in_words(leading: Comparison | None) -> SafeString:
    """Whom to take if one must choose today, apart from any verdict; empty where chances are flat."""
    if leading is None or leading.honest is None:
        return SafeString("")
    promising = [r for r in leading.results if r.kept is not None]
    if not promising or (promising[0].kept or 0.0) <= 0:
        return format_html("If you must choose now: stay with {}. No entry is expected to keep a lead over it.", leading.check_name)
    best = promising[0]
    said = "If you must choose now: <strong>{}</strong>, {} that it beats {} in {}. That is a bet, not a recommendation."
    return format_html(said, best.name, percent(best.chance or 0.0), leading.check_name, leading.trait.name.lower())
