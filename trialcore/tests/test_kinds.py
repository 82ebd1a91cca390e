"""Records that are no plain values of plots, through the command line: the same figures in the same places as other software."""

import contextlib
import io
import json
from pathlib import Path
from typing import Any
from unittest import TestCase

from trialcore.formats.cli import main
from trialcore.tests.agreement import disagreements

DATA = Path(__file__).parent / "data"

# What is not offered, by the place where the reference has it; docs/exactness.md says why.
NOT_OFFERED = {
    "panel_wine": ("/kind", "/anova_doubled"),
    "panel_incomplete": ("/kind", "/skillings_mack", "/durbin"),
    "keeping_6x3": (),
    "keeping_taken_away": (),
    **dict.fromkeys(("shares_rcbd_10x4", "shares_crd_seeds", "shares_alpha_16x3"), ("/kind", "/beta_binomial", "/glmm_")),
    **dict.fromkeys(
        ("counts_crd_insects", "counts_rcbd_9x5", "counts_zero_heavy"),
        ("/kind", "/negative_binomial", "/zero_inflated", "/zeros", "/poisson_lr_all"),
    ),
    "covariate_rcbd_9x4": ("/kind",),
    "covariate_crd_cabbages": ("/kind",),
    "checks2_rcbd_12x4": ("/kind",),
    "checks3_missing": ("/kind",),
    "environments_8x3x3": ("/kind",),
    "programme_6x2": (
        "/kind",
        *(f"/one_stage_entries_{n}/lmer_" for n in ("fixed", "random")),
        "/one_stage_error_variance_per_trial/glmmTMB",
        "/two_stage/formulas",
    ),
    "scores_rcbd_10x4": ("/kind", "/clmm_random_block"),
    "scores_wine": ("/kind", "/clmm_random_block"),
    "dates_rcbd_10x4": ("/kind",),
    "dates_crd_4x15": ("/kind",),
}
KIND = {name: ("--kind", name) for name in ("counts", "scores", "checks", "programme")}  # which columns alone do not tell
ROUNDED = "/simple_effect_tests"  # to three decimals in the reference itself
NOT_OF_KEEPING = ("/kind", "/weibull/vs_check_lr", "/lognormal/vs_check_lr")
NOT_OF_A_SCALE = ("se_cluster_by_lot", "p_dunnett")

NOT_OF_COUNTED = (
    "logLik",
    "deviance_without_entry",
    "share_averaged_over_blocks",
    "logit",
    "every_unit",
    "mean_of_plots",
    "variance",
)
NOT_IN_COUNTED: tuple[str, ...] = (
    "coefficients",
    "all_entries_in_the_limit",
    "wilson_",
    "exact_",
    "zero_plots",
    "_in_the_limit",
    "poisson/df_residual",
)
NOT_IN_COUNTED += ("poisson/pearson_chisq", "poisson/dispersion", "poisson/p_pearson")  # under overdispersion


def analysed(file: str, *more: str) -> dict[str, Any]:
    out = io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(io.StringIO()):
        assert main(["analyse", file, "--format", "json", *more]) == 0
    found: dict[str, Any] = json.loads(out.getvalue())
    return found


def offered(name: str, wrong: str) -> bool:
    """Whether a disagreement is about something that is offered."""
    place = wrong.split(":")[0]
    if name.startswith("keeping"):
        if place.startswith(NOT_OF_KEEPING) or "equal_scales_lr" in place:
            return False
        if place.startswith("/turnbull") and place.endswith(("logLik", "largest_gradient")):
            return False
        return not ("/common_scale/" in place and any(n in place for n in NOT_OF_A_SCALE))
    if name.startswith("dates") and ("/survfit" in place or place.endswith("largest_gradient")):
        return False
    if place.startswith(ROUNDED):
        return False
    if name.startswith(("shares", "counts")) and (place.endswith(NOT_OF_COUNTED) or any(f"/{n}" in place for n in NOT_IN_COUNTED)):
        return False
    return not place.startswith(NOT_OFFERED[name])


class Kinds(TestCase):
    def test_every_figure_that_is_offered_is_that_of_the_reference(self) -> None:
        for name in NOT_OFFERED:
            expected = json.loads((DATA / f"{name}.expected.json").read_text())
            checks = [word for c in expected.get("checks", [expected.get("check")]) for word in ("--check", c)]
            found = analysed(str(DATA / f"{name}.csv"), *checks, *KIND.get(name.split("_")[0].rstrip("0123456789"), ()))
            wrong = [w for w in disagreements(expected, found, 1e-3) if offered(name, w)]
            self.assertEqual(wrong[:8], [], name)
            if name.startswith(("shares", "counts")):  # all but the one figure that is integrated numerically is as good as exact
                closely = [w for w in disagreements(expected, found, 1e-5) if offered(name, w) and "p_dunnett" not in w]
                self.assertEqual(closely[:8], [], name)
            whole = sum(1 for _ in disagreements(expected, {}, 1e-3))
            left = sum(1 for _ in disagreements(expected, found, 1e-3))
            self.assertGreater((whole - left) / whole, 0.2, name)

    def test_the_kind_can_be_said_and_a_wrong_one_is_refused(self) -> None:
        file = str(DATA / "panel_wine.csv")
        self.assertEqual(analysed(file, "--kind", "panel")["n_judges"], 9)
        said = io.StringIO()
        with contextlib.redirect_stderr(said):
            self.assertEqual(main(["analyse", file, "--kind", "smell"]), 2)
        self.assertIn("plots, panel, keeping, shares, dates, covariate", said.getvalue())
        with contextlib.redirect_stderr(said):
            self.assertNotEqual(main(["analyse", file, "--kind", "keeping"]), 0)
