"""One rounding wherever a figure is shown."""

from unittest import TestCase

from evarlo.ui.templatetags.ui import places, signed
from evarlo.ui.units import figure_shown
from evarlo.ui.words import fixed


class Rounding(TestCase):
    def test_a_mean_and_a_difference_of_the_same_figure_end_alike(self) -> None:
        """13.75 − 10 may leave 3.7499999999999996 behind; 3.75 is 3.8 wherever it stands."""
        for value in (3.75, 13.75 - 10, 3.7499999999999996):
            self.assertEqual((places(value, 1), signed(value, 1), figure_shown(value, "", 1)), ("3.8", "+3.8", "3.8"))
        self.assertEqual([fixed(v, 0) for v in (0.5, 1.5, 2.5)], ["1", "2", "3"])

    def test_minus_and_nought(self) -> None:
        self.assertEqual((places(-3.75, 1), signed(-3.75, 1), signed(-0.04, 1), signed(0.0, 2)), ("−3.8", "−3.8", "0.0", "0.00"))
        self.assertEqual((fixed(1e9 + 0.5, 0), fixed(1234567.891, 2)), ("1000000001", "1234567.89"))
