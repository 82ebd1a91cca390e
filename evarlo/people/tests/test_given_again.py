"""Pages that are given again: what is the same for many is, what is somebody's own is not, and nothing is old."""

from __future__ import annotations

import os
import random
import re
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import copy_context
from typing import Any
from unittest import mock

from django.apps import apps
from django.contrib.messages import get_messages
from django.db import connection, models
from django.http import HttpResponse
from django.test import Client, RequestFactory
from django.test.utils import CaptureQueriesContext
from django.urls import get_resolver, reverse

from evarlo.catalogue.models import Cultivar
from evarlo.databases import marks
from evarlo.people.given_again import FRESH, Looker, given_again
from evarlo.people.models import Role, User
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.testing.tests.test_hostile import views_of
from evarlo.trials.models import Trial
from evarlo.ui import unchanged

THOROUGH = os.environ.get("EVARLO_EXAMPLES") == "fuzz"  # every page after every change
CLOSED = ("people.User", "people.Visit")  # a change of these ends log-ins


def logged_in(person: User) -> Client:
    client = Client()
    client.force_login(person)
    return client


def otherwise(field: models.Field[Any, Any], row: models.Model) -> Any:
    """Another value for a field that can have one without breaking anything, else None."""
    value = getattr(row, field.attname)
    if (
        field.primary_key
        or field.unique
        or field.is_relation
        or field.choices
        or field.name in ("slug", "time_zone")
        or value is None
    ):
        return None
    if isinstance(value, str) and isinstance(field, (models.CharField, models.TextField)):
        return f"{value}q"[: field.max_length or 500]
    return value + 1 if isinstance(value, int | float) and not isinstance(value, bool) else None


