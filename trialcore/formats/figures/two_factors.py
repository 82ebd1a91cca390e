"""The figures of entries over a second factor, as JSON."""

from __future__ import annotations

from dataclasses import asdict

from trialcore.analyses.two_factors import OverLevels
from trialcore.formats.figures.blocks import Json, plain, versus_figures


def two_factor_figures(found: OverLevels) -> Json:
    """Means of entries, their differences from the check, the tests and every combination."""
    made = {
        "means": [asdict(m) for m in found.means],
        "vs_check": versus_figures(found.versus) if found.versus else None,
        "tests": [asdict(e) for e in found.effects],
        "cells": [asdict(c) for c in found.table],
        "strata": [asdict(row) for row in found.strata],
        "mse": found.cells.mse,
        "cv_percent": found.cells.cv_percent,
        "n_observed": found.cells.n_observed,
        "n_plots": found.cells.n_plots,
        "cannot_say": list(found.cannot_say),
    }
    figures: Json = plain(made)
    return figures
