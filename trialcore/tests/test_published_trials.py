"""Published experiments give the figures that independent software found for them."""

import json
from pathlib import Path
from unittest import TestCase

from trialcore.blocks import analyse_blocks
from trialcore.figures import block_figures
from trialcore.sheet import decode, read_trial_sheet
from trialcore.tests.agreement import disagreements

DATA = Path(__file__).parent / "data"


class PublishedTrials(TestCase):
    def hold(self, name: str) -> None:
        expected = json.loads((DATA / f"{name}.expected.json").read_text())
        sheet = read_trial_sheet(decode((DATA / f"{name}.csv").read_bytes()))
        self.assertEqual(sheet.problems, ())
        reps = [p.rep for p in sheet.plots]
        blocking = {"rep": reps} if any(reps) else None
        analysis = analyse_blocks([p.entry for p in sheet.plots], sheet.values["value"], blocking)
        figures = block_figures(analysis, expected.get("check"))
        tolerance = expected.get("vs_check", {}).get("p_dunnett_abs_tolerance", 1e-6)
        wrong = list(disagreements(expected, figures, max(tolerance, 1e-6)))
        self.assertEqual(wrong[:10], [], f"{len(wrong)} figures of {name} disagree")

    def test_complete_blocks(self) -> None:
        self.hold("rcbd_16x4")

    def test_complete_blocks_with_missing_plots(self) -> None:
        self.hold("rcbd_16x4_missing")

    def test_entries_with_one_to_four_plots(self) -> None:
        self.hold("rcbd_unbalanced_reps")

    def test_a_check_on_two_plots_of_each_block(self) -> None:
        self.hold("rcbd_double_check")

    def test_no_blocks_and_unequal_replication(self) -> None:
        self.hold("crd_unbalanced")

    def test_the_comparison_of_figures_can_fail(self) -> None:
        expected = {"rows": [{"entry": "A", "mse": 2.0, "p_tukey": 0.5}], "n": 3}
        self.assertEqual(list(disagreements(expected, expected, 1e-3)), [])
        off = {"rows": [{"entry": "A", "mse": 2.0000001, "p_tukey": 0.50001}], "n": 4}
        self.assertEqual(len(list(disagreements(expected, off, 1e-3))), 3)
