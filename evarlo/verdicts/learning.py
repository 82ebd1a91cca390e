"""What the place has learnt from its signed trials: how unlike entries usually are, how much of that goes by season, and how good
checks are. It is what a trial's own figures start from."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from datetime import datetime
from functools import lru_cache
from typing import NamedTuple

from evarlo.catalogue.models import Trait
from evarlo.trials.models import Trial
from evarlo.ui.unchanged import told
from evarlo.verdicts.models import SignedBoard
from evarlo.verdicts.seasons import judging_of, names_joined, season_of_board
from trialcore.analyses.linear import Floats
from trialcore.inference.priors import ANY_CHECK, LIBRARY, Prior, learn
from trialcore.inference.season_means import SeasonMeans
from trialcore.inference.shrunken import log_likelihoods

MOST_BOARDS = 60  # the newest, of which a place learns
MOST_PROGRAMMES = 24  # the newest of a crop, and as many of other crops


class Programme(NamedTuple):
    """One trait of a crop against one check (a cultivar by id), over all its signed seasons."""

    crop: int
    trait: str
    check: int


def prior_of(trial: Trial, trait: Trait, check: int) -> Prior:
    """What is taken of a trait before its own figures: the library's, moved by other programmes of the place, and that again by
    those of the same crop. A signed board stays on what was known when it was signed."""
    own = Programme(trial.crop_id, trait.key, check)
    return prior_for(own, good_check=judging_of(trial).good_check, until=trial.decided_at)


def prior_for(own: Programme, *, good_check: bool, until: datetime | None = None) -> Prior:
    """The same of a trait of a crop against a check; kept while no board is signed."""
    return told(_prior_for, own, good_check, until)


def _prior_for(own: Programme, good_check: bool, until: datetime | None) -> Prior:
    seasons: dict[Programme, tuple[SeasonMeans, ...]] = told(_seasons_of_place, until)
    others = [(p, _likelihoods(s)) for p, s in seasons.items() if p != own]
    known = [(p, logs) for p, logs in others if logs is not None]
    elsewhere = [logs for p, logs in known if p.crop != own.crop][:MOST_PROGRAMMES]
    here = [logs for p, logs in known if p.crop == own.crop][:MOST_PROGRAMMES]
    found = learn(here, learn(elsewhere, LIBRARY))
    return found if good_check else replace(found, standings=ANY_CHECK.standings)


def newest_signature() -> int:
    """The last board signed in the place (by id, 0 without one): with another one it has learnt more."""
    return SignedBoard.objects.order_by("-pk").values_list("pk", flat=True).first() or 0


@lru_cache(maxsize=1024)
def _likelihoods(seasons: tuple[SeasonMeans, ...]) -> Floats | None:
    """The same seasons always tell the same."""
    return log_likelihoods(seasons)


def _seasons_of_place(until: datetime | None) -> dict[Programme, tuple[SeasonMeans, ...]]:
    """The seasons of every programme among the newest signed boards of all trials, those with the newest season first."""
    signed = SignedBoard.objects.filter(trial__practice=False)
    boards = signed.select_related("trial").defer("stood_on", "covariances").order_by("-at", "-id")
    if until is not None:
        boards = boards.filter(at__lte=until)
    newest: dict[int, SignedBoard] = {}
    for board in boards[: 2 * MOST_BOARDS]:
        if board.trial_id not in newest and len(newest) < MOST_BOARDS:
            newest[board.trial_id] = board
    joined: dict[int, dict[int, int]] = {}
    found: dict[Programme, list[SeasonMeans]] = {}
    for board in newest.values():
        same = joined.setdefault(board.trial.crop_id, names_joined(board.trial.crop_id))
        for programme, season in _seasons_of(board, same):
            found.setdefault(programme, []).append(season)
    return {programme: tuple(seasons) for programme, seasons in found.items()}


def _seasons_of(board: SignedBoard, joined: dict[int, int]) -> Iterable[tuple[Programme, SeasonMeans]]:
    """What one board tells of each of its traits against each of its checks; single variances are enough to learn from."""
    checks = {joined.get(x["cultivar"], x["cultivar"]) for x in board.lines if x["check"] and "cultivar" in x}
    for figure in board.figures:
        for check in checks:
            season = season_of_board(board, figure.get("key", ""), check, figure.get("sign", 1), joined, jointly=False)
            if season is not None:
                yield Programme(board.trial.crop_id, figure["key"], check), season
