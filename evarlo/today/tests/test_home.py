"""Today, the jump field, and the cost of every main page."""

from datetime import timedelta

from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse
from django.utils import timezone

from evarlo.compare.tests.test_comparing import MEANS
from evarlo.nursery.models import Step
from evarlo.nursery.services import keep_step
from evarlo.people.models import Role
from evarlo.seeds.services import keep_lot
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial
from evarlo.trials.task_services import finish_task
from evarlo.walks.models import Round
from evarlo.walks.services import plan_round


class Home(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.client.force_login(self.by, backend="django.contrib.auth.backends.ModelBackend")
        self.today = timezone.localdate()

    def test_with_nothing_yet(self) -> None:
        begins = self.client.get("/")
        for way in ("exchange:bring-in", "trials:new", "rehearsal:seasons", "people:list"):
            self.assertContains(begins, f'href="{reverse(way)}"')
        self.assertContains(self.client.get("/trials/"), "Plan the first trial")
        self.client.force_login(world.person(Role.HELPER), backend="django.contrib.auth.backends.ModelBackend")
        self.assertContains(self.client.get("/"), "Nothing is due in the next seven days.")

    def test_what_is_late_due_and_near(self) -> None:
        made = world.trial(
            self.by, sow_on=self.today - timedelta(3), plant_on=self.today + timedelta(30), pick_on=self.today + timedelta(60)
        )
        near = world.trial(self.by, name="Near", sow_on=self.today + timedelta(4))
        plan_round(made, world.trait("vigour"), self.today)
        page = self.client.get("/")
        self.assertContains(page, "One thing is late. What matters most: sowing in Fennel, since")
        self.assertContains(page, "3 days late")
        self.assertContains(page, "12 plots")
        assert near.sow_on
        self.assertContains(page, f"{near.sow_on:%a} {near.sow_on.day} {near.sow_on:%b}")
        keep_step(made, Step.SOWN, self.today, made.plots.all(), self.by, self.today)
        page = self.client.get("/")
        self.assertNotContains(page, "What matters most")
        self.assertContains(page, "One thing is due today.")
        self.assertNotContains(page, "First pick")

    def test_the_first_of_what_is_late_is_what_the_sentence_names(self) -> None:
        walked = world.trial(self.by, sow_on=self.today - timedelta(30))
        keep_step(walked, Step.SOWN, self.today - timedelta(30), walked.plots.all(), self.by, self.today)
        plan_round(walked, world.trait("vigour"), self.today - timedelta(6))
        world.trial(self.by, name="Sown late", sow_on=self.today - timedelta(3))
        page = self.client.get("/")
        self.assertIn("What matters most: sowing in Sown late", page.context["sentence"])
        (_, _, late), *_ = page.context["groups"]
        self.assertEqual([(d.verb, days) for d, days in late if d.verb in ("Sow", "Walk")], [("Sow", 3), ("Walk", 6)])
        self.assertEqual(late[0][0].trial.name, "Sown late")

    def test_tasks_of_the_season_are_due_once_the_crop_is_sown(self) -> None:
        """Fennel comes up 8 to 14 days after sowing, so it is to be counted after 11."""
        made = world.trial(self.by, sow_on=self.today - timedelta(11), plant_on=self.today + timedelta(30))
        self.assertNotContains(self.client.get("/"), "Count emergence")
        keep_step(made, Step.SOWN, self.today - timedelta(11), made.plots.all(), self.by, self.today)
        self.assertContains(self.client.get("/"), "Count emergence")
        finish_task(made, "emergence", self.today, self.by, self.today)
        self.assertNotContains(self.client.get("/"), "Count emergence")

    def test_seed_is_to_be_ordered_where_a_ledger_says_that_it_is_short(self) -> None:
        made = world.trial(self.by, sow_on=self.today + timedelta(24))
        self.assertNotContains(self.client.get("/"), "Order seed")
        entry = made.entries.select_related("cultivar")[1]
        keep_lot(None, entry.cultivar, {"name": "1"}, self.by)
        self.assertContains(self.client.get("/"), "Order seed")
        self.assertContains(self.client.get("/"), "4 short")

    def test_a_loose_trial_is_to_be_fixed_and_a_decided_one_is_not_due(self) -> None:
        world.trial(self.by, fixed=False, sow_on=self.today)
        self.assertContains(self.client.get("/"), "The layout, before sowing")
        self.assertNotContains(self.client.get("/"), "All 3 blocks")
        Trial.objects.update(layout_fixed_at=timezone.now(), decided_at=timezone.now())
        self.assertContains(self.client.get("/"), "Nothing is due")

    def test_completeness_counts_what_the_criteria_ask_for(self) -> None:
        made = world.trial(self.by)
        self.assertContains(self.client.get("/"), "0 % of records in")
        world.sow(made, self.by)
        self.assertContains(self.client.get("/"), "50 % of records in")
        world.keep_yields(made, self.by, MEANS)
        self.assertContains(self.client.get("/"), "100 % of records in")

    def test_jump(self) -> None:
        made = world.trial(self.by)
        for asked, goes in (
            ("203", f"/trials/{made.slug}/?plot=203"),
            ("bf02", f"/trials/{made.slug}/"),
        ):
            with self.subTest(asked=asked):
                answer = self.client.get("/jump/", {"q": asked, "trial": made.slug})
                self.assertRedirects(answer, goes, fetch_redirect_response=False)
        both = self.client.get("/jump/", {"q": "quill"})  # the cultivar's own page, and the trial it stands in
        self.assertContains(both, f'href="/trials/{made.slug}/"')
        self.assertContains(both, "cultivar of bulb fennel")
        self.assertContains(self.client.get("/jump/", {"q": "nowhere"}), "Nothing goes by “nowhere”")
        self.assertEqual(self.client.get("/jump/", {"q": "x" * 500 + "\x00"}).status_code, 200)


class WhatMatters(TestCase):
    def setUp(self) -> None:
        self.by, self.today = world.person(), timezone.localdate()
        self.client.force_login(self.by)

    def page(self) -> str:
        return " ".join(self.client.get(reverse("today:home")).content.decode().split())

    def test_planting_weighs_more_than_an_older_walk(self) -> None:
        made = world.trial(self.by, sow_on=self.today - timedelta(days=60), plant_on=self.today - timedelta(days=3))
        keep_step(made, Step.SOWN, self.today - timedelta(days=60), made.plots.all(), self.by, self.today)
        walk = world.walk(made, "vigour", self.by)
        Round.objects.filter(pk=walk.pk).update(due_on=self.today - timedelta(days=20))
        self.assertIn("What matters most: planting in Fennel", self.page())

    def test_a_plan_that_should_be_sown_and_is_not_fixed_is_there(self) -> None:
        world.trial(self.by, name="Loose", fixed=False, sow_on=self.today - timedelta(days=2))
        self.assertIn("The layout, before sowing", self.page())

    def test_what_came_as_plants_is_not_late_to_sow(self) -> None:
        made = world.trial(self.by, sow_on=self.today - timedelta(days=20), plant_on=self.today - timedelta(days=1))
        self.assertIn("sowing in Fennel", self.page())
        keep_step(made, Step.PLANTED, self.today - timedelta(days=1), made.plots.all(), self.by, self.today)
        self.assertNotIn("sowing in Fennel", self.page())


class Cost(TestCase):
    """A page makes as many statements for a large trial as for a small one."""

    PATHS = ("", "sow/", "walk/", "pick/", "compare/", "compare/working/", "decide/", "report/", "ground/?layer=plot-yield")

    def lived(self, by, name: str, entries: int, blocks: int) -> Trial:  # type: ignore[no-untyped-def]
        names = [f"{name} {i}" for i in range(entries)]
        made = world.trial(by, name=name, entries=names, check=names[0], blocks=blocks, plot_length_m=0.5, plot_width_m=0.5)
        world.sow(made, by)
        world.keep_yields(made, by, {n: 5 + i / 3 for i, n in enumerate(names)})
        for plot in made.plots.all():
            world.pick(plot, by, 2.0)
        return made

    def test_statements_do_not_grow_with_the_trial(self) -> None:
        by = world.person()
        self.client.force_login(by, backend="django.contrib.auth.backends.ModelBackend")
        small, large = self.lived(by, "Small", 3, 2), self.lived(by, "Large", 12, 5)
        for path in self.PATHS:
            counts = []
            for made in (small, large):
                with CaptureQueriesContext(
                    connection,
                ) as seen:
                    self.assertEqual(self.client.get(f"/trials/{made.slug}/{path}").status_code, 200)
                counts.append(len(seen))
            with self.subTest(path=path):
                self.assertLessEqual(counts[1], counts[0])
                self.assertLessEqual(counts[1], 51)

    def test_today_does_not_grow_with_the_number_of_trials(self) -> None:
        by = world.person()
        self.client.force_login(by, backend="django.contrib.auth.backends.ModelBackend")
        counts = []
        for n in range(3):
            for i in range(1 + 2 * n):
                world.trial(by, name=f"T{n}{i}", sow_on=timezone.localdate())
            with CaptureQueriesContext(connection) as seen:
                self.client.get("/")
            counts.append(len(seen))
        self.assertEqual(counts[1], counts[2])
        self.assertLessEqual(counts[2], 33)
