"""A cultivar's name that somebody wrote is hidden wherever it is read by those who must not know it."""

import uuid
from datetime import timedelta

from django.urls import reverse
from django.utils import timezone

from evarlo.catalogue.models import Synonym
from evarlo.events.events import keep_event
from evarlo.events.rules import Rule
from evarlo.nursery.models import Step
from evarlo.nursery.services import keep_step
from evarlo.people.models import Role, User
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.deeds import record
from evarlo.trials.leaving_out import exclude_plot
from evarlo.trials.task_services import add_task
from evarlo.walks.field import Brought, bring_in
from evarlo.walks.services import Seen, close_round, keep_observation

NAMES = ("Grey Heron", "Salt Wren", "Low Teal", "Mud Rail")


class Written(TestCase):
    def setUp(self) -> None:
        self.by, today = world.person(), timezone.localdate()
        self.made = world.trial(
            self.by, entries=NAMES, check="Grey Heron", name="Wetland", question="Does Salt Wren beat Grey Heron?"
        )
        heron = self.made.entries.get(cultivar__name="Grey Heron").cultivar
        Synonym.objects.create(cultivar=heron, name="Old Fisher")
        self.plot, other = self.made.plots.all()[:2]
        keep_step(self.made, Step.SOWN, today - timedelta(days=40), self.made.plots.all(), self.by, today)
        walk = world.walk(self.made, "vigour", self.by)
        keep_observation(walk, self.plot, Seen(5, note="like grey heron"), self.by, today, uuid.uuid4(), today)
        close_round(walk)
        keep_event(self.made, "hail", today, "Hit Salt Wren first", [self.plot], 9, Rule(50, 20), self.by, today)
        exclude_plot(other, "accident", "Mixed with Old Fisher", today, self.by)
        record(self.made, self.by, "Low Teal was sown late.")
        add_task(self.made, "Tie up Mud Rail", today + timedelta(days=3), "", 0, "", self.by)

    def pages(self) -> dict[str, str]:
        home = self.made.get_absolute_url()
        paths = (
            "",
            f"plot/{self.plot.pk}/",
            "calendar/",
            "walk/events/",
            "protocol/",
            "print/scoring/",
            "calendar.ics",
            "walk/settle/",
        )
        found = {path: self.client.get(home + path) for path in paths} | {"today": self.client.get("/")}
        return {path: answer.content.decode() for path, answer in found.items() if answer.status_code == 200}

    def test_helpers_and_evaluators_find_none_of_them_and_no_code_in_its_place(self) -> None:
        for role in (Role.HELPER, Role.EVALUATOR):
            self.client.force_login(world.person(role))
            pages = self.pages()
            self.assertGreater(len(pages), 6)
            for path, text in pages.items():
                told = [name for name in (*NAMES, "Old Fisher") if name.casefold() in text.casefold()]
                self.assertEqual([text[max(0, text.find(n) - 160) : text.find(n) + 30] for n in told], [], (role, path))
            self.assertIn("like (name hidden)", pages[f"plot/{self.plot.pk}/"])
            self.assertIn("Hit (name hidden) first", pages["walk/events/"])

    def test_the_manager_reads_what_was_written(self) -> None:
        self.client.force_login(self.by)
        pages = self.pages()
        self.assertIn("like grey heron", pages[f"plot/{self.plot.pk}/"])
        self.assertIn("Tie up Mud Rail", pages["calendar/"])

    def test_who_knows_the_names_is_told_which_are_hidden_and_nobody_else(self) -> None:
        page, names = self.made.get_absolute_url(), reverse("trials:names", args=[self.made.slug])
        self.client.force_login(self.by)
        self.assertContains(self.client.get(page), f'data-of="{names}"')
        self.assertEqual(set(self.client.get(names).json()["names"]), {*NAMES, "Old Fisher"})
        for role in (Role.HELPER, Role.EVALUATOR):
            self.client.force_login(world.person(role, f"other {role}"))
            self.assertNotContains(self.client.get(page), "names.json")
            self.assertEqual(self.client.get(names).status_code, 403)


class OwnEyes(TestCase):
    def test_a_rater_sees_another_score_only_after_giving_one(self) -> None:
        manager, one, other = world.person(), world.person(Role.EVALUATOR), world.person(Role.EVALUATOR, "other")
        made = world.trial(manager)
        plot, today = made.plots.all()[0], timezone.localdate()
        walk = world.walk(made, "vigour", manager)
        keep_observation(walk, plot, Seen(7), one, today, uuid.uuid4(), today)
        page = f"{made.get_absolute_url()}plot/{plot.pk}/"

        def read(who: User) -> str:
            self.client.force_login(who)
            return self.client.get(page).content.decode()

        self.assertIn("Vigour: 7", read(manager))
        self.assertIn("Vigour: 7", read(one))
        self.assertNotIn("Vigour: 7", read(other))
        self.assertIn("the score is shown once you have scored this plot too", read(other))
        seen = Brought(uuid.uuid4(), plot.pk, Seen(4), timezone.now())
        bring_in(walk, [seen], other, timezone.now(), timezone.now())
        self.assertIn("Vigour: 7", read(other))
        third = world.person(Role.HELPER)
        self.client.force_login(third)
        settle = self.client.get(f"{made.get_absolute_url()}walk/settle/").content.decode()
        self.assertIn("shown once you have scored it too", settle)
        close_round(walk)
        self.assertIn("Vigour: 7", read(third))
