"""Means and differences from the check that a mixed model gives, in the shape of a plain analysis."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from trialcore.analyses.blocks import EntryMean
from trialcore.analyses.linear import Floats
from trialcore.analyses.mixed import MixedFit
from trialcore.inference import distributions
from trialcore.inference.comparisons import AgainstCheck, against_joint


def means_and_versus(
    fit: MixedFit, names: Sequence[str], rows: Floats, plain: Sequence[EntryMean], check: str | None
) -> tuple[tuple[EntryMean, ...], AgainstCheck | None]:
    """Entry means (`rows` gives each as a contrast of the fixed effects) and their differences from `check`.

    Kenward–Roger standard errors, each mean and difference with its own degrees of freedom; Dunnett's probability and both
    critical values on their mean. An entry of `plain` that is not among `names` is left as it is. None in place of the
    differences where the check has no mean or nothing can be set against it.
    """
    contrasts = fit.contrasts(rows)
    place = {name: i for i, name in enumerate(names)}
    means = []
    for m in plain:
        if m.entry not in place:
            means.append(m)
            continue
        c = contrasts[place[m.entry]]
        half = distributions.t_quantile(0.975, c.df_kr) * c.se_kr
        means.append(replace(m, lsmean=c.estimate, se=c.se_kr, lower95=c.estimate - half, upper95=c.estimate + half, why=""))
    if check not in place or len(place) < 2:
        return tuple(means), None
    base = place[check]
    others = np.array([i for i in range(len(names)) if i != base], dtype=np.int64)
    apart = rows[others] - rows[base]
    d = fit.contrasts(apart)
    joint = apart @ fit.adjusted @ apart.T
    return tuple(means), against_joint(names, base, others, d.estimate, joint, d.df_kr, d.se_kr)
