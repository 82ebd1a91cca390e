"""Scores on a short scale: proportional odds, so that a step from 2 to 3 need not be worth one from 7 to 8."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from trialcore.analyses.linear import Floats, Labels, levels_of
from trialcore.analyses.mixed import incidence
from trialcore.analyses.printing import figures, lined, page
from trialcore.inference import distributions

STEPS = 100
CLOSE = 1e-10


@dataclass(frozen=True, eq=False)
class Ordinal:
    """What `analyse_ordinal` found. `classes` are the scores that occur; `beta` holds the thresholds between them, then the
    blocking terms and the entries without the first level of each, named in `terms`, with their `covariance`. `at_an_end` are
    entries with the lowest or the highest score in every plot: they have no finite place and are left out."""

    classes: tuple[float, ...]
    entries: tuple[str, ...]
    terms: tuple[str, ...]
    beta: Floats
    covariance: Floats
    loglik: float
    loglik_without_entries: float
    n_observed: int
    at_an_end: tuple[str, ...]
    blocks: tuple[Floats, ...]

    @property
    def boundaries(self) -> tuple[str, ...]:
        """What lies on both sides of each threshold."""
        return tuple(f"{a:g}|{b:g}" for a, b in zip(self.classes, self.classes[1:], strict=False))

    @cached_property
    def differ(self) -> tuple[float, int, float]:
        """Whether entries differ, by likelihood ratio: chi-square, df, p."""
        return distributions.likelihood_ratio(self.loglik, self.loglik_without_entries, len(self.entries) - 1)

    @property
    def differ_f(self) -> tuple[float, int, int, float]:
        """The same as F, scaled by the share of values that is left for the error: F, both df, p. In small trials chi-square finds
        differences that are not there, up to three times too often."""
        chisq, df, _ = self.differ
        rest = self.n_observed - len(self.beta)
        f = chisq / df * rest / self.n_observed if df and rest > 0 else 0.0
        return f, df, rest, distributions.f_above(f, df, rest) if f > 0 else 1.0

    @cached_property
    def _rows(self) -> Floats:
        """Each entry's place as a contrast of `beta`, averaged over the levels of every blocking term."""
        cuts = len(self.classes) - 1
        rows = np.zeros((len(self.entries), len(self.beta)))
        at = cuts
        for blocks in self.blocks:
            rows[:, at : at + len(blocks)] = 1 / (len(blocks) + 1)
            at += len(blocks)
        for i in range(1, len(self.entries)):
            rows[i, at + i - 1] = 1.0
        return rows

    @property
    def places(self) -> Floats:
        """Each entry's place on the logit scale; only differences mean something."""
        return np.asarray(self._rows @ self.beta)

    @property
    def place_covariance(self) -> Floats:
        """That of `places`."""
        return np.asarray(self._rows @ self.covariance @ self._rows.T)

    def chances(self) -> Floats:
        """The chance of each class (entries × classes) in every block, averaged over the blocks."""
        cuts = self.beta[: len(self.classes) - 1]
        own = np.concatenate([[0.0], self.beta[len(self.beta) - len(self.entries) + 1 :]])
        shifts, at = np.zeros(1), len(cuts)
        for blocks in self.blocks:
            effects = np.concatenate([[0.0], self.beta[at : at + len(blocks)]])
            shifts = np.add.outer(shifts, effects).ravel()
            at += len(blocks)
        below = 1 / (1 + np.exp(-(cuts[None, None, :] - (own[:, None] + shifts)[:, :, None])))
        edges = np.concatenate([np.zeros((*below.shape[:2], 1)), below, np.ones((*below.shape[:2], 1))], axis=2)
        return np.asarray(np.diff(edges, axis=2).mean(axis=1))

    def mean_scores(self) -> Floats:
        """The score that each entry may expect."""
        return np.asarray(self.chances() @ np.array(self.classes))

    def at_least(self, score: float) -> Floats | None:
        """The chance of `score` or more; None where no score that occurs is as high."""
        high = np.array(self.classes) >= score
        return np.asarray(self.chances()[:, high].sum(axis=1)) if high.any() else None

    def __str__(self) -> str:
        rows = [[e, f"{m:.3g}"] for e, m in zip(self.entries, self.mean_scores(), strict=True)]
        chisq, df, p = self.differ
        return page(lined("Expected scores", ["entry", "score"], rows), figures(chi_square=chisq, df=df, p=p))


