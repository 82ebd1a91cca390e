"""Generalised linear models of counted plots by maximum likelihood, plain or penalised so that every figure stays finite."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np

from trialcore.analyses.linear import Floats

Family = Literal["binomial", "poisson"]
MOST_STEPS = 200
SETTLED = 1e-10


def inverse_link(family: Family, link: float) -> float:
    """A share or a count from its logit or log."""
    return float(1 / (1 + np.exp(-np.clip(link, -500, 500)))) if family == "binomial" else float(np.exp(np.clip(link, -500, 500)))


class Fit:
    """The fitted model, and what its likelihood loses when entries are alike. With `penalised` the likelihood is penalised by half
    the log determinant of the information (Jeffreys' prior), always that of the full model."""

    def __init__(
        self,
        family: Family,
        y: Floats,
        n: Floats,
        x: Floats,
        blocking: tuple[str, ...],
        entries: Sequence[str],
        penalised: bool = False,
    ) -> None:
        self.family, self.y, self.n, self.x, self.penalised = family, y, n, x, penalised
        self.blocking, self.entries = blocking, list(entries)
        self.beta, self.value = self._climb(np.eye(x.shape[1]))
        mean, weight = self._mean(self.beta)
        self.mean, self.weight = mean, weight
        self.covariance = np.asarray(np.linalg.inv(x.T @ (weight[:, None] * x)), dtype=float)
        self.leverage = weight * np.einsum("ij,jk,ik->i", x, self.covariance, x)
        expected = n * mean if family == "binomial" else mean
        self.pearson = float(((y - expected) ** 2 / weight).sum())
        self.deviance = 2 * (self._saturated() - self._likelihood(self.beta))

    def back(self, link: float) -> float:
        """A share or a count from its link."""
        return inverse_link(self.family, link)

    def alike(self, a: int, b: int) -> float:
        """The greatest likelihood with two entries alike."""
        join = np.delete(np.eye(self.x.shape[1]), a, axis=1)
        join[a] = join[b]
        return self._climb(join)[1]

    def alike_all(self) -> float:
        """The greatest likelihood with all entries alike."""
        size, entries = self.x.shape[1], len(self.entries)
        join = np.zeros((size, size - entries + 1))
        join[:entries, 0] = 1
        join[entries:, 1:] = np.eye(size - entries)
        return self._climb(join)[1]

    def _climb(self, join: Floats) -> tuple[Floats, float]:
        """The parameters `join` · γ of greatest likelihood, by Fisher scoring with halved steps."""
        units = self.n.sum() if self.family == "binomial" else None
        start = np.log((self.y.sum() + 0.5) / (units - self.y.sum() + 0.5)) if units is not None else np.log(self.y.mean() + 0.1)
        gamma = np.linalg.lstsq(self.x @ join, np.full(len(self.y), float(start)), rcond=None)[0]
        value = self._value(join @ gamma)
        for _ in range(MOST_STEPS):
            beta = join @ gamma
            score, weight = self._score(beta)
            xj = self.x @ join
            information = xj.T @ (weight[:, None] * xj)
            step = np.linalg.lstsq(information, join.T @ score, rcond=None)[0]
            size = min(1.0, 4.0 / max(1e-12, float(np.abs(step).max())))
            while size > 1e-8:
                following = self._value(join @ (gamma + size * step))
                if following >= value - 1e-12 * max(1.0, abs(value)):
                    break
                size /= 2
            gamma, value = gamma + size * step, following
            if size * float(np.abs(step).max()) < SETTLED:
                break
        return join @ gamma, value

    def _mean(self, beta: Floats) -> tuple[Floats, Floats]:
        """Share or count of each plot, and its weight."""
        eta = np.clip(self.x @ beta, -35, 35)
        if self.family == "binomial":
            mean = 1 / (1 + np.exp(-eta))
            return mean, np.maximum(self.n * mean * (1 - mean), 1e-12)
        mean = np.exp(eta)
        return mean, np.maximum(mean, 1e-12)

    def _likelihood(self, beta: Floats) -> float:
        eta = np.clip(self.x @ beta, -35, 35)
        if self.family == "binomial":
            return float((self.y * eta - self.n * np.logaddexp(0, eta)).sum())
        return float((self.y * eta - np.exp(eta)).sum())

    def _saturated(self) -> float:
        y, n = self.y, self.n
        with np.errstate(divide="ignore", invalid="ignore"):
            if self.family == "binomial":
                return float(np.nansum(y * np.log(y / n)) + np.nansum((n - y) * np.log((n - y) / n)))
            return float(np.nansum(y * np.log(y)) - y.sum())

    def _value(self, beta: Floats) -> float:
        value = self._likelihood(beta)
        if self.penalised:
            _, weight = self._mean(beta)
            value += 0.5 * float(np.linalg.slogdet(self.x.T @ (weight[:, None] * self.x))[1])
        return value

    def _score(self, beta: Floats) -> tuple[Floats, Floats]:
        """The gradient by the full model's parameters, and the weights of plots."""
        mean, weight = self._mean(beta)
        left = self.y - (self.n * mean if self.family == "binomial" else mean)
        if self.penalised:
            inverse = np.linalg.pinv(self.x.T @ (weight[:, None] * self.x))
            leverage = weight * np.einsum("ij,jk,ik->i", self.x, inverse, self.x)
            left = left + leverage * ((0.5 - mean) if self.family == "binomial" else 0.5)
        return self.x.T @ left, weight
