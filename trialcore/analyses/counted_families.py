"""How counted plots vary by their mean: counted units (binomial), counts (Poisson), clumped counts (negative binomial) and counts
with more zeros than either has (zero-inflated Poisson)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from trialcore.analyses.linear import Floats


@dataclass(frozen=True)
class Binomial:
    """Units out of n, on the logit."""

    def mean(self, eta: Floats) -> tuple[Floats, Floats, Floats]:
        """Share, slope, slope of that."""
        p = 1 / (1 + np.exp(-eta))
        slope = p * (1 - p)
        return p, slope, slope * (1 - 2 * p)

    def terms(self, y: Floats, n: Floats, eta: Floats) -> tuple[Floats, Floats, Floats]:
        """Log-likelihood of each plot, slope, slope of that."""
        p = 1 / (1 + np.exp(-eta))
        return y * eta - n * np.logaddexp(0, eta), y - n * p, -n * p * (1 - p)


class _Log:
    """What families on the log share."""

    def mean(self, eta: Floats) -> tuple[Floats, Floats, Floats]:
        """Count, slope, slope of that."""
        m = np.exp(eta)
        return m, m, m


@dataclass(frozen=True)
class Poisson(_Log):
    """Counts that vary by their mean."""

    def terms(self, y: Floats, n: Floats, eta: Floats) -> tuple[Floats, Floats, Floats]:  # noqa: ARG002
        """Log-likelihood of each plot, slope, slope of that."""
        m = np.exp(eta)
        return y * eta - m, y - m, -m


@dataclass(frozen=True)
class NegativeBinomial(_Log):
    """Counts whose variance is m + m²/`size`."""

    size: float

    def terms(self, y: Floats, n: Floats, eta: Floats) -> tuple[Floats, Floats, Floats]:  # noqa: ARG002
        """Log-likelihood of each plot up to what does not depend on `eta`, slope, slope of that."""
        m = np.exp(eta)
        k = self.size
        return y * eta - (y + k) * np.log(k + m), k * (y - m) / (k + m), -k * m * (k + y) / (k + m) ** 2


@dataclass(frozen=True)
class ZeroInflated(_Log):
    """Poisson counts of which the share `extra` is 0 for another reason; the mean is what a plot gives with these."""

    extra: float

    def mean(self, eta: Floats) -> tuple[Floats, Floats, Floats]:
        """Count, slope, slope of that."""
        m = (1 - self.extra) * np.exp(eta)
        return m, m, m

    def terms(self, y: Floats, n: Floats, eta: Floats) -> tuple[Floats, Floats, Floats]:  # noqa: ARG002
        """Log-likelihood of each plot, slope, slope of that."""
        m = np.exp(eta)
        none = y < 0.25
        empty = (1 - self.extra) * np.exp(-m)
        poisson = empty / (self.extra + empty)  # chance that a plot of 0 is one of the Poisson's own
        value = np.where(none, np.log(self.extra + empty), np.log(1 - self.extra) + y * eta - m)
        slope = np.where(none, -m * poisson, y - m)
        bend = np.where(none, -m * poisson + m * m * poisson * (1 - poisson), -m)
        return value, slope, bend
