"""Raising plants: the balance, sowing again, shortages, fairness, room and hardening off."""

import unittest
from datetime import date, timedelta

from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from trialcore.inference.power import detectable_difference
from trialcore.reckoning.balance import Balance, Event, Kind, balance, together
from trialcore.reckoning.fairness import Fact, audit
from trialcore.reckoning.hardening import Go, Outlook, hardening_steps, planting_day
from trialcore.reckoning.raising_space import Crowded, Stay, crowded, held
from trialcore.reckoning.resow import Advice, chance_of_plants, resowing
from trialcore.reckoning.shortage import Way, plot_cv, ways_out

EVENTS = st.lists(
    st.builds(Event, st.sampled_from(list(Kind)), st.integers(0, 12), st.sampled_from(["slugs", "drought"])), max_size=12
)


def sides(b: Balance) -> int:
    return b.standing + b.missing + sum(b.left.values()) + sum(b.lost.values()) + sum(b.not_up.values()) + b.waiting


class Balances(unittest.TestCase):
    def test_a_season_of_a_tray_adds_up(self) -> None:
        found = balance(
            60,
            [
                Event(Kind.COUNTED, 41),
                Event(Kind.COUNTED, 52),
                Event(Kind.LOST, 3, "slugs"),
                Event(Kind.NOT_UP, 4, "rotted"),
                Event(Kind.COUNTED, 47),
                Event(Kind.PLANTED, 36),
                Event(Kind.GRADED_OUT, 5),
            ],
        )
        self.assertEqual((found.came_up, found.standing, found.missing, found.waiting), (52, 6, 2, 4))
        self.assertEqual(found.left, {Kind.PLANTED: 36, Kind.GRADED_OUT: 5})
        self.assertEqual((found.lost, found.not_up, found.unexplained), ({"slugs": 3}, {"rotted": 4}, 6))
        self.assertEqual(sides(found), 60)

    def test_plants_taken_for_missing_that_return_are_not_counted_as_new(self) -> None:
        found = balance(20, [Event(Kind.COUNTED, 15), Event(Kind.COUNTED, 12), Event(Kind.COUNTED, 16)])
        self.assertEqual((found.came_up, found.missing, found.standing), (16, 0, 16))

    def test_plants_that_leave_uncounted_must_have_come_up(self) -> None:
        self.assertEqual(balance(20, [Event(Kind.PLANTED, 12)]).came_up, 12)

    def test_seedlings_pricked_out_are_the_same_plants_in_other_cells(self) -> None:
        first = balance(40, [Event(Kind.COUNTED, 36), Event(Kind.PRICKED_OUT, 12), Event(Kind.LOST, 2, "slugs")])
        second = balance(12, [Event(Kind.COUNTED, 12), Event(Kind.LOST, 1, "drought")])
        both = together([first, second], pricked_out=12)
        self.assertEqual((both.sown, both.came_up, both.standing, both.left), (40, 36, 33, {}))
        self.assertEqual(sides(both), 40)

    def test_more_than_were_sown_is_refused_in_words(self) -> None:
        with self.assertRaisesRegex(ValueError, "21 counted would make 21 plants up in all, of 20 seeds"):
            balance(20, [Event(Kind.COUNTED, 21)])
        with self.assertRaisesRegex(ValueError, "of 15 seeds that could come up"):
            balance(20, [Event(Kind.COUNTED, 14), Event(Kind.NOT_UP, 5, "eaten"), Event(Kind.COUNTED, 16)])

    @given(st.integers(0, 40), EVENTS)
    def test_it_balances_whatever_happened(self, sown: int, events: list[Event]) -> None:
        try:
            found = balance(sown, events)
        except ValueError:
            return
        self.assertEqual(sides(found), sown)
        self.assertGreaterEqual(min(found.standing, found.missing, found.waiting), 0)
        self.assertEqual(sides(together([found, found])), 2 * sown)


