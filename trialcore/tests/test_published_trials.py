"""Published experiments, and simulated ones of designs nobody published, give the figures other software found for them."""

import json
from pathlib import Path
from unittest import TestCase

from trialcore.formats.figures.designs import analyse
from trialcore.formats.plots import read_plots
from trialcore.formats.sheet import decode
from trialcore.tests.agreement import disagreements

DATA = Path(__file__).parent / "data"


class PublishedTrials(TestCase):
    def hold(self, name: str, design: str) -> None:
        expected = json.loads((DATA / f"{name}.expected.json").read_text())
        plots = read_plots(decode((DATA / f"{name}.csv").read_bytes()))
        self.assertEqual(plots.problems, ())
        check = expected.get("check") or ((expected.get("whole_plot_means") or {}).get("vs_check") or {}).get("check")
        figures = analyse(plots, design, check)
        versus = expected.get("vs_check") or expected.get("intra_block", {}).get("vs_check") or {}
        tolerance = versus.get("p_dunnett_abs_tolerance", 1e-6) if isinstance(versus, dict) else 1e-6
        wrong = list(disagreements(expected, figures, max(tolerance, 1e-6)))
        self.assertEqual(wrong[:10], [], f"{len(wrong)} figures of {name} disagree")

    def test_complete_blocks(self) -> None:
        self.hold("rcbd_16x4", "rcbd")

    def test_complete_blocks_with_missing_plots(self) -> None:
        self.hold("rcbd_16x4_missing", "rcbd")

    def test_entries_with_one_to_four_plots(self) -> None:
        self.hold("rcbd_unbalanced_reps", "rcbd")

    def test_a_check_on_two_plots_of_each_block(self) -> None:
        self.hold("rcbd_double_check", "rcbd")

    def test_no_blocks_and_unequal_replication(self) -> None:
        self.hold("crd_unbalanced", "crd")

    def test_latin_squares(self) -> None:
        self.hold("latin_6x6", "latin")
        self.hold("latin_6x6_missing", "latin")

    def test_split_plots(self) -> None:
        self.hold("splitplot_3x4", "split-plot")
        self.hold("splitplot_3x4_missing", "split-plot")

    def test_incomplete_blocks(self) -> None:
        self.hold("alpha_24", "alpha")
        self.hold("alpha_24_missing", "alpha")

    def test_augmented_blocks(self) -> None:
        self.hold("augmented_4c40", "augmented")
        self.hold("augmented_missing_check", "augmented")

    def test_blocks_that_do_not_hang_together(self) -> None:
        self.hold("disconnected_8x4", "blocks")

    def test_environments(self) -> None:
        self.hold("met_10x12", "environments")
        self.hold("met_10x12_missing", "environments")

    def test_environments_with_plots(self) -> None:
        self.hold("met_plots_12x6x3", "environment-plots")
        self.hold("met_plots_missing", "environment-plots")

    def test_a_field_with_strong_trends(self) -> None:
        self.hold("spatial_56x4", "spatial")

    def test_the_comparison_of_figures_can_fail(self) -> None:
        expected = {"rows": [{"entry": "A", "mse": 2.0, "p_tukey": 0.5}], "n": 3}
        self.assertEqual(list(disagreements(expected, expected, 1e-3)), [])
        off = {"rows": [{"entry": "A", "mse": 2.0000001, "p_tukey": 0.50001}], "n": 4}
        self.assertEqual(len(list(disagreements(expected, off, 1e-3))), 3)
        self.assertEqual(len(list(disagreements(expected, {}, 1e-3))), 4)
