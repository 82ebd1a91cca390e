"""Gradients in the ground: correlated neighbours (AR1 rows × columns) or a smooth surface, against plain blocks."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from trialcore.analyses.blocks import BlockAnalysis, analyse_blocks
from trialcore.analyses.correlated import fit_correlated
from trialcore.analyses.linear import Coded, Floats, Labels, levels_of
from trialcore.analyses.mixed import fit_reml, incidence
from trialcore.analyses.printing import lined, page, table
from trialcore.analyses.smooth import fit_surface

BETTER_BY = 2.0
"""How much smaller the AIC of a spatial model has to be before it is preferred to plain blocks."""


EMPTY_CELLS = 50  # of the grid for each plot, beyond which positions are no rows and columns of one field


@dataclass(frozen=True, eq=False)
class GroundModel:
    """One model of the ground. `means` (entries) with their covariance; `trend` is what the model takes out at each plot
    with a value and `residuals` what is left, in the trait's unit.

    `loglik` is the REML log-likelihood and `aic` −2 loglik + 2 (variance parameters), comparable between models with
    the same fixed effects (`fixed`) only.
    """

    name: str
    fixed: str
    parameters: dict[str, float]
    count: int
    loglik: float
    means: Floats
    covariance: Floats
    trend: Floats
    residuals: Floats
    frequentist: Floats | None = None

    @property
    def aic(self) -> float:
        """Akaike’s criterion on the REML likelihood."""
        return -2 * self.loglik + 2 * self.count

    @property
    def deviations(self) -> Floats:
        """Entry means less their own mean."""
        return np.asarray(self.means - self.means.mean())

    def sed(self, covariance: Floats | None = None) -> Floats:
        """Standard errors of all differences, in the order of `numpy.triu_indices`."""
        v = self.covariance if covariance is None else covariance
        first, second = np.triu_indices(len(v), k=1)
        return np.sqrt(v[first, first] + v[second, second] - 2 * v[first, second])


@dataclass(frozen=True, eq=False)
class Spatial:
    """What `analyse_spatial` found. `plain` is the ordinary analysis; `models` the others by name; `chosen` the one that
    the stated criterion prefers, `why` says in words; `seen` indexes the plots that have a value."""

    plain: BlockAnalysis
    entries: tuple[str, ...]
    models: dict[str, GroundModel]
    chosen: str
    why: str
    seen: tuple[int, ...]
    cannot_say: tuple[str, ...]

    def gain(self, name: str) -> float | None:
        """(average SED of plain blocks / average SED of the model)²: how many times the replicates it is worth."""
        plain = self.plain_sed
        return None if plain is None else (plain / float(self.models[name].sed().mean())) ** 2

    @property
    def plain_sed(self) -> float | None:
        """The average standard error of a difference by plain blocks; None where there is none."""
        from trialcore.inference.comparisons import sed_of_differences

        spread = sed_of_differences(self.plain)
        return spread.average if spread else None

    def __str__(self) -> str:
        models = list(self.models.values())
        compared = table(
            "Models of the ground", models, model="name", fixed="fixed", parameters="count", loglik="loglik", AIC="aic"
        )
        if self.chosen not in self.models:
            return page(compared, self.why, str(self.plain))
        rows = [[entry, f"{mean:.5g}"] for entry, mean in zip(self.entries, self.models[self.chosen].means, strict=True)]
        return page(compared, self.why, lined(f"Means by {self.chosen}", ["entry", "mean"], rows), *self.cannot_say)


def _check_positions(row: Sequence[int], col: Sequence[int]) -> None:
    """Raises ValueError for two plots in one place, or for positions with far more empty places than plots."""
    if len(set(zip(row, col, strict=True))) < len(row):
        raise ValueError("two plots have the same row and column")
    if row and (max(row) - min(row) + 1) * (max(col) - min(col) + 1) > EMPTY_CELLS * len(row) + 10_000:
        raise ValueError("rows and columns lie too far apart for so few plots; expected positions numbered one after another")


def analyse_spatial(
    entry: Labels, value: Sequence[float | None], row: Sequence[int], col: Sequence[int], rep: Labels | None = None
) -> Spatial:
    """Analyse a field by plain blocks, by correlated neighbours and by a smooth surface, and choose.

    One element a plot; a missing value is None; `row` and `col` are whole numbers. Models, entries fixed in all of
    them: random replicates; independent errors; errors AR1(row) × AR1(col) with and without a nugget (Gilmour, Cullis
    and Verbyla 1997), the first also with replicates fixed; a tensor product of P-splines over the ground, its two
    smoothing parameters by REML (Eilers and Marx 2003; Wood 2011), without and with replicates.

    The AR1 model with nugget is chosen over random replicates when its REML AIC is smaller by more than 2; both have
    the same fixed effects. Raises ValueError for lengths that differ or two plots in one place.
    """
    if not len(entry) == len(value) == len(row) == len(col) or (rep is not None and len(rep) != len(entry)):
        raise ValueError("entry, value, row, col and rep must have one element for each plot")
    _check_positions(row, col)
    plain = analyse_blocks(entry, value, {"rep": rep} if rep is not None else {})
    seen = [i for i, v in enumerate(value) if v is not None and np.isfinite(v)]
    y = np.array([float(value[i] or 0.0) for i in seen])
    kept = [entry[i] for i in seen]
    entries = levels_of(kept)
    x = incidence(kept, entries)
    rows, cols = np.array([row[i] for i in seen]), np.array([col[i] for i in seen])
    reps = [rep[i] for i in seen] if rep is not None and len({rep[i] for i in seen}) > 1 else None
    models: dict[str, GroundModel] = {}
    cannot: list[str] = []
    if len(seen) - len(entries) < 4 or not plain.mse:
        cannot.append("There are too few values, or no variation, beyond one for each entry to judge the ground by.")
        return Spatial(plain, tuple(entries), {}, "plain", cannot[0], tuple(seen), tuple(cannot))
    if reps is not None:
        models["random_reps"] = _random_reps(y, x, reps)
    models["independent"] = _independent(y, x)
    for name, fixed, nugget in (
        ("ar1_ar1_entry", "entry", True),
        ("ar1_ar1_entry_rep", "entry + rep", True),
        ("ar1_ar1_no_nugget_entry", "entry", False),
    ):
        if fixed == "entry" or reps is not None:
            models[name] = neighbours_model(
                name, y, _with_reps(x, reps if "rep" in fixed else None), len(entries), rows, cols, nugget
            )
    for name, with_reps in (("gam_te", None), ("gam_te_rep", reps)):
        if name == "gam_te" or reps is not None:
            try:
                models[name] = surface_model(name, y, _with_reps(x, with_reps), len(entries), rows, cols)
            except ValueError as reason:
                cannot.append(f"No smooth surface could be fitted: {reason}.")
    chosen, why = _choose(models)
    return Spatial(plain, tuple(entries), models, chosen, why, tuple(seen), tuple(cannot))


def _choose(models: dict[str, GroundModel]) -> tuple[str, str]:
    plain = models.get("random_reps") or models["independent"]
    spatial = models["ar1_ar1_entry"]
    gap = plain.aic - spatial.aic
    if gap > BETTER_BY:
        return spatial.name, f"Neighbouring plots are alike: the AIC of the spatial model is {gap:.1f} smaller than that of blocks."
    if gap < 0:
        return plain.name, f"Plain blocks describe the ground as well: the AIC of the spatial model is {-gap:.1f} larger."
    return plain.name, f"The AIC of the spatial model is only {gap:.1f} smaller, less than the {BETTER_BY:g} asked for."


def _with_reps(x: Floats, reps: Labels | None) -> Floats:
    """Entries, and sum-to-zero columns for replicates."""
    if reps is None:
        return x
    levels = levels_of(reps)
    z = incidence(reps, levels)
    return np.hstack([x, z[:, :-1] - z[:, -1:]])


def _random_reps(y: Floats, x: Floats, reps: Labels) -> GroundModel:
    found = fit_reml(y, x, {"rep": Coded.of(reps)})
    v = found.variances
    trend = found.effects["rep"][Coded.of(reps).codes]
    return GroundModel(
        "random_reps",
        "entry",
        {"var_rep": v["rep"], "var_error": v["residual"]},
        2,
        found.loglik,
        found.beta,
        found.covariance,
        trend,
        y - x @ found.beta - trend,
    )


def _independent(y: Floats, x: Floats) -> GroundModel:
    found = fit_reml(y, x, {})
    variance = found.variances["residual"]
    return GroundModel(
        "independent",
        "entry",
        {"var_error": variance},
        1,
        found.loglik,
        found.beta,
        found.covariance,
        np.zeros(len(y)),
        y - x @ found.beta,
    )


def surface_model(name: str, y: Floats, x: Floats, entries: int, rows: np.ndarray, cols: np.ndarray) -> GroundModel:
    """A smooth surface, `x` beginning with the entries. Raises ValueError where none can be fitted."""
    s = fit_surface(y, x, cols.astype(float), rows.astype(float))
    parameters = {"edf_smooth": s.edf, "scale": s.scale}
    return GroundModel(
        name,
        "entry + surface",
        parameters,
        3,
        -s.reml_score,
        s.beta[:entries],
        s.covariance[:entries, :entries],
        s.surface,
        s.residuals,
        s.frequentist[:entries, :entries],
    )


def neighbours_model(
    name: str, y: Floats, x: Floats, entries: int, rows: np.ndarray, cols: np.ndarray, nugget: bool
) -> GroundModel:
    """Neighbours alike by rows and columns, `x` beginning with the entries."""
    found = fit_correlated(y, x, rows, cols, nugget)
    share = found.share if nugget else 0.0
    parameters = {
        "rho_row": found.rho_row,
        "rho_col": found.rho_col,
        "var_spatial": found.variance * (1 - share),
        "var_nugget": found.variance * share,
    }
    return GroundModel(
        name,
        "entry" if x.shape[1] == entries else "entry + rep",
        parameters,
        4 if nugget else 3,
        found.loglik,
        found.beta[:entries],
        found.covariance[:entries, :entries],
        found.trend,
        y - x @ found.beta - found.trend,
    )
