"""Recommend, retest or drop: a rule on chances, not on the last impression."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
import numpy.typing as npt

from trialcore.analyses.linear import Floats
from trialcore.inference.comparisons import chance_above


class Verdict(StrEnum):
    """What is said of an entry at the end of a season."""

    RECOMMEND = "recommend"
    RETEST = "retest"
    DROP = "drop"


class Dropping(StrEnum):
    """When an entry is dropped on the leading criterion, besides when it is surely worse: the schools."""

    PROMISE = "promise"  # when a new entry in its place would promise more
    ONE_BAD = "one"  # after one season behind the check
    TWO_BAD = "two"  # after two in a row
    CLEAR = "clear"  # never else


BAD_SEASONS = {Dropping.ONE_BAD: 1, Dropping.TWO_BAD: 2}  # in a row behind the check
VERSION = "shrunken, second edition"  # of the rule, as boards keep it


@dataclass(frozen=True)
class Prospect:
    """What is known of an entry over all seasons and entries at once (see `shrunken`): the chance that it truly beats the check by
    more than a margin, what it is expected to keep of its lead, and what it promises after another season beside what a fresh entry
    would. All in the trait's unit, turned so that more is better."""

    chance: Callable[[float], float]
    kept: float
    promise: float
    fresh: float


@dataclass(frozen=True)
class Rule:
    """The bars that chances have to clear. All are probabilities.

    Under the defaults an entry exactly as good as the check is recommended at most 1 time in 40 on the leading
    criterion, and dropped on it at most 1 time in 40: the bars of a two-sided test at 5 %, so that what a comparison calls
    luck is not called a reason here.
    """

    sure_better: float = 0.975
    sure_worse: float = 0.975
    sure_of_more: float = 0.95
    """A must-have is failed, or another criterion worse by more than what matters, for sure: one-sided, since only that side is
    asked about."""
    allowed_better: float = 0.95
    """The bar of a chance that allows for the best of many looking better than it is: wrong in about 1 of 100 recommendations
    against a chance check, in 7 to 10 against a good one."""
    fresh: float = 1.0
    """An entry that promises less than this many times what a fresh one would gives up its place to one. It is dropped ..."""
    may_matter: float = 0.15
    """... unless it is more likely than this to be better than the check by what matters: then it is retested where there is
    room."""
    dropping: Dropping = Dropping.PROMISE
    flat: bool = False
    """Each season by itself, as if nothing were known of the others: the bars of a t test."""
    spoils: float = 0.5
    """A further criterion holds a recommendation back when it is more likely than this to be worse by more than what matters."""


@dataclass(frozen=True)
class Evidence:
    """An entry against the check on one criterion. `better_by` is positive when the entry is better, whatever the
    direction; `se` its standard error and `matters` the smallest difference that matters, all in the trait's unit.
    `better_by` is None when nothing could be measured. `fails` is the chance that the entry fails what it must have on this
    criterion, whatever the check does; None where nothing is asked or known."""

    criterion: str
    better_by: float | None
    se: float | None
    df: float | None
    matters: float
    fails: float | None = None
    prospect: Prospect | None = None
    behind: int = 0  # seasons in a row, this one with them, in which it was measured behind the check

    def chance_better(self, by: float = 0.0) -> float | None:
        """Chance that the entry is truly better than the check by more than `by`; None without a figure."""
        if self.prospect is not None:
            return self.prospect.chance(by)
        if self.better_by is None or not self.se or not self.df:
            return None
        return chance_above(self.better_by, self.se, self.df, by)


class Ground(StrEnum):
    """Why a verdict is suggested."""

    NO_FIGURE = "no figure"
    NO_ERROR = "a figure, but no error to judge it by"
    KNOCKED_OUT = "fails a must-have"
    MAY_FAIL = "may fail a must-have"
    BETTER = "better"
    BETTER_BUT_SMALL = "better, by too little to matter"
    WORSE = "worse"
    WORSE_ELSEWHERE = "worse on another criterion"
    HELD_BACK = "held back by another criterion"
    COULD_BE_LUCK = "could be luck"
    NOT_SURE_YET = "not sure enough yet"
    FRESH_PROMISES_MORE = "a new entry would promise more"
    ROOM_FIRST = "may be better, but a new entry would promise more"
    BEHIND_AGAIN = "behind the check in too many seasons"
    CONFOUNDED = "differs from the check in more than its name"


@dataclass(frozen=True)
class Reason:
    """Why a verdict is suggested: on what ground, by which criterion, and with what chance."""

    ground: Ground
    criterion: str
    chance: float | None


@dataclass(frozen=True)
class Suggestion:
    """A verdict with its reasons, the weightiest first."""

    verdict: Verdict
    reasons: tuple[Reason, ...]


