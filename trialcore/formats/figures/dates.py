"""Figures of days seen between two walks, in the shape in which other software's are kept."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from math import exp, isinf

import numpy as np

from trialcore.analyses.censored import SHAPES, Censored, Shape, Unbounded, fit_censored, turnbull, unbounded
from trialcore.analyses.linear import Labels, levels_of
from trialcore.field.stages import analyse_stage
from trialcore.formats.figures.blocks import Json
from trialcore.formats.figures.scores import coefficient, wald_of
from trialcore.formats.figures.wald import INFINITE, sed_average, wald_pairs, wald_versus
from trialcore.inference import distributions

Days = Sequence[float | None]


def dates_figures(entry: Labels, looked: Days, reached: Days, block: Labels | None, check: str | None) -> Json:
    """Every figure: three shapes by maximum likelihood, the distribution without a shape by entry, and what pages go by (`chosen`:
    the gaussian with the error's degrees of freedom). Raises ValueError for a check that was not looked at."""
    seen = [i for i in range(len(entry)) if looked[i] is not None or reached[i] is not None]
    if check is not None and check not in {entry[i] for i in seen}:
        raise ValueError(f"no plot of the entry “{check}” was looked at")
    without = unbounded(entry, looked, reached)
    stage = analyse_stage(entry, looked, reached, block)
    return {
        "kind": "dates seen between two walks",
        "check": check,
        "n_plots": len(entry),
        "n_observed": len(seen),
        "n_interval": sum(looked[i] is not None and reached[i] is not None for i in seen),
        "n_not_yet": sum(reached[i] is None for i in seen),
        "n_before_first_walk": sum(looked[i] is None for i in seen),
        "blocking_fixed": ["rep"] if block is not None else [],
        "unbounded_entries": [asdict(u) for u in without],
        "parametric": {shape: _fitted(shape, entry, looked, reached, block, check, without) for shape in SHAPES},
        "turnbull": [_turnbull(e, entry, looked, reached) for e in levels_of([entry[i] for i in seen])],
        "chosen": {
            "method": stage.method,
            "sd": stage.sd,
            "df": stage.df,
            "entry_means": [asdict(m) for m in stage.means],
            "vs_check": [{"entry": e, "check": check, "estimate": d, "se": se, "p": p} for e, d, se, p in stage.against(check)]
            if check and stage.fitted and check in stage.fitted.entries
            else [],
        },
    }


def _fitted(
    shape: Shape, entry: Labels, looked: Days, reached: Days, block: Labels | None, check: str | None, without: Sequence[Unbounded]
) -> Json:
    """One shape; where it cannot be fitted the others still stand, and it says why."""
    try:
        return _shape(fit_censored(entry, looked, reached, shape, block), check, without)
    except ValueError as said:
        return {"cannot_say": str(said)}


def _shape(found: Censored, check: str | None, without: Sequence[Unbounded]) -> Json:
    se = np.sqrt(np.diag(found.covariance))
    places, v = found.places, found.place_covariance
    own, half = np.sqrt(np.diag(v)), distributions.t_quantile(0.975, INFINITE)
    chisq, df, p = found.differ
    figures: Json = {
        "logLik": found.loglik,
        "scale": exp(found.log_scale),
        "log_scale_se": float(se[-1]),
        "coefficients": [coefficient(t, float(found.beta[i]), float(se[i])) for i, t in enumerate(found.terms)],
        "entry_lr": {"chisq": chisq, "df": df, "p": p},
        "entry_wald": wald_of(found.beta, found.covariance[:-1, :-1], len(found.entries)),
        "entry_means": [_mean(found, i, float(places[i]), float(own[i]), half) for i in range(len(places))],
        "df": None,
        "sed_average": sed_average(v),
        "pairwise": wald_pairs(found.entries, places, v, INFINITE, "z"),
    }
    if without:
        chisq, df, p = found.differ_with(len(without))
        figures["entry_lr_all_entries_in_the_limit"] = {"chisq": chisq, "df": df, "p": p}
    if check in found.entries:
        figures["vs_check"] = wald_versus(found.entries, places, v, str(check), INFINITE, "z")
    return figures


def _mean(found: Censored, i: int, place: float, se: float, half: float) -> Json:
    low, high, median = place - half * se, place + half * se, found.median(place)
    made: Json = {"entry": found.entries[i], "estimate": place, "se": se, "lower95": low, "upper95": high, "median": median}
    if found.shape != "weibull":
        return made | {"median_lower95": found.median(low), "median_upper95": found.median(high)}
    wide = float(found.log_median_se[i])
    ends = {"median_lower95": median * exp(-half * wide), "median_upper95": median * exp(half * wide)}
    return made | ends | {"log_median_se": wide}


def _turnbull(name: str, entry: Labels, looked: Days, reached: Days) -> Json:
    at = [i for i, e in enumerate(entry) if e == name]
    masses, loglik = turnbull([looked[i] for i in at], [reached[i] for i in at])
    rows = [{"from": None if isinf(m.start) else m.start, "to": m.end, "mass": m.mass, "cdf": m.cdf} for m in masses]
    first = next((r for r in rows if (r["cdf"] or 0.0) >= 0.5 - 1e-9), rows[-1])
    beyond = next(
        (r for r in rows if (r["cdf"] or 0.0) > 0.5 + 1e-9), rows[-1]
    )  # where just half lies before it, the median spans both
    return {"entry": name, "intervals": rows, "logLik": loglik, "median_from": first["from"], "median_to": beyond["to"]}


def dates_text(figures: Json) -> str:
    """What a person reads first."""
    chosen = figures["chosen"]
    lines = [f"days to a stage, {figures['n_observed']} plots, {figures['n_not_yet']} not yet at their last walk"]
    lines += [
        f"  {m['entry']:<14} {m['days']:6.1f} days  95 % {m['lower95']:.1f} to {m['upper95']:.1f}, {m['seen']} of {m['n']} plots"
        for m in sorted((m for m in chosen["entry_means"] if m["days"] is not None), key=lambda m: m["days"])
    ]
    lines += [f"  {u['entry']}: every plot {u['every_plot']}, so no day" for u in figures["unbounded_entries"]]
    lines += [
        f"{d['entry']} against {d['check']}: {d['estimate']:+.1f} ± {d['se']:.1f} days (p {d['p']:.3g})" for d in chosen["vs_check"]
    ]
    return "\n".join([*lines, chosen["method"]])
