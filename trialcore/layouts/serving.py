"""In which order judges taste, under which codes: balanced for position and for what was tasted just before."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

LOWEST, HIGHEST = 101, 999  # of a code: three digits, none of which looks like a count


def williams(n: int) -> list[list[int]]:
    """Orders of `n` samples, numbered from 0, as rows: `n` rows where `n` is even, else 2 `n`.

    Every sample comes once in a row and equally often in every position; every sample comes directly before every other equally
    often, once for an even and twice for an odd `n` (Williams 1949). Raises ValueError below two samples.
    """
    if n < 2:
        raise ValueError("an order needs two samples or more")
    first = [(step + 1) // 2 if step % 2 else (n - step // 2) % n for step in range(n)]
    rows = [[(start + k) % n for start in first] for k in range(n)]
    return rows if n % 2 == 0 else rows + [row[::-1] for row in rows]


@dataclass(frozen=True)
class Serving:
    """What one judge gets at one `position` (from 1; 0 is a warm-up that does not count): the sample by its name, and the code that
    stands on the dish."""

    judge: int
    position: int
    sample: str
    code: int


def serving_plan(samples: Sequence[str], judges: int, seed: int, warm_up: str | None = None) -> list[Serving]:
    """Dishes for judges 1 to `judges`, in the order of serving. Which sample takes which place in the square, the order of its
    rows and every code are drawn; no code stands twice on the table. A name that stands twice in `samples` is a doubled one.
    `warm_up` is served to everyone first, under codes of its own.

    Raises ValueError for fewer than two samples, no judge, or more dishes than there are codes.
    """
    if judges < 1:
        raise ValueError("a panel needs a judge")
    dishes = (len(samples) + (warm_up is not None)) * judges
    if dishes > HIGHEST - LOWEST + 1:
        raise ValueError(f"{dishes} dishes are more than the {HIGHEST - LOWEST + 1} codes of three digits")
    rows = williams(len(samples))
    rng = np.random.default_rng(seed)
    codes = iter(rng.permutation(np.arange(LOWEST, HIGHEST + 1)).tolist())
    named = [samples[i] for i in rng.permutation(len(samples))]
    made: list[Serving] = []
    order: list[int] = []
    for judge in range(1, judges + 1):
        order = order or rng.permutation(len(rows)).tolist()  # all rows before one comes again
        for position, sample in enumerate(rows[order.pop()], start=1):
            made.append(Serving(judge, position, named[sample], next(codes)))
    if warm_up is not None:
        made += [Serving(judge, 0, warm_up, next(codes)) for judge in range(1, judges + 1)]
    return made
