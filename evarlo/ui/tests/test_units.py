"""Amounts in the unit that people think in."""

from django.core.exceptions import ValidationError
from django.test import SimpleTestCase

from evarlo.ui.fields import Number
from evarlo.ui.units import in_unit


class Units(SimpleTestCase):
    def test_what_is_typed_becomes_the_unit_of_the_field(self) -> None:
        for text, unit, expected in (
            ("3 ft", "m", 0.9144),
            ("3ft", "m", 0.9144),
            ("5 ft 6 in", "m", 1.6764),
            ("5' 6\"", "m", 1.6764),
            ("18 in", "cm", 45.72),
            ("18″", "cm", 45.72),
            ("1,5 m", "cm", 150.0),
            ("40 cm", "m", 0.4),
            ("2 lb", "kg", 0.907185),
            ("2 lb 4 oz", "kg", 1.020583),
            ("250 g", "kg", 0.25),
            ("50 °F", "°C", 10.0),
            ("14F", "°C", -10.0),
            ("-3 ft", "m", -0.9144),
            ("2 gal", "l", 7.570824),
        ):
            with self.subTest(text=text):
                self.assertAlmostEqual(in_unit(text, unit) or 0.0, expected, places=5)
        for text, unit in (
            ("3", "m"),
            ("3 lb", "m"),
            ("3 ells", "m"),
            ("ft", "m"),
            ("3 ft high", "m"),
            ("3 ft", "%"),
            ("50 F", "m"),
            ("", "m"),
        ):
            with self.subTest(text=text):
                self.assertIsNone(in_unit(text, unit))

    def test_a_field_takes_them_and_keeps_its_range(self) -> None:
        length = Number(low=0.1, high=100, unit="m")
        self.assertEqual(length.clean("3 ft"), 0.9144)
        self.assertEqual(length.clean("1,5 m"), 1.5)
        self.assertEqual(length.clean("2.4"), 2.4)
        for text in ("400 ft", "3 lb", "9" * 40, "3 ft" * 20):
            with self.subTest(text=text), self.assertRaisesMessage(ValidationError, "Expected a number from 0.1 to 100 m."):
                length.clean(text)
        with self.assertRaises(ValidationError):
            Number(low=1, high=20, whole=True, unit="").clean("3 ft")
