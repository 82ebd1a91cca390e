"""No number can take a page down: every formatter takes infinities, what is no number, and the largest there are."""

from datetime import date
from itertools import product
from math import inf, nan
from unittest import TestCase

from evarlo.ui.draw.scale import Scale, bounds, shade_of, tick_text
from evarlo.ui.templatetags import ui
from evarlo.ui.units import figure_shown, measured, stop_using, use_imperial
from evarlo.ui.words import NO_NUMBER, days_later, fixed, percent_text, plain_number

ABSURD = (inf, -inf, nan, 1e308, -1e308, 7e252, 5e-324, 0.0, -0.0, 1e15)


class Formatters(TestCase):
    def test_none_of_them_raises(self) -> None:
        for value, digits in product(ABSURD, (0, 2, 400, -3)):
            with self.subTest(value=value, digits=digits):
                for text in (fixed(value, digits), ui.places(value, digits), ui.signed(value, digits), plain_number(value)):
                    self.assertLess(len(text), 30)
                self.assertIsInstance(ui.chance(value), str)
                self.assertIsInstance(ui.p_value(value), str)
                self.assertIsInstance(ui.plain(value), str)

    def test_units_either_way(self) -> None:
        for imperial in (False, True):
            token = use_imperial(imperial)
            try:
                for value, unit in product(ABSURD, ("kg", "°C", "m", "%")):
                    self.assertLess(len(measured(value, unit)), 40)
                    self.assertLess(len(figure_shown(value, unit, 1)), 30)
                    self.assertLess(len(ui.measure(value, f"{unit}:1")), 40)
            finally:
                stop_using(token)

    def test_what_is_no_number_is_a_dash_and_what_is_one_stays(self) -> None:
        self.assertEqual([fixed(v, 1) for v in (inf, -inf, nan)], [NO_NUMBER] * 3)
        self.assertEqual(percent_text(nan), NO_NUMBER)
        self.assertEqual((fixed(-1234.56, 1), fixed(7e252, 1)), ("−1234.6", "7.00e252"))

    def test_days_beyond_the_calendar(self) -> None:
        start = date(2026, 4, 1)
        self.assertEqual(days_later(start, 30.4), date(2026, 5, 1))
        for value in ABSURD:
            if abs(value) > 1e9 or value != value:
                self.assertIsNone(days_later(start, value))


class Drawing(TestCase):
    def test_scales_of_absurd_ends(self) -> None:
        for low, high in product(ABSURD, ABSURD):
            scale = Scale(low, high, 0, 100)
            self.assertLess(len(scale.ticks()), 40)
            for value in ABSURD:
                self.assertLess(abs(scale(value)), 1e6)
                self.assertIn(shade_of(value, low, high), range(8))
            self.assertIsInstance(tick_text(low, high), str)
        first, last = bounds(ABSURD)
        self.assertLess(first, last)
