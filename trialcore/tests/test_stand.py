"""Plants of a plot on a day, and what a plant bore: reckoned by hand."""

from datetime import date
from unittest import TestCase

from trialcore.field.picks import Pick, plot_yield
from trialcore.field.stand import Stand

MAY, JUNE, JULY, NOVEMBER = date(2026, 5, 10), date(2026, 6, 20), date(2026, 7, 15), date(2026, 11, 3)


class Plants(TestCase):
    def test_the_newest_count_on_or_before_the_day_and_what_was_lost_since(self) -> None:
        stand = Stand(18, ((MAY, 17), (JULY, 12)), ((MAY, -1), (JUNE, -2), (JULY, -1)))
        self.assertEqual([stand.on(d) for d in (date(2026, 5, 1), MAY, JUNE, date(2026, 7, 1), JULY)], [18, 17, 15, 15, 12])

    def test_none_counted_is_what_was_set_out_and_nothing_known_is_nothing(self) -> None:
        self.assertEqual(Stand(18).on(JULY), 18)
        self.assertEqual(Stand(18, (), ((JUNE, -3), (JULY, 2))).on(NOVEMBER), 17)
        self.assertIsNone(Stand(None).on(JULY))
        self.assertEqual(Stand(2, (), ((JUNE, -3),)).on(JULY), 0)

    def test_more_than_were_set_out_and_put_in_is_noticed(self) -> None:
        self.assertEqual(Stand(18, ((MAY, 20),)).over, 2)
        self.assertEqual(Stand(18, ((JULY, 20),), ((JUNE, 2),)).over, 0)
        self.assertEqual(Stand(None, ((MAY, 20),)).over, 0)


class PerPlant(TestCase):
    def test_a_count_after_the_harvest_never_reaches_back(self) -> None:
        """Four plants with 3,440 g in all are 860 g a plant, whatever stands in November."""
        found = plot_yield([Pick(JULY, 3.44)], 2.0, Stand(4, ((MAY, 4), (NOVEMBER, 1))), None, once=True)
        self.assertEqual((found.g_per_plant, found.g_per_plant_set_out, found.plants), (860, 860, 4))

    def test_picked_again_and_again_each_pick_is_of_those_that_stood(self) -> None:
        """6 kg of six plants, then 4 kg of the four left: 1,000 + 1,000 g; of the eight set out 10,000 / 8."""
        stand = Stand(8, ((MAY, 6),), ((JULY, -2),))
        found = plot_yield([Pick(JUNE, 6.0), Pick(JULY, 4.0)], 2.0, stand, None, once=False)
        self.assertEqual((found.g_per_plant, found.g_per_plant_set_out), (2000, 1250))

    def test_cut_once_the_plants_already_cut_are_not_lost(self) -> None:
        stand = Stand(8, ((MAY, 8), (date(2026, 7, 1), 3)))  # five were cut in June
        found = plot_yield([Pick(JUNE, 5.0), Pick(JULY, 3.0)], 2.0, stand, None, once=True)
        self.assertEqual(found.g_per_plant, 1000)

    def test_a_weight_from_no_plants_gives_no_figure_and_a_failed_plot_bore_nought(self) -> None:
        self.assertIsNone(plot_yield([Pick(JULY, 2.0)], 2.0, Stand(8, ((MAY, 0),)), None).g_per_plant)
        self.assertEqual(plot_yield([Pick(JULY, 0.0)], 2.0, Stand(8, ((MAY, 6),)), None).g_per_plant, 0)
