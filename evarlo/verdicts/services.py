"""Giving, choosing, taking back and signing verdicts."""

from __future__ import annotations

from django.db import transaction
from django.utils import timezone

from evarlo.people.models import User
from evarlo.trials.deeds import record
from evarlo.trials.laying import running_or_refused
from evarlo.trials.models import Entry, Trial
from evarlo.trials.services import mark_decided, open_names
from evarlo.ui.refused import Refused
from evarlo.verdicts.board import Board, board_of, stands_on
from evarlo.verdicts.models import Opinion, Preference, SignedBoard
from evarlo.verdicts.seasons import as_kept, judging_of
from trialcore.inference.season_means import telling_covariance, variances_of
from trialcore.inference.verdict import VERSION, Verdict

MOST_REASON, MOST_WHOM = 300, 60


@transaction.atomic
def give_verdict(entry: Entry, verdict: str, reason: str, suggested: str, by: User, whom: str = "") -> Opinion:
    """Keep a person's verdict on an entry, for everyone or for `whom`. Raises Refused when it goes against the suggestion without a
    reason, or once the board is signed."""
    running_or_refused(Trial.objects.select_for_update().get(pk=entry.trial_id), "verdict", "deciding otherwise")
    if verdict not in list(Verdict):
        raise Refused("Choose recommend, retest or drop.", "verdict")
    if entry.any_check:
        raise Refused("A check is what the others are measured by; it gets no verdict.", "verdict")
    if verdict != suggested and not reason.strip():
        raise Refused(f"The figures suggest {suggested}. Say why you decide otherwise.", "reason")
    _short_enough(reason, whom)
    return Opinion.objects.create(
        entry=entry, verdict=verdict, reason=reason.strip(), whom=" ".join(whom.split()), by=by, at=timezone.now()
    )


@transaction.atomic
def prefer(entry: Entry, over: Entry, reason: str, by: User, whom: str = "") -> Preference:
    """One of two is chosen. Raises Refused without a reason, for one entry, for a check, or once the board is signed."""
    running_or_refused(Trial.objects.select_for_update().get(pk=entry.trial_id), "over", "choosing")
    if entry.pk == over.pk or entry.trial_id != over.trial_id:
        raise Refused("Expected another entry of this trial.", "over")
    if entry.any_check or over.any_check:
        raise Refused("A check is what the others are measured by; it is not chosen from.", "over")
    if not reason.strip():
        raise Refused("Say in a few words what made the choice.", "reason")
    _short_enough(reason, whom)
    return Preference.objects.create(
        entry=entry, over=over, reason=reason.strip(), whom=" ".join(whom.split()), by=by, at=timezone.now()
    )


def _short_enough(reason: str, whom: str) -> None:
    if len(reason) > MOST_REASON:
        raise Refused(f"The reason has {len(reason)} characters; at most {MOST_REASON} are kept.", "reason")
    if len(whom) > MOST_WHOM:
        raise Refused(f"For whom has {len(whom)} characters; at most {MOST_WHOM} are kept.", "whom")


@transaction.atomic
def undo_last(trial: Trial) -> str:
    """Take back what was decided last on a board that is not signed; says what that was. Raises Refused where there is nothing."""
    running_or_refused(Trial.objects.select_for_update().get(pk=trial.pk), before="taking a verdict back")
    signed = trial.boards.last()
    since = {"at__gt": signed.at} if signed else {}
    opinion = Opinion.objects.in_force().filter(entry__trial=trial, **since).select_related("entry").last()
    chosen = Preference.objects.in_force().filter(entry__trial=trial, **since).select_related("entry", "over").last()
    last = max((x for x in (opinion, chosen) if x), key=lambda x: x.at, default=None)
    if last is None:
        raise Refused(
            "There is no verdict of yours to take back." if signed is None else "Nothing was decided since the signature."
        )
    last.undone_at = timezone.now()
    last.save(update_fields=["undone_at"])
    if isinstance(last, Opinion):
        return f"{last.entry.code}: “{last.verdict}”{f' for {last.whom}' if last.whom else ''} is taken back."
    return f"{last.entry.code} over {last.over.code} is taken back."


