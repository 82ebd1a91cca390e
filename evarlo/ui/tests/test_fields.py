"""What people type: numbers, days and words, each with what was found and what is expected."""

from datetime import date

from django.core.exceptions import ValidationError
from django.test import SimpleTestCase

from evarlo.ui.fields import Day, Number, Words, read_day


class Numbers(SimpleTestCase):
    def test_what_is_read(self) -> None:
        field = Number(low=-10, high=1000, unit="m")
        for text, expected in (
            ("5", 5.0),
            ("2,5", 2.5),
            ("2.5 m", 2.5),
            (" 7 ", 7.0),
            ("−3", -3.0),
            (".5", 0.5),
            ("5,", 5.0),
            ("+4", 4.0),
        ):
            with self.subTest(text=text):
                self.assertEqual(field.clean(text), expected)
        self.assertIsNone(Number(low=0, high=1, required=False).clean(""))
        self.assertEqual(Number(low=0, high=10, whole=True).clean("3"), 3)

    def test_what_is_refused_with_the_range(self) -> None:
        field = Number(low=0, high=100, unit="%")
        for text in ("-1", "101", "ten", "1e3", "nan", "inf", "5 5", "1.2.3", "0x10", "٣", "9" * 400, "1_000"):
            with self.subTest(text=text), self.assertRaisesMessage(ValidationError, "Expected a number from 0 to 100 %."):
                field.clean(text)
        with self.assertRaisesMessage(ValidationError, "Found “2.5”. Expected a whole number from 1 to 9."):
            Number(low=1, high=9, whole=True).clean("2.5")


class Days(SimpleTestCase):
    def test_the_ways_people_write_a_day(self) -> None:
        for text in ("2026-07-14", "14 Jul 2026", "14. July 2026", "14.7.2026", "14/7/2026", "14 july 2026"):
            with self.subTest(text=text):
                self.assertEqual(Day().clean(text), date(2026, 7, 14))
        self.assertEqual(read_day("14 Jul", 2025), date(2025, 7, 14))
        self.assertIsNone(read_day("14 Jul"))
        self.assertEqual(read_day("29 Feb 2024"), date(2024, 2, 29))

    def test_days_that_are_none(self) -> None:
        for text in ("31 Feb 2026", "2026-13-01", "soon", "14 Foo 2026", "1.2", "2026", "٣ Jul 2026"):
            with self.subTest(text=text), self.assertRaisesMessage(ValidationError, "Expected a date such as"):
                Day().clean(text)
        for text in ("1 Jan 1066", "2999-01-01"):
            with self.subTest(text=text), self.assertRaisesMessage(ValidationError, "Expected one from 1900 to 2200."):
                Day().clean(text)
        self.assertIsNone(Day(required=False).clean(" "))


class Lines(SimpleTestCase):
    def test_words(self) -> None:
        field = Words(most=10)
        self.assertEqual(field.clean("  two   words "), "two words")
        with self.assertRaisesMessage(ValidationError, "Found 11 characters. Expected at most 10."):
            field.clean("x" * 11)
        with self.assertRaises(ValidationError):
            field.clean("a\x07b")
