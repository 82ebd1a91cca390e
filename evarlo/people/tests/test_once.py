"""What is sent twice is kept once, and what is changed under the same key is not dropped in silence."""

import re
import uuid
from datetime import timedelta
from typing import Any

from django.urls import reverse
from django.utils import timezone

from evarlo.events.models import Event
from evarlo.harvest.models import Picking
from evarlo.people.models import Sent
from evarlo.seeds.models import GerminationTest, Lot
from evarlo.seeds.services import keep_lot, move_stock, stock_of
from evarlo.testing import world
from evarlo.testing.pages import TestCase

KEY = re.compile(r'name="act-key" value="([^"]+)"')


class Twice(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.trial = world.trial(self.by)
        self.client.force_login(self.by, backend="django.contrib.auth.backends.ModelBackend")
        self.today = timezone.localdate()

    def twice(self, url: str, typed: dict[str, Any]) -> list[Any]:
        typed = {"act-key": str(uuid.uuid4())} | typed
        return [self.client.post(url, typed) for _ in range(2)]

    def test_every_form_that_is_drawn_has_a_key_of_its_own(self) -> None:
        page = self.client.get(self.trial.get_absolute_url() + "walk/events/").content.decode()
        forms = len(re.findall(r'<form[^>]*method="post"', page))
        keys = KEY.findall(page)
        self.assertEqual((len(keys), len(set(keys))), (forms, forms))

    def test_an_event_sent_twice_is_one(self) -> None:
        typed = {"kind": "hail", "on": self.today.isoformat(), "plots": "101, 102", "recover_days": "9", "note": ""}
        first, second = self.twice(reverse("events:new-event", args=[self.trial.slug]), typed)
        self.assertEqual((first.status_code, second.status_code, Event.objects.count()), (302, 302, 1))
        self.assertEqual(first["Location"], second["Location"])

    def test_a_germination_test_takes_its_seed_once(self) -> None:
        lot = keep_lot(None, self.trial.entries.all()[0].cultivar, {"name": "K", "material": "seed", "year": 2026}, self.by)
        move_stock(lot, "received", 600, self.today - timedelta(days=9), self.by, self.today)
        typed = {"method": "germination", "began_on": self.today.isoformat(), "replicates": "4", "seeds": "25"}
        self.twice(reverse("seeds:begin-test", args=[lot.pk]), typed)
        self.assertEqual((GerminationTest.objects.count(), stock_of(Lot.objects.get())), (1, 500))

    def test_the_same_key_with_another_value_is_refused_not_dropped(self) -> None:
        url = reverse("harvest:pick", args=[self.trial.slug])
        key = str(uuid.uuid4())
        typed = {"key": key, "act-key": str(uuid.uuid4()), "on": self.today.isoformat(), "plot": "101", "marketable_kg": "4.5"}
        self.client.post(url, typed)
        answer = self.client.post(url, typed | {"marketable_kg": "5.5"}, follow=True)
        self.assertContains(answer, "saved before with other values")
        self.assertEqual([p.marketable_kg for p in Picking.objects.all()], [4.5])

    def test_what_was_refused_is_not_remembered(self) -> None:
        url = reverse("harvest:pick", args=[self.trial.slug])
        typed = {"act-key": str(uuid.uuid4()), "key": str(uuid.uuid4()), "on": self.today.isoformat(), "plot": "101"}
        self.assertEqual(self.client.post(url, typed).status_code, 422)
        self.assertEqual(Sent.objects.count(), 0)
        self.assertEqual(self.client.post(url, typed | {"marketable_kg": "4"}).status_code, 302)

    def test_records_of_another_person_are_turned_away(self) -> None:
        url = reverse("harvest:pick", args=[self.trial.slug])
        typed = {"key": str(uuid.uuid4()), "on": self.today.isoformat(), "plot": "101", "marketable_kg": "4"}
        answer = self.client.post(url, typed, headers={"HX-Request": "true", "X-Key": str(uuid.uuid4()), "X-Who": "99999"})
        self.assertEqual((answer.status_code, Picking.objects.count()), (409, 0))
