"""Seed and materials, worked by hand beside."""

from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from trialcore.reckoning import doses
from trialcore.reckoning.sowing import seeds_to_sow


class Seeds(TestCase):
    def test_several_a_station_make_good_each_others_losses(self) -> None:
        """96 stations of two: 192 and a tenth to spare are 211.2, so 212; 5.5 % of the stations stay empty, which the spare covers.
        Dividing by germination as well, and rounding twice, gave 277."""
        self.assertEqual(seeds_to_sow(96, 2, 0.85, 0.9, spare_share=0.1), 212)

    def test_spare_stations_cover_those_that_stay_empty(self) -> None:
        """36 of two at 0.82 × 0.9: 0.262² = 6.86 % stay empty; 72 ÷ 0.9314 = 77.3, so 78, and 5 spare seeds."""
        self.assertEqual(seeds_to_sow(36, 2, 0.82, 0.9, spare=5), 83)

    def test_one_a_station_is_divided_by_what_comes_up_and_rounded_once(self) -> None:
        """100 ÷ 0.8 = 125, a tenth of it to spare 137.5, so 138; 10 ÷ 0.9 × 1.1 = 12.2, so 13 and not 12 + 2."""
        self.assertEqual(seeds_to_sow(100, 1, 0.8, spare_share=0.1), 138)
        self.assertEqual(seeds_to_sow(10, 1, 0.9, spare_share=0.1), 13)

    @given(st.integers(0, 5000), st.integers(1, 4), st.floats(0.05, 1), st.floats(0.05, 1))
    def test_on_average_enough_come_up_and_one_fewer_would_not_do(self, n: int, k: int, germination: float, field: float) -> None:
        seeds = seeds_to_sow(n, k, germination, field)

        def filled(sown: int) -> float:
            return sown / k * (1 - (1 - germination * field) ** k)

        self.assertGreaterEqual(filled(seeds), n - 1e-6)
        self.assertTrue(seeds == n * k or filled(seeds - 1) < max(n, 1e-9))

    def test_figures_out_of_range_are_refused(self) -> None:
        for given_ in ((-1, 1, 0.8), (1, 0, 0.8), (1, 1, 0.0), (1, 1, 1.2)):
            with self.subTest(given=given_), self.assertRaises(ValueError):
                seeds_to_sow(*given_)


class Materials(TestCase):
    def test_a_label_rate(self) -> None:
        self.assertAlmostEqual(doses.from_rate(50, "kg/ha", 4.0), 20.0)  # 50 kg on 10,000 m² is 5 g/m²
        self.assertAlmostEqual(doses.from_rate(3, "ml/m²", 2.5), 7.5)
        self.assertAlmostEqual(doses.from_rate(20, "t/ha", 1.0), 2000.0)

    def test_a_nutrient_wanted_less_what_the_soil_gives(self) -> None:
        """15 mg/kg in 20 cm of 1300 kg/m³ is 3.9 g/m²; 12 are wanted, 8.1 are lacking, of a 21 % grade 38.57 g/m²."""
        supply = doses.soil_supply_g_m2(15)
        self.assertAlmostEqual(supply, 3.9)
        self.assertAlmostEqual(doses.fertiliser_g(12, 21, 3.36, supply), 8.1 * 3.36 / 0.21)
        self.assertEqual(doses.fertiliser_g(3, 21, 3.36, supply), 0.0)

    def test_layers_tanks_recipes_and_packs(self) -> None:
        self.assertEqual(doses.layer_litres(5, 3.6), 180.0)
        self.assertEqual(doses.tank(40, 0.05, 2.5), (2.0, 5.0))
        self.assertEqual(
            doses.by_parts(60, {"compost": 3, "sand": 1, "leaf mould": 2}), {"compost": 30, "sand": 10, "leaf mould": 20}
        )
        self.assertEqual([doses.packs(v, 40) for v in (0, 40, 40.1)], [0, 1, 2])

    def test_absurd_figures_are_refused(self) -> None:
        for act in (
            lambda: doses.from_rate(1, "lb/acre", 1),
            lambda: doses.from_rate(-1, "kg/ha", 1),
            lambda: doses.fertiliser_g(1, 0, 1),
            lambda: doses.fertiliser_g(1, 101, 1),
            lambda: doses.layer_litres(-1, 1),
            lambda: doses.by_parts(1, {}),
            lambda: doses.by_parts(1, {"a": -1, "b": 2}),
            lambda: doses.packs(1, 0),
            lambda: doses.tank(1, -1, 1),
            lambda: doses.soil_supply_g_m2(-1),
        ):
            with self.assertRaises(ValueError):
                act()