def suggest(evidence: Sequence[Evidence], rule: Rule | None = None) -> Suggestion:
    """Suggest a verdict for one entry from its evidence, the leading criterion first.

    Recommended when it is sure to beat the check on the leading criterion, more likely than not by at least what
    matters, no other criterion is likely to be worse by more than what matters, and no must-have is likely to be failed.
    Dropped when it is sure to fail a must-have, to be worse on the leading criterion, or to be worse by more than what
    matters on any other; on the leading one also by the rule's school of dropping. Retested otherwise, where there is room if a
    fresh entry would promise more. Chances
    are those of the prospects where these are known.

    Raises ValueError when there is no criterion.
    """
    if not evidence:
        raise ValueError("a verdict needs at least one criterion")
    rule = rule or Rule()
    lead, *others = evidence
    out = [
        Reason(Ground.KNOCKED_OUT, e.criterion, e.fails) for e in evidence if e.fails is not None and e.fails >= rule.sure_of_more
    ]
    if out:
        return Suggestion(Verdict.DROP, tuple(out))
    ahead = lead.chance_better()
    worse_elsewhere = [
        Reason(Ground.WORSE_ELSEWHERE, e.criterion, worse) for e in others if (worse := _worse(e)) >= rule.sure_of_more
    ]
    if worse_elsewhere:
        return Suggestion(Verdict.DROP, tuple(worse_elsewhere))
    if ahead is None or lead.better_by is None:
        ground = Ground.NO_FIGURE if lead.better_by is None else Ground.NO_ERROR
        return Suggestion(Verdict.RETEST, (Reason(ground, lead.criterion, None),))
    gone = _gone(lead, ahead, rule)
    if gone:
        return Suggestion(Verdict.DROP, (gone,))
    if ahead < (rule.allowed_better if lead.prospect else rule.sure_better):
        ground = Ground.NOT_SURE_YET if lead.prospect else Ground.COULD_BE_LUCK
        if _promises_less(lead, rule):
            ground = Ground.ROOM_FIRST
        return Suggestion(Verdict.RETEST, (Reason(ground, lead.criterion, ahead),))
    if (lead.prospect.kept if lead.prospect else lead.better_by) < lead.matters:
        return Suggestion(Verdict.RETEST, (Reason(Ground.BETTER_BUT_SMALL, lead.criterion, ahead),))
    held = [Reason(Ground.HELD_BACK, e.criterion, worse) for e in others if (worse := _worse(e)) > rule.spoils]
    held += [Reason(Ground.MAY_FAIL, e.criterion, e.fails) for e in evidence if e.fails is not None and e.fails >= rule.spoils]
    if held:
        return Suggestion(Verdict.RETEST, tuple(held))
    return Suggestion(Verdict.RECOMMEND, (Reason(Ground.BETTER, lead.criterion, ahead),))


def _gone(lead: Evidence, ahead: float, rule: Rule) -> Reason | None:
    """Why an entry is dropped on the leading criterion; None where it is not."""
    if 1 - ahead >= rule.sure_worse:
        return Reason(Ground.WORSE, lead.criterion, 1 - ahead)
    if lead.prospect and _promises_less(lead, rule) and lead.prospect.chance(lead.matters) <= rule.may_matter:
        return Reason(Ground.FRESH_PROMISES_MORE, lead.criterion, ahead)
    if lead.behind >= BAD_SEASONS.get(rule.dropping, lead.behind + 1):
        return Reason(Ground.BEHIND_AGAIN, lead.criterion, ahead)
    return None


def _promises_less(lead: Evidence, rule: Rule) -> bool:
    """Whether a fresh entry would promise more than this one, where the rule goes by that."""
    if rule.dropping != Dropping.PROMISE or lead.prospect is None:
        return False
    return lead.prospect.promise < rule.fresh * lead.prospect.fresh


def leading_verdicts(
    kept: Floats,
    chance: Floats,
    of_more: Floats,
    promise: Floats,
    fresh: float,
    matters: float,
    rule: Rule | None = None,
    behind: npt.NDArray[np.int_] | None = None,
) -> npt.NDArray[np.int_]:
    """As `suggest`, for many entries at once by one criterion: 1 recommend, 0 retest, −1 drop. `of_more` are chances of being
    better by what `matters`, `behind` seasons in a row behind the check, where the rule asks for them."""
    rule = rule or Rule()
    drop = 1 - chance >= rule.sure_worse
    if rule.dropping == Dropping.PROMISE and not rule.flat:
        drop |= (promise < rule.fresh * fresh) & (of_more <= rule.may_matter)
    if behind is not None and rule.dropping in BAD_SEASONS:
        drop |= behind >= BAD_SEASONS[rule.dropping]
    recommend = ~drop & (chance >= (rule.sure_better if rule.flat else rule.allowed_better)) & (kept >= matters)
    return np.where(drop, -1, np.where(recommend, 1, 0))


def held_by(suggestion: Suggestion, confounded: Sequence[str]) -> Suggestion:
    """The suggestion, or retest where the entry shares nothing with the check in some things besides the name: no figure can tell
    then whether the cultivar or those made the difference. What was found stays behind as a further reason."""
    if not confounded or suggestion.verdict == Verdict.RETEST:
        return suggestion
    reasons = tuple(Reason(Ground.CONFOUNDED, thing, None) for thing in confounded)
    return Suggestion(Verdict.RETEST, reasons + suggestion.reasons)


def _worse(evidence: Evidence) -> float:
    """Chance of being worse than the check by more than what matters; nought when nothing is known."""
    not_worse = evidence.chance_better(-evidence.matters)
    return 0.0 if not_worse is None else 1 - not_worse
