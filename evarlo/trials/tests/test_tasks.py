"""The tasks of a season: when they fall, what moves with what, what clashes, and what a calendar program gets."""

from datetime import date, datetime, time, timedelta
from typing import Any

from django.urls import reverse
from django.utils import timezone
from icalendar import Calendar

from evarlo.catalogue.models import Claim, Crop
from evarlo.events.care import Done, keep_care
from evarlo.grounds.models import Site
from evarlo.grounds.weather import Record, keep_days
from evarlo.people.models import Role, User
from evarlo.seeds.services import keep_lot, move_stock
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial
from evarlo.trials.task_services import add_task, bring_back_tasks, drop_task, finish_task, move_task
from evarlo.trials.tasks import Line, _usually_warm, dated_levels, season_tasks
from evarlo.ui.refused import Refused
from trialcore.field.weather import Day, simulated_days

SOW = date(2026, 4, 1)


class Seasons(TestCase):
    """Bulb fennel: raised 28 to 40 days, ready 80 to 105 days after sowing, comes up after 8 to 14."""

    def setUp(self) -> None:
        self.by = world.person()
        self.made = world.trial(self.by, sow_on=SOW)
        self.today = timezone.localdate()
        self.client.force_login(self.by)

    def days(self) -> dict[str, date]:
        made = Trial.objects.get(pk=self.made.pk)
        return {line.key: d.on for line, d in season_tasks(made).dated}

    def test_everything_is_counted_from_sowing(self) -> None:
        days = self.days()
        self.assertEqual(days["plant"], SOW + timedelta(days=34))
        self.assertEqual(days["harden"], SOW + timedelta(days=27))
        self.assertEqual(days["pick"], SOW + timedelta(days=92))

    def test_tubers_are_set_out_to_sprout_weeks_before(self) -> None:
        self.assertNotIn("prepare", self.days())
        Trial.objects.filter(pk=self.made.pk).update(crop=Crop.objects.get(name="Potato"))
        self.assertEqual(self.days()["prepare"], SOW - timedelta(days=35))

    def test_moving_sowing_moves_what_follows_also_where_a_day_was_set(self) -> None:
        move_task(self.made, "plant", date(2026, 5, 10), self.by)
        moved = move_task(self.made, "sow", SOW + timedelta(days=6), self.by)
        self.assertEqual(set(moved.values()), {6})
        self.assertLessEqual({"sow", "plant", "harden", "pick", "emergence", "stand"}, set(moved))
        self.made.refresh_from_db()
        self.assertEqual((self.made.sow_on, self.made.plant_on), (date(2026, 4, 7), date(2026, 5, 16)))
        self.assertIn("Sow: moved by +6 days.", [d.said for d in self.made.deeds.all()])

    def test_what_was_really_sown_counts(self) -> None:
        world.sow(self.made, self.by, date(2026, 4, 11))
        self.assertEqual(self.days()["plant"], date(2026, 5, 15))
        with self.assertRaisesMessage(Refused, "done already"):
            move_task(self.made, "sow", date(2026, 4, 20), self.by)

    def test_a_set_day_goes_back_to_where_it_is_reckoned(self) -> None:
        move_task(self.made, "stand", date(2026, 6, 30), self.by)
        self.assertEqual(self.days()["stand"], date(2026, 6, 30))
        move_task(self.made, "stand", None, self.by)
        self.assertEqual(self.days()["stand"], SOW + timedelta(days=48))

    def test_an_own_task_follows_another_or_waits_for_the_plants(self) -> None:
        add_task(self.made, "Earth up", None, "plant", 20, "", self.by)
        add_task(self.made, "Tie in", None, "", 0, "30 cm high", self.by)
        self.assertEqual(self.days()["own-1"], SOW + timedelta(days=54))
        season = season_tasks(Trial.objects.get(pk=self.made.pk))
        self.assertEqual([(line.what, line.said) for line in season.waiting], [("Tie in", "30 cm high")])
        for given, field in (((None, "", 0, ""), "on"), ((None, "nothing", 0, ""), "after")):
            with self.assertRaises(Refused) as caught:
                add_task(self.made, "Later", *given, self.by)
            self.assertEqual(caught.exception.field, field)

    def test_a_task_is_finished_taken_off_and_put_back(self) -> None:
        finish_task(self.made, "emergence", date(2026, 4, 13), self.by, self.today)
        drop_task(self.made, "harden", self.by)
        self.assertNotIn("harden", self.days())
        season = season_tasks(Trial.objects.get(pk=self.made.pk))
        self.assertEqual({line.key: line.done_on for line in season.lines}["emergence"], date(2026, 4, 13))
        bring_back_tasks(self.made)
        self.assertIn("harden", self.days())
        with self.assertRaises(Refused):
            drop_task(self.made, "sow", self.by)
        with self.assertRaises(Refused):
            finish_task(self.made, "pick", SOW, self.by, self.today)
        with self.assertRaisesMessage(Refused, "in the future"):
            finish_task(self.made, "stand", self.today + timedelta(days=1), self.by, self.today)

    def test_levels_that_are_days_are_sown_each_on_its_own(self) -> None:
        made = world.trial(self.by, name="Dates", sow_on=SOW, design="split", factor="Sowing date", levels=("1 Apr", "24 Apr"))
        self.assertEqual([day for _, day in dated_levels(made)], [SOW, date(2026, 4, 24)])
        self.assertEqual({line.what: d.on for line, d in season_tasks(made).dated}["Sow 24 Apr"], date(2026, 4, 24))
        other = world.trial(self.by, name="Spacing", sow_on=SOW, design="split", factor="Spacing", levels=("20 cm", "30 cm"))
        self.assertEqual(dated_levels(other), [])

    def test_clashes_with_the_weather_on_record_are_said_with_their_figures(self) -> None:
        site = Site.objects.get()
        Site.objects.filter(pk=site.pk).update(latitude=53.4)
        keep_days(site, simulated_days(53.4, date(2016, 1, 1), 3650, seed=3, gaps=False), "station")
        crop = Crop.objects.get(name="Edamame soybean")
        early = world.trial(self.by, name="Early", crop=crop, sow_on=date(2026, 3, 1))
        season = season_tasks(early)
        assert season.window.earliest and season.window.latest
        self.assertTrue(any("Sowing on 1 Mar is earlier than" in said for said in season.conflicts), season.conflicts)
        late = world.trial(self.by, name="Late", crop=crop, sow_on=date(2026, 9, 1))
        said = " ".join(season_tasks(late).conflicts)
        self.assertIn(f"Sowing on 1 Sep is later than {season.window.latest:%-d %b}", said)
        self.assertIn("picked for 7 days before frost comes again", said)

    def test_warm_nights_at_flowering_and_soil_too_warm_to_sow_are_said(self) -> None:
        """Two made-up years of days alike but for every fourth night of July, which stays at 23 °C, and the soil of August."""
        days = [date(2023, 12, 31) + timedelta(days=n) for n in range(1, 731)]
        made = [
            Day(day, 23.0 if day.month == 7 and day.day % 4 == 0 else 14.0, 26.0, 0.0, 31.0 if day.month == 8 else 19.0)
            for day in days
        ]
        keep_days(Site.objects.get(), made, "station")
        tomato = Crop.objects.get(name="Tomato")
        self.assertEqual((tomato.profile["night_limit_c"], tomato.profile["flower_days"]), (21, [50, 70]))
        trial = world.trial(self.by, name="Nights", crop=tomato, sow_on=date(2026, 5, 10))  # flowers 29 Jun to 19 Jul
        said = " ".join(season_tasks(trial).conflicts)
        self.assertNotIn("of days on record were warmer", said)
        self.assertNotIn("of nights on record", said)  # 4 of 21 nights are 19 %
        trial = world.trial(self.by, name="More nights", crop=tomato, sow_on=date(2026, 5, 13))  # 2 to 22 July: 5 of 21
        self.assertIn("24 % of nights on record were warmer than 21 °C", " ".join(season_tasks(trial).conflicts))
        spinach = Crop.objects.get(name="Spinach")
        top = spinach.profile["soil_c"][1]
        for on, warm in ((date(2026, 8, 15), "100 %"), (date(2026, 7, 28), "27 %"), (date(2026, 7, 25), "")):  # 15 days about it
            trial = world.trial(self.by, name=f"Leaves {on}", crop=spinach, sow_on=on)
            said = " ".join(season_tasks(trial).conflicts)
            if warm:
                self.assertIn(f"the soil was warmer than {top:g} °C on {warm} of days on record", said)
            else:
                self.assertNotIn("the soil was warmer", said)

    def test_sowing_is_counted_back_from_a_market_day(self) -> None:
        url = reverse("trials:calendar-page", args=[self.made.slug])
        page = self.client.get(url, {"market": "2026-09-12", "keeps": "14"})
        self.assertContains(page, "a late cultivar of 105 days is sown by 30 May, an early one of 80 days by 24 Jun 2026.")
        self.assertContains(page, "Kept for up to 14 days, it can be sown from 16 May.")
        self.assertContains(self.client.get(url, {"market": "harvest home"}), "Found “harvest home”. Expected a date")

    def test_sowings_that_follow_each_other_go_by_the_warmth_on_record(self) -> None:
        url = reverse("trials:calendar-page", args=[self.made.slug])
        asked = {"market": "", "times": "3", "every": "14"}
        page = self.client.get(url, asked)
        self.assertContains(page, "every day counted alike")
        self.assertContains(page, "15 Apr 2026")
        Site.objects.update(latitude=53.4)
        keep_days(Site.objects.get(), simulated_days(53.4, date(2020, 1, 1), 1500, seed=3, gaps=False), "station")
        warm = self.client.get(url, asked)
        self.assertContains(warm, "by degree days above 6 °C, the mean of 5 years on record")
        first, second, third = (sown for sown, _ in warm.context["sowings"].days)
        self.assertGreater(second - first, timedelta(days=14))  # spring: what is sown later catches up
        self.assertGreater(third, second)

    def test_the_page_moves_finishes_and_adds(self) -> None:
        url = reverse("trials:calendar-page", args=[self.made.slug])
        self.assertContains(self.client.get(url), "Begin hardening off")

        def at(name: str, key: str) -> str:
            return reverse(f"trials:{name}", args=[self.made.slug, key])

        moved = self.client.post(at("move-task", "sow"), {"on": "2026-04-04"}, follow=True)
        self.assertContains(moved, "Sow moved by +3 days.")
        self.assertContains(moved, "Plant out +3")
        self.assertContains(self.client.post(at("move-task", "sow"), {"on": "soon"}, follow=True), "Found “soon”. Expected a date")
        self.assertContains(
            self.client.post(at("move-task", "sow"), {"on": ""}, follow=True), "Sowing is what everything is counted from"
        )
        self.assertContains(self.client.post(at("move-task", "nobody"), {"on": "2026-04-04"}, follow=True), "cannot be moved")
        self.client.post(at("finish-task", "emergence"), {"on": "2026-04-15"})
        self.assertContains(self.client.get(url), "done 15 Apr")
        wrong = self.client.post(reverse("trials:add-task", args=[self.made.slug]), {"what": "Net", "days": "x"})
        self.assertContains(wrong, "Found “x”", status_code=422)
        self.assertContains(wrong, 'value="Net"', status_code=422)
        self.client.force_login(world.person(Role.HELPER))
        self.assertEqual(self.client.post(at("move-task", "sow"), {"on": "2026-04-04"}).status_code, 403)
        self.assertEqual(self.client.post(at("finish-task", "stand"), {"on": "2026-05-15"}).status_code, 302)

    def test_a_feed_needs_no_log_in_but_its_own_address(self) -> None:
        self.client.post(reverse("trials:new-feed", args=[self.made.slug]))
        key = User.objects.get(pk=self.by.pk).calendar_key
        self.client.logout()
        answer = self.client.get(reverse("trials:feed", args=[key]))
        events = Calendar.from_ical(answer.content).walk("VEVENT")
        self.assertIn("Sow: Fennel", [str(e["summary"]) for e in events])
        self.assertNotIn(b"Quillet", answer.content)
        self.assertEqual(self.client.get(reverse("trials:feed", args=["wrong"])).status_code, 404)
        self.client.force_login(self.by)
        self.client.post(reverse("trials:new-feed", args=[self.made.slug]))
        self.client.logout()
        self.assertEqual(self.client.get(reverse("trials:feed", args=[key])).status_code, 404)

    def test_south_of_the_equator_the_soil_warms_in_their_spring(self) -> None:
        days = tuple(simulated_days(-41.0, date(2016, 1, 1), 3650, seed=3, gaps=False))
        found = _usually_warm(Record(days, (), None), 13.0, -41.0)
        assert found is not None
        self.assertTrue("09-01" < found < "12-15", found)
        north = _usually_warm(Record(tuple(simulated_days(53.4, date(2016, 1, 1), 3650, seed=3, gaps=False)), (), None), 10.0, 53.4)
        assert north is not None
        self.assertTrue("03-01" < north < "06-15", north)


