"""What is kept while nothing that it rests on has changed is never old, and is kept through whatever changes nothing of it."""

from __future__ import annotations

import threading
import time
from typing import Any
from unittest import mock

from django.db import connection, transaction

from evarlo.catalogue.models import Crop
from evarlo.databases import marks
from evarlo.grounds.models import Site
from evarlo.testing import world
from evarlo.testing.pages import TestCase, TransactionTestCase
from evarlo.trials.models import Trial
from evarlo.ui import unchanged
from evarlo.ui.unchanged import kept, one_at_a_time, told
from evarlo.ui.units import stop_using, use_imperial
from evarlo.walks.models import Observation
from evarlo.walks.queries import readings, spans
from evarlo.walks.services import open_round


class Kept(TransactionTestCase):
    def names(self) -> list[str]:
        self.reads += 1
        return sorted(Crop.objects.filter(source="made for this").values_list("name", flat=True))

    def setUp(self) -> None:
        self.reads = 0
        Crop.objects.create(source="made for this", name="Bray")

    def asked(self) -> list[str]:
        return kept(("names", self.id()), self.names, of=())

    def test_read_once_until_something_is_written_here_or_elsewhere(self) -> None:
        self.assertEqual((self.asked(), self.asked(), self.reads), (["Bray"], ["Bray"], 1))
        Crop.objects.create(source="made for this", name="Cove")
        self.assertEqual((self.asked(), self.reads), (["Bray", "Cove"], 2))
        self.beside(self.elsewhere).join()
        self.assertEqual((self.asked(), self.reads), (["Aber", "Bray", "Cove"], 3))
        self.asked()
        self.assertEqual(self.reads, 3)

    def elsewhere(self) -> None:
        Crop.objects.create(source="made for this", name="Aber")

    def test_kept_for_every_thread_and_through_what_is_written_to_other_tables(self) -> None:
        self.asked()
        Site.objects.create(name="Ostrel Flats")
        seen: list[list[str]] = []
        self.beside(lambda: seen.append(self.asked())).join()
        self.assertEqual((seen, self.reads), ([["Bray"]], 1))

    def test_what_it_is_of_has_to_be_said(self) -> None:
        with self.assertRaises(TypeError):
            kept(("names", self.id()), self.names)  # type: ignore[call-arg]

    def test_it_rests_on_the_rows_it_is_of_that_were_read_before(self) -> None:
        marks.begin()
        self.addCleanup(marks.end)
        site = Site.objects.create(name="Ostrel Flats")
        marks.begin()
        here = Site.objects.get(pk=site.pk)
        self.assertEqual(kept(("said", self.id()), lambda: here.name, of=[here]), "Ostrel Flats")
        Site.objects.filter(pk=site.pk).update(name="Brane Hill")
        marks.begin()
        there = Site.objects.get(pk=site.pk)
        self.assertEqual(kept(("said", self.id()), lambda: there.name, of=[there]), "Brane Hill")

    def test_what_changed_while_it_was_made_is_not_kept(self) -> None:
        def meanwhile() -> list[str]:
            found = self.names()
            self.beside(self.elsewhere).join()
            return found

        self.assertEqual(kept(("names", self.id()), meanwhile, of=()), ["Bray"])
        self.assertEqual(self.asked(), ["Aber", "Bray"])

    def test_what_a_transaction_took_back_is_never_kept(self) -> None:
        def fails() -> None:
            with transaction.atomic():
                Crop.objects.create(source="made for this", name="Dene")
                self.assertEqual(self.asked(), ["Bray", "Dene"])
                raise KeyError

        self.assertRaises(KeyError, fails)
        self.assertEqual(self.asked(), ["Bray"])

    def test_whoever_has_other_units_gets_their_own(self) -> None:
        self.asked()
        token: Any = use_imperial(True)
        self.asked()
        stop_using(token)
        self.asked()
        self.assertEqual(self.reads, 2)
        self.assertFalse(connection.in_atomic_block)

    def put(self, n: int, text: str, size: int) -> None:
        with marks.aside() as reading:
            reading.begun = marks.marks()
            unchanged.put_away(("page", n), text, size)

    def test_no_more_is_kept_than_there_is_room_for(self) -> None:
        with mock.patch.object(unchanged, "MOST_BYTES", 1000):
            for n in range(5):
                self.put(n, "x" * 300, 300)
            self.assertEqual([n for n in range(5) if unchanged.look_up(("page", n))], [2, 3, 4])
            self.put(2, "y" * 400, 400)  # in the place of the old one
            self.assertEqual([n for n in range(5) if unchanged.look_up(("page", n))], [2, 3, 4])
        with mock.patch.object(unchanged, "MOST", 2):
            self.put(6, "z", 0)
            self.assertEqual([n for n in range(7) if unchanged.look_up(("page", n))], [4, 6])

    def test_one_makes_what_many_want(self) -> None:
        made: list[int] = []

        def wants() -> None:
            with one_at_a_time("page"):
                if not made:
                    time.sleep(0.05)
                    made.append(1)

        crowd = [threading.Thread(target=wants) for _ in range(6)]
        for one in crowd:
            one.start()
        for one in crowd:
            one.join()
        self.assertEqual(made, [1])


class ToldOfAWalk(TestCase):
    """Who asks a source rests on what it said, not on every value that it looked at."""

    def setUp(self) -> None:
        self.by = world.person()
        self.trial = world.trial(self.by)
        self.walk = open_round(self.trial, world.trait("vigour"), world.TODAY, self.by)
        self.plots, self.made = list(self.trial.plots.all()), 0
        world.keep(self.walk, self.plots[0], self.by, 5)

    def page(self) -> tuple[Any, Any]:
        trial = Trial.objects.select_related("crop").get(pk=self.trial.pk)

        def make() -> tuple[Any, Any]:
            self.made += 1
            when = [(s.start, s.end) for s in told(spans, trial)]
            return when, {pk: r.number for pk, r in told(readings, trial, world.trait("vigour")).items()}

        return kept("page of it", make, of=[trial])

    def test_it_is_made_anew_when_the_answer_is_another(self) -> None:
        self.assertEqual(self.page()[1], {self.plots[0].pk: 5})
        world.keep(self.walk, self.plots[1], self.by, 7)
        self.assertEqual(self.page()[1], {self.plots[0].pk: 5, self.plots[1].pk: 7})
        self.assertEqual(self.made, 2)

    def test_it_stays_when_a_value_changes_nothing_of_the_answer(self) -> None:
        first = self.page()
        other = open_round(self.trial, world.trait("damage"), world.TODAY, self.by)
        self.made = 0
        self.page()
        self.made = 0
        world.keep(other, self.plots[2], self.by, 4)
        self.assertEqual((self.page(), self.made), (first, 0))

    def test_what_it_named_besides_still_counts(self) -> None:
        self.page()
        Trial.objects.filter(pk=self.trial.pk).update(name="Fennel, renamed")
        self.page()
        self.assertEqual(self.made, 2)

    def test_a_value_of_no_trial_in_particular_is_seen_too(self) -> None:
        self.page()
        Observation.objects.filter(round=self.walk).update(number=8)
        self.assertEqual(self.page()[1], {self.plots[0].pk: 8})
