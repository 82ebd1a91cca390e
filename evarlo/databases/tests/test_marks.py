"""The marks of the tables: what a write changes, what a reading rests on, and what was taken back."""

from __future__ import annotations

from typing import Any

from django.db import connection, transaction

from evarlo.catalogue.models import Crop
from evarlo.databases import marks
from evarlo.grounds.models import Bed, Site
from evarlo.testing import world
from evarlo.testing.pages import TestCase, TransactionTestCase
from evarlo.trials.models import Trial
from evarlo.walks.models import Observation
from evarlo.walks.services import open_round

CROPS, SITES, OBSERVED = Crop._meta.db_table, Site._meta.db_table, Observation._meta.db_table


def now() -> dict[str, int]:
    found = marks.marks()
    assert found is not None
    return found


def changed(before: dict[str, int]) -> set[str]:
    after = now()
    return {name for name in before.keys() | after.keys() if before.get(name) != after.get(name)}


class Writing(TestCase):
    def test_a_write_changes_the_mark_of_its_table_and_of_all(self) -> None:
        before = now()
        crop = Crop.objects.create(name="Bray")
        self.assertEqual(changed(before), {CROPS, marks.ALL})
        before = now()
        Crop.objects.filter(pk=crop.pk).update(name="Cove")
        self.assertEqual(changed(before), {CROPS, marks.ALL})
        before = now()
        crop.delete()
        self.assertIn(CROPS, changed(before))

    def test_a_change_of_no_row_is_none(self) -> None:
        before = now()
        Crop.objects.filter(name="nothing of this name").update(name="Cove")
        Site.objects.filter(pk=-1).delete()
        self.assertEqual(changed(before), set())

    def test_what_is_taken_back_leaves_the_marks_as_they_were(self) -> None:
        before = now()
        with transaction.atomic():
            Crop.objects.create(name="Bray")
            self.assertEqual(changed(before), {CROPS, marks.ALL})
            transaction.set_rollback(True)
        self.assertEqual(changed(before), set())

    def test_of_a_table_of_trials_the_trial_that_was_written_changes(self) -> None:
        by = world.person()
        one, other = world.trial(by), world.trial(by, name="Fennel again")
        walks = [open_round(t, world.trait("vigour"), world.TODAY, by) for t in (one, other)]
        before = now()
        world.keep(walks[0], one.plots.all()[0], by, 5)
        self.assertEqual(changed(before), {marks.ALL, OBSERVED, f"{OBSERVED}:{one.pk}"})
        before = now()
        Observation.objects.filter(round=walks[1]).update(note="")  # nothing there
        Observation.objects.filter(round=walks[0]).update(note="seen again")
        self.assertEqual(changed(before), {marks.ALL, OBSERVED, f"{OBSERVED}:{marks.ANY}"})


class Reading(TestCase):
    def read(self, *wanted: Any) -> set[str]:
        with marks.aside() as own:
            for rows in wanted:
                list(rows)
        return own.names

    def test_it_rests_on_every_table_that_its_statement_names(self) -> None:
        self.assertEqual(self.read(Crop.objects.filter(name="Bray")), {CROPS})
        inner = Bed.objects.filter(site__name="Ostrel Flats").values("site")
        self.assertEqual(self.read(Site.objects.filter(pk__in=inner)), {SITES, Bed._meta.db_table})

    def test_within_a_trial_it_rests_on_the_trials_part_and_on_what_was_written_of_no_trial(self) -> None:
        rows = Observation.objects.filter(round__trial=4)
        self.assertIn(OBSERVED, self.read(rows.all()))
        with marks.within_trials(4, 5):
            parts = {name for name in self.read(rows.all()) if name.startswith(OBSERVED)}
        self.assertEqual(parts, {f"{OBSERVED}:4", f"{OBSERVED}:5", f"{OBSERVED}:{marks.ANY}"})
        with marks.within_trials(*range(marks.MOST_TRIALS + 1)):
            self.assertIn(OBSERVED, self.read(rows.all()))

    def test_a_row_rests_on_what_came_with_it(self) -> None:
        world.trial(world.person())
        trial = Trial.objects.select_related("crop", "bed__site").prefetch_related("more_beds", "criteria").get()
        named = {m._meta.db_table for m in (Trial, Crop, Bed, Site, Trial.more_beds.through)}
        self.assertLessEqual(named | {"trials_criterion"}, marks.tables_under(trial))
        self.assertEqual(marks.tables_under(Trial.objects.get()), {"trials_trial"})


class Alone(TransactionTestCase):
    """Writes outside of any transaction, and what others see of them."""

    def test_a_write_and_its_mark_come_together(self) -> None:
        before = now()
        crop = Crop.objects.create(name="Bray")
        self.assertEqual(changed(before), {CROPS, marks.ALL})
        self.assertFalse(connection.in_atomic_block)
        before = now()
        seen: list[set[str]] = []

        def elsewhere() -> None:
            Crop.objects.filter(pk=crop.pk).update(name="Cove")
            seen.append(changed(before))

        self.beside(elsewhere).join()
        self.assertEqual(seen, [{CROPS, marks.ALL}])
        self.assertEqual(changed(before), {CROPS, marks.ALL})

    def test_no_state_has_the_mark_of_another(self) -> None:
        crop, seen = Crop.objects.create(name="Bray"), set()
        for name in ("Bray", "Cove", "Bray", "Cove"):
            Crop.objects.filter(pk=crop.pk).update(name=name)
            seen.add(now()[CROPS])
        self.assertEqual(len(seen), 4)