class SowingAgain(unittest.TestCase):
    def test_the_chance_is_that_of_the_two_distributions_together(self) -> None:
        exact = sum(stats.binom.pmf(x, 9, 0.3) * stats.betabinom.sf(20 - 11 - x - 1, 14, 41.5, 10.5) for x in range(10))
        self.assertAlmostEqual(chance_of_plants(20, 11, 9, 0.3, 14, (41.5, 10.5)), float(exact), places=12)
        self.assertAlmostEqual(chance_of_plants(3, 0, 5, 0.4), float(stats.binom.sf(2, 5, 0.4)), places=12)
        self.assertEqual((chance_of_plants(5, 5, 0, 0), chance_of_plants(30, 5, 9, 0.5, 10)), (1.0, 0.0))

    def test_what_to_do_follows_from_chance_stock_and_time(self) -> None:
        today, share = date(2026, 4, 20), (80.5, 20.5)

        def told(alive: int, rest: int, comes: float, stock: int, last: date | None) -> tuple[Advice, int]:
            found = resowing(36, alive, rest, comes, stock, share, today, last)
            return found.advice, found.seeds

        soon, gone = today + timedelta(days=9), today - timedelta(days=1)
        self.assertEqual(told(36, 9, 0.1, 50, gone), (Advice.ENOUGH, 0))
        self.assertEqual(told(30, 20, 0.6, 50, soon)[0], Advice.WAIT)
        self.assertEqual(told(30, 20, 0.05, 50, gone)[0], Advice.TOO_LATE)
        self.assertEqual(told(30, 20, 0.05, 0, soon)[0], Advice.NO_SEED)
        self.assertEqual(told(2, 20, 0.05, 20, soon), (Advice.SOW_THE_REST, 20))
        advice, seeds = told(20, 20, 0.05, 200, None)
        self.assertEqual(advice, Advice.SOW_AGAIN)
        self.assertGreaterEqual(chance_of_plants(36, 20, 20, 0.05, seeds, share), 0.9)
        self.assertLess(chance_of_plants(36, 20, 20, 0.05, seeds - 1, share), 0.9)

    def test_a_lot_tested_on_few_seeds_asks_for_more(self) -> None:
        def seeds(share: tuple[float, float]) -> int:
            return resowing(36, 0, 0, 0.0, 500, share, date(2026, 4, 20), None).seeds

        self.assertGreater(seeds((8.5, 2.5)), seeds((800.5, 200.5)))
        with self.assertRaises(ValueError):
            chance_of_plants(5, 1, 2, 1.5)


class Shortages(unittest.TestCase):
    def test_each_way_out_costs_what_its_design_says(self) -> None:
        found = {c.way: c for c in ways_out({"A": 300, "B": 90, "C": 144}, "B", 36, 4, 12.0, 3)}
        usual = detectable_difference(12, 4, 3)
        self.assertAlmostEqual(found[Way.AS_PLANNED].tells or 0, usual, places=6)
        self.assertEqual((found[Way.FEWER_A_PLOT].plants, found[Way.FEWER_BLOCKS].plots), (22, 2))
        self.assertAlmostEqual(found[Way.FEWER_A_PLOT].tells or 0, usual * (36 / 22) ** 0.25, places=6)
        block = found[Way.FEWER_BLOCKS].tells or 0
        df, se = 3 * 2 - 2, 12 * (1 / 2 + 1 / 4) ** 0.5
        bound = stats.t.ppf(0.975, df)
        power = stats.nct.sf(bound, df, block / se) + stats.nct.cdf(-bound, df, block / se)
        self.assertAlmostEqual(float(power), 0.8, places=6)
        self.assertEqual(found[Way.THINNER_PLOTS].plants, 22)
        self.assertGreater(found[Way.THINNER_PLOTS].tells or 0, usual)
        self.assertEqual(found[Way.BOUGHT].tells, found[Way.AS_PLANNED].tells)

    def test_no_plant_at_all_leaves_what_can_be_told_empty(self) -> None:
        found = {c.way: c for c in ways_out({"A": 300, "B": 3}, "B", 36, 4, 12.0, 2)}
        self.assertNotIn(Way.THINNER_PLOTS, found)
        self.assertIsNone(found[Way.FEWER_BLOCKS].tells)
        with self.assertRaises(ValueError):
            ways_out({"A": 3}, "A", 36, 1, 12.0, 2)
        with self.assertRaises(ValueError):
            plot_cv(12, 0, 5)