class Triggers(TestCase):
    """A fennel trial sown a hundred days ago, of twelve plots."""

    def setUp(self) -> None:
        self.by = world.person()
        self.made = world.trial(self.by, sow_on=world.SOWN)
        world.sow(self.made, self.by)
        self.client.force_login(self.by)

    def line(self, what: str) -> Line:
        return next(x for x in season_tasks(Trial.objects.get(pk=self.made.pk)).lines if x.what == what)

    def add(self, **typed: str) -> Any:
        return self.client.post(reverse("trials:add-task", args=[self.made.slug]), {"what": "Tie up", **typed}, follow=True)

    def test_a_height_makes_a_task_due_when_half_of_the_plots_are_so_far(self) -> None:
        self.assertContains(self.add(trait="vigour", reaches=""), "Expected how far vigour has to come", status_code=422)
        page = self.add(trait="vigour", reaches="5", share="half", days="3")
        self.assertContains(page, "3 days after vigour reaches 5")
        self.assertIsNone(self.line("Tie up").dated)
        walked = world.walk(self.made, "vigour", self.by)
        for plot in self.made.plots.all()[:5]:
            world.keep(walked, plot, self.by, 6)
        self.assertIsNone(self.line("Tie up").dated)
        world.keep(walked, self.made.plots.all()[5], self.by, 5)
        dated = self.line("Tie up").dated
        assert dated is not None
        self.assertEqual(dated.on, world.TODAY + timedelta(days=3))

    def test_the_first_plot_that_shows_a_stage_is_enough_where_that_is_said(self) -> None:
        self.add(trait="first-flower", share="first", days="20")
        walked = world.walk(self.made, "first-flower", self.by)
        world.keep(walked, self.made.plots.all()[3], self.by, day=world.SOWN + timedelta(days=60))
        dated = self.line("Tie up").dated
        assert dated is not None
        self.assertEqual(dated.on, world.SOWN + timedelta(days=80))

    def test_care_of_its_kind_closes_it(self) -> None:
        self.add(on=world.TODAY.isoformat(), care="support")
        self.assertIsNone(self.line("Tie up").done_on)
        for kind, on in (("water", world.TODAY), ("support", world.TODAY - timedelta(days=30)), ("support", world.TODAY)):
            at = timezone.make_aware(datetime.combine(on, time(12)))
            keep_care(self.made, list(self.made.plots.all()), Done(kind, "Strings", at), self.by, timezone.now())
        self.assertEqual(self.line("Tie up").done_on, world.TODAY)

    def test_an_order_is_done_with_a_lot_received_and_comes_before_sprouting(self) -> None:
        made = world.trial(self.by, name="Tubers", sow_on=world.TODAY + timedelta(days=120))
        Crop.objects.filter(pk=made.crop_id).update(profile={"germination": "tuber"})
        lines = {x.key: x for x in season_tasks(Trial.objects.get(pk=made.pk)).lines}
        order, prepare = lines["order"].dated, lines["prepare"].dated
        assert order and prepare
        self.assertLess(order.latest, prepare.earliest)
        self.assertIsNone(lines["order"].done_on)
        entry = made.entries.select_related("cultivar")[0]
        lot = keep_lot(None, entry.cultivar, {"name": "7", "material": "tubers"}, self.by)
        move_stock(lot, "received", 60, world.TODAY, self.by, world.TODAY)
        again = {x.key: x for x in season_tasks(Trial.objects.get(pk=made.pk)).lines}
        self.assertEqual(again["order"].done_on, world.TODAY)

    def test_claimed_days_stand_beside_the_profiles_without_a_name(self) -> None:
        for entry, days in zip(self.made.entries.select_related("cultivar"), (78.0, 95.0), strict=False):
            Claim.objects.create(cultivar=entry.cultivar, says="early", trait=world.trait("days-to-first-pick"), value=days)
        first, last = (world.SOWN + timedelta(days=n) for n in (78, 95))
        said = f"Catalogues claim first picks 78 to 95 days after sowing for 2 of its entries: {first:%-d %b} to {last:%-d %b}."
        self.assertContains(self.client.get(reverse("trials:calendar-page", args=[self.made.slug])), said)
