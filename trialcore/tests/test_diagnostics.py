"""Residuals of plain models: what stands out, growing spread, straightness; held to formulas by hand and to their level."""

from collections.abc import Sequence
from unittest import TestCase

import numpy as np

from trialcore.analyses.blocks import analyse_blocks
from trialcore.inference.diagnostics import Diagnostics, diagnose

ENTRY = [f"E{i}" for i in range(10) for _ in range(4)]
REP = [str(b) for _ in range(10) for b in range(4)]


def seen(y: Sequence[float | None]) -> Diagnostics:
    found = analyse_blocks(ENTRY, y, {"rep": REP})
    checked = diagnose(found.fitted.tolist(), found.residuals.tolist(), found.df_error)
    assert checked
    return checked


class Residuals(TestCase):
    def test_the_studentised_residual_is_that_of_leaving_the_plot_out(self) -> None:
        """Fit without the plot: its value lies t standard errors of prediction from what the others foretell. In complete blocks
        every plot has the leverage 13/40, so the two are the same."""
        rng = np.random.default_rng(2)
        y = [float(v) for v in rng.normal(10, 1, 40)]
        found = analyse_blocks(ENTRY, y, {"rep": REP})
        s = seen(y)
        i, df = 7, found.df_error
        internal = s.residual[i]
        external = internal * np.sqrt((df - 1) / (df - internal**2))
        x = np.array(
            [
                [float(e == f"E{k}") for k in range(10)] + [float(b == str(r)) for r in range(1, 4)]
                for e, b in zip(ENTRY, REP, strict=True)
            ]
        )
        kept = [j for j in range(40) if j != i]
        beta, rss, *_ = np.linalg.lstsq(x[kept], np.array(y)[kept], rcond=None)
        inverse = np.linalg.inv(x[kept].T @ x[kept])
        se = np.sqrt(float(rss[0]) / (39 - 13) * (1 + x[i] @ inverse @ x[i]))
        self.assertAlmostEqual(external, (y[i] - x[i] @ beta) / se, places=8)

    def test_a_slipped_point_stands_out_and_luck_does_so_rarely(self) -> None:
        rng, alarms = np.random.default_rng(3), 0
        for _ in range(200):
            alarms += bool(seen([float(v) for v in rng.normal(10, 1, 40)]).standing_out)
        self.assertTrue(2 <= alarms <= 20, alarms)  # one trial in twenty
        y = [float(v) for v in rng.normal(10, 1, 40)]
        y[11] *= 10
        self.assertEqual(seen([float(v) for v in y]).standing_out, (11,))

    def test_a_spread_that_grows_with_the_mean_is_told(self) -> None:
        rng = np.random.default_rng(4)
        means = np.repeat(np.geomspace(1, 60, 10), 4)
        grown = seen([float(v) for v in means * np.exp(rng.normal(0, 0.3, 40))])
        assert grown.spread_rho is not None and grown.spread_p is not None
        self.assertGreater(grown.spread_rho, 0.4)
        self.assertLess(grown.spread_p, 0.01)

    def test_missing_plots_keep_their_places(self) -> None:
        rng = np.random.default_rng(5)
        y: list[float | None] = [float(v) for v in rng.normal(10, 1, 40)]
        y[3] = y[20] = None
        found = seen(y)
        self.assertEqual(len(found.places), 38)
        self.assertFalse({3, 20} & set(found.places))
        self.assertGreater(found.straightness, 0.95)

    def test_too_little_says_nothing(self) -> None:
        self.assertIsNone(diagnose([1.0] * 4, [0.1, -0.1, 0.1, -0.1], 2))
        self.assertIsNone(diagnose([1.0] * 10, [0.0] * 10, 5))
        self.assertRaises(ValueError, diagnose, [1.0], [0.1, 0.2], 3)
