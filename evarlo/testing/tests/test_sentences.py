"""The sentences that pages begin with: one, several and none of each thing, and what is not known."""

from datetime import date
from typing import Any
from unittest import TestCase as Plain

from evarlo.catalogue.models import Crop
from evarlo.events.models import Care
from evarlo.events.words import amount_in_words, kind_in_words, plots_in_words
from evarlo.exchange.words import understood_in_words
from evarlo.seeds.germination import TestResult
from evarlo.seeds.models import GerminationTest, Lot
from evarlo.seeds.queries import Stock
from evarlo.seeds.words import result_in_words, setting_in_words, stock_in_words
from evarlo.trials.models import Plot
from evarlo.trials.words import window_in_words
from trialcore.formats.sheet import SheetPlot, TrialSheet
from trialcore.reckoning.germination import LotAdvice, LotVerdict
from trialcore.reckoning.schedule import SowingWindow


class Sheets(Plain):
    def test_one_block_and_many_are_told_apart(self) -> None:
        plots = tuple(SheetPlot(n, str(n), f"{(n - 1) // 3 + 1}", f"E{n % 3}") for n in range(1, 7))
        self.assertEqual(understood_in_words(TrialSheet(plots)), "6 plots, 3 entries, 2 complete blocks. Every cell could be read.")
        self.assertIn("3 plots, 3 entries, 1 complete block.", understood_in_words(TrialSheet(plots[:3])))


class Seeds(Plain):
    def lot(self, **more: Any) -> Lot:
        return Lot(name="K-17", material="seed", **more)

    def test_a_lot_says_its_best_evidence_only(self) -> None:
        stated = self.lot(germination=90.0, year=2024)
        self.assertEqual(
            stock_in_words(Stock(stated, 120, 1, None)),
            "<strong>120</strong> seeds in stock, 90 % stated to germinate, grown in 2024.",
        )
        self.assertIn(", 72 % germinated in its last test", stock_in_words(Stock(stated, 120, 1, None, (72, 100))))
        self.assertEqual(stock_in_words(Stock(self.lot(), 0, None, None)), "<strong>0</strong> seeds in stock.")

    def result(self, normal: int, verdict: LotVerdict, factor: float = 1.0) -> TestResult:
        lot = self.lot(germination=90.0)
        test = GerminationTest(lot=lot, method="germination", began_on=date(2026, 3, 2), replicates=4, seeds=25, celsius=20.0)
        return TestResult(
            test=test,
            totals={"normal": normal},
            days=(),
            newly=(),
            by_replicate=(),
            lower95=0.683,
            upper95=0.851,
            speed=None,
            alike=None,
            advice=LotAdvice(verdict, normal / 100, 0.683, 0.851, factor),
            fails_on=date(2026, 3, 16),
        )

    def test_a_test_says_what_it_means_for_sowing(self) -> None:
        said = result_in_words(self.result(78, LotVerdict.SOW_THICKER, 1.154))
        self.assertIn("<strong>78 %</strong> germinated normally: 78 of 100, so between 68 and 85 % of the lot", said)
        self.assertIn("its supplier states 90 %. <b>Sow thicker</b>: 1.2 times the usual seed.", said)
        self.assertIn("<b>Sow</b> it as usual.", result_in_words(self.result(78, LotVerdict.SOW)))
        self.assertIn("Reject", result_in_words(self.result(20, LotVerdict.REJECT)))
        self.assertEqual(result_in_words(self.result(0, LotVerdict.SOW)), "Nothing is counted yet of its 100 seeds.")
        self.assertEqual(setting_in_words(self.result(0, LotVerdict.SOW)), "Begun 2 Mar 2026 with 4 × 25 seeds at 20 °C.")


class CareWords(Plain):
    def test_what_follows_from_it_is_said_and_what_was_not_said_is_a_dash(self) -> None:
        made = Care(kind=Care.Kind.SPRAY, pick_days=7, entry_hours=4.5, amount=2.0, unit="ml")
        self.assertEqual(kind_in_words(made), f"{Care.Kind.SPRAY.label}; not picked for 7 days; nobody enters for 4.5 h")
        self.assertEqual((amount_in_words(made), amount_in_words(Care(kind=Care.Kind.WATER))), ("2 ml", "–"))
        plots = [Plot(number=str(n)) for n in range(101, 111)]
        self.assertEqual(plots_in_words(plots, 10), "every plot")
        self.assertEqual(plots_in_words(plots, 48), "101, 102, 103, 104, 105, 106, 107, 108 …")
        self.assertEqual(plots_in_words(plots[:2], 48), "101, 102")


class Windows(Plain):
    crop = Crop(name="Cress")

    def test_only_the_ends_that_are_known_are_named(self) -> None:
        first, best, last = date(2026, 3, 1), date(2026, 3, 20), date(2026, 9, 3)
        said = window_in_words(self.crop, SowingWindow(first, best, last, ("soil from 6 °C", "frost on 1 Oct")))
        self.assertEqual(said, "Cress can be sown here from 1 Mar, best from 20 Mar until 3 Sep: soil from 6 °C; frost on 1 Oct.")
        self.assertIn("here from 1 Mar:", window_in_words(self.crop, SowingWindow(first, first, None, ("x",))))
        self.assertIn("here until 3 Sep:", window_in_words(self.crop, SowingWindow(None, None, last, ("x",))))
        self.assertEqual(window_in_words(self.crop, SowingWindow(None, None, None, ())), "")

    def test_what_heat_leaves_is_said(self) -> None:
        first, last = (date(2026, 3, 1), date(2026, 4, 10)), (date(2026, 8, 2), date(2026, 9, 3))
        hot = "from 11 Apr to 1 Aug the soil is warmer than 22 °C"
        two = window_in_words(self.crop, SowingWindow(first[0], first[0], last[1], ("frost",), None, (first, last), (hot,)))
        self.assertIn(f"Heat parts it in two, sow from 1 Mar to 10 Apr or from 2 Aug to 3 Sep: {hot}.", two)
        none = window_in_words(self.crop, SowingWindow(None, None, None, (), None, (), (hot,)))
        self.assertEqual(none, f"Cress can be sown here at any time but for heat. Heat leaves no part of it: {hot}.")
