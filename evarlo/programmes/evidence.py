"""What each trial of a programme brings: its means as signed, or as they stand where it is not signed yet, and what marks it."""

from __future__ import annotations

from hashlib import sha256
from typing import Any

import numpy as np

from evarlo.catalogue.models import Trait
from evarlo.compare.analysis import Comparison, plot_values
from evarlo.compare.queries import compare_plots, direction_of, said_of
from evarlo.grounds.models import Bed
from evarlo.programmes.models import Programme
from evarlo.trials.models import Trial
from evarlo.trials.queries import plots_of, readings_of
from evarlo.trials.registry import registry
from evarlo.ui.words import counted
from evarlo.verdicts.models import SignedBoard
from evarlo.verdicts.seasons import covariance_kept, names_joined
from trialcore.analyses.programme import TrialMeans
from trialcore.inference.season_means import covariance_of, variances_of


def trials_of(programme: Programme) -> list[tuple[Trial, str]]:
    """Every trial of a programme with why it is left out, the oldest first."""
    some = programme.memberships.select_related("trial__crop", "trial__bed__site")
    return [(m.trial, m.left_out) for m in some]


def newest_boards(trials: list[Trial]) -> dict[int, int]:
    """The newest signed board (by id) of each trial, by its id."""
    return dict(SignedBoard.objects.filter(trial__in=trials).order_by("at", "id").values_list("trial_id", "pk"))


def stamp_of(members: list[tuple[Trial, str]], boards: dict[int, int]) -> str:
    """What an analysis goes by: it is reckoned anew when a trial comes or goes, or is signed."""
    parts = [f"{t.pk}:{boards.get(t.pk, 'open')}:{bool(left)}" for t, left in members]
    joined = [f"{k}={v}" for t, _ in members[:1] for k, v in sorted(names_joined(t.crop_id).items()) if k != v]
    return sha256("|".join(parts + joined).encode()).hexdigest()


def site_of(trial: Trial) -> str:
    """Where a trial stood: its site, with what covers it where it is not open ground; by its own name where that is not known."""
    if trial.bed is None:
        return trial.name
    under = "" if trial.bed.environment == Bed.Environment.OPEN else f", {trial.bed.get_environment_display()}"
    return f"{trial.bed.site.name}{under}"


def read_trial(trial: Trial, trait: Trait) -> dict[str, Any] | None:
    """What a trial brings of a trait, ready to keep; None where it has no mean of it. Values as recorded, entries by the cultivar
    (id) that they are in the evidence of years."""
    joined = names_joined(trial.crop_id)
    board = SignedBoard.objects.filter(trial=trial).defer("stood_on").order_by("at", "id").last()
    own = _signed(board, trait, joined) if board else None
    own = own or _as_it_stands(trial, trait, joined)
    if own is None:
        return None
    weight, why = next((w for weigh in registry.weights if (w := weigh(trial, trait))), (1.0, ""))
    if weight < 1:
        own = own | {"covariance": [[v / weight for v in row] for row in own["covariance"]]}
    if why:
        own = own | {"marks": [why, *own["marks"]]}
    return own | {
        "slug": trial.slug,
        "name": trial.name,
        "season": trial.season,
        "site": site_of(trial),
        "plots": _plots(trial, trait, board, joined),
        "sign": direction_of(trial, trait),
        "marks": [*own["marks"], *said_of(trial)[:3]],
    }


def _plots(trial: Trial, trait: Trait, board: SignedBoard | None, joined: dict[int, int]) -> list[tuple[str, str, float]] | None:
    """The entry, block and value of every plot that counts, as signed where it is; None in designs that one stage does not take."""
    if trial.design not in (Trial.Design.BLOCKS, Trial.Design.NO_BLOCKS):
        return None
    there = plots_of(trial)
    if board is not None:
        kept = SignedBoard.objects.values_list("stood_on", flat=True).get(pk=board.pk).get(trait.key, {})
        value = {p.pk: kept.get(p.number) for p in there}
    else:
        values = plot_values(trait, there, readings_of(trial, trait))
        value = {v.plot.pk: v.value for v in values}
    known = ((p, value[p.pk]) for p in there)
    return [
        (str(joined.get(p.entry.cultivar_id, p.entry.cultivar_id)), p.block or "1", v)
        for p, v in known
        if isinstance(v, int | float)
    ]


