"""Variance components by REML where errors are known beforehand, or differ from trial to trial.

y = Xβ + Σ Z_k u_k + e with u_k ~ N(0, σ²_k I) and e ~ N(0, R), R known: the covariance of means that were found in a first stage.
The whole covariance of y is kept, so the work grows with the cube of the number of values.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from trialcore.analyses.linear import Floats

MOST_STEPS = 100
CLOSE = 1e-11
SMALL, FALLS = (
    1e-4,
    0.2,
)  # in variances of the values: below the first a variance may go to nought at once, else to so much of itself
AT_BOUNDARY = 0.12
"""By how much the standard error of a variance estimated at 0 counts: as none, intervals of small programmes are too narrow (91 of
100), as that of any other they hold always (bench.coverage)."""
Groups = npt.NDArray[np.int_]


@dataclass(frozen=True, eq=False)
class PartsFit:
    """`variances` by term; `beta` with its `covariance` (X'V⁻¹X)⁻¹ at them; `loglik` as in `mixed.MixedFit`. `slopes` are the
    changes of that covariance with each variance, then with each part of the known error in multiples of itself; `spread` is the
    covariance of these estimates (average information). `effects` are the predictions of each random term."""

    variances: Mapping[str, float]
    loglik: float
    beta: Floats
    covariance: Floats
    slopes: tuple[Floats, ...]
    spread: Floats
    effects: Mapping[str, Floats]

    def contrasts(self, rows: Floats) -> tuple[Floats, Floats, Floats]:
        """Estimates of `rows` (m × p), their standard errors, and Satterthwaite's degrees of freedom (Fai and Cornelius 1996)."""
        variance = np.einsum("ij,jk,ik->i", rows, self.covariance, rows)
        if not self.slopes:
            return rows @ self.beta, np.sqrt(variance), np.full(len(rows), np.inf)
        slope = np.array([np.einsum("ij,jk,ik->i", rows, s, rows) for s in self.slopes])
        wobble = np.einsum("km,kl,lm->m", slope, self.spread, slope)
        df = np.where(wobble > 0, 2 * variance**2 / np.where(wobble > 0, wobble, 1.0), np.inf)
        return rows @ self.beta, np.sqrt(variance), df


def groups_of(labels: Sequence[str]) -> Groups:
    """The number of each label, in the order of their names."""
    return np.unique(np.asarray(labels), return_inverse=True)[1].astype(np.int_)


def fit_parts(
    y: Floats,
    x: Floats,
    terms: Mapping[str, Groups],
    error: Floats | None = None,
    known_on: Sequence[tuple[slice, float]] = (),
) -> PartsFit:
    """Fit the model: `y` has n values, `x` is n × p of full rank, each of `terms` gives the group of every value (below nought: in
    none), `error` is the known n × n covariance, none of it where a term has a group of its own for every value. `known_on` says
    on how many degrees of freedom each part of the error rests (values, degrees of freedom), which goes into those of contrasts.
    Average-information steps (Gilmour, Thompson and Cullis 1995), halved until the likelihood rises; a variance that would fall
    below nought stays there until the likelihood pulls it up.

    Raises ValueError for lengths that differ, no degree of freedom, or a covariance that cannot be inverted.
    """
    n, p = x.shape
    if len(y) != n or any(len(g) != n for g in terms.values()) or (error is not None and error.shape != (n, n)):
        raise ValueError("y, x, the terms and the error must speak of the same values")
    if n <= p:
        raise ValueError("there are no more values than means to be found")
    scale = float(np.var(y)) or 1.0
    groups = list(terms.values())
    base = np.zeros((n, n)) if error is None else error / scale
    model = _Model(y / np.sqrt(scale), x, groups, base)
    theta = np.full(len(groups), 1.0 / (len(groups) + 1))
    state = model.at(theta)
    for _ in range(MOST_STEPS):
        better = _step(model, state)
        if better is None or better.loglik - state.loglik < CLOSE * max(1.0, abs(better.loglik)):
            state = better or state
            break
        state = better
    spread = np.asarray(np.linalg.pinv(state.information) if len(groups) else np.zeros((0, 0)), dtype=float)
    held = (state.theta <= 0) & (state.score <= 0)
    trusted = np.where(held, AT_BOUNDARY, 1.0)
    spread = spread * np.outer(trusted, trusted)
    slopes = [state.covariance @ (s.T @ s) @ state.covariance for s in (_summed(state.vx, g) for g in groups)]
    own = [(state.vx[here].T @ base[here, here] @ state.vx[here], 2 / df) for here, df in known_on if df > 0]
    slopes += [state.covariance @ part @ state.covariance for part, _ in own]
    spread = np.block(
        [[spread, np.zeros((len(groups), len(own)))], [np.zeros((len(own), len(groups))), np.diag([v / scale**2 for _, v in own])]]
    )
    slopes[len(groups) :] = [scale * s for s in slopes[len(groups) :]]
    effects = {
        name: np.sqrt(scale) * t * _summed(state.py[:, None], g)[:, 0]
        for (name, g), t in zip(terms.items(), state.theta, strict=True)
    }
    shift = -0.5 * (n - p) * float(np.log(2 * np.pi * scale))
    return PartsFit(
        dict(zip(terms, (scale * state.theta).tolist(), strict=True)),
        state.loglik + shift,
        np.sqrt(scale) * state.beta,
        scale * state.covariance,
        tuple(slopes),
        scale**2 * spread,
        effects,
    )


@dataclass(frozen=True, eq=False)
class _State:
    theta: Floats
    loglik: float
    score: Floats
    information: Floats
    beta: Floats
    covariance: Floats
    vx: Floats  # V⁻¹X
    py: Floats


@dataclass(frozen=True, eq=False)
class _Model:
    y: Floats
    x: Floats
    groups: Sequence[Groups]
    error: Floats

    @cached_property
    def together(self) -> list[npt.NDArray[np.bool_]]:
        """Of each term, which two values are in the same group: n × n."""
        return [(g[:, None] == g[None, :]) & (g >= 0)[:, None] for g in self.groups]

    def at(self, theta: Floats) -> _State:
        """Everything at these variances. Raises ValueError where the covariance cannot be inverted."""
        from scipy.linalg import LinAlgError, cho_factor, cho_solve
        from scipy.linalg.lapack import dpotri

        v = self.error.copy()
        for t, same in zip(theta, self.together, strict=True):
            if t > 0:
                v[same] += t
        try:
            root = cho_factor(v, lower=True)
            if np.diag(root[0]).min() < 1e-7 * np.diag(root[0]).max():
                raise LinAlgError
            inverse = dpotri(root[0], lower=1)[0]
            inverse = np.tril(inverse) + np.tril(inverse, -1).T
            vx = inverse @ self.x
            information = self.x.T @ vx
            inner = cho_factor(information, lower=True)
        except LinAlgError:
            raise ValueError("the covariance of the values cannot be inverted") from None
        covariance = cho_solve(inner, np.eye(len(information)))
        beta = covariance @ (vx.T @ self.y)
        py = inverse @ self.y - vx @ beta
        whole = inverse - vx @ covariance @ vx.T  # P
        logs = float(np.log(np.diag(root[0])).sum() + np.log(np.diag(inner[0])).sum())
        loglik = -logs - 0.5 * float(self.y @ py)
        moved, score = [], []
        for g, same in zip(self.groups, self.together, strict=True):
            summed = _summed(py[:, None], g)[:, 0]
            moved.append(np.where(g >= 0, summed[np.maximum(g, 0)], 0.0))  # V_k P y
            score.append(-0.5 * (float(whole[same].sum()) - float(summed @ summed)))
        w = np.array(moved)
        pw = w @ whole
        return _State(theta, loglik, np.array(score), 0.5 * pw @ w.T, beta, covariance, vx, py)


def _summed(values: Floats, g: Groups) -> Floats:
    """Sums of rows by group (groups × columns); rows in no group are left out."""
    total = np.zeros((int(g.max(initial=0)) + 1, values.shape[1]))
    np.add.at(total, g[g >= 0], values[g >= 0])
    return total


def _step(model: _Model, state: _State) -> _State | None:
    """A better state; None when no step is one."""
    held = (state.theta <= 0) & (state.score <= 0)
    free = np.flatnonzero(~held)
    if not len(free):
        return None
    information = state.information[np.ix_(free, free)]
    step = np.zeros(len(state.theta))
    step[free] = np.linalg.lstsq(information, state.score[free], rcond=1e-12)[0]
    share = 1.0
    while share > 1e-6:
        least = np.where(state.theta > SMALL, state.theta * FALLS, 0.0)  # one far step down is the usual way to miss the top
        theta = np.maximum(state.theta + share * step, least)
        try:
            found = model.at(theta)
        except ValueError:
            found = None
        if found is not None and found.loglik > state.loglik - 1e-13:
            return found
        share /= 2
    return None
