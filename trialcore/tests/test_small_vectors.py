"""Short inputs whose results can be checked by hand, and were found by other software."""

import json
from pathlib import Path
from typing import Any
from unittest import TestCase

from trialcore.analyses import ranks
from trialcore.field import degree_days, progress, raters
from trialcore.reckoning import germination

VECTORS: dict[str, Any] = json.loads((Path(__file__).parent / "data" / "small_vectors.json").read_text())


class SmallVectors(TestCase):
    def same(self, found: Any, expected: dict[str, Any], names: dict[str, str], places: float = 1e-9) -> None:
        for own, theirs in names.items():
            wanted = expected[theirs]
            self.assertAlmostEqual(getattr(found, own), wanted, delta=places * max(1.0, abs(wanted)), msg=f"{own} of {expected}")

    def test_progress_areas(self) -> None:
        names = {"area": "audpc", "relative": "relative_audpc", "standardised": "standardised_audpc", "stairs": "audps"}
        for v in VECTORS["audpc"]:
            self.same(progress.progress_area(v["days"], v["severity_percent"]), v, names)

    def test_intervals_of_a_share(self) -> None:
        for v in VECTORS["germination_intervals"]:
            for interval, kind in ((germination.wilson_interval, "wilson"), (germination.exact_interval, "clopper_pearson")):
                low, high = interval(v["germinated"], v["sown"], v["confidence"])
                self.assertAlmostEqual(low, v[f"{kind}_lower"], delta=1e-8)
                self.assertAlmostEqual(high, v[f"{kind}_upper"], delta=1e-8)

    def test_two_lots(self) -> None:
        names = {
            "fisher_p": "fisher_p_two_sided",
            "sample_odds_ratio": "sample_odds_ratio",
            "chi_square": "chi_square",
            "chi_square_p": "chi_square_p",
            "chi_square_yates": "chi_square_yates",
            "chi_square_yates_p": "chi_square_yates_p",
            "smallest_expected": "smallest_expected_count",
        }
        for v in VECTORS["two_lot_comparison"]:
            found = germination.compare_lots(v["x1"], v["n1"], v["x2"], v["n2"])
            self.same(found, v, names, 1e-8)
            self.same(found, v, {"fisher_odds_ratio": "fisher_conditional_odds_ratio"}, 1e-3)

    def test_interval_of_a_difference_as_newcombe_printed_it(self) -> None:
        found = germination.compare_lots(48, 80, 56, 70)  # Newcombe (1998), table II (a), method 10
        self.assertEqual((round(found.lower95, 4), round(found.upper95, 4)), (0.0524, 0.3339))

    def test_germination_speed(self) -> None:
        names = {
            "t50": "t50_farooq",
            "t50_coolbear": "t50_coolbear",
            "mean_time": "mean_germination_time",
            "variance": "variance_germination_time",
            "rate": "mean_germination_rate",
            "velocity": "coefficient_velocity",
            "index": "germination_index_sum_n_over_t",
        }
        for v in VECTORS["germination_time"]:
            found = germination.germination_speed(v["days"], v["newly_germinated"])
            assert found is not None
            self.same(found, v, names)

    def test_degree_days(self) -> None:
        kinds: tuple[tuple[degree_days.Method, str], ...] = (
            ("average", "simple_average"),
            ("clipped", "clipped_min_max"),
            ("mean-clipped", "mean_clipped"),
            ("sine", "single_sine"),
            ("sine-cutoff", "single_sine_horizontal_cutoff"),
        )
        for v in VECTORS["growing_degree_days"]:
            for method, name in kinds:
                daily = degree_days.degree_days(v["tmin"], v["tmax"], v["base"], v["upper"], method)
                for found, wanted in zip(daily, v[f"{name}_daily"], strict=True):
                    self.assertAlmostEqual(float(found), wanted, delta=1e-6)
                self.assertAlmostEqual(float(daily.sum()), v[f"{name}_total"], delta=1e-6)

    def test_agreement_of_raters(self) -> None:
        v = VECTORS["concordance"]
        names = {
            "concordance": "ccc",
            "concordance_unbiased": "ccc_divisor_n_minus_1",
            "pearson": "pearson_r",
            "bias_correction": "bias_correction_cb",
            "scale_shift": "scale_shift_v",
            "location_shift": "location_shift_u",
            "z_se": "z_se",
            "lower95": "lower95",
            "upper95": "upper95",
            "mean_difference": "mean_difference",
        }
        self.same(raters.lin_concordance(v["rater"], v["true"]), v, names)
        names = {
            "w_uncorrected": "w_uncorrected",
            "w": "w_tie_corrected",
            "chi_square": "chi_square",
            "p": "p",
            "mean_spearman": "mean_pairwise_spearman",
        }
        for v in VECTORS["kendall_w"]:
            self.same(ranks.kendall_w(v["scores"]), v, names)
        for v in VECTORS["spearman"]:
            found = ranks.rank_correlation(v["x"], v["y"])
            assert found is not None
            self.same(found, v, {"rho": "rho", "t": "t", "p": "p_t_approximation", "tau_b": "kendall_tau_b"})
