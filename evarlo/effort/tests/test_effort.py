"""The time book: minutes by the ground, kilograms an hour, reckoned by hand; a timer that goes on while the page is closed."""

import uuid
from datetime import timedelta
from typing import Any

from django.urls import reverse
from django.utils import timezone
from playwright.sync_api import expect

from evarlo.catalogue.models import Trait
from evarlo.effort.models import WorkTime
from evarlo.effort.queries import by_entry, readings, traits
from evarlo.effort.services import Took, keep_time
from evarlo.harvest.services import Weighed, keep_picking
from evarlo.people.models import Role
from evarlo.testing import world
from evarlo.testing.browser import PHONE, BrowserTest
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial
from evarlo.trials.queries import diary_of

Task = WorkTime.Task


class TimeBook(TestCase):
    def setUp(self) -> None:
        self.by, self.today = world.person(), timezone.localdate()
        self.made = world.trial(self.by)
        world.sow(self.made, self.by)
        self.client.force_login(self.by)
        self.url, self.keep = (reverse(f"effort:{name}", args=[self.made.slug]) for name in ("effort", "keep"))
        self.plots = {p.number: p for p in self.made.plots.select_related("trial", "entry")}

    @property
    def trial(self) -> Trial:
        return Trial.objects.get(pk=self.made.pk)

    def took(self, task: str, numbers: str, minutes: float, people: int = 1) -> None:
        plots = [self.plots[n] for n in numbers.split()]
        keep_time(self.made, plots, Took(task, self.today, minutes, people), self.by, uuid.uuid4(), self.today)

    def pick(self, number: str, kg: float) -> None:
        keep_picking(self.plots[number], self.today, Weighed(kg, far=True), self.by, uuid.uuid4(), self.today)

    def reading(self, key: str, number: str) -> float | None:
        found = readings(self.trial, Trait.objects.get(key=key)).get(self.plots[number].pk)
        return found.number if found else None

    def send(self, **typed: Any) -> Any:
        given = {"task": "weed", "on": self.today.isoformat(), "plots": "101", "minutes": "10", "people": "1"}
        return self.client.post(self.keep, given | typed, follow=True)

    def test_an_hour_of_picking_and_all_work_by_the_ground(self) -> None:
        """6 kg in 15 minutes of one person are 24 kg an hour; two people halve it. 30 min on three plots are 10 on each."""
        self.pick("101", 6.0)
        self.pick("102", 6.0)
        self.took(Task.PICK, "101", 15)
        self.took(Task.PICK, "102", 15, people=2)
        self.took(Task.WEED, "101 103 104", 30)
        self.assertEqual((self.reading("picked-an-hour", "101"), self.reading("picked-an-hour", "102")), (24.0, 12.0))
        self.assertIsNone(self.reading("picked-an-hour", "103"))
        plot = self.plots["101"]
        area = (plot.length or 0) * (plot.width or 0)
        self.assertAlmostEqual(self.reading("work-minutes", "101") or 0, (15 + 10) / area)
        self.assertAlmostEqual(self.reading("work-minutes", "104") or 0, 10 / area)
        self.assertEqual({t.key for t in traits(self.trial)}, {"work-minutes", "picked-an-hour"})
        page = self.client.get(self.url)
        self.assertContains(page, "1 h 15 min of one person on 4 plots.")
        self.assertContains(page, "nobody is ranked")
        lines = [x.text for x in diary_of(plot, True)]
        self.assertIn("Weeding: 30 min, 3 plots together.", lines)

    def test_a_pick_timed_over_several_plots_says_nothing_of_any(self) -> None:
        for number in ("101", "102"):
            self.pick(number, 6.0)
        self.took(Task.PICK, "101 102", 30)
        self.assertIsNone(self.reading("picked-an-hour", "101"))

    def test_two_times_of_one_pick_share_its_weight(self) -> None:
        """6 kg by two turns of 10 and 20 minutes: half an hour, 12 kg an hour. A time without a pick counts for nothing."""
        self.pick("101", 6.0)
        self.took(Task.PICK, "101", 10)
        self.took(Task.PICK, "101", 20)
        self.took(Task.PICK, "104", 20)
        self.assertEqual(self.reading("picked-an-hour", "101"), 12.0)
        self.assertIsNone(self.reading("picked-an-hour", "104"))

    def test_entries_are_set_against_the_check(self) -> None:
        for plot in self.made.plots.select_related("entry__cultivar"):
            self.pick(plot.number, 8.0 if plot.entry.cultivar.name == "Quillet" else 4.0)
            self.took(Task.PICK, plot.number, 20)
        found = by_entry(self.trial, self.by)
        self.assertEqual((found[0].name, found[0].kg_hour, found[0].picked), ("Quillet", 24.0, 3))
        self.assertContains(self.client.get(self.url), "brings 24 kg of <strong>Quillet</strong>, 12 kg of Corvane, the check.")

    def test_what_cannot_be_is_said_beside_it(self) -> None:
        for typed, said in (
            ({"minutes": "0"}, "Expected"),
            ({"minutes": "ten"}, "Expected"),
            ({"plots": ""}, "Nothing was chosen. Touch plots on the plan"),
            ({"plots": "999"}, "Expected plot numbers of this trial"),
            ({"on": (self.today + timedelta(days=1)).isoformat()}, ""),
            ({"people": "0"}, "Expected"),
        ):
            with self.subTest(typed=typed):
                answer = self.send(**typed)
                self.assertContains(answer, said, status_code=422)
        self.assertFalse(WorkTime.objects.exists())

    def test_one_sent_twice_is_kept_once_and_can_be_taken_back(self) -> None:
        key = str(uuid.uuid4())
        for _ in range(2):
            self.send(key=key)
        made = WorkTime.objects.get()
        self.client.post(reverse("effort:undo", args=[self.made.slug, made.pk]))
        self.assertEqual(readings(self.trial, Trait.objects.get(key="work-minutes")), {})
        self.client.force_login(world.person(Role.READER))
        self.assertEqual(self.send().status_code, 403)


class Timer(BrowserTest):
    def test_it_goes_on_while_the_page_is_closed(self) -> None:
        by = world.person("manager")
        made = world.trial(by)
        page = self.open("manager", PHONE)
        page.clock.install()
        page.goto(self.at(f"/trials/{made.slug}/pick/work/"))
        page.get_by_label("Plots", exact=True).fill("101")
        page.get_by_label("Task").select_option("tie")
        page.get_by_role("button", name="Start the timer").click()
        page.clock.fast_forward("03:00")
        expect(page.locator("[data-running]")).to_have_text("3:00")
        self.accessible(page, "the time book")
        self.no_sideways(page, "the time book")
        page.reload()
        page.clock.fast_forward("02:30")
        expect(page.get_by_label("Plots", exact=True)).to_have_value("101")
        page.get_by_role("button", name="Stop, and take the minutes").click()
        expect(page.get_by_label("Took")).to_have_value("5.5")
        page.get_by_role("button", name="Save the time").click()
        expect(page.get_by_text("tying and training, 5.5 min on 1 plot is kept.")).to_be_visible()
        kept = WorkTime.objects.get()
        self.assertEqual((kept.task, kept.minutes, [p.number for p in kept.plots.all()]), ("tie", 5.5, ["101"]))
