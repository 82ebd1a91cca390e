"""The protocol with its versions, plots that got something else, entries withdrawn, and levels sown each on its day."""

from datetime import date, timedelta

from django.urls import reverse
from django.utils import timezone

from evarlo.compare.queries import compare
from evarlo.nursery.models import StepDate
from evarlo.people.models import Role
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.forecast import forecast, own_cvs, price_of_a_seed
from evarlo.trials.leaving_out import withdraw_entry
from evarlo.trials.models import Trial
from evarlo.trials.protocol import keep_deviation, keep_protocol, marks_of
from evarlo.ui.refused import Refused
from evarlo.verdicts.models import SignedBoard

STEPS = {"sow": "Two seeds a cell, 1 cm deep", "plant": "", "grow": "15 mm of water a week", "walk": "", "pick": ""}


class Protocols(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.made = world.trial(self.by)
        self.today = timezone.localdate()
        self.client.force_login(self.by)

    def keep(self, since: date = date(2026, 3, 1), why: str = "", **steps: str) -> object:
        return keep_protocol(self.made, STEPS | steps, since, why, self.by)

    def test_versions_are_kept_and_the_same_again_makes_none(self) -> None:
        self.keep()
        self.assertIsNone(self.keep())
        self.keep(grow="20 mm of water a week")
        self.assertEqual([p.steps["grow"][:2] for p in self.made.protocols.all()], ["15", "20"])
        self.assertEqual(marks_of(self.made).changes, ())

    def test_a_change_after_sowing_needs_its_reason_and_is_marked_on_every_comparison(self) -> None:
        self.keep()
        world.sow(self.made, self.by, date(2026, 3, 20))
        world.keep_yields(self.made, self.by, {"Corvane": 5, "Quillet": 7, "OF-17": 5, "Brakewater": 4})
        with self.assertRaises(Refused) as caught:
            self.keep(date(2026, 5, 1), grow="20 mm")
        self.assertEqual(caught.exception.field, "why")
        self.keep(date(2026, 5, 1), "The well ran low", grow="10 mm")
        page = self.client.get(reverse("compare:compare", args=[self.made.slug]))
        self.assertContains(page, "The protocol changed on 1 May 2026 (version 2): The well ran low.")
        with self.assertRaises(Refused) as early:
            self.keep(date(2026, 4, 1), "x", grow="5 mm")
        self.assertEqual(early.exception.field, "since")

    def test_a_plot_that_got_something_else_is_told_in_its_diary_and_on_the_comparison(self) -> None:
        world.keep_yields(self.made, self.by, {"Corvane": 5, "Quillet": 7, "OF-17": 5, "Brakewater": 4})
        url = reverse("trials:deviate", args=[self.made.slug])
        self.client.post(url, {"plots": "101-102, 301", "on": "2026-05-03", "said": "No water for a week"})
        plot = self.made.plots.get(number="102")
        self.assertContains(
            self.client.get(reverse("trials:plot", args=[self.made.slug, plot.pk])), "Other than the protocol: No water for a week."
        )
        page = self.client.get(reverse("compare:compare", args=[self.made.slug]))
        self.assertContains(page, "Plots 101, 102, 301 got something else on 3 May 2026: No water for a week.")
        for typed, said in (
            ({"plots": "999", "on": "2026-05-03", "said": "x"}, "Found “999”. Expected plot numbers"),
            ({"plots": "", "on": "2026-05-03", "said": "x"}, "Expected the plots that got something else"),
            ({"plots": "101", "on": "2026-05-03", "said": ""}, "Expected what was done otherwise"),
            ({"plots": "101", "on": (self.today + timedelta(days=2)).isoformat(), "said": "x"}, "in the future"),
        ):
            with self.subTest(typed=typed):
                self.assertContains(self.client.post(url, typed), said, status_code=422)
        self.assertEqual(keep_deviation([plot], date(2026, 6, 1), "Hoed twice", self.by, self.today), 1)

    def test_the_page_keeps_what_was_typed(self) -> None:
        url = reverse("trials:keep-protocol", args=[self.made.slug])
        wrong = self.client.post(url, {"since": "some day", "sow": "Two seeds a cell"})
        self.assertContains(wrong, "Two seeds a cell", status_code=422)
        self.client.post(url, {"since": "1 Mar 2026", "sow": "Two seeds a cell"})
        self.assertContains(self.client.get(reverse("trials:protocol", args=[self.made.slug])), "Version 1, valid from 1 Mar 2026")
        self.client.force_login(world.person(Role.READER))
        self.assertEqual(self.client.post(url, {"since": "1 Mar 2026"}).status_code, 403)


class Withdrawn(TestCase):
    def test_an_entry_withdrawn_leaves_every_comparison_and_can_come_back(self) -> None:
        by = world.person()
        made = world.trial(by)
        world.keep_yields(made, by, {"Corvane": 5, "Quillet": 7, "OF-17": 5, "Brakewater": 4})
        quillet = made.entries.get(cultivar__name="Quillet")
        self.client.force_login(by)
        url = reverse("trials:withdraw", args=[made.slug])
        self.assertContains(
            self.client.post(url, {"entry": quillet.code, "reason": " "}, follow=True), "why the entry is withdrawn"
        )
        self.client.post(url, {"entry": quillet.code, "reason": "Breeder asked for it back"})
        made = Trial.objects.get(pk=made.pk)
        found = compare(made, world.trait("plot-yield"), by)
        self.assertEqual(len(found.left_out), 3)
        self.assertIn("entry withdrawn: Breeder asked for it back", found.left_out[0].left_out)
        self.assertIsNone(next(s for s in found.results if s.name == "Quillet").mean.lsmean)
        with self.assertRaisesMessage(Refused, "check cannot be withdrawn"):
            withdraw_entry(made.entries.get(is_check=True), "x", timezone.localdate(), by)
        self.assertEqual(withdraw_entry(quillet, "again", timezone.localdate(), by), 0)


class Levels(TestCase):
    def test_each_sowing_date_is_kept_for_its_own_plots(self) -> None:
        by = world.person()
        made = world.trial(by, design="split", factor="Sowing date", levels=("15 Mar", "12 Apr"))
        self.client.force_login(by)
        url = reverse("nursery:sow", args=[made.slug])
        self.client.post(url, {"on": "2026-03-15", "level": "15 Mar"})
        self.client.post(url, {"on": "2026-04-12", "level": "12 Apr", "plots": "101-304"})
        for level, day in (("15 Mar", date(2026, 3, 15)), ("12 Apr", date(2026, 4, 12))):
            on = set(StepDate.objects.filter(plot__trial=made, plot__level=level).values_list("on", flat=True))
            self.assertEqual(on, {day})
        self.assertContains(self.client.post(url, {"on": "2026-04-12", "level": "1 May"}), "Select a valid choice", status_code=422)


class Advice(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.made = world.trial(self.by)
        self.typed = {
            "crop": "bulb fennel",
            "blocks": 4,
            "cv_percent": 12.0,
            "plot_length_m": 2.4,
            "plot_width_m": 1.2,
            "between_rows_cm": 40.0,
            "in_row_cm": 30.0,
        }

    def test_without_an_own_trial_a_usual_figure_is_called_so_with_its_range(self) -> None:
        said = forecast(self.typed, 8).cv_said
        self.assertIn("No own trial of bulb fennel is signed yet, so 12 % from plot to plot is a usual figure.", said)
        self.assertIn("At 9 % it would be", said)

    def test_own_signed_trials_take_its_place_the_newest_board_of_each(self) -> None:
        for cv in (20.0, 9.0):
            SignedBoard.objects.create(
                trial=self.made, by=self.by, at=timezone.now(), lines=[], stood_on={}, figures=[{"cv_percent": cv, "unit": "kg"}]
            )
        other = world.trial(self.by, name="Other")
        SignedBoard.objects.create(
            trial=other, by=self.by, at=timezone.now(), lines=[], stood_on={}, figures=[{"cv_percent": 13.0, "unit": "kg/m²"}]
        )
        self.assertEqual(own_cvs()[self.made.crop_id], [9.0, 13.0])
        said = forecast(self.typed, 8).cv_said
        self.assertIn("2 own trials of bulb fennel varied by 11 % from plot to plot. At 9 % it would be", said)

    def test_seed_and_its_cost_stand_under_the_curve_where_a_price_is_known(self) -> None:
        from evarlo.seeds.services import keep_lot

        entry = self.made.entries.select_related("cultivar")[0]
        self.assertIsNone(price_of_a_seed("Bulb fennel"))
        keep_lot(None, entry.cultivar, {"name": "1", "packet": 100, "price": 5.0}, self.by)
        self.assertEqual(price_of_a_seed("BULB FENNEL"), 0.05)
        found = forecast(self.typed, 8)
        # 8 entries on 4 plots of 3 × 8: 96 stations ÷ 0.765 and a tenth to spare are 138.04, so 139 for each
        self.assertEqual((found.plants, found.seeds), (768, 1112))
        self.assertIn(">56<", str(found.curve))

    def test_the_season_follows_the_typed_days_and_says_what_is_unlikely(self) -> None:
        found = forecast(self.typed | {"sow_on": date(2026, 4, 1), "pick_on": date(2026, 5, 1)}, 8)
        self.assertIn("Plant out: 5 May", str(found.dates))
        self.assertIn("First pick: 1 May, between 20 Jun and 15 Jul", str(found.dates))
        self.assertTrue(any("30 days after sowing" in said for said in found.doubts), found.doubts)
        self.assertIsNone(forecast(self.typed, 8).dates)
