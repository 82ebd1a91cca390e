"""Intervals of entry means, and of their differences, from the likelihood of each entry's own plots.

Near 0 an estimate plus or minus some standard errors is too narrow on one side and reaches below 0 on the other. Here an interval
holds every value whose likelihood is not too far below the greatest one, so it is as lopsided as the data.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

import numpy as np
import numpy.typing as npt

from trialcore.analyses.linear import Floats, Whole

INNER_STEPS = 80
ANGLES = (9, 7)
FARTHEST = 35.0  # on a logit or a log
CLOSE = 1e-10


class Family(Protocol):
    """A distribution of plots by their linear predictor `eta` (log or logit)."""

    def mean(self, eta: Floats) -> tuple[Floats, Floats, Floats]:
        """What a plot gives on average, on the scale recorded (a share or a count), its slope, and the slope of that."""

    def terms(self, y: Floats, n: Floats, eta: Floats) -> tuple[Floats, Floats, Floats]:
        """Of each plot its log-likelihood, the slope of it, and the slope of that."""


@dataclass(frozen=True, eq=False)
class OwnLikelihood:
    """The likelihood of each entry's mean over its own plots, block effects held at their estimates.

    `y`, `n`, `blocks` and `there` are entries × plots: what was counted, among what, what the block of the plot adds on the link
    scale, and 1 for a plot (0 where an entry has fewer plots than others). `grid` (blocks of the trial) is what each block adds;
    means are averaged over it. `at` (entries) are the estimates on the link scale.
    """

    family: Family
    y: Floats
    n: Floats
    blocks: Floats
    there: Floats
    grid: Floats
    at: Floats
    scale: tuple[float, float] = (-FARTHEST, FARTHEST)  # ends of the link scale

    def mean(self, alpha: Floats) -> tuple[Floats, Floats, Floats]:
        """The average over blocks of the predictions of entries at `alpha` on the link scale, with its first two slopes."""
        mean, slope, bend = self.family.mean(np.clip(alpha[:, None] + self.grid[None, :], *self.scale))
        return mean.mean(axis=1), slope.mean(axis=1), bend.mean(axis=1)

    def terms(self, which: Whole, alpha: Floats) -> tuple[Floats, Floats, Floats]:
        """Log-likelihood of the entries `which`, each at its own `alpha`, with its first two slopes."""
        eta = np.clip(alpha[:, None] + self.blocks[which], *self.scale)
        parts = self.family.terms(self.y[which], self.n[which], eta)
        value, slope, bend = ((part * self.there[which]).sum(axis=1) for part in parts)
        return value, slope, bend

    @cached_property
    def peak(self) -> Floats:
        """Where on the link scale the likelihood of each entry's own plots is greatest: at the end of the scale where none, or
        every unit, was counted."""
        every = np.arange(len(self.at))
        low, high = (np.full(len(self.at), end) for end in self.scale)
        alpha = self.at.copy()
        for _ in range(INNER_STEPS):
            _, slope, bend = self.terms(every, alpha)
            low, high = np.where(slope > 0, alpha, low), np.where(slope > 0, high, alpha)
            following = _within(alpha - slope / np.where(bend < 0, bend, -1.0), low, high, bend < 0)
            moved = float(np.max(np.abs(following - alpha), initial=0.0))
            alpha = following
            if moved < CLOSE:
                break
        return alpha

    @cached_property
    def best(self) -> Floats:
        """The greatest log-likelihood of each entry."""
        return self.terms(np.arange(len(self.at)), self.peak)[0]

    @cached_property
    def means(self) -> Floats:
        """The most likely mean of each entry, on the scale recorded: in complete blocks that of its plots, also 0."""
        mean = self.mean(self.peak)[0]
        return np.asarray(np.where(self.peak <= self.scale[0] + 1e-6, 0.0, mean))

    def variance(self, which: Whole) -> Floats:
        """Of the means of the entries `which`, blocks known: what the curvature of their likelihood says."""
        _, slope, _ = self.mean(self.at[which])
        _, _, bend = self.terms(which, self.at[which])
        return np.asarray(slope**2 / np.maximum(-bend, 1e-12))

    def interval(self, cut: Floats) -> tuple[Floats, Floats]:
        """Lower and upper end of each entry's mean: where twice the log-likelihood has fallen by `cut` (entries)."""
        every, far = np.arange(len(self.at)), np.sqrt(cut)
        low, high = self.mean(self.fallen(every, -far))[0], self.mean(self.fallen(every, far))[0]
        return np.minimum(low, self.means), np.maximum(high, self.means)

    def difference_interval(self, first: Whole, second: Whole, cut: Floats) -> tuple[Floats, Floats]:
        """The same of the means of the entries `first` minus those of `second` (pairs): the greatest and the least difference of
        which both likelihoods together have fallen by `cut`."""
        upper = self._farthest(first, second, np.sqrt(cut))
        return -self._farthest(second, first, np.sqrt(cut)), upper

    def _farthest(self, first: Whole, second: Whole, far: Floats) -> Floats:
        """The greatest mean of `first` less that of `second` where the roots of what both have lost are `far` · cos and sin of an
        angle: by a grid of angles, a finer one around its best, and a parabola through its best three."""
        middle, width = np.full(len(far), np.pi / 4), np.pi / 4
        rows = np.arange(len(far))
        for points in ANGLES:
            angle = np.clip(middle[:, None] + width * np.linspace(-1, 1, points)[None, :], 0.0, np.pi / 2)
            gap = self._gap(first, second, far, angle)
            best = np.clip(np.argmax(gap, axis=1), 1, points - 2)
            middle, width = angle[rows, best], width * 2 / (points - 1)
        before, at, after = (gap[rows, best + k] for k in (-1, 0, 1))
        bend = before - 2 * at + after
        vertex = middle + np.where(bend < 0, (before - after) / np.where(bend < 0, 2 * bend, 1.0), 0.0) * width
        last = self._gap(first, second, far, np.clip(vertex, 0.0, np.pi / 2)[:, None])[:, 0]
        return np.asarray(np.maximum(last, gap.max(axis=1)))

    def _gap(self, first: Whole, second: Whole, far: Floats, angle: Floats) -> Floats:
        """The mean of `first` raised less that of `second` lowered, at every angle (pairs × angles)."""
        points = angle.shape[1]
        up = self.fallen(np.repeat(first, points), (far[:, None] * np.cos(angle)).ravel())
        down = self.fallen(np.repeat(second, points), (-far[:, None] * np.sin(angle)).ravel())
        return np.asarray((self.mean(up)[0] - self.mean(down)[0]).reshape(angle.shape))

    def drop(self, first: Whole, second: Whole) -> Floats:
        """What twice the log-likelihood loses when the means of `first` and `second` (pairs) are made alike, which is when both are
        at the same place on the link scale."""
        low, high = (pick(self.peak[first], self.peak[second]) for pick in (np.minimum, np.maximum))
        alpha = (low + high) / 2
        for _ in range(INNER_STEPS):
            one, other = self.terms(first, alpha), self.terms(second, alpha)
            slope, bend = one[1] + other[1], one[2] + other[2]
            low, high = np.where(slope > 0, alpha, low), np.where(slope > 0, high, alpha)
            following = _within(alpha - slope / np.where(bend < 0, bend, -1.0), low, high, bend < 0)
            moved = float(np.max(np.abs(following - alpha), initial=0.0))
            alpha = following
            if moved < CLOSE:
                break
        lost = 2 * (self.best[first] - self.terms(first, alpha)[0] + self.best[second] - self.terms(second, alpha)[0])
        return np.asarray(np.maximum(0.0, lost))

    def fallen(self, which: Whole, root: Floats) -> Floats:
        """The places on the link scale, of the entries `which`, where twice the log-likelihood has fallen by the square of `root`,
        on the side of its sign; the end of the scale where it never falls so far. Newton's method on the root, in a bracket."""
        at, far = self.peak[which], np.abs(root)
        side = np.sign(root)
        low, high = np.where(side < 0, self.scale[0], at), np.where(side < 0, at, self.scale[1])
        _, _, bend = self.terms(which, at)
        alpha = np.clip(at + root / np.sqrt(np.maximum(-bend, 1e-12)), (low + at) / 2, (high + at) / 2)
        open_ = np.flatnonzero(far > 1e-12)
        for _ in range(INNER_STEPS):
            value, slope, _ = self.terms(which[open_], alpha[open_])
            lost = np.sqrt(np.maximum(2 * (self.best[which[open_]] - value), 0.0))
            over = (lost > far[open_]) == (side[open_] > 0)
            high[open_], low[open_] = np.where(over, alpha[open_], high[open_]), np.where(over, low[open_], alpha[open_])
            steep = side[open_] * slope < 0
            step = lost * (far[open_] - lost) / np.where(steep, -slope, 1.0)
            following = _within(alpha[open_] + step, low[open_], high[open_], steep & (lost > 0))
            moved = np.abs(following - alpha[open_])
            alpha[open_] = following
            open_ = open_[moved > CLOSE]
            if not len(open_):
                break
        return np.where(far > 1e-12, alpha, at)


def _within(following: Floats, low: Floats, high: Floats, sound: npt.NDArray[np.bool_]) -> Floats:
    """Newton's next place where it is sound and lies in the bracket, else the middle of that."""
    return np.where(sound & (following > low) & (following < high), following, (low + high) / 2)
