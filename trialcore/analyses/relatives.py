"""Lines that are related inform each other: the relationship of a pedigree, and predictions that use it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from trialcore.analyses.linear import Floats
from trialcore.analyses.mixed import MixedFit, fit_reml, incidence


@dataclass(frozen=True)
class Born:
    """One member of a pedigree and its two parents; selfed when both are the same, None where a parent is not known. `inbred`
    marks a fixed line without known parents, such as a named cultivar."""

    name: str
    seed_parent: str | None = None
    pollen_parent: str | None = None
    inbred: bool = False


def relationship(pedigree: Sequence[Born]) -> tuple[list[str], Floats]:
    """The numerator relationship matrix (n × n) of a pedigree, by name in an order in which parents come first.

    A_ij = ½(A_i,s + A_i,p) for parents s and p of j, A_jj = 1 + ½A_sp, and 2 for a fixed founder (Henderson 1976; the tabular
    method). Raises ValueError for a name that stands twice, a parent that is not in it, or one that descends from itself.
    """
    born = {b.name: b for b in pedigree}
    if len(born) < len(pedigree):
        raise ValueError("a name stands twice in the pedigree")
    order = _parents_first(born)
    at = {name: i for i, name in enumerate(order)}
    a = np.zeros((len(order), len(order)))
    for j, name in enumerate(order):
        b = born[name]
        parents = [at[p] for p in (b.seed_parent, b.pollen_parent) if p is not None]
        if parents:
            a[j, :j] = a[:j, j] = 0.5 * a[parents, :j].sum(axis=0)
        both = b.seed_parent is not None and b.pollen_parent is not None
        a[j, j] = 2.0 if b.inbred and not parents else 1 + (0.5 * a[at[b.seed_parent], at[b.pollen_parent]] if both else 0.0)  # type: ignore[index]
    return order, a


def _parents_first(born: Mapping[str, Born]) -> list[str]:
    order: list[str] = []
    state: dict[str, int] = {}  # 1 while its parents are looked at, 2 once it stands in the order

    for first in born:
        stack = [first]
        while stack:
            name = stack[-1]
            if name not in born:
                raise ValueError(f"{name} is a parent and not in the pedigree")
            if state.get(name) == 2:
                stack.pop()
                continue
            parents = [p for p in (born[name].seed_parent, born[name].pollen_parent) if p is not None and state.get(p) != 2]
            if parents and state.get(name) == 1:
                raise ValueError(f"{name} descends from itself")
            if parents:
                state[name] = 1
                stack += dict.fromkeys(parents)
                if any(state.get(p) == 1 for p in parents):
                    raise ValueError(f"{name} descends from itself")
                continue
            state[name] = 2
            order.append(name)
            stack.pop()
    return order


@dataclass(frozen=True)
class Predicted:
    """A line as its relatives let it be expected: how far from the mean of all lines, with the standard error of that, in the unit
    of the trait; and how much of the genetic variance about that mean is known (reliability, 0 to 1), with relatives and from its
    own plots alone."""

    entry: str
    effect: float
    se: float
    reliability: float
    alone: float


@dataclass(frozen=True, eq=False)
class WithRelatives:
    """The fit with the pedigree and each line's prediction. `gain` is the mean reliability
    with relatives less that without."""

    fit: MixedFit
    lines: tuple[Predicted, ...]
    genetic_sd: float

    @property
    def gain(self) -> float:
        """How much more of the lines is known through their relatives, on average."""
        return float(np.mean([x.reliability - x.alone for x in self.lines]))


def with_relatives(
    entry: Sequence[str],
    value: Sequence[float | None],
    block: Sequence[str],
    checks: Sequence[str],
    names: Sequence[str],
    related: Floats,
) -> WithRelatives:
    """Fit plots with checks fixed, blocks and lines random, the lines' covariance being `related` (n × n, by `names`) times their
    variance (best linear unbiased prediction; Henderson 1975; Lynch and Walsh 1998, ch. 26).

    Reliabilities with relatives and without are set against each other at the variances of this fit. Raises ValueError
    where a line is not among `names`, fewer than three lines have a value, or the values do not vary.
    """
    rows = [i for i, v in enumerate(value) if v is not None]
    y = np.array([value[i] for i in rows], dtype=float)
    here, blocks = [entry[i] for i in rows], [block[i] for i in rows]
    lines = sorted(set(here) - set(checks))
    if len(lines) < 3:
        raise ValueError("three lines or more need a value")
    place = {n: i for i, n in enumerate(names)}
    if missing := [n for n in lines if n not in place]:
        raise ValueError(f"{missing[0]} is not in the pedigree")
    at = [place[n] for n in lines]
    a = related[np.ix_(at, at)]
    half = np.linalg.cholesky(a + 1e-9 * np.eye(len(a)))
    z = np.array([[n == line for line in lines] for n in here], dtype=float)
    fixed = ["new lines" if n in lines else n for n in here]
    x = incidence(fixed, sorted(set(fixed)))
    terms = {"block": incidence(blocks, sorted(set(blocks)))} if len(set(blocks)) > 1 else {}
    fit = fit_reml(y, x, {**terms, "lines": z @ half})
    variance = fit.variances["lines"]
    centre = np.eye(len(a)) - 1 / len(a)  # lines are told apart from one another, and what all have in common tells nothing
    effect = centre @ half @ fit.effects["lines"]
    error = centre @ half @ fit.effect_covariance["lines"] @ half.T @ centre
    known = _reliability(np.diag(error), variance * np.diag(centre @ a @ centre))
    own = _own_plots(fit, x, z, terms, a, centre)
    told = tuple(
        Predicted(n, float(effect[i]), float(np.sqrt(max(0.0, error[i, i]))), float(known[i]), float(own[i]))
        for i, n in enumerate(lines)
    )
    return WithRelatives(fit, told, float(np.sqrt(variance)))


def _reliability(error: Floats, variance: Floats) -> Floats:
    return np.asarray(np.where(variance > 0, np.clip(1 - error / np.where(variance > 0, variance, 1), 0, 1), 0.0))


def _own_plots(fit: MixedFit, x: Floats, z: Floats, terms: Mapping[str, Floats], a: Floats, centre: Floats) -> Floats:
    """What would be known of each line at the same variances were it related to none: lines that differ among themselves as much
    on average, none more like another than the rest."""
    residual = fit.variances["residual"]
    own = np.full(len(a), fit.variances["lines"] * float(np.trace(centre @ a @ centre)) / max(1, len(a) - 1))
    v = residual * np.eye(len(x)) + (z * own) @ z.T
    for name, term in terms.items():
        v += fit.variances[name] * term @ term.T
    inverse = np.linalg.inv(v)
    projected = inverse - inverse @ x @ np.linalg.solve(x.T @ inverse @ x, x.T @ inverse)
    explained = own[:, None] * (z.T @ projected @ z) * own
    error = centre @ (np.diag(own) - explained) @ centre
    return _reliability(np.diag(error), np.diag(centre @ np.diag(own) @ centre))
