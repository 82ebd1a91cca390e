"""Counts out of a known number, such as germinated of sown or diseased of standing: a model that fits them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from trialcore.analyses.linear import Floats, Labels, levels_of
from trialcore.analyses.mixed import incidence
from trialcore.analyses.printing import figures, page, table
from trialcore.inference import distributions

MOST_STEPS = 100


@dataclass(frozen=True)
class ShareMean:
    """The share of one entry, 0 to 1, with a 95 % interval that stays within 0 and 1; averaged over blocks on the logit
    scale. `logit` and `se_logit` are on that scale."""

    entry: str
    successes: int
    trials: int
    share: float
    lower95: float
    upper95: float
    logit: float
    se_logit: float


@dataclass(frozen=True)
class ShareDifference:
    """An entry against the check: the odds ratio with its 95 % interval, the test, and the chance that the entry's true
    share is the higher one."""

    entry: str
    odds_ratio: float
    lower95: float
    upper95: float
    t: float
    p: float
    chance_higher: float


@dataclass(frozen=True, eq=False)
class Shares:
    """What `analyse_shares` found. `dispersion` is Pearson's χ²/df, held at one when it is below; `method` says in words
    which model was used and why."""

    means: tuple[ShareMean, ...]
    covariance: Floats
    deviance: float
    df: int
    pearson: float
    dispersion: float
    f_entry: float | None
    p_entry: float | None
    method: str
    cannot_say: tuple[str, ...]

    def against(self, check: str) -> tuple[ShareDifference, ...]:
        """Every entry against `check`. Raises KeyError when it has no count."""
        place = {m.entry: i for i, m in enumerate(self.means)}
        base = place[check]
        rows = []
        for name, i in place.items():
            if i == base:
                continue
            d = self.means[i].logit - self.means[base].logit
            v = self.covariance[i, i] + self.covariance[base, base] - 2 * self.covariance[i, base]
            se = float(np.sqrt(v))
            half = distributions.t_quantile(0.975, max(1, self.df)) * se
            rows.append(
                ShareDifference(
                    name,
                    float(np.exp(d)),
                    float(np.exp(d - half)),
                    float(np.exp(d + half)),
                    d / se,
                    float(distributions.t_two_sided(d / se, max(1, self.df))),
                    float(distributions.t_below(d / se, max(1, self.df))),
                )
            )
        return tuple(rows)

    def __str__(self) -> str:
        means = table("Shares", self.means, **{f: f for f in ("entry", "share", "lower95", "upper95")})
        return page(self.method, means, figures(dispersion=self.dispersion, F=self.f_entry, p=self.p_entry), *self.cannot_say)


def analyse_shares(
    entry: Labels, successes: Sequence[int | None], trials: Sequence[int | None], block: Labels | None = None
) -> Shares:
    """Logistic regression of counts on block and entry, with overdispersion (McCullagh and Nelder 1989, sec. 4.5).

    One element a plot; a missing count is None. Standard errors are widened by Pearson's χ²/df where that is above one.
    Where an entry has none or all of its trials (perfect separation) the maximum lies at infinity, so the likelihood is
    penalised after Firth (1993), which keeps every figure finite, and `method` says so.

    Raises ValueError when the lengths differ, a count is negative or larger than its trials, or nothing was counted.
    """
    if not len(entry) == len(successes) == len(trials) or (block is not None and len(block) != len(entry)):
        raise ValueError("entry, counts and block must have one element for each plot")
    seen = [i for i in range(len(entry)) if successes[i] is not None and trials[i]]
    if any(not 0 <= (successes[i] or 0) <= (trials[i] or 0) for i in seen):
        raise ValueError("a count must lie between nought and the number it was counted among")
    if not seen:
        raise ValueError("nothing was counted")
    y = np.array([successes[i] for i in seen], dtype=float)
    n = np.array([trials[i] for i in seen], dtype=float)
    kept = [entry[i] for i in seen]
    names = levels_of(kept)
    x = incidence(kept, names)
    if block is not None:
        blocks = [block[i] for i in seen]
        levels = levels_of(blocks)
        z = incidence(blocks, levels)
        x = np.hstack([x, z[:, 1:] - 1 / len(levels)])  # entry columns are then averages over blocks
    if np.linalg.matrix_rank(x) < x.shape[1]:
        raise ValueError("the blocks fall into sets that share no entry, so shares cannot be set level with each other")
    own = [(y[x[:, i] > 0].sum(), n[x[:, i] > 0].sum()) for i in range(len(names))]
    separated = [e for e, (s, t) in zip(names, own, strict=True) if s in (0, t)]
    fitted = _logistic(y, n, x, firth=bool(separated))
    df = len(y) - x.shape[1]
    pearson = float(((y - n * fitted.share) ** 2 / (n * fitted.share * (1 - fitted.share))).sum())
    dispersion = max(1.0, pearson / df) if df > 0 else 1.0
    covariance = fitted.covariance * dispersion
    k = len(names)
    half = distributions.t_quantile(0.975, df) if df > 0 else 1.959963984540054
    means = []
    for i, name in enumerate(names):
        se = float(np.sqrt(covariance[i, i]))
        low, middle, high = _expit(fitted.beta[i] + np.array([-half * se, 0.0, half * se])).tolist()
        means.append(ShareMean(name, int(own[i][0]), int(own[i][1]), middle, low, high, float(fitted.beta[i]), se))
    f = p = None
    if k > 1 and df > 0:
        smaller = _logistic(y, n, np.hstack([np.ones((len(y), 1)), x[:, k:]]), firth=bool(separated))
        f = max(0.0, smaller.deviance - fitted.deviance) / (k - 1) / dispersion
        p = distributions.f_above(f, k - 1, df)
    return Shares(
        tuple(means),
        covariance[:k, :k],
        fitted.deviance,
        df,
        pearson,
        dispersion,
        f,
        p,
        _method(separated, dispersion),
        _cannot(df),
    )


def _method(separated: list[str], dispersion: float) -> str:
    said = "Logistic regression, since a share is bounded by 0 and 1 and varies least near them"
    if dispersion > 1:
        said += f"; plots vary {dispersion:.1f} times as much as chance alone would have it, and errors are widened for that"
    if separated:
        said += f"; {', '.join(separated[:4])} has none or all, so the likelihood is penalised (Firth) to keep figures finite"
    return said + "."


def _cannot(df: int) -> tuple[str, ...]:
    if df <= 0:
        return ("There is one count for each effect, so overdispersion cannot be judged and errors may be too small.",)
    return ()


def _expit(x: Floats) -> Floats:
    return np.asarray(1 / (1 + np.exp(-np.clip(x, -500, 500))))


@dataclass(frozen=True, eq=False)
class _Fitted:
    beta: Floats
    covariance: Floats
    share: Floats
    deviance: float


def _logistic(y: Floats, n: Floats, x: Floats, firth: bool) -> _Fitted:
    beta = np.zeros(x.shape[1])
    for _ in range(MOST_STEPS):
        share = np.clip(_expit(x @ beta), 1e-12, 1 - 1e-12)
        w = n * share * (1 - share)
        covariance = np.linalg.inv(x.T @ (w[:, None] * x))
        score = y - n * share
        if firth:
            leverage = w * np.einsum("ij,jk,ik->i", x, covariance, x)
            score = score + leverage * (0.5 - share)
        step = covariance @ (x.T @ score)
        step *= min(1.0, 5.0 / max(1e-12, float(np.abs(step).max())))
        beta = beta + step
        if float(np.abs(step).max()) < 1e-10:
            break
    share = np.clip(_expit(x @ beta), 1e-12, 1 - 1e-12)
    w = n * share * (1 - share)
    with np.errstate(divide="ignore", invalid="ignore"):
        deviance = 2 * float(np.nansum(y * np.log(y / (n * share)) + (n - y) * np.log((n - y) / (n * (1 - share)))))
    return _Fitted(beta, np.asarray(np.linalg.inv(x.T @ (w[:, None] * x)), dtype=float), share, deviance)
