"""Events: who was reached, the rule written before anybody looks, accident or weakness, and what comparisons say of it."""

from datetime import date, timedelta

from django.urls import reverse
from django.utils import timezone

from evarlo.catalogue.models import Crop
from evarlo.events.events import (
    HitLine,
    call,
    did_nothing,
    due,
    follow_rule,
    keep_event,
    lines_of,
    looked_at,
    marks,
    proposals,
    withdraw_event,
)
from evarlo.events.models import Event
from evarlo.events.rules import Rule, keep_rule, ruled
from evarlo.grounds.models import Site, WeatherDay
from evarlo.nursery.stand import mark_station
from evarlo.people.models import Role
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial
from evarlo.trials.queries import diary_of, left_out
from evarlo.ui.refused import Refused
from evarlo.walks.services import begin_round
from trialcore.field.weather import Day, spells


class Storm(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.made = world.trial(self.by)
        world.sow(self.made, self.by)
        self.today = timezone.localdate()
        self.plots = list(self.made.plots.select_related("entry", "trial")[:4])

    def event(self, rule: Rule = Rule(60, 30), recover: int | None = 10) -> Event:  # noqa: B008
        return keep_event(
            self.made, "hail", self.today - timedelta(days=2), "From the west", self.plots, recover, rule, self.by, self.today
        )

    def score(self, event: Event, damage: tuple[float, ...]) -> None:
        assert event.damage
        begin_round(event.damage, self.today, self.by)
        for plot, value in zip(self.plots, damage, strict=False):
            world.keep(event.damage, plot, self.by, value)


class Judging(Storm):
    def test_damage_and_recovery_are_put_on_the_calendar_for_the_plots_reached(self) -> None:
        event = self.event()
        assert event.damage and event.recovery
        self.assertEqual((event.damage.due_on, event.damage.only), (self.today, [p.pk for p in self.plots]))
        self.assertEqual((event.recovery.trait.key, event.recovery.due_on), ("recovery", self.today + timedelta(days=8)))
        self.assertEqual(next(iter(due(self.today + timedelta(days=1)))).amount, "4 plots")

    def test_the_rule_cannot_be_written_after_looking(self) -> None:
        event = self.event(Rule())
        keep_rule(event, Rule(50, None), self.by)
        self.score(event, (40,))
        with self.assertRaisesMessage(Refused, "would fit what was seen"):
            keep_rule(event, Rule(30, None), self.by)
        event.refresh_from_db()
        self.assertEqual(event.pull_over, 50)

    def test_the_rule_is_read_as_it_is_written(self) -> None:
        rule = Rule(60, 30)
        for damage, recovery, said in (
            (None, None, "wait"),
            (60, None, "keep"),
            (61, None, "wait"),
            (61, 29, "pull"),
            (61, 30, "keep"),
        ):
            self.assertEqual(ruled(rule, damage, recovery), said, (damage, recovery))
        self.assertEqual((ruled(Rule(60), 61, None), ruled(Rule(), 99, 0)), ("pull", ""))

    def test_an_accident_leaves_out_and_a_weakness_counts_each_with_its_reason(self) -> None:
        event = self.event()
        hits = list(event.hits.all())
        with self.assertRaisesMessage(Refused, "in a few words why"):
            call(hits[:1], "accident", " ", self.by, self.today)
        call(hits[:1], "accident", "A branch fell on it", self.by, self.today)
        call(hits[1:2], "weakness", "Soft leaves, the others stood", self.by, self.today)
        self.assertEqual(left_out([self.made]), {self.plots[0].pk})
        said = " ".join(marks(self.made))
        self.assertIn(f"{self.plots[0].number} judged an accident and left out", said)
        self.assertIn(f"{self.plots[1].number} judged a weakness and counted", said)
        self.assertIn("not judged yet, counted so far", said)
        diary = " ".join(line.text for line in diary_of(self.plots[0], True))
        self.assertIn("A branch fell on it", diary)
        call(hits[:1], "weakness", "It was no branch", self.by, self.today)
        self.assertEqual(left_out([self.made]), set())

    def test_taken_back_everything_counts_again_and_what_was_scored_stays(self) -> None:
        event = self.event()
        self.score(event, (40, 20))
        call(list(event.hits.all())[:1], "accident", "A branch fell on it", self.by, self.today)
        withdraw_event(event, self.by)
        self.assertEqual((left_out([self.made]), list(marks(self.made)), lines_of(self.made)), (set(), [], []))
        self.assertEqual(self.plots[0].observations.count(), 1)

    def test_what_cannot_be(self) -> None:
        day = self.today
        for plots, on, recover, rule, said in (
            ([], day, 5, Rule(), "Expected the plots"),
            (self.plots, world.SOWN - timedelta(1), 5, Rule(), "were sown on"),
            (self.plots, day + timedelta(1), 5, Rule(), "in the future"),
            (self.plots, day, None, Rule(50, 20), "after how many days"),
            (self.plots, day, 5, Rule(None, 20), "over how much damage"),
        ):
            with self.subTest(said=said), self.assertRaisesMessage(Refused, said):
                keep_event(self.made, "hail", on, "", plots, recover, rule, self.by, day)
        loose = world.trial(self.by, fixed=False, name="Loose")
        with self.assertRaisesMessage(Refused, "Fix the layout"):
            keep_event(loose, "hail", day, "", list(loose.plots.all()), None, Rule(), self.by, day)
        self.assertEqual(Event.objects.count(), 0)


class ByTheRule(Storm):
    def test_it_leaves_out_and_keeps_with_the_figures_as_the_reason(self) -> None:
        event = self.event(Rule(60, None))
        with self.assertRaisesMessage(Refused, "score the damage first"):
            follow_rule(event, self.by, self.today)
        self.score(event, (72, 60, 10))
        pulled, kept = follow_rule(event, self.by, self.today)
        numbers = [p.number for p in self.plots]
        self.assertEqual([h.hit.plot.number for h in pulled], numbers[:1])
        self.assertEqual([h.hit.plot.number for h in kept], numbers[1:3])  # 60 is not over 60; the fourth is not scored
        self.assertEqual(left_out([self.made]), {self.plots[0].pk})
        hit = event.hits.get(plot=self.plots[0])
        self.assertEqual((hit.called, hit.reason), ("accident", "By the rule: damage 72 %, over 60"))
        self.assertIn(f"{numbers[1]}, {numbers[2]} kept by the rule and counted", " ".join(marks(self.made)))
        with self.assertRaises(Refused):
            follow_rule(event, self.by, self.today)

    def test_an_entry_that_loses_most_of_its_plots_is_asked_about(self) -> None:
        self.plots = list(self.made.plots.filter(entry__cultivar__name="Quillet").select_related("entry", "trial"))
        event = self.event(Rule(60, None))
        self.score(event, (80, 80, 80))
        self.client.force_login(self.by)
        page = self.client.get(reverse("events:events", args=[self.made.slug]))
        self.assertContains(page, "Quillet 3 of 3")
        self.assertContains(page, "a weakness of the cultivar and no accident")
        answer = self.client.post(reverse("events:follow", args=[self.made.slug, event.pk]), follow=True)
        self.assertContains(answer, "By the rule: 3 plots left out, 0 plots kept.")
        self.client.force_login(world.person(Role.HELPER))
        self.assertEqual(self.client.post(reverse("events:follow", args=[self.made.slug, event.pk])).status_code, 403)


class WhichPlantsLive(Storm):
    def plants(self, rule: Rule, recover: int | None = None, days: int = 6) -> Event:
        on = self.today - timedelta(days=days)
        return keep_event(self.made, "frost", on, "", self.plots, recover, rule, self.by, self.today, by_plants=True)

    def mark(self, n: int, what: str, *stations: int, ago: int = 0) -> None:
        for station in stations:
            mark_station(self.plots[n], station, what, self.today - timedelta(days=ago), self.by, self.today)

    def line(self, n: int) -> HitLine:
        return next(h for h in lines_of(self.made)[0].hits if h.hit.plot_id == self.plots[n].pk)

    def test_damage_is_the_share_of_plants_and_a_gap_from_before_is_none_of_it(self) -> None:
        """Of 18 stations one was empty before: 17 stood. Four are hurt, one of them dead: 4 ÷ 17 = 23.5 %."""
        self.assertEqual(world.spacing(self.made).plants, 18)
        self.mark(0, "gap", 17, ago=9)
        event = self.plants(Rule(20, None))
        self.assertEqual((event.damage, event.recovery), (None, None))
        self.assertEqual((self.line(0).lives, self.line(0).ruled), (None, "wait"))
        self.mark(0, "hurt", 0, 1, 2)
        self.mark(0, "gap", 3)
        looked_at([event.hits.get(plot=self.plots[1])], self.by, self.today)
        found = self.line(0)
        assert found.lives and found.damage
        self.assertEqual((found.lives.stood, found.lives.hurt, found.lives.dead, found.lives.back), (17, 4, 1, 0))
        self.assertAlmostEqual(found.damage, 100 * 4 / 17)
        self.assertEqual((found.ruled, self.line(1).ruled, self.line(1).damage, self.line(2).ruled), ("pull", "keep", 0, "wait"))
        with self.assertRaisesMessage(Refused, "would fit what was seen"):
            keep_rule(event, Rule(50, None), self.by)

    def test_recovery_is_the_share_of_the_hurt_that_are_there_again_and_is_waited_for(self) -> None:
        self.plants(Rule(20, 50), recover=10)
        self.mark(0, "hurt", 0, 1, 2, 3)
        self.mark(0, "back", 0, 1)
        self.assertEqual((self.line(0).recovery, self.line(0).ruled), (None, "wait"))
        Event.objects.update(on=self.today - timedelta(days=10))
        self.assertEqual((self.line(0).recovery, self.line(0).ruled), (50.0, "keep"))
        self.mark(0, "hurt", 1)
        self.assertEqual((self.line(0).recovery, self.line(0).ruled), (25.0, "pull"))

    def test_plots_to_be_looked_at_are_due_until_they_are(self) -> None:
        event = self.plants(Rule(20, 50), recover=5)  # six days ago: recovery shows since yesterday

        def walk() -> list[str]:
            return [d.amount for d in due(self.today) if d.verb == "Walk"]

        self.assertEqual(walk(), ["4 plots"])
        looked_at(list(event.hits.all()[:3]), self.by, self.today)
        self.mark(3, "hurt", 5, ago=3)  # before recovery could show
        self.assertEqual(walk(), ["1 plot"])
        self.mark(3, "back", 5)
        self.assertEqual(walk(), [])

    def test_the_page_asks_for_plants_and_takes_those_looked_at(self) -> None:
        self.client.force_login(self.by)
        at = [self.made.slug]
        typed = {"kind": "frost", "on": self.today.isoformat(), "plots": "101-103", "judged": "plants", "pull_over": "50"}
        self.client.post(reverse("events:new-event", args=at), typed)
        event = Event.objects.get()
        self.assertTrue(event.by_plants)
        page = self.client.get(reverse("events:events", args=at))
        self.assertContains(page, "look and mark", 3)
        hit = event.hits.get(plot__number="102")
        self.client.post(reverse("events:looked", args=[*at, event.pk]), {"hit": hit.pk})
        self.assertContains(self.client.get(reverse("events:events", args=at)), "none of 18 hurt")
        none = self.client.post(reverse("events:looked", args=[*at, event.pk]), {})
        self.assertContains(none, "Tick the plots that were looked at", status_code=422)


class ByTheWeather(Storm):
    def test_spells_are_runs_of_days_that_hurt(self) -> None:
        start = date(2026, 5, 1)
        days = [Day(start + timedelta(n), 4, 18, 2, 10) for n in range(30)]
        days[3] = Day(days[3].day, -1.5, 9, 0, 5)
        days[4] = Day(days[4].day, -3.0, 8, 0, 5)
        days[9] = Day(days[9].day, 8, 15, 55, 10)
        days[20] = Day(days[20].day, 15, 36, 2, 15)
        found = [(s.kind, (s.first - start).days, (s.last - start).days, s.figure) for s in spells(days, heat_c=32)]
        self.assertEqual(found, [("frost", 3, 4, -3.0), ("flood", 9, 9, 55.0), ("heat", 20, 20, 36.0)])
        dry = [Day(start + timedelta(n), 4, 18, 0.2, 10) for n in range(15)]
        self.assertEqual([(s.kind, s.figure) for s in spells(dry)], [("drought", 15.0)])
        self.assertEqual(spells(dry[:13]), [])
        with self.assertRaises(ValueError):
            spells(days[::-1])

    def test_the_record_proposes_and_what_was_answered_is_not_proposed_again(self) -> None:
        assert self.made.bed
        Crop.objects.filter(pk=self.made.crop_id).update(profile={"frost": "tender"})
        site = Site.objects.get(pk=self.made.bed.site_id)
        night = self.today - timedelta(days=5)
        WeatherDay.objects.create(site=site, day=night, tmin=-2.4, tmax=6, rain_mm=0, source="station")
        made = Trial.objects.select_related("bed__site", "crop").get(pk=self.made.pk)
        self.assertEqual([words for _, words in proposals(made, self.today)], ["Frost down to -2.4 °C"])
        did_nothing(made, "frost", night, self.by)
        self.assertEqual(proposals(made, self.today), [])


class Pages(Storm):
    def test_an_event_from_the_form_to_the_comparison(self) -> None:
        world.keep_yields(self.made, self.by, {"Corvane": 5.0, "Quillet": 6, "OF-17": 5.1, "Brakewater": 4})
        self.client.force_login(self.by)
        at = [self.made.slug]
        typed = {"kind": "hail", "on": self.today.isoformat(), "plots": "101-103", "recover_days": "10", "pull_over": "50"}
        wrong = self.client.post(reverse("events:new-event", args=at), typed | {"plots": "999"})
        self.assertContains(wrong, "Found “999”", status_code=422)
        self.assertContains(wrong, 'value="999"', status_code=422)
        self.client.post(reverse("events:new-event", args=at), typed)
        event = Event.objects.get()
        self.assertEqual(event.hits.count(), 3)
        act = reverse("events:judge", args=[*at, event.pk])
        hit = event.hits.get(plot__number="101")
        self.assertContains(self.client.post(act, {"hit": hit.pk, "called": "accident"}), "in a few words why", status_code=422)
        self.assertContains(self.client.post(act, {"called": "accident", "reason": "x"}), "Tick the plots", status_code=422)
        self.client.post(act, {"hit": hit.pk, "called": "accident", "reason": "Under the fallen branch"})
        page = self.client.get(reverse("compare:compare", args=at))
        self.assertContains(page, "101 judged an accident and left out; 102, 103 not judged yet, counted so far.")
        self.assertContains(page, "Under the fallen branch")
        self.client.force_login(world.person(Role.HELPER))
        self.assertEqual(self.client.post(act, {"hit": hit.pk, "called": ""}).status_code, 403)
        self.assertNotContains(self.client.get(reverse("events:events", args=at)), "Quillet")
