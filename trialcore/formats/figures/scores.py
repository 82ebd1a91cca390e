"""Figures of scores on a short scale, in the shape in which other software's are kept."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from statistics import NormalDist, fmean, median

import numpy as np

from trialcore.analyses.linear import Floats
from trialcore.analyses.ordinal import Ordinal
from trialcore.formats.figures.blocks import Json
from trialcore.formats.figures.ranks import friedman_figures, overall_ranks_figures
from trialcore.formats.figures.wald import INFINITE, sed_average, wald_pairs, wald_versus
from trialcore.inference import distributions

HIGH = 7.0  # of a scale to nine, what growers call good


def scores_figures(
    found: Ordinal | None, entry: Sequence[str], score: Sequence[float | None], block: Sequence[str] | None, check: str | None
) -> Json:
    """Every figure: the ordinal model (`found`, None where it has none), and ranks over all plots and, where every block holds
    every entry once, within blocks. Raises ValueError for a check without a score."""
    seen = [i for i, s in enumerate(score) if s is not None]
    own = {e: [float(score[i] or 0.0) for i in seen if entry[i] == e] for e in sorted({entry[i] for i in seen})}
    if check is not None and check not in own:
        raise ValueError(f"no plot has a score of the entry “{check}”")
    classes = sorted({s for some in own.values() for s in some})
    rank_based = overall_ranks_figures([entry[i] for i in seen], [float(score[i] or 0.0) for i in seen], check)
    if block is not None and len({block[i] for i in seen}) > 1:
        cells = Counter((block[i], entry[i]) for i in seen)
        if set(cells.values()) == {1} and len(cells) == len({b for b, _ in cells}) * len(own):
            rank_based["friedman"] = friedman_figures([(block[i], entry[i], float(score[i] or 0.0)) for i in seen], check)
    return {
        "kind": "scores",
        "check": check,
        "n_plots": len(score),
        "n_observed": len(seen),
        "classes_observed": classes,
        "entries_all_in_an_end_class": list(found.at_an_end) if found else [],
        "raw": [{"entry": e, "plots": len(s), "mean": fmean(s), "median": median(s)} for e, s in own.items()],
        "clm": clm_figures(found, check) if found else None,
        "rank_based": rank_based,
    }


def clm_figures(found: Ordinal, check: str | None) -> Json:
    """The ordinal model by itself."""
    cuts = len(found.classes) - 1
    se = np.sqrt(np.diag(found.covariance))
    places, v = found.places, found.place_covariance
    own = np.sqrt(np.diag(v))
    half = distributions.t_quantile(0.975, INFINITE)
    chances, means, good = found.chances(), found.mean_scores(), found.at_least(HIGH)
    chisq, df, p = found.differ
    f, df1, df2, pf = found.differ_f
    figures: Json = {
        "logLik": found.loglik,
        "thresholds": [
            {"class_boundary": b, "estimate": float(found.beta[i]), "se": float(se[i])} for i, b in enumerate(found.boundaries)
        ],
        "coefficients": [coefficient(t, float(found.beta[cuts + i]), float(se[cuts + i])) for i, t in enumerate(found.terms)],
        "entry_lr": {"chisq": chisq, "df": df, "p": p},
        "entry_lr_as_F": {"F": f, "df_num": df1, "df_den": df2, "p": pf},
        "entry_wald": wald_of(found.beta, found.covariance, len(found.entries)),
        "entry_effects": [
            {
                "entry": e,
                "estimate": float(places[i]),
                "se": float(own[i]),
                "lower95": float(places[i] - half * own[i]),
                "upper95": float(places[i] + half * own[i]),
            }
            for i, e in enumerate(found.entries)
        ],
        "predicted": [
            {
                "entry": e,
                **{f"p_{c:g}": float(chances[i, j]) for j, c in enumerate(found.classes)},
                "mean_score": float(means[i]),
                "p_at_least_7": float(good[i]) if good is not None else None,
            }
            for i, e in enumerate(found.entries)
        ],
        "df": None,
        "sed_average": sed_average(v),
        "pairwise": wald_pairs(found.entries, places, v, INFINITE, "z"),
    }
    if check in found.entries:
        figures["vs_check"] = wald_versus(found.entries, places, v, str(check), INFINITE, "z")
    return figures


def coefficient(term: str, estimate: float, se: float) -> Json:
    """A line of a table of coefficients, with its z and p."""
    z = estimate / se
    return {"term": term, "estimate": estimate, "se": se, "stat": z, "p": 2 * NormalDist().cdf(-abs(z))}


def wald_of(beta: Floats, covariance: Floats, entries: int) -> Json:
    """Whether entries differ, by the estimates of all but the first (the last of `beta`) and their covariance."""
    last = slice(len(beta) - entries + 1, len(beta))
    own, df = beta[last], entries - 1
    chisq = float(own @ np.linalg.solve(covariance[last, last], own)) if df else 0.0
    return {"chisq": chisq, "df": df, "p": distributions.chi_square_above(chisq, df) if df else 1.0}
