"""One frost for a place: which of two sources, moved by shelter, in both hemispheres."""

from datetime import date
from unittest import TestCase

from trialcore.reckoning.frost import comes_on, frost_at, sheltered
from trialcore.reckoning.schedule import sowing_window

RECORD = ({0.9: "03-30", 0.5: "04-12", 0.1: "04-25"}, {0.9: "10-27", 0.5: "10-14", 0.1: "10-01"})


class OneFrost(TestCase):
    def test_a_short_record_does_not_outvote_typed_dates_and_a_long_one_does(self) -> None:
        for years, by, source in ((4, None, "typed"), (5, None, "record"), (9, "typed", "typed"), (3, "record", "record")):
            found = frost_at(("03-05", "11-25"), (*RECORD, years), by)  # type: ignore[arg-type]
            assert found is not None
            self.assertEqual(found.source, source, (years, by))
        alone = frost_at(None, (*RECORD, 3))
        assert alone is not None
        self.assertEqual((alone.source, alone.last_text, alone.first_text), ("record", "12 Apr", "14 Oct"))
        self.assertIsNone(frost_at(None, None))

    def test_typed_dates_are_the_even_chance(self) -> None:
        found = frost_at(("03-05", "11-25"), None)
        assert found is not None
        self.assertEqual(
            (found.last, found.first), ({0.9: "02-20", 0.5: "03-05", 0.1: "03-18"}, {0.9: "12-08", 0.5: "11-25", 0.1: "11-12"})
        )

    def test_shelter_moves_both_ends(self) -> None:
        found = frost_at(("04-12", "10-14"), None)
        assert found is not None
        self.assertEqual((sheltered(found, "tunnel").last[0.5], sheltered(found, "tunnel").first[0.5]), ("03-29", "10-28"))
        self.assertEqual(sheltered(found, "glass").last[0.5], "03-15")
        self.assertEqual(sheltered(found, "open"), found)

    def test_where_the_summer_lies_over_the_turn_of_the_year(self) -> None:
        south = frost_at(("09-20", "05-10"), None)
        assert south is not None
        days = (date(2026, 8, 1), date(2026, 9, 25), date(2026, 12, 24), date(2027, 5, 1), date(2027, 5, 20))
        self.assertEqual([comes_on(south, d) for d in days], [True, False, False, False, True])

    def test_raised_plants_of_a_tender_crop_go_out_after_it(self) -> None:
        """Plants of 28 to 42 days: sown from 1 March they would be 28 days old on 29 March, within the frost of 12 April."""
        window = sowing_window(2026, tender=True, last_frost=RECORD[0], first_frost=RECORD[1], raised_days=(28, 42))
        self.assertEqual((window.earliest, window.out), (date(2026, 3, 1), date(2026, 4, 12)))

    def test_the_season_leaves_time_to_pick(self) -> None:
        """Ready 80 to 105 days after sowing and picked for 28: 1 October less 133 days is 21 May."""
        given = {
            "tender": True,
            "last_frost": RECORD[0],
            "first_frost": RECORD[1],
            "ready_days": (80, 105),
            "ends_with_frost": True,
        }
        self.assertEqual(sowing_window(2026, **given, picked_days=28).latest, date(2026, 5, 21))  # type: ignore[arg-type]