class Fairness(unittest.TestCase):
    def test_alike_says_nothing_also_where_all_had_two_of_a_kind(self) -> None:
        facts = [Fact("tray", e, t, 18) for e in "ABCD" for t in ("T1", "T2")]
        self.assertEqual(audit(facts), [])

    def test_one_that_stood_apart_comes_before_one_that_overlaps(self) -> None:
        facts = [Fact("tray", e, t, 18) for e in "ABC" for t in ("T1", "T2")]
        facts += [Fact("tray", "D", "T1", 36), Fact("tray", "E", "T9", 36)]
        found = audit(facts)
        self.assertEqual(
            [(u.entries, u.theirs, u.usual, u.apart) for u in found],
            [
                (("E",), ("T9",), ("T1", "T2"), True),
                (("D",), ("T1",), ("T1", "T2"), False),
            ],
        )

    def test_a_share_far_off_is_said_with_its_figures(self) -> None:
        facts = [Fact("person", e, p, 18) for e in "ABCD" for p in ("Ines", "Pell")]
        facts += [Fact("person", "E", "Ines", 34), Fact("person", "E", "Pell", 2)]
        found = audit(facts)
        self.assertEqual([(u.entries, u.apart) for u in found], [(("E",), False)])
        self.assertEqual(found[0].theirs, ("94 % Ines", "6 % Pell"))


class Room(unittest.TestCase):
    def test_days_on_which_it_is_too_much_are_joined(self) -> None:
        day = [date(2026, 4, d) for d in range(1, 30)]
        stays = [Stay("fennel", 6, day[0], day[20]), Stay("radicchio", 4, day[5], day[12]), Stay("pots", 1, day[12], None)]
        self.assertEqual([held(stays, day[n]) for n in (0, 5, 12, 25)], [6, 10, 7, 1])
        found = crowded(stays, 6)
        self.assertEqual(found, [Crowded(day[5], day[19], 10, ("fennel", "radicchio", "pots"))])
        self.assertEqual(crowded(stays, 10), [])
        self.assertIsNone(crowded([Stay("pots", 3, day[0])], 2)[0].until)
        with self.assertRaises(ValueError):
            crowded([Stay("pots", 3, day[4], day[4])], 2)


class Hardening(unittest.TestCase):
    def test_steps_end_the_day_before_planting_and_only_grow(self) -> None:
        plant = date(2026, 5, 4)
        steps = hardening_steps(plant, 7)
        self.assertEqual((steps[0].on, steps[-1].on), (plant - timedelta(days=7), plant - timedelta(days=1)))
        hours = [s.hours for s in steps]
        self.assertEqual((hours[0], hours[-1]), (2.0, 24.0))
        self.assertEqual(hours, sorted(hours))
        for wrong in (2, 31):
            with self.assertRaises(ValueError):
                hardening_steps(plant, wrong)

    def test_frost_chill_wind_and_wet_each_have_their_word(self) -> None:
        def word(outlook: Outlook, frost: str = "half-hardy", hurt: float | None = 3.0, hardened: bool = True) -> Go:
            return planting_day(outlook, frost, hurt, hardened)[0]

        self.assertEqual(word(Outlook(8, 18)), Go.GO)
        self.assertEqual(word(Outlook(-6, 8)), Go.WAIT)
        self.assertEqual(word(Outlook(-3, 8)), Go.PROTECT)
        self.assertEqual(word(Outlook(2, 12)), Go.PROTECT)
        self.assertEqual((word(Outlook(-1, 9), "hardy", None), word(Outlook(-5, 9), "hardy", None, False)), (Go.GO, Go.PROTECT))
        self.assertEqual(
            (word(Outlook(9, 18, wind=15)), word(Outlook(9, 18, rain=60)), word(Outlook(15, 33))), (Go.PROTECT, Go.WAIT, Go.PROTECT)
        )
        for outlook, frost in ((Outlook(10, 5), "hardy"), (Outlook(1, 5), "arctic")):
            with self.assertRaises(ValueError):
                planting_day(outlook, frost)
