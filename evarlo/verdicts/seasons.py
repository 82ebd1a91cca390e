"""What signed boards leave to the seasons after them: means for the fit, verdicts for the eye, and how noisy a crop is."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from evarlo.catalogue.models import Cultivar, Trait
from evarlo.compare.queries import direction_of
from evarlo.trials.models import Trial
from evarlo.trials.registry import Earlier, Judging, Span, registry
from evarlo.ui.unchanged import told
from evarlo.verdicts.models import SignedBoard
from trialcore.inference.season_means import SeasonMeans
from trialcore.inference.verdict import Rule

WEIGHTS = ("g", "kg", "kg/m²")
SHOWN = 6  # trials before this one whose verdicts stand beside it


@dataclass(frozen=True)
class Year:
    """What an earlier trial said of an entry: nothing where it did not stand in it."""

    trial: str
    slug: str
    verdict: str
    check: bool
    whom: tuple[tuple[str, str], ...] = ()  # for whom, and what


def judging_of(trial: Trial) -> Judging:
    """By what a trial is judged: its programme's rule, else the usual one."""
    return registry.judging(trial) if registry.judging else Judging(Rule())


def names_joined(crop: int) -> dict[int, int]:
    """Of each cultivar of a crop (by id) the one that it is in the evidence of years."""
    return {c.pk: c.known_as for c in Cultivar.objects.filter(crop=crop).only("relation", "related_id")}


def joined_for(trial: Trial) -> dict[int, int]:
    """The same of a trial's crop, read once for a trial object."""
    found: dict[int, int] = trial.once("names joined", lambda: told(names_joined, trial.crop_id))
    return found


def before(trial: Trial) -> list[SignedBoard]:
    """The newest signed board of each trial that counts beside this one, the oldest season first: those of earlier seasons, and in
    a programme those of other sites in the same season."""
    judging = judging_of(trial)
    same = SignedBoard.objects.filter(trial__crop=trial.crop_id, trial__practice=trial.practice)  # what is played counts nowhere
    boards = same.exclude(trial=trial).select_related("trial").defer("stood_on")
    if judging.trials is None:
        boards = boards.filter(trial__season__lt=trial.season)
    else:
        boards = boards.filter(trial__in=judging.trials, trial__season__lte=trial.season)
    if trial.decided_at:  # a signed board stays on what it was signed on
        boards = boards.filter(at__lte=trial.decided_at)
    newest = {b.trial_id: b for b in boards.order_by("at", "id")}
    return sorted(newest.values(), key=lambda b: (b.trial.season, b.trial.name, b.pk))


def boards_before(trial: Trial) -> list[SignedBoard]:
    """The same, read once for a trial object."""
    found: list[SignedBoard] = trial.once("boards before", lambda: told(before, trial))
    return found


def earlier(trial: Trial, trait: Trait, check: int) -> list[Earlier]:
    """What these boards say of a trait, where the same cultivar was the check."""
    boards = boards_before(trial)
    if not boards:
        return []
    joined, sign = joined_for(trial), direction_of(trial, trait)
    made = [(f"{b.trial.name} {b.trial.season}", season_of_board(b, trait.key, check, sign, joined)) for b in boards]
    return [Earlier(words, season) for words, season in made if season]


def season_of_board(
    board: SignedBoard, key: str, check: int, sign: int, joined: Mapping[int, int], *, jointly: bool = True
) -> SeasonMeans | None:
    """The season of one trait of a signed board, `jointly` with the covariance of its means where the board keeps it; None
    where it was signed without what that takes, or against another check."""
    at = next((i for i, f in enumerate(board.figures) if f.get("key") == key), None)
    if at is None or not board.figures[at].get("df_of_check"):
        return None
    if board.figures[at]["sign"] != sign:  # what was better then is worse now
        return None
    told = [x for x in board.lines if x.get("variances") and x["means"][at] is not None and x["variances"][at]]
    base = next((x for x in told if x["check"] and joined.get(x["cultivar"], x["cultivar"]) == check), None)
    others = [x for x in told if not x["check"]]
    if base is None or not others:
        return None
    plots = board.figures[at]["n"] / max(1, len(told))
    variances = [x["variances"][at] for x in others]
    return SeasonMeans(
        tuple(str(joined.get(x["cultivar"], x["cultivar"])) for x in others),
        tuple(sign * x["means"][at] for x in others),
        tuple(variances),
        sign * base["means"][at],
        base["variances"][at],
        sorted(variances)[len(variances) // 2] * plots,
        board.figures[at]["df_of_check"],
        covariance_kept(board, at, [x["code"] for x in (*others, base)]) if jointly else None,
    )


def covariance_kept(board: SignedBoard, at: int, codes: list[str]) -> tuple[tuple[float, ...], ...] | None:
    """The covariance of the means of these entries, where the board keeps it."""
    kept = board.covariances[at] if at < len(board.covariances) else None
    if not kept or not set(codes) <= set(kept["codes"]):
        return None
    place = [kept["codes"].index(c) for c in codes]
    return tuple(tuple(kept["matrix"][i][j] for j in place) for i in place)


def years_of(trial: Trial) -> tuple[list[str], dict[int, list[Year]]]:
    """The last trials before this one, in words, and what each said of every cultivar (by the id it is known as)."""
    boards = boards_before(trial)[-SHOWN:]
    joined = joined_for(trial) if boards else {}
    said: dict[int, list[Year]] = {}
    titles = []
    for i, board in enumerate(boards):
        same = board.trial.name == trial.name
        title = board.trial.season if same else f"{board.trial.name} {board.trial.season}"
        titles.append(title)
        for line in board.lines:
            cultivar = joined.get(line["cultivar"], line["cultivar"]) if "cultivar" in line else 0
            years = said.setdefault(cultivar, [Year(t, "", "", check=False) for t in titles[:-1]])
            years += [Year(t, "", "", check=False) for t in titles[len(years) : i]]
            whom = tuple((w["whom"], w["verdict"]) for w in line.get("whom", ()))
            years.append(Year(title, board.trial.slug, line["verdict"], line["check"], whom))
    for years in said.values():
        years += [Year(t, "", "", check=False) for t in titles[len(years) :]]
    return titles, said


def spans(trial: Trial) -> list[Span]:
    """The phase Decide ends with the last signature."""
    signed = trial.boards.last()
    return [Span("decide", signed.at.date() - timedelta(days=7), signed.at.date())] if signed else []


def past_cv() -> dict[int, list[float]]:
    """The CV of the leading criterion in the newest signed board of each trial, by crop id, where that is a weight."""
    newest: dict[int, tuple[int, float]] = {}
    boards = SignedBoard.objects.order_by("at", "id").values_list("trial_id", "trial__crop_id", "figures")
    for trial_id, crop_id, figures in boards:
        leading = figures[0] if figures else {}
        if leading.get("cv_percent") and leading.get("unit") in WEIGHTS:
            newest[trial_id] = (crop_id, float(leading["cv_percent"]))
    found: dict[int, list[float]] = {}
    for crop, cv in newest.values():
        found.setdefault(crop, []).append(cv)
    return found


def as_kept(judging: Judging, rested_on: list[str], version: str) -> dict[str, Any]:
    """The rule as a board keeps it: its version, its bars, and the seasons it rested on."""
    rule = judging.rule
    return {
        "version": version,
        "programme": judging.programme,
        "flat": rule.flat,
        "bar": rule.sure_better if rule.flat else rule.allowed_better,
        "dropping": rule.dropping.value,
        "fresh": rule.fresh,
        "good_check": judging.good_check,
        "rested_on": rested_on,
    }