def analyse_ordinal(entry: Labels, score: Sequence[float | None], blocking: Mapping[str, Labels] | None = None) -> Ordinal:
    """Fit P(score ≤ j) = logistic(threshold_j − blocking terms − entry) by maximum likelihood (McCullagh 1980), Newton's method
    with halved steps; standard errors from the observed information.

    Labels and scores have one element a plot; a missing score is None. Classes are the scores that occur.

    Raises ValueError when lengths differ, for fewer than two classes or entries, or where the likelihood has no maximum.
    """
    blocking = dict(blocking or {})
    if len(entry) != len(score) or any(len(t) != len(entry) for t in blocking.values()):
        raise ValueError("entry, score and blocking labels must have one element for each plot")
    told = sorted({float(s) for s in score if s is not None})
    if len(told) < 2:
        raise ValueError("expected two different scores at least")
    of: dict[str, set[float]] = {}
    for e, s in zip(entry, score, strict=True):
        if s is not None:
            of.setdefault(e, set()).add(float(s))
    end = tuple(sorted(e for e, had in of.items() if had in ({told[0]}, {told[-1]})))
    kept = [i for i, s in enumerate(score) if s is not None and entry[i] not in end]
    names = levels_of([entry[i] for i in kept])
    classes = sorted({float(score[i] or 0.0) for i in kept})
    if len(names) < 2 or len(classes) < 2:
        raise ValueError("expected two entries at least whose scores vary")
    y = np.array([classes.index(float(score[i] or 0.0)) for i in kept])
    columns, terms, blocks = [], [], []
    for name, labels in blocking.items():
        own = [labels[i] for i in kept]
        levels = levels_of(own)
        effects = incidence(own, levels)[:, 1:]
        columns.append(effects)
        terms += [f"{name}{level}" for level in levels[1:]]
        blocks.append(np.zeros(len(levels) - 1))
    less = np.hstack([np.empty((len(kept), 0)), *columns])
    x = np.hstack([less, incidence([entry[i] for i in kept], names)[:, 1:]])
    beta, information, loglik = _fit(y, x, len(classes))
    _, _, without = _fit(y, less, len(classes))
    terms += [f"entry{e}" for e in names[1:]]
    covariance = np.asarray(np.linalg.inv(information), dtype=float)
    return Ordinal(tuple(classes), tuple(names), tuple(terms), beta, covariance, loglik, without, len(kept), end, tuple(blocks))


def _fit(y: np.ndarray, x: Floats, classes: int) -> tuple[Floats, Floats, float]:
    """Coefficients, the observed information and the log-likelihood."""
    shares = np.cumsum(np.bincount(y, minlength=classes))[:-1] / len(y)
    beta = np.concatenate([np.log(shares / (1 - shares)), np.zeros(x.shape[1])])
    value, score, hessian = _derivatives(beta, y, x, classes)
    for _ in range(STEPS):
        try:
            step = np.linalg.solve(-hessian, score)
        except np.linalg.LinAlgError:
            raise ValueError("the terms are confounded with each other") from None
        size = 1.0
        while size > 1e-8:
            proposed = beta + size * step
            if (np.diff(proposed[: classes - 1]) > 0).all():
                following = _derivatives(proposed, y, x, classes)
                if following[0] >= value - 1e-12 * abs(value):
                    break
            size /= 2
        else:
            break
        beta, (value, score, hessian) = proposed, following
        if size * float(np.abs(step).max()) < CLOSE:
            break
    if float(np.abs(beta).max()) > 30 or float(np.linalg.eigvalsh(-hessian).min()) < 1e-9:
        raise ValueError("the likelihood has no maximum: an entry or a block stands at the end of the scale alone")
    return beta, -hessian, value


def _derivatives(beta: Floats, y: np.ndarray, x: Floats, classes: int) -> tuple[float, Floats, Floats]:
    """The log-likelihood with its gradient and Hessian."""
    cuts, eta = beta[: classes - 1], x @ beta[classes - 1 :]
    n = len(y)
    ends = []
    for end in (y, y - 1):
        inner = (end >= 0) & (end < classes - 1)
        z = np.where(inner, cuts[np.clip(end, 0, classes - 2)] - eta, np.where(end < 0, -np.inf, np.inf))
        f = 1 / (1 + np.exp(-np.clip(z, -700, 700)))
        d = np.where(inner, f * (1 - f), 0.0)
        design = np.zeros((n, len(beta)))
        design[np.flatnonzero(inner), end[inner]] = 1.0
        design[:, classes - 1 :] = -x
        ends.append((f, d, d * (1 - 2 * f), design * inner[:, None]))
    (f1, d1, s1, x1), (f0, d0, s0, x0) = ends
    p = np.maximum(f1 - f0, 1e-300)
    slope = (d1 / p)[:, None] * x1 - (d0 / p)[:, None] * x0
    hessian = (x1 * (s1 / p)[:, None]).T @ x1 - (x0 * (s0 / p)[:, None]).T @ x0 - slope.T @ slope
    return float(np.log(p).sum()), slope.sum(axis=0), hessian