@transaction.atomic
def sign_board(trial: Trial, by: User) -> SignedBoard:
    """Freeze the board as it stands, with every figure and value under it, and open the names; where the programme asks for a
    second signature that waits for it.

    The same person signing the same board again signs it once. Raises Refused when no entry has a figure to stand on.
    """
    trial = Trial.objects.select_for_update().get(pk=trial.pk)
    board = board_of(trial, by)
    if not any(f.mean is not None for line in board.lines for f in line.figures):
        raise Refused("No criterion has a figure yet; there is nothing a signature could stand on.")
    content = {
        "rule": as_kept(board.judging, board.rested_on, VERSION),
        "lines": _lines(board),
        "figures": _figures(board),
        "covariances": _covariances(board),
        "preferences": _preferences(board),
        "stood_on": stands_on(board.comparisons),
    }
    last = trial.boards.last()
    if last is not None and last.by_id == by.pk and all(getattr(last, name) == part for name, part in content.items()):
        if trial.decided_at is None and not waits_for_second(trial, last):  # reopened, and nothing was added
            mark_decided(trial, timezone.now())
        return last
    signed = SignedBoard.objects.create(trial=trial, by=by, at=timezone.now(), **content)
    record(trial, by, "Verdicts signed.", board=signed.pk)
    if not waits_for_second(trial, signed):
        mark_decided(trial, signed.at)
        open_names(trial, by)
    return signed


def waits_for_second(trial: Trial, signed: SignedBoard) -> bool:
    """Whether a signed board still waits for the second signature that the programme asks for."""
    return judging_of(trial).second_signature and signed.second_at is None


@transaction.atomic
def sign_second(trial: Trial, by: User) -> SignedBoard:
    """The second signature, under the very board that the first stands under. Raises Refused where none is asked for, for the first
    signer, and where verdicts or data have changed since."""
    trial = Trial.objects.select_for_update().get(pk=trial.pk)
    signed = trial.boards.last()
    if signed is None or not waits_for_second(trial, signed):
        raise Refused("No board waits for a second signature.")
    if signed.by_id == by.pk:
        raise Refused("The first signature is yours. A second person signs too.")
    board = board_of(trial, by)
    if stands_on(board.comparisons) != signed.stood_on or [x["verdict"] for x in signed.lines] != [x.verdict for x in board.lines]:
        raise Refused("Verdicts or values have changed since the first signature. It has to be signed anew first.")
    signed.second_by, signed.second_at = by, timezone.now()
    signed.save(update_fields=["second_by", "second_at"])
    record(trial, by, "Verdicts signed by a second person.", board=signed.pk)
    mark_decided(trial, signed.second_at)
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
            "remembered": line.remembered,
            "besides": [d.said for d in line.besides],
            "own_reason": line.opinion.reason if line.opinion else "",
            "whom": [{"whom": o.whom, "verdict": o.verdict, "reason": o.reason} for o in line.for_some],
            "cultivar": line.entry.cultivar_id,
            "means": [f.mean for f in line.figures],
            "variances": [own.get(line.entry.code) for own in variances],
            "chances": [f.chance for f in line.figures],
            "kept": [f.kept for f in line.figures],
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


def _covariances(board: Board) -> list[dict[str, object] | None]:
    """The covariance of the means of each criterion where later seasons need the whole of it, else nothing."""
    made: list[dict[str, object] | None] = []
    for c in board.comparisons:
        joint = telling_covariance(c.worked)
        made.append({"codes": joint[0], "matrix": joint[1].tolist()} if joint else None)
    return made


def _preferences(board: Board) -> list[dict[str, str]]:
    found = {p.pk: p for line in board.lines for p in line.preferred}
    return [
        {"entry": p.entry.code, "over": p.over.code, "whom": p.whom, "reason": p.reason}
        for p in sorted(found.values(), key=lambda p: p.pk)
    ]
