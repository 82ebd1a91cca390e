"""Pests and diseases: suspected and confirmed, thresholds, courses by entry, where they lie."""

import uuid
from datetime import timedelta

from django.urls import reverse
from django.utils import timezone

from evarlo.catalogue.models import Guide, Problem
from evarlo.catalogue.problems import add_problem, area_trait, plants_trait
from evarlo.people.models import Role
from evarlo.pests.models import Watch
from evarlo.pests.watches import begin_watch, confirm, course_of, in_words, set_threshold, suspect_again
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.queries import plots_of
from evarlo.ui.refused import Refused
from evarlo.walks.services import Seen, close_round, keep_observation, open_round
from trialcore.field.incidence import Reached


class Watching(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.made = world.trial(self.by)
        world.sow(self.made, self.by)
        self.today = timezone.localdate()
        self.watch = begin_watch(self.made, Problem.objects.get(name="Leaf spot"), self.today, self.by, self.today)
        self.plots = plots_of(self.made)

    def area(self, days_ago: int, percents: list[float]) -> None:
        on = self.today - timedelta(days=days_ago)
        walk = open_round(self.made, area_trait(self.watch.problem), on, self.by)
        for plot, value in zip(self.plots, percents, strict=True):
            keep_observation(walk, plot, Seen(number=value), self.by, on, uuid.uuid4(), self.today)
        close_round(walk)

    def test_a_suspicion_is_confirmed_with_how_and_can_be_one_again(self) -> None:
        with self.assertRaisesMessage(Refused, "how it was confirmed"):
            confirm(self.watch, " ", self.today, self.by, self.today)
        with self.assertRaisesMessage(Refused, "in the future"):
            confirm(self.watch, "Lens", self.today + timedelta(1), self.by, self.today)
        confirm(self.watch, "Fruiting bodies under a lens", self.today, self.by, self.today)
        self.assertEqual(Watch.objects.get().confirmed_by, self.by)
        suspect_again(self.watch)
        self.assertIsNone(Watch.objects.get().confirmed_on)
        self.assertEqual(begin_watch(self.made, self.watch.problem, self.today, self.by, self.today), self.watch)

    def test_the_threshold_is_told_with_its_doubt(self) -> None:
        trait = area_trait(self.watch.problem)
        self.assertEqual(in_words(self.watch, course_of(self.watch, trait, self.plots)), "Not scored yet.")
        self.area(3, [20.0, 22, 18, 21, 19, 20, 22, 18, 21, 19, 20, 20])
        course = course_of(self.watch, trait, self.plots)
        assert course
        self.assertEqual((course.last.found.percent, course.last.found.reached), (20.0, Reached.YES))
        self.assertIn("the threshold of 5 % is reached", in_words(self.watch, course))
        set_threshold(self.watch, 20)
        course = course_of(self.watch, trait, self.plots)
        self.assertIn("cannot be told yet", in_words(self.watch, course))
        set_threshold(self.watch, None)
        self.assertNotIn("threshold", in_words(self.watch, course_of(self.watch, trait, self.plots)))

    def test_courses_by_entry_are_areas_by_their_days(self) -> None:
        entry = self.plots[0].entry_id
        self.area(20, [10.0 if p.entry_id == entry else 2.0 for p in self.plots])
        self.area(10, [30.0 if p.entry_id == entry else 4.0 for p in self.plots])
        self.area(0, [20.0 if p.entry_id == entry else 6.0 for p in self.plots])
        course = course_of(self.watch, area_trait(self.watch.problem), self.plots)
        assert course
        self.assertEqual(course.looks[0].found.percent, (10 + 3 * 2) / 4)
        worst = course.entries[0]
        self.assertEqual((worst.entry_id, worst.season), (entry, (20 * 10 + 25 * 10) / 20))
        self.assertEqual({round(e.season or 0, 6) for e in course.entries[1:]}, {4.0})
        self.client.force_login(self.by)
        page = self.client.get(reverse("compare:compare", args=[self.made.slug]) + f"?trait={course.trait.key}-course")
        self.assertContains(page, "Leaf spot, leaf area, over the season")

    def test_where_it_lies_together_is_said(self) -> None:
        near = sorted(p.x + p.y for p in self.plots)[len(self.plots) // 3]
        self.area(1, [40.0 if p.x + p.y <= near else 2.0 for p in self.plots])
        course = course_of(self.watch, area_trait(self.watch.problem), self.plots)
        assert course and course.together
        self.assertGreater(course.together.moran, course.together.expected)

    def test_shares_of_plants_are_pooled(self) -> None:
        trait = plants_trait(self.watch.problem)
        walk = open_round(self.made, trait, self.today, self.by)
        for n, plot in enumerate(self.plots):
            seen = Seen(number=10.0 * (n % 3), looked=10)
            keep_observation(walk, plot, seen, self.by, self.today, uuid.uuid4(), self.today)
        course = course_of(self.watch, trait, self.plots)
        assert course
        self.assertEqual((course.last.found.affected, course.last.found.looked, course.last.found.plots), (12, 120, 8))

    def test_its_guide_carries_the_look_alikes(self) -> None:
        guide = Guide.objects.get(trait=area_trait(self.watch.problem))
        self.assertEqual([a["what"] for a in guide.alike], ["Flecks of the cultivar", "Spray or fertiliser burn"])
        self.assertEqual(len(guide.anchors), 6)


class Pages(Watching):
    def test_from_choosing_to_confirming(self) -> None:
        self.area(5, [float(n) for n in range(12)])
        self.area(0, [float(2 * n) for n in range(12)])
        self.client.force_login(self.by)
        page = self.client.get(reverse("pests:watch", args=[self.made.slug, self.watch.pk]))
        self.assertContains(page, "data-day-of=", count=2)
        self.assertContains(page, "Can be taken for it")
        for name, typed, said in (
            ("confirm", {"how": "", "on": self.today.isoformat()}, "Say how it was confirmed"),
            ("threshold", {"threshold": "lots"}, "Found “lots”"),
        ):
            answer = self.client.post(reverse(f"pests:{name}", args=[self.made.slug, self.watch.pk]), typed)
            self.assertContains(answer, said, status_code=422)
        own = {"name": "Gall midge", "kind": "pest", "threshold": "10", "threshold_of": "plants"}
        self.client.post(reverse("pests:new-problem", args=[self.made.slug]), own)
        self.client.post(reverse("pests:new-problem", args=[self.made.slug]), own)  # a double click
        again = self.client.post(reverse("pests:new-problem", args=[self.made.slug]), own | {"signs": "Other signs"})
        self.assertContains(again, "is in the list already", status_code=422)
        gall = Problem.objects.get(name="Gall midge")
        typed = {"problem": str(gall.pk), "since": self.today.isoformat()}
        answer = self.client.post(reverse("pests:new-watch", args=[self.made.slug]), typed, follow=True)
        self.assertContains(answer, "suspected since")
        self.assertContains(self.client.get(reverse("pests:pests", args=[self.made.slug])), "Gall midge")

    def test_a_helper_sees_codes_only_and_confirms_nothing(self) -> None:
        self.area(5, [float(n) for n in range(12)])
        self.client.force_login(world.person(Role.HELPER))
        page = self.client.get(reverse("pests:watch", args=[self.made.slug, self.watch.pk]))
        self.assertNotContains(page, "Quillet")
        url = reverse("pests:confirm", args=[self.made.slug, self.watch.pk])
        self.assertEqual(self.client.post(url, {"how": "x", "on": "2026-01-01"}).status_code, 403)

    def test_a_name_is_in_the_list_once(self) -> None:
        with self.assertRaisesMessage(Refused, "already"):
            add_problem({"name": "leaf SPOT", "kind": "disease", "signs": "", "threshold": None, "threshold_of": "area"})
