"""All criteria together: weighed by what matters, must-haves as gates, and how sure the order is."""

from __future__ import annotations

import base64
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from evarlo.compare.analysis import EntryResult
from evarlo.compare.honest import prior_of
from evarlo.compare.queries import compare_plots, guard_of
from evarlo.trials.models import Criterion, Trial
from evarlo.trials.queries import criteria_of, entry_names, plots_of
from trialcore.analyses.evidence import evidence_of
from trialcore.inference.joint import Standing, TraitEvidence, Turn, draws_of, passes, residual_correlation, stand, turns

MOST_FIGURES = 120_000  # draws × criteria × entries that are sent to a browser
MOST_DRAWS = 2000
HUNDREDTHS = 100  # of what matters: whole numbers of these, so that a browser comes to the same to the last draw
FARTHEST = 32_000


@dataclass(frozen=True, eq=False)
class Together:
    """Entries that have a figure in every criterion, best first by the weights; `apart` (criteria × entries) is how many
    differences that matter each lies above the check; `lacking` names who has no figure in something, `left_out` criteria without
    any, `unsure` those whose figures have no error to draw by."""

    criteria: tuple[Criterion, ...]
    weights: tuple[float, ...]
    results: tuple[EntryResult, ...]
    apart: np.ndarray
    index: np.ndarray
    standing: Standing
    meets: np.ndarray
    gated: bool
    turns: tuple[Turn, ...]
    draws: np.ndarray
    fit: np.ndarray
    check: int | None
    lacking: tuple[str, ...]
    left_out: tuple[Criterion, ...]
    unsure: tuple[Criterion, ...]

    @property
    def order(self) -> list[int]:
        """The places of entries, the best first."""
        return [int(i) for i in np.argsort(-self.index, kind="stable")]

    def for_the_browser(self) -> dict[str, Any]:
        """What a browser needs to weigh anew: draws in hundredths of what matters, and who meets every must-have."""
        whole = self.draws.astype("<i2")
        return {
            "keys": [c.trait.key for c in self.criteria],
            "traits": [c.trait.name for c in self.criteria],
            "names": [r.name for r in self.results],
            "check": self.check,
            "apart": self.apart.round(4).tolist(),
            "count": len(self.draws),
            "draws": base64.b64encode(whole.tobytes()).decode(),
            "fit": base64.b64encode(self.fit.astype("u1").tobytes()).decode() if self.gated else "",
        }


def together(trial: Trial, user: Any, wanted: Mapping[str, float] | None = None) -> Together | None:
    """Weigh the criteria of a trial, `wanted` weights by trait key instead of the planned ones; None where no criterion has figures
    for two entries and the check."""
    plots, names = plots_of(trial), entry_names(trial, user)
    criteria = criteria_of(trial)
    compared = {c.pk: compare_plots(trial, c.trait, plots, names, guard_of(trial)) for c in criteria}
    told = [c for c in criteria if compared[c.pk].analysis.n_observed and compared[c.pk].check_mean is not None and c.matters > 0]
    if not told:
        return None
    first = compared[told[0].pk]
    rows = [r for r in first.results if r.entry.is_check or not r.entry.any_check]
    has = {c.pk: {r.entry.pk for r in compared[c.pk].results if r.mean.lsmean is not None} for c in told}
    kept = [r for r in rows if all(r.entry.pk in has[c.pk] for c in told)]
    codes = [r.entry.code for r in kept]
    evidence = [_evidence(c, compared[c.pk].worked, codes) for c in told]
    known = [(c, e) for c, e in zip(told, evidence, strict=True) if e is not None]
    if len(kept) < 2 or not known or not any(r.entry.is_check for r in kept):
        return None
    check = next(i for i, r in enumerate(kept) if r.entry.is_check)
    traits, used = [e for _, e in known], [c for c, _ in known]
    weights = tuple((wanted or {}).get(c.trait.key, c.weight) for c in used)
    count = max(50, min(MOST_DRAWS, MOST_FIGURES // (len(kept) * len(used))))
    luck = _correlation([compared[c.pk].analysis.residuals for c in used])
    prior = prior_of(first)  # as on Compare
    true = draws_of(traits, luck, trial.pk, count, check, prior)
    fit = np.all([passes(t, true[:, i, :]) for i, t in enumerate(traits)], axis=0)
    unit = np.array([t.direction / t.matters for t in traits])
    draws = np.clip(HUNDREDTHS * unit[None, :, None] * (true - true[:, :, [check]]), -FARTHEST, FARTHEST).round()
    shown = np.array([t.shown for t in traits])
    apart = unit[:, None] * (shown - shown[:, [check]])
    return Together(
        tuple(used),
        weights,
        tuple(kept),
        apart,
        np.asarray(weights) @ apart,
        stand(draws, weights, fit, check),
        fit.mean(axis=0),
        any(c.must is not None for c in used),
        turns([r.name for r in kept], apart, weights, [c.trait.key for c in used]),
        draws,
        fit,
        check,
        tuple(r.name for r in rows if r not in kept),
        tuple(c for c in criteria if c not in told),
        tuple(c for c in told if c not in used),
    )


def _evidence(c: Criterion, worked: Any, codes: Sequence[str]) -> TraitEvidence | None:
    least, most = (c.must, None) if c.sign > 0 else (None, c.must)
    return evidence_of(worked, codes, c.trait.name, c.sign, c.matters, c.weight, least, most)


def _correlation(residuals: Sequence[np.ndarray]) -> np.ndarray | None:
    """That of what is left in the same plots, so that criteria share their luck; none where they are not of the same plots."""
    if len(residuals) < 2 or len({len(r) for r in residuals}) > 1 or not len(residuals[0]):
        return None
    return residual_correlation(np.column_stack(residuals))
