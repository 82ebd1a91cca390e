"""The trainer: the same drawing for the same seed, the truth out of sight in a test, and figures that tell a bias that is there."""

from datetime import timedelta
from typing import Any

import numpy as np
from django.urls import reverse
from django.utils import timezone

from evarlo.people.models import Role, User
from evarlo.practice.agreement import raters_of
from evarlo.practice.models import Practice
from evarlo.practice.trainer import answer, begin, cold, figures_of, item_of, newest_figures, runs_of, subject_of
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.ui.refused import Refused


class Trainer(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.now = timezone.now()

    def run_through(
        self, by: User, lean: float, mode: str = "test", subject: str = "diseased", days_ago: int = 0, seed: int = 5
    ) -> Practice:
        at = self.now - timedelta(days=days_ago)
        run = begin(by, subject, mode, seed, at)
        luck = np.random.default_rng(seed)
        for n in range(run.items):
            said = float(np.clip(item_of(run, n).truth + lean + luck.normal(0, 1.5), 0, 100))
            run = answer(run, n, said, at)
        return run

    def test_drawings_come_from_the_seed_and_cover_the_scale(self) -> None:
        for subject in Practice.Subject.values:
            run, other = begin(self.by, subject, "test", 7, self.now), begin(self.by, subject, "test", 8, self.now)
            truths = [item_of(run, n).truth for n in range(20)]
            with self.subTest(subject=subject):
                self.assertEqual(truths[:3], [item_of(run, n).truth for n in range(3)])
                self.assertNotEqual(truths, [item_of(other, n).truth for n in range(20)])
                self.assertLess(min(truths), 6)
                self.assertGreater(max(truths), 25)

    def test_a_rater_who_scores_too_high_is_told_so_and_one_who_does_not_is_not(self) -> None:
        high = self.run_through(self.by, 6.0)
        figures = figures_of(high.said, high.truth)
        assert figures and figures.agreement
        self.assertAlmostEqual(figures.bias, 6.0, delta=1.2)
        self.assertIn("points too high", figures.said)
        fair = self.run_through(self.by, 0.0, seed=6)
        found = figures_of(fair.said, fair.truth)
        assert found
        self.assertIn("Leans neither way, and agrees well", found.said)
        self.assertIsNone(figures_of([], []))

    def test_the_newest_test_counts_before_practice(self) -> None:
        self.run_through(self.by, 8.0, days_ago=30)
        self.run_through(self.by, 2.0, days_ago=10, seed=9)
        self.run_through(self.by, 20.0, mode="practice", seed=11)
        self.assertEqual([run.mode for run, _ in runs_of(self.by)], ["test", "test", "practice"])
        self.assertAlmostEqual(newest_figures([self.by.pk])[self.by.pk, "diseased"].bias, 2.0, delta=1.2)

    def test_an_answer_is_kept_once_and_only_for_the_next_drawing(self) -> None:
        run = begin(self.by, "eaten", "practice", 3, self.now)
        run = answer(run, 0, 10, self.now)
        self.assertEqual(answer(run, 0, 90, self.now).said, [10])
        for n, said in ((5, 3.0), (1, 101.0), (1, -1.0)):
            with self.subTest(n=n, said=said), self.assertRaises(Refused):
                answer(run, n, said, self.now)
        with self.assertRaises(Refused):
            begin(self.by, "weather", "test", 1, self.now)

    def test_a_warm_up_is_offered_before_what_is_scored_by_eye_when_it_is_some_days_ago(self) -> None:
        made = world.trial(self.by)
        self.assertEqual(
            [subject_of(world.trait(k)) for k in ("leaf-disease", "leaf-eaten", "diseased-plants", "height")],
            ["diseased", "eaten", "plants", ""],
        )
        walk = world.walk(made, "leaf-disease", self.by)
        self.client.force_login(self.by)
        page = reverse("walks:round", args=[made.slug, walk.pk])
        self.assertContains(self.client.get(page), "Warm up with five")
        answered = self.client.post(reverse("practice:begin"), {"subject": "diseased", "mode": "warmup", "round": walk.pk})
        run = Practice.objects.get()
        self.assertEqual((answered["Location"], run.items, run.back_to), (f"/practice/{run.pk}/", 5, walk))
        for n in range(5):
            run = answer(run, n, 10, self.now)
        self.assertContains(self.client.get(f"/practice/{run.pk}/"), page)
        self.assertNotContains(self.client.get(page), "Warm up with five")
        self.assertTrue(cold(self.by, "diseased", self.now + timedelta(days=4)))

    def test_a_raters_figures_stand_beside_their_records(self) -> None:
        made = world.trial(self.by)
        walk = world.walk(made, "leaf-disease", self.by)
        for plot in made.plots.all()[:3]:
            world.keep(walk, plot, self.by, 5)
        self.run_through(self.by, 6.0)
        [rater] = raters_of(made)
        self.assertEqual((rater.values, round(rater.figures.bias) if rater.figures else None), (3, 6))
        self.client.force_login(self.by)
        self.assertContains(self.client.get(reverse("practice:agreement", args=[made.slug])), "points too high")


class Pages(TestCase):
    def setUp(self) -> None:
        self.by = world.person(Role.HELPER)
        self.client.force_login(self.by)

    def begin(self, mode: str) -> Practice:
        self.client.post(reverse("practice:begin"), {"subject": "diseased", "mode": mode})
        return Practice.objects.get()

    def send(self, run: Practice, n: int, said: str) -> Any:
        return self.client.post(reverse("practice:answer", args=[run.pk]), {"n": n, "said": said}, headers={"HX-Request": "true"})

    def test_practice_tells_after_each_and_a_test_only_at_the_end(self) -> None:
        run = self.begin("practice")
        self.assertContains(self.send(run, 0, "12,5 %"), "You said 12.5 %")
        Practice.objects.all().delete()
        run = self.begin("test")
        for n in range(19):
            self.assertNotContains(self.send(run, n, "10"), "You said")
        self.assertContains(self.send(run, 19, "10"), "Test done")

    def test_the_page_does_not_tell_the_share(self) -> None:
        run = self.begin("test")
        page = self.client.get(f"/practice/{run.pk}/").content.decode()
        truth = item_of(run, 0).truth
        for text in (f"{truth:.1f}", f"{truth:.2f}", f"{truth:.3f}", str(run.seed)):
            self.assertNotIn(f">{text}", page)
            self.assertNotIn(f'"{text}', page)

    def test_what_cannot_be_read_comes_back_as_typed(self) -> None:
        run = self.begin("practice")
        for said, told in (("", "Type the share"), ("much", "Found “much”"), ("140", "Found 140"), ("1" * 50, "Found “1111")):
            answered = self.send(run, 0, said)
            self.assertContains(answered, told, status_code=422)
        self.assertContains(self.send(run, 0, "140"), 'value="140"', status_code=422)
        self.assertEqual(self.send(run, 10**9, "10").status_code, 422)
        other = world.person(Role.EVALUATOR)
        self.client.force_login(other)
        self.assertEqual(self.client.get(f"/practice/{run.pk}/").status_code, 404)