def _signed(board: SignedBoard, trait: Trait, joined: dict[int, int]) -> dict[str, Any] | None:
    at = next((i for i, f in enumerate(board.figures) if f.get("key") == trait.key), None)
    if at is None:
        return None
    told = [x for x in board.lines if x.get("variances") and x["means"][at] is not None and x["variances"][at]]
    if not told:
        return None
    codes = [x["code"] for x in told]
    covariance = covariance_kept(board, at, codes) or np.diag([x["variances"][at] for x in told]).tolist()
    lost = board.figures[at]["left_out"]
    return {
        "signed": True,
        "entries": [str(joined.get(x["cultivar"], x["cultivar"])) for x in told],
        "checks": [str(joined.get(x["cultivar"], x["cultivar"])) for x in told if x["check"]],
        "means": [x["means"][at] for x in told],
        "covariance": covariance,
        "df": board.figures[at]["df"],
        "marks": [f"{counted(len(lost), 'plot')} left out"] if lost else [],
    }


def _as_it_stands(trial: Trial, trait: Trait, joined: dict[int, int]) -> dict[str, Any] | None:
    plots = plots_of(trial)
    found = compare_plots(trial, trait, plots, {p.entry_id: p.entry.code for p in plots})
    joint = covariance_of(found.worked)
    if joint is None:
        own = variances_of(found.worked)
        codes = [m.entry for m in found.worked.means if m.lsmean is not None and own.get(m.entry)]
        matrix = np.diag([own[c] for c in codes]) if codes else None
        if matrix is None:
            return _single_plots(found, joined)
    else:
        codes, matrix = joint
    level = {m.entry: m.lsmean for m in found.worked.means}
    entry = {p.entry.code: p.entry for p in plots}
    here = [i for i, c in enumerate(codes) if level[c] is not None]
    name = {c: str(joined.get(entry[c].cultivar_id, entry[c].cultivar_id)) for c in codes}
    marks = _check_marks(found)
    return {
        "signed": False,
        "entries": [name[codes[i]] for i in here],
        "checks": [name[codes[i]] for i in here if entry[codes[i]].any_check],
        "means": [level[codes[i]] for i in here],
        "covariance": np.asarray(matrix)[np.ix_(here, here)].tolist(),
        "df": found.analysis.df_error,
        "marks": marks,
    }


def _single_plots(found: Comparison, joined: dict[int, int]) -> dict[str, Any] | None:
    """Strips of one plot an entry: the seasons are the replicates, so they bring no error of their own."""
    known = [(r, r.mean.raw_mean) for r in found.results if r.mean.raw_mean is not None]
    if len(known) < 2:
        return None
    names = [str(joined.get(r.entry.cultivar_id, r.entry.cultivar_id)) for r, _ in known]
    return {
        "signed": False,
        "entries": names,
        "checks": [n for n, (r, _) in zip(names, known, strict=True) if r.entry.any_check],
        "means": [m for _, m in known],
        "covariance": np.zeros((len(known), len(known))).tolist(),
        "df": 0,
        "marks": ["one plot an entry: observation only"],
    }


def _check_marks(found: Comparison) -> list[str]:
    """That the check failed, or lost plots that the others kept."""
    if found.check is None or found.check_mean is None:
        return ["no mean of the check"]
    lost = found.fewer.get(found.check.pk)
    return [f"the check has {lost} plots left"] if lost else []


def means_of(read: dict[str, Any], sign: int) -> TrialMeans:
    """A trial as the core takes it, turned so that more is better."""
    means = sign * np.array(read["means"], dtype=float)
    covariance = np.array(read["covariance"], dtype=float)
    return TrialMeans(
        read["slug"], read["season"], read["site"], tuple(read["entries"]), means, covariance, float(read.get("df") or 0.0)
    )


def verdicts_now(programme: Programme) -> dict[int, tuple[str, str]]:
    """The last verdict on each cultivar (by id) in the programme's boards, and for whom another one holds."""
    joined = names_joined(programme.crop_id)
    boards = SignedBoard.objects.filter(trial__membership__programme=programme).only("lines", "trial__season", "at")
    found: dict[int, tuple[str, str]] = {}
    for board in boards.order_by("trial__season", "at", "id"):
        for line in board.lines:
            if line.get("cultivar") and not line["check"]:
                some = "; ".join(f"{w['verdict']} for {w['whom']}" for w in line.get("whom", ()))
                found[joined.get(line["cultivar"], line["cultivar"])] = (line["verdict"], some)
    return found