class GivenAgain(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.trial = world.trial(self.by)
        self.walk = world.walk(self.trial, "vigour", self.by)
        self.plots = list(self.trial.plots.all())
        for plot in self.plots[:6]:
            world.keep(self.walk, plot, self.by, 5 + plot.pk % 3)
        self.addresses = list(self.known())

    def known(self) -> Iterator[str]:
        """An address of each view that is given again."""
        bed = self.trial.bed
        assert bed is not None
        numbers = {"cultivars/crops/": self.trial.crop_id, "ground/beds/": bed.pk, "ground/": bed.site_id}
        cultivar = Cultivar.objects.all()[0].pk
        for pattern, view in views_of(get_resolver()):
            if getattr(view, "given_again", False):
                number = next((pk for start, pk in numbers.items() if pattern.startswith(start)), cultivar)
                yield "/" + pattern.replace("<slug:slug>", self.trial.slug).replace("<int:pk>", str(number))

    def text(self, page: Any) -> str:
        return FRESH.sub("*", page.content.decode())

    def test_every_page_is_what_it_would_be_made_anew_and_writes_nothing(self) -> None:
        self.assertGreater(len(self.addresses), 30)
        for role in (Role.MANAGER, Role.HELPER):
            client = logged_in(self.by if role == Role.MANAGER else world.person(role))
            client.get("/")
            for address in self.addresses:
                with self.subTest(role=role, address=address):
                    first = client.get(address)
                    before = marks.marks()
                    again = client.get(address)
                    self.assertEqual(marks.marks(), before)
                    unchanged.forget()
                    anew = client.get(address)
                    self.assertEqual([first.status_code] * 2, [again.status_code, anew.status_code])
                    self.assertEqual(self.text(again), self.text(first))
                    self.assertEqual(self.text(again), self.text(anew))

    def test_after_a_value_every_page_shows_it_at_once(self) -> None:
        client = logged_in(self.by)
        for n, plot in enumerate(self.plots[6:7]):
            for address in self.addresses:
                client.get(address)
            world.keep(self.walk, plot, self.by, 9 - n)
            for address in self.addresses:
                with self.subTest(address=address, plot=n):
                    kept = client.get(address)
                    unchanged.forget()
                    self.assertEqual(self.text(kept), self.text(client.get(address)))

    def test_whatever_is_changed_in_any_table_no_page_is_older(self) -> None:
        clients = [logged_in(world.person(Role.READER)), logged_in(self.by)]
        asked = [(client, address) for client in clients for address in self.addresses]
        chance, tables = random.Random(3), 0  # noqa: S311
        for model in apps.get_models():
            row = (
                model._base_manager.first() if model.__module__.startswith("evarlo.") and model._meta.label not in CLOSED else None
            )
            wanted = {f.attname: other for f in model._meta.concrete_fields if row and (other := otherwise(f, row))}
            if row is None or not wanted:
                continue
            some = asked if THOROUGH else chance.sample(asked, 2)
            for client, address in some:
                client.get(address)
            model._base_manager.filter(pk=row.pk).update(**wanted)
            tables += 1
            for client, address in some:
                with self.subTest(table=model._meta.db_table, address=address):
                    kept = self.text(client.get(address))
                    unchanged.forget()
                    self.assertEqual(kept, self.text(client.get(address)))
            model._base_manager.filter(pk=row.pk).update(**{name: getattr(row, name) for name in wanted})
        self.assertGreater(tables, 15)

    def test_two_of_one_role_share_a_page_that_says_who_looks(self) -> None:
        one, other = (world.person(Role.READER, name) for name in ("ada", "bo"))
        User.objects.filter(pk=other.pk).update(first_name="Bo<b>")
        clients = logged_in(one), logged_in(other)
        first = clients[0].get("/trials/")
        with self.assertNumQueries(2):  # the session and the person
            second = clients[1].get("/trials/")
        self.assertContains(first, f'data-person="{one.pk}"')
        self.assertContains(second, f'data-person="{other.pk}"')
        self.assertContains(second, "Bo&lt;b&gt; T.")
        self.assertNotContains(second, one.short_name)

    def test_other_roles_and_settings_get_their_own(self) -> None:
        manager, reader = logged_in(self.by).get("/trials/"), logged_in(world.person(Role.READER)).get("/trials/")
        self.assertContains(manager, reverse("trials:new"))
        self.assertNotContains(reader, reverse("trials:new"))
        sun = world.person(Role.READER, "sun")
        User.objects.filter(pk=sun.pk).update(sunlight=True)
        self.assertContains(logged_in(sun).get("/trials/"), 'class="sun"')

    def test_who_waited_gets_what_was_made_meanwhile(self) -> None:
        client = logged_in(world.person(Role.READER))
        made: list[Any] = []
        usual = unchanged.one_at_a_time

        def another() -> None:
            marks.end()
            Trial.objects.filter(pk=self.trial.pk).update(name="Fennel, renamed")
            logged_in(world.person(Role.READER, "another")).get("/trials/")

        @contextmanager
        def waits(key: Any) -> Iterator[None]:
            """Another writes, asks for the page and gets it while this one waits."""
            if not made:
                made.append(key)
                copy_context().run(another)
            with usual(key):
                yield

        with mock.patch.object(unchanged, "one_at_a_time", waits), CaptureQueriesContext(connection) as seen:
            client.get("/trials/")
        pages = [q for q in seen if 'FROM "trials_trial"' in q["sql"]]
        again = logged_in(world.person(Role.READER, "third"))
        with CaptureQueriesContext(connection) as one:
            unchanged.forget()
            again.get("/trials/")
        self.assertEqual(len(pages), len([q for q in one if 'FROM "trials_trial"' in q["sql"]]))  # made once, by the other

    def test_proofs_and_keys_are_new_each_time(self) -> None:
        client = logged_in(self.by)
        pages = [client.get("/trials/").content.decode() for _ in range(3)]
        for pattern in (r'name="csrfmiddlewaretoken" value="(\w+)"', r'name="act-key" value="([\w-]+)"', r'"X-CSRFToken": "(\w+)"'):
            with self.subTest(pattern):
                self.assertEqual(len({re.search(pattern, page)[1] for page in pages}), 3)  # type: ignore[index]

    def test_a_form_on_a_page_that_was_given_again_is_taken(self) -> None:
        client = Client(enforce_csrf_checks=True)
        client.force_login(self.by)
        client.get("/trials/")
        page = client.get("/trials/").content.decode()
        proof = re.search(r'name="csrfmiddlewaretoken" value="(\w+)"', page)
        assert proof
        self.assertEqual(client.post(reverse("people:log-out"), {"csrfmiddlewaretoken": proof[1]}).status_code, 302)

    def test_what_is_somebodys_own_is_given_to_nobody_else(self) -> None:
        other = world.person(Role.MANAGER, "other")
        address = reverse("trials:calendar-page", args=[self.trial.slug])
        client = logged_in(self.by)
        client.post(reverse("trials:new-feed", args=[self.trial.slug]))
        self.by.refresh_from_db()
        client.get(address)  # says that a feed was made
        for page in (client.get(address), client.get(address)):
            self.assertContains(page, self.by.calendar_key)
        self.assertNotContains(logged_in(other).get(address), self.by.calendar_key)

    def test_what_was_said_once_is_not_said_again(self) -> None:
        client = logged_in(self.by)
        address = reverse("trials:plan", args=[self.trial.slug])
        client.get(address)
        client.post(reverse("trials:archive", args=[self.trial.slug]), {"away": "yes"})
        page = client.get(address)
        said = re.search(r'<div id="notices".*?</div>', page.content.decode(), re.DOTALL)
        assert said
        self.assertRegex(said[0], r"put away|archive|away")
        again = re.search(r'<div id="notices".*?</div>', client.get(address).content.decode(), re.DOTALL)
        assert again
        self.assertNotEqual(again[0], said[0])

    def test_a_view_that_says_something_is_made_each_time(self) -> None:
        made: list[int] = []

        @given_again
        def says(request: Any) -> HttpResponse:
            made.append(1)
            get_messages(request).add(20, "Said.")  # type: ignore[union-attr]
            return HttpResponse("<p>page</p>")

        for _ in range(2):
            request = RequestFactory().get("/somewhere/")
            request.user, request.session = self.by, {}  # type: ignore[assignment]
            from django.contrib.messages.storage.cookie import CookieStorage

            request._messages = CookieStorage(request)  # type: ignore[attr-defined]
            says(request)  # type: ignore[arg-type]
        self.assertEqual(len(made), 2)

    def test_whoever_is_asked_for_more_than_many_share_is_known(self) -> None:
        for asked in (lambda p: p.pk, str, hash, lambda p: p == self.by, lambda p: p.username):
            looker = Looker(self.by)
            self.assertFalse(looker.is_anonymous or looker.role != Role.MANAGER)
            self.assertFalse(looker.__dict__["personal"])
            asked(looker)
            self.assertTrue(looker.__dict__["personal"])
        self.assertIsInstance(Looker(self.by), User)
        self.assertEqual(Trial.objects.filter(made_by=Looker(self.by)).count(), 1)  # type: ignore[misc]
