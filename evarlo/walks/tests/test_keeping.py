"""What is seen is kept once, corrected without loss, and refused when it cannot be."""

import itertools
import uuid
from datetime import timedelta
from typing import Any

from django.db import IntegrityError, transaction
from django.urls import reverse

from evarlo.nursery.models import Step, StepDate
from evarlo.nursery.services import keep_step
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.leaving_out import exclude_plot
from evarlo.ui.refused import Refused
from evarlo.walks.models import Observation
from evarlo.walks.queries import current, readings, walkable
from evarlo.walks.services import Seen, close_round, keep_observation, open_round, withdraw


class Keeping(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.trial = world.trial(self.by)
        self.plot = self.trial.plots.get(number="101")

    def keep(self, walked: Any, seen: Seen, key: uuid.UUID | None = None) -> Observation:
        return keep_observation(walked, self.plot, seen, self.by, world.TODAY, key or uuid.uuid4(), world.TODAY)

    def test_the_same_answer_sent_twice_is_kept_once(self) -> None:
        walked, key = world.walk(self.trial, "bolting", self.by), uuid.uuid4()
        first = self.keep(walked, Seen(number=12), key)
        self.assertEqual(self.keep(walked, Seen(number=12), key), first)
        self.assertEqual(self.keep(walked, Seen(number=12)), first)
        self.assertEqual(Observation.objects.count(), 1)

    def test_another_answer_under_a_used_key_is_a_correction_not_a_loss(self) -> None:
        walked, key = world.walk(self.trial, "bolting", self.by), uuid.uuid4()
        self.keep(walked, Seen(number=12), key)
        self.keep(walked, Seen(number=15), key)
        self.assertEqual([o.number for o in current(walked)], [15])
        self.assertEqual(Observation.objects.count(), 2)

    def test_corrections_and_undo_keep_every_row(self) -> None:
        walked = world.walk(self.trial, "bolting", self.by)
        self.keep(walked, Seen(number=12))
        second = self.keep(walked, Seen(cause="lost_label", note="stake gone"))
        withdraw(second, self.by)
        self.assertEqual([o.number for o in current(walked)], [12])
        withdraw(current(walked).get(), self.by)
        self.keep(walked, Seen(number=20))
        self.assertEqual([o.number for o in current(walked)], [20])
        self.assertEqual(Observation.objects.count(), 5)
        with self.assertRaises(Refused):
            withdraw(second, self.by)

    def test_what_cannot_be_is_refused(self) -> None:
        for key, seen, said in (
            ("bolting", Seen(number=101), "Found 101. Expected bolting from 0 to 100 %."),
            ("vigour", Seen(number=0), "from 1 to 9"),
            ("vigour", Seen(number=5.5), "Expected a whole number"),
            ("stand", Seen(number=-1), "from 0 to 2000 plants"),
            ("bolting", Seen(), "Type a value"),
            ("bolting", Seen(number=3, cause="accident"), "Type a value"),
            ("bolting", Seen(cause="hail"), "not one of the reasons"),
            ("first-flower", Seen(number=3), "Expected the day"),
            ("first-flower", Seen(day=world.TODAY + timedelta(1)), "in the future"),
            ("first-flower", Seen(day=world.TODAY - timedelta(500)), "more than a season back"),
            ("bolting", Seen(day=world.TODAY), "Expected a number"),
        ):
            with self.subTest(key=key, seen=seen), self.assertRaisesMessage(Refused, said):
                self.keep(world.walk(self.trial, key, self.by), seen)
        self.assertEqual(Observation.objects.count(), 0)

    def test_the_database_itself_refuses_two_first_values(self) -> None:
        walked = world.walk(self.trial, "bolting", self.by)
        first = self.keep(walked, Seen(number=12))
        with self.assertRaises(IntegrityError), transaction.atomic():
            Observation.objects.create(round=walked, plot=self.plot, number=3, seen_on=world.TODAY, by=self.by, at=first.at)
        with self.assertRaises(IntegrityError), transaction.atomic():
            Observation.objects.create(round=walked, plot=self.plot, seen_on=world.TODAY, by=self.by, at=first.at, supersedes=first)

    def test_a_plot_of_another_trial_is_refused(self) -> None:
        other = world.trial(self.by, name="Other")
        with self.assertRaises(Refused):
            self.keep(world.walk(other, "bolting", self.by), Seen(number=3))

    def test_rounds_repeat_for_what_repeats(self) -> None:
        first = world.walk(self.trial, "bolting", self.by)
        self.assertEqual(world.walk(self.trial, "bolting", self.by), first)
        close_round(first)
        self.assertEqual(world.walk(self.trial, "bolting", self.by).number, 2)
        once = world.walk(self.trial, "first-flower", self.by)
        close_round(once)
        self.assertEqual(world.walk(self.trial, "first-flower", self.by), once)
        with self.assertRaises(Refused):
            open_round(world.trial(self.by, fixed=False, name="Loose"), world.trait("bolting"), world.TODAY, self.by)

    def test_dates_count_from_sowing(self) -> None:
        world.sow(self.trial, self.by)
        walked = world.walk(self.trial, "first-flower", self.by)
        self.keep(walked, Seen(day=world.SOWN + timedelta(70)))
        self.assertEqual(readings(self.trial, world.trait("first-flower"))[self.plot.pk].number, 70)

    def test_the_path_turns_and_leaves_out_lost_plots(self) -> None:
        walked = world.walk(self.trial, "bolting", self.by)
        exclude_plot(self.trial.plots.get(number="102"), "accident", "Flooded", world.TODAY, self.by)
        path = walkable(walked)
        self.assertNotIn("102", [p.number for p in path])
        for a, b in itertools.pairwise(path):
            if a.block == b.block and "101" not in (a.number, b.number):
                self.assertLessEqual(abs(a.row - b.row) + abs(a.col - b.col), 1)


class Steps(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.trial = world.trial(self.by)
        self.client.force_login(self.by, backend="django.contrib.auth.backends.ModelBackend")

    def test_a_second_date_corrects_and_the_first_stays(self) -> None:
        world.sow(self.trial, self.by)
        world.sow(self.trial, self.by)
        self.assertEqual(StepDate.objects.count(), 12)
        keep_step(self.trial, Step.SOWN, world.SOWN + timedelta(2), self.trial.plots.filter(block="1"), self.by, world.TODAY)
        self.assertEqual(StepDate.objects.count(), 16)
        self.assertEqual(StepDate.objects.newest().filter(on=world.SOWN).count(), 8)

    def test_what_cannot_be(self) -> None:
        with self.assertRaises(Refused):
            keep_step(self.trial, Step.SOWN, world.TODAY + timedelta(1), self.trial.plots.all(), self.by, world.TODAY)
        world.sow(self.trial, self.by)
        with self.assertRaisesMessage(Refused, "after this planting date"):
            keep_step(self.trial, Step.PLANTED, world.SOWN - timedelta(1), self.trial.plots.all(), self.by, world.TODAY)
        self.assertEqual(StepDate.objects.filter(step=Step.PLANTED).count(), 0)

    def test_runs_of_plots_are_read(self) -> None:
        url = reverse("nursery:sow", args=[self.trial.slug])
        self.client.post(url, {"on": "2026-03-01", "plots": "101-103, 204"})
        rows = StepDate.objects.values_list("plot__number", flat=True)
        self.assertEqual(sorted(rows), ["101", "102", "103", "204"])
        for typed, said in (("999", "Found “999”"), ("103-101", "lower number first"), ("101–x", "Found “x”")):
            with self.subTest(typed=typed):
                self.assertContains(self.client.post(url, {"on": "2026-03-01", "plots": typed}), said, status_code=422)
        self.assertContains(self.client.post(url, {"on": "soon"}), "Expected a date", status_code=422)


class Blind(TestCase):
    def setUp(self) -> None:
        self.by = world.person("evaluator")
        self.trial = world.trial(world.person())
        self.walked = world.walk(self.trial, "bolting", self.by)
        self.plot = self.trial.plots.get(number="101")
        self.client.force_login(self.by, backend="django.contrib.auth.backends.ModelBackend")

    def test_scoring_is_blind(self) -> None:
        world.keep(self.walked, self.plot, self.trial.made_by, 33.5)
        for name in ("walks:round", "walks:field-data"):
            page = self.client.get(reverse(name, args=[self.trial.slug, self.walked.pk])).content.decode()
            for entry in self.trial.entries.select_related("cultivar"):
                for secret in (entry.cultivar.name, f">{entry.code}<", f'"{entry.code}"', "33.5"):
                    self.assertNotIn(secret, page)

    def test_codes_only_for_an_evaluator_on_every_page_until_opened(self) -> None:
        manager = self.trial.made_by
        world.keep_yields(self.trial, manager, {"Corvane": 5.0, "Quillet": 6, "OF-17": 5.1, "Brakewater": 4})
        names = [e.cultivar.name for e in self.trial.entries.select_related("cultivar")]
        paths = [
            f"/trials/{self.trial.slug}/{rest}"
            for rest in (
                "",
                "walk/",
                "pick/",
                "sow/",
                "compare/",
                "compare/working/",
                "compare/figures.json",
                "compare/plots.csv",
                "decide/",
                "report/",
                "ground/?layer=entry",
                f"plot/{self.plot.pk}/",
            )
        ]
        for path in [*paths, "/jump/?q=quill"]:
            with self.subTest(path=path):
                text = self.client.get(path, follow=True).content.decode()
                for name in names:
                    self.assertNotIn(name, text)
