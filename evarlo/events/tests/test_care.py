"""Care of plots: intervals that hold walks and picks back, organic only, repeats, undo, and the fairness audit."""

from datetime import datetime, timedelta
from typing import Any

from django.urls import reverse
from django.utils import timezone

from evarlo.events.care import (
    Done,
    due,
    keep_care,
    marks,
    not_before,
    set_organic,
    withdraw_care,
)
from evarlo.events.models import Care
from evarlo.nursery.audit import audit_of
from evarlo.nursery.book import book_of
from evarlo.people.models import Role
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.holds import held_plots, holds_in_words
from evarlo.trials.models import Plot
from evarlo.trials.queries import diary_of
from evarlo.trials.services import add_material
from evarlo.ui.refused import Refused
from evarlo.walks.field import taken_along


class Treated(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.made = world.trial(self.by)
        world.sow(self.made, self.by)
        self.now = timezone.now()
        self.plots = list(self.made.plots.select_related("entry"))

    def soap(self, plots: list[Plot] | None = None, at: datetime | None = None, **more: Any) -> Care:
        given: dict[str, Any] = {"entry_hours": 12, "pick_days": 5, "label_read": True} | more
        done = Done("spray", given.pop("what", "Soap"), at or self.now - timedelta(hours=2), **given)
        return keep_care(self.made, plots or self.plots[:3], done, self.by, self.now)


class Intervals(Treated):
    def test_plots_are_held_until_the_last_hour_and_day(self) -> None:
        self.soap()
        held = held_plots(self.made, self.now)
        self.assertEqual(set(held), {p.pk for p in self.plots[:3]})
        first = timezone.localdate(self.now - timedelta(hours=2)) + timedelta(days=5)
        self.assertEqual(held[self.plots[0].pk].pick_from, first)
        self.assertEqual(not_before(self.plots[0], timezone.localdate()), (first, "Soap"))
        self.assertIsNone(not_before(self.plots[0], first))
        self.assertIsNone(not_before(self.plots[5], timezone.localdate()))
        self.assertEqual(len(held_plots(self.made, self.now + timedelta(hours=13))), 3)
        self.assertEqual(held_plots(self.made, self.now + timedelta(days=6)), {})
        words = " ".join(holds_in_words(self.made, self.now))
        self.assertIn("Plots 101, 102, 103: Nobody enters until", words)
        self.assertIn(f"Not to be picked before {first:%-d %b %Y} (Soap)", words)

    def test_they_are_shown_wherever_a_walk_or_a_pick_is_started(self) -> None:
        self.soap()
        walk = world.walk(self.made, "vigour", self.by)
        self.assertIn("Nobody enters until", taken_along([walk], self.by, timezone.localdate())["held"][self.plots[0].pk])
        self.client.force_login(self.by)
        self.assertContains(self.client.get(reverse("walks:walk", args=[self.made.slug])), "Nobody enters until")
        self.assertContains(self.client.get(reverse("harvest:pick", args=[self.made.slug])), "Not to be picked before")

    def test_a_pick_within_the_interval_is_refused_until_somebody_says_so(self) -> None:
        self.soap()
        self.client.force_login(self.by)
        url = reverse("harvest:pick", args=[self.made.slug])
        typed = {
            "plot": "101",
            "on": timezone.localdate().isoformat(),
            "marketable_kg": "2",
            "key": "6f1c1d0e-7d5a-4d43-9c5d-0c7a8f1b2a3c",
        }
        answer = self.client.post(url, typed)
        self.assertContains(answer, "is not to be picked before", status_code=422)
        self.assertContains(answer, "Picked anyway", status_code=422)
        self.assertEqual(self.plots[0].pickings.count(), 0)
        self.client.post(url, typed | {"sure": "on"})
        self.assertEqual(self.plots[0].pickings.count(), 1)
        self.client.post(url, typed | {"plot": "104", "key": "6f1c1d0e-7d5a-4d43-9c5d-0c7a8f1b2a3d"})
        self.assertEqual(Plot.objects.get(trial=self.made, number="104").pickings.count(), 1)

    def test_undone_it_holds_nothing_and_stays_in_the_diary_struck_out(self) -> None:
        soap = self.soap()
        withdraw_care(soap, self.by)
        self.assertEqual(held_plots(self.made, self.now), {})
        line = next(x for x in diary_of(self.plots[0], True) if "Soap" in x.text)
        self.assertTrue(line.struck)


class Rules(Treated):
    def test_what_cannot_be(self) -> None:
        for more, said in (
            ({"label_read": False}, "Read the label first"),
            ({"at": self.now + timedelta(hours=1)}, "in the future"),
            ({"amount": 5.0}, "unit of the amount"),
        ):
            with self.subTest(said=said), self.assertRaisesMessage(Refused, said):
                self.soap(**more)
        self.assertEqual(Care.objects.count(), 0)

    def test_organic_only_flags_and_still_keeps_what_was_done(self) -> None:
        set_organic(self.made, True, self.by)
        self.made.refresh_from_db()
        with self.assertRaisesMessage(Refused, "organic only"):
            self.soap()
        self.soap(sure=True, what="Something else")
        self.soap(organic=True)
        said = " ".join(marks(self.made))
        self.assertIn("Something else on", said)
        self.assertEqual(said.count("not permitted in organic growing"), 1)
        keep_care(self.made, self.plots, Done("water", "Drip", self.now), self.by, self.now)

    def test_repeats_are_due_from_the_last_time(self) -> None:
        for days in (20, 6):
            at = self.now - timedelta(days=days)
            keep_care(self.made, self.plots, Done("water", "Drip", at, every_days=7), self.by, self.now)
        [line] = due(timezone.localdate())
        self.assertEqual((line.what, line.by), ("Drip", timezone.localdate(self.now - timedelta(days=6)) + timedelta(days=7)))

    def test_the_fairness_audit_and_comparisons_tell_what_only_some_had(self) -> None:
        entry = self.plots[0].entry
        own = [p for p in self.plots if p.entry_id == entry.pk]
        self.soap(own)
        keep_care(self.made, self.plots, Done("water", "Drip", self.now), self.by, self.now)
        found = [f for f in audit_of(self.made, book_of(self.made)).findings if f.about.startswith("Care: Soap")]
        self.assertEqual(len(found), 1)
        self.assertTrue(found[0].apart)
        self.assertIn(entry.code, found[0].said)
        said = " ".join(marks(self.made))
        self.assertIn("Soap on", said)
        self.assertNotIn("Drip", said)


class Form(Treated):
    def test_a_dose_of_the_trials_materials_fills_the_amount(self) -> None:
        material = add_material(self.made, {"name": "Seaweed feed", "kind": "rate", "amount": 2.0, "unit": "ml/m²"})
        self.client.force_login(world.person(Role.HELPER))
        url = reverse("events:new-care", args=[self.made.slug])
        typed = {"kind": "feed", "material": str(material.pk), "plots": "101-104", "on": timezone.localdate().isoformat()}
        self.client.post(url, typed)
        kept = Care.objects.get()
        self.assertEqual((kept.what, kept.amount, kept.unit, kept.plots.count()), ("Seaweed feed", 6.0, "ml", 4))
        for more, said in (
            ({"at": "25:00"}, "Found “25:00”"),
            ({"plots": ""}, "Nothing was chosen"),
            ({"material": ""}, "what was done"),
        ):
            with self.subTest(said=said):
                self.assertContains(self.client.post(url, typed | more), said, status_code=422)

    def test_an_earlier_day_without_a_time_counts_to_its_end(self) -> None:
        self.client.force_login(self.by)
        day = timezone.localdate() - timedelta(days=1)
        typed = {"kind": "spray", "what": "Soap", "plots": "101", "on": day.isoformat(), "entry_hours": "24", "label_read": "on"}
        self.client.post(reverse("events:new-care", args=[self.made.slug]), typed)
        self.assertEqual(timezone.localtime(Care.objects.get().done_at).hour, 23)
