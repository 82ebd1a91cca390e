"""Classes of plants against a ratio, and what share of a generation shows what is wanted."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

MOST_TABLES = 3_000_000  # that are gone through one by one for the exact test
SLACK = 1e-9  # relative, within which two tables count as equally probable


@dataclass(frozen=True)
class Segregation:
    """Counts of plants set against a ratio. `p_exact` is None where the tables are too many to be gone through."""

    observed: tuple[int, ...]
    expected: tuple[float, ...]
    chisq: float
    df: int
    p_chisq: float
    g: float
    p_g: float
    yates: float | None
    p_exact: float | None

    @property
    def p(self) -> float:
        """The exact probability where it is known, else that of chi-square."""
        return self.p_chisq if self.p_exact is None else self.p_exact


def against_ratio(observed: Sequence[int], ratio: Sequence[float]) -> Segregation:
    """Test counts against a ratio such as 3:1, 9:7 or 9:3:3:1.

    The exact probability sums those of all tables not more probable than the observed one (Sokal and Rohlf 1995, section 17.1).
    Raises ValueError for fewer than two classes, no plant, negative counts, or shares that are not positive.
    """
    from scipy.stats import chi2

    if len(observed) != len(ratio) or len(ratio) < 2:
        raise ValueError("expected a count for each of two classes or more")
    if min(observed) < 0 or sum(observed) < 1 or min(ratio) <= 0:
        raise ValueError("expected counts of nought and more, one plant at least, and shares above nought")
    o, share = np.array(observed, dtype=float), np.array(ratio, dtype=float) / sum(ratio)
    n = int(o.sum())
    e = n * share
    chisq = float(((o - e) ** 2 / e).sum())
    g = float(2 * (o[o > 0] * np.log(o[o > 0] / e[o > 0])).sum())
    df = len(o) - 1
    yates = float(((np.maximum(0, np.abs(o - e) - 0.5)) ** 2 / e).sum()) if len(o) == 2 else None
    return Segregation(
        tuple(int(x) for x in observed),
        tuple(e.tolist()),
        chisq,
        df,
        float(chi2.sf(chisq, df)),
        g,
        float(chi2.sf(g, df)),
        yates,
        _exact(o.astype(int), share),
    )


def _exact(observed: np.ndarray, share: np.ndarray) -> float | None:
    from scipy.special import comb, gammaln

    n, k = int(observed.sum()), len(observed)
    if comb(n + k - 1, k - 1) > MOST_TABLES:
        return None

    def log_probability(tables: np.ndarray) -> np.ndarray:
        return np.asarray(gammaln(n + 1) - gammaln(tables + 1).sum(axis=-1) + (tables * np.log(share)).sum(axis=-1))

    told = log_probability(_tables(n, k))
    bar = log_probability(observed) + np.log1p(SLACK)
    return min(1.0, float(np.exp(told[told <= bar]).sum()))


def _tables(n: int, k: int) -> np.ndarray:
    """All ways to share out `n` plants among `k` classes (tables × k)."""
    if k == 1:
        return np.array([[n]])
    if k == 2:
        first = np.arange(n + 1)
        return np.column_stack([first, n - first])
    return np.vstack([np.column_stack([np.full(len(rest), i), rest]) for i in range(n + 1) for rest in [_tables(n - i, k - 1)]])


Wanted = Literal["dominant", "recessive", "fixed"]


def share_of(wanted: Wanted, selfings: int = 1) -> float:
    """The share of plants that show a gene as wanted after so many selfings of the F1: the dominant look, the recessive one, or
    fixed for one given allele (as many as the recessive). Raises ValueError for no selfing."""
    if selfings < 1:
        raise ValueError("expected one selfing or more: every F1 plant is alike")
    fixed = (1 - 0.5**selfings) / 2
    return 1 - fixed if wanted == "dominant" else fixed


@dataclass(frozen=True)
class Linked:
    """Two linked genes in the F2: their recombination, and whether the wanted alleles came from one parent."""

    recombination: float  # 0 to 0.5
    from_one_parent: bool


def share_of_pair(first: Wanted, second: Wanted, linked: Linked) -> float:
    """The share of F2 plants that show both of two linked genes as wanted.

    With θ the product of the parents' gametes (1 − r)² in coupling or r² in repulsion, both recessive θ/4, both dominant
    (2 + θ)/4, one of each (1 − θ)/4 (Fisher and Balmukand 1928); fixed for a given allele counts as recessive does, but for one of
    each look, where it is the other allele. Raises ValueError for a recombination outside 0 to ½.
    """
    r = linked.recombination
    if not 0 <= r <= 0.5:
        raise ValueError("expected a recombination from 0 to 0.5")
    gamete = (1 - r) / 2 if linked.from_one_parent else r / 2  # that carries both wanted alleles
    both, one = gamete, 0.5 - gamete
    if first != "dominant" and second != "dominant":
        return both**2
    if first == "dominant" and second == "dominant":
        return 0.5 + both**2  # 1 − ¼ − ¼ + the square of the gamete without either, as frequent as that with both
    return 0.25 - one**2  # fixed at the one (¼), less those of them that lack the other's allele


def share_of_all(genes: Sequence[Wanted], linked: Linked | None = None, selfings: int = 1) -> float:
    """The share of plants that show every one of `genes` as wanted: independent, but for the first two where they are `linked`,
    which is reckoned for the F2 alone. Raises ValueError for no gene, or linked genes in another generation."""
    if not genes or (linked and (len(genes) < 2 or selfings != 1)):
        raise ValueError("expected one gene or more; a linked pair, only in the F2")
    share = share_of_pair(genes[0], genes[1], linked) if linked else 1.0
    for gene in genes[2:] if linked else genes:
        share *= share_of(gene, selfings)
    return share
