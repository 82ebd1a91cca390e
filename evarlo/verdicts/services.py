"""Giving and signing verdicts."""

from __future__ import annotations

from django.db import transaction
from django.utils import timezone

from evarlo.people.models import User
from evarlo.trials.deeds import record
from evarlo.trials.models import Entry, Trial
from evarlo.trials.services import mark_decided, open_names
from evarlo.ui.refused import Refused
from evarlo.verdicts.models import Opinion, SignedBoard
from evarlo.verdicts.queries import Board, board_of, stands_on
from trialcore.inference.season_means import variances_of
from trialcore.inference.verdict import Verdict


@transaction.atomic
def give_verdict(entry: Entry, verdict: str, reason: str, suggested: str, by: User) -> Opinion:
    """Keep a person's verdict on an entry. Raises Refused when it goes against the suggestion without a reason."""
    if verdict not in list(Verdict):
        raise Refused("Choose recommend, retest or drop.", "verdict")
    if entry.any_check:
        raise Refused("A check is what the others are measured by; it gets no verdict.", "verdict")
    if verdict != suggested and not reason.strip():
        raise Refused(f"The figures suggest {suggested}. Say why you decide otherwise.", "reason")
    if len(reason) > 300:
        raise Refused(f"The reason has {len(reason)} characters; at most 300 are kept.", "reason")
    return Opinion.objects.create(entry=entry, verdict=verdict, reason=reason.strip(), by=by, at=timezone.now())


@transaction.atomic
def sign_board(trial: Trial, by: User) -> SignedBoard:
    """Freeze the board as it stands, with every figure and value under it, and open the names.

    The same person signing the same board again signs it once. Raises Refused when no entry has a figure to stand on.
    """
    trial = Trial.objects.select_for_update().get(pk=trial.pk)
    board = board_of(trial, by)
    if not any(f.mean is not None for line in board.lines for f in line.figures):
        raise Refused("No criterion has a figure yet; there is nothing a signature could stand on.")
    content = {"lines": _lines(board), "figures": _figures(board), "stood_on": stands_on(board.comparisons)}
    last = trial.boards.last()
    if last is not None and last.by_id == by.pk and all(getattr(last, name) == part for name, part in content.items()):
        if trial.decided_at is None:  # reopened, and nothing was added
            mark_decided(trial, timezone.now())
        return last
    signed = SignedBoard.objects.create(trial=trial, by=by, at=timezone.now(), **content)
    record(trial, by, "Verdicts signed.", board=signed.pk)
    mark_decided(trial, signed.at)
    open_names(trial, by)
    return signed


def _lines(board: Board) -> list[dict[str, object]]:
    """What each entry stood on; the error variance of its own mean is kept so that later seasons can go on from it."""
    variances = [variances_of(c.worked) for c in board.comparisons]
    return [
        {
            "code": line.entry.code,
            "name": line.entry.cultivar.name,
            "check": line.entry.any_check,
            "verdict": line.verdict,
            "suggested": line.suggestion.verdict.value if line.suggestion else "",
            "reasons": list(line.reasons),
            "besides": [d.said for d in line.besides],
            "own_reason": line.opinion.reason if line.opinion else "",
            "cultivar": line.entry.cultivar_id,
            "means": [f.mean for f in line.figures],
            "variances": [own.get(line.entry.code) for own in variances],
            "chances": [f.chance for f in line.figures],
            "digits": [f.digits for f in line.figures],
        }
        for line in board.lines
    ]


def _figures(board: Board) -> list[dict[str, object]]:
    return [
        {
            "trait": c.trait.name,
            "key": c.trait.key,
            "sign": c.sign,
            "df_of_check": c.versus.df if c.versus else None,
            "unit": c.trait.shown_unit,
            "mse": c.analysis.mse,
            "df": c.analysis.df_error,
            "cv_percent": c.analysis.cv_percent,
            "band": c.band,
            "guard": c.guard,
            "n": c.analysis.n_observed,
            "of": c.analysis.n_plots,
            "left_out": [f"{p.plot.number}: {p.left_out}" for p in c.left_out],
        }
        for c in board.comparisons
    ]
