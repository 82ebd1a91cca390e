"""Absurd and hostile values on every address: a message or a page, never a broken server, and nothing half-kept."""

from __future__ import annotations

import os
import random
import re
import uuid
from collections import Counter
from collections.abc import Iterator
from typing import Any

from django.apps import apps
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection, transaction
from django.test import Client, override_settings, tag
from django.urls import URLPattern, URLResolver, get_resolver

from evarlo.catalogue.models import Crop, Cultivar, Trait
from evarlo.grounds.models import Bed, Site
from evarlo.people.middleware import above
from evarlo.people.models import Role, User
from evarlo.people.permissions import ACTS, acts_of, opens
from evarlo.seeds.germination import begin_test
from evarlo.seeds.services import keep_lot, move_stock
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Plot, Trial
from evarlo.walks.models import Observation, Round

ABSURD = (
    "",
    "-1",
    "0",
    "1e309",
    "nan",
    "inf",
    "10000",
    "1.5",
    "1,5",
    "'; drop table trials_trial; --",
    "<script>alert(1)</script>",
    "x" * 5000,
    "\x00",
    "2026-13-40",
    "0000-00-00",
    "9999-12-31",
    "31.2.2026",
    "=1+1",
    "٣",
    "²",
    "99999999999999999999",
    "on",
    "A\nA",
    "−3",
    "３",
)
SOUND = {
    "name": "Hostile",
    "crop": "Bulb fennel",
    "season": "2026",
    "site": "Ostrel Flats",
    "bed": "Q",
    "bed_length_m": "20",
    "bed_width_m": "8",
    "bearing": "90",
    "entries": "A\nB\nC\nD",
    "check": "A",
    "blocks": "3",
    "block_size": "2",
    "plot_length_m": "2",
    "plot_width_m": "1",
    "path_m": "0.5",
    "between_rows_cm": "30",
    "in_row_cm": "20",
    "cv_percent": "12",
    "trait_1": "plot-yield",
    "direction_1": "higher",
    "matters_1": "0.3",
    "on": "2026-06-01",
    "value": "5",
    "verdict": "retest",
    "reason": "why",
    "trait": "vigour",
    "note": "n",
    "cause": "accident",
    "marketable_kg": "1.2",
    "cull_kg": "0.1",
    "sheet": "a4-24",
    "kind": "both",
    "start": "1",
    "tmin": "1",
    "base": "6",
    "upper": "30",
    "since": "2026-01-01",
    "design": "incomplete",
    "text": "date,tmin,tmax\n2026-01-01,1,5",
}
OTHERS = (
    "question",
    "sow_on",
    "plant_on",
    "pick_on",
    "trait_2",
    "matters_2",
    "plots",
    "plot",
    "sure",
    "q",
    "layer",
    "guard",
    "direction_0",
)
FILES = (
    b"",
    b"\x89PNG\r\n\x1a\n" + bytes(50),
    b"entry,value\nA,1\nB,2\n",
    b"plot,rep,entry,value\n1,1,\xe9,1\n2,1,B,=1+1",
    b'"unclosed,1\n' * 5,
    "entry;value\nA;1,5\nB;2,5\n".encode("utf-16"),
    b"plot,rep,row,col,entry,value\n1,1,999999999999,1,A,1\n2,1,1,-5,B,2\n",
    b"entry,entry,value\nA,B,1\nC,D,2\n",
)


def patterns(resolver: URLResolver, before: str = "") -> Iterator[str]:
    for pattern in resolver.url_patterns:
        if isinstance(pattern, URLResolver):
            yield from patterns(pattern, before + str(pattern.pattern))
        elif isinstance(pattern, URLPattern):
            yield before + str(pattern.pattern)


def views_of(resolver: Any, before: str = "") -> Iterator[tuple[str, Any]]:
    """Every address with its view."""
    for p in resolver.url_patterns:
        if isinstance(p, URLPattern):
            yield before + str(p.pattern), p.callback
        else:
            yield from views_of(p, before + str(p.pattern))


def rows() -> dict[str, int]:
    """How many records of each kind there are."""
    every = [m for m in apps.get_models(include_auto_created=True) if m.__module__.startswith("evarlo.")]
    asked = " union all ".join(f"select '{m._meta.label}', count(*) from {m._meta.db_table}" for m in every)
    with connection.cursor() as cursor:  # one statement for all of them: it is asked hundreds of times
        cursor.execute(asked)
        return dict(cursor.fetchall())


STORM = 50_000 if os.environ.get("EVARLO_EXAMPLES") == "fuzz" else 240  # requests of each of two storms: `make fuzz` asks 100,000

# What answers without a log-in, and how: whether someone is logged in, and a feed whose address nobody has.
OPEN = {"/people/here/": 401, "/trials/feed/1.ics": 404, "/worker.js": 200, "/manifest.webmanifest": 200}
OPEN |= {"/health/": 200, "/ready/": 503}  # the tests' tables were made without migrations
OPEN |= {"/people/join/1/": 410, "/people/first/": 302}  # a signed link is the permission; and somebody is here already
OPEN |= {"/api/v1/openapi.json": 200, "/api/v1/": 404}  # what can be asked is no secret
OPEN |= {"/partner/": 200, "/partner/1/": 302, "/partner/1/keep/": 302}  # a link's code is the permission
OPEN |= {"/taste/": 200, "/taste/1/": 302, "/taste/1/score/": 302}  # a seat's code is the permission; no seat has this one


class Everywhere(TestCase):
    """A person of each role, two trials with records, and every address there is."""

    people: dict[str, User]
    trial: Trial
    asked: Round
    firsts: list[int]
    addresses: list[str]

    @classmethod
    def setUpTestData(cls) -> None:
        cls.people = {role: world.person(role) for role in Role.values}
        by = cls.people[Role.MANAGER]
        cls.trial = world.trial(by, name="First")
        world.sow(cls.trial, by)
        cls.asked = world.keep_yields(cls.trial, by, {"Corvane": 5, "Quillet": 6.5, "OF-17": 5.2, "Brakewater": 3.4})
        world.trial(by, name="Second", fixed=False)
        kinds = (Site, Bed, Cultivar, Trait, Crop)  # whatever numbers the database has come to
        cls.firsts = [kind.objects.values_list("pk", flat=True).order_by("pk")[0] for kind in kinds]
        cls.addresses = [p for p in patterns(get_resolver()) if "static" not in p and "log-out" not in p and p != "ready/"]

    def address(self, chance: random.Random, pattern: str) -> str:
        def filled(match: re.Match[str]) -> str:
            kind = match.group(0)
            if "slug" in kind:
                return chance.choice([*self.slugs, "no-such-trial", "a" * 90])
            if "uuid" in kind:
                return str(chance.choice([uuid.UUID(int=7), *self.observations]))
            return (
                chance.choice(["99999999999999999999", str(self.asked.pk), *map(str, self.firsts), *map(str, self.plots[:3])])
                if "int" in kind
                else "x"
            )

        return "/" + re.sub(r"<[^>]+>", filled, pattern)

    def typed(self, chance: random.Random) -> dict[str, Any]:
        made: dict[str, Any] = {}
        for name in (*SOUND, *OTHERS):
            draw = chance.random()
            if draw < 0.65 and name in SOUND:
                made[name] = SOUND[name]
            elif draw < 0.85:
                made[name] = chance.choice(ABSURD)
        made["key"] = str(uuid.UUID(int=chance.getrandbits(128))) if chance.random() < 0.7 else chance.choice(ABSURD)
        if chance.random() < 0.5:
            made["plot"] = chance.choice([str(p) for p in self.plots] + ["101"])
        return made

    def number(self, kind: str) -> str:
        return str(uuid.UUID(int=7)) if "uuid" in kind else str(self.asked.pk) if "int" in kind else "x"

    def come_back(self, client: Client, role: str) -> None:
        User.objects.filter(pk=self.people[role].pk).update(role=role, is_active=True, left_at=None)
        client.force_login(User.objects.get(pk=self.people[role].pk), backend="django.contrib.auth.backends.ModelBackend")

    def storm(self, seed: int, role: str, rounds: int) -> dict[int, int]:
        chance = random.Random(seed)  # noqa: S311
        self.slugs = list(Trial.objects.values_list("slug", flat=True))
        self.plots = list(Plot.objects.values_list("pk", flat=True)[:40])
        self.observations = list(Observation.objects.values_list("pk", flat=True)[:4])
        client = Client(raise_request_exception=False)
        client.force_login(self.people[role], backend="django.contrib.auth.backends.ModelBackend")
        seen: dict[int, int] = {}
        for _ in range(rounds):
            url = self.address(chance, chance.choice(self.addresses))
            typed = self.typed(chance)
            if chance.random() < 0.7:
                if "bring" in url or "sheet" in url:
                    typed["file"] = SimpleUploadedFile(chance.choice(["a.csv", "x" * 200, "é.csv"]), chance.choice(FILES))
                answer = client.post(url, typed, headers={"HX-Request": "true"} if chance.random() < 0.4 else {})
            else:
                answer = client.get(url, typed)
            seen[answer.status_code] = seen.get(answer.status_code, 0) + 1
            if answer.status_code == 401 or answer.headers.get("Location", "").startswith("/people/log-in"):
                self.come_back(client, role)  # an act of the storm ended the log-in: the storm goes on
            broken = getattr(answer, "exc_info", None)
            self.assertLess(answer.status_code, 500, f"{url} with {typed}: {broken and broken[1]!r}")
        return seen


@tag("long")
@override_settings(AXES_ENABLED=False)
class Hostile(Everywhere):
    def test_a_manager_may_type_anything(self) -> None:
        seen = Counter(self.storm(1, Role.MANAGER, STORM)) + Counter(self.storm(2, Role.MANAGER, STORM))
        self.assertGreater(seen[422], 20)  # much was refused in words: how much is chance, with every address that comes new
        self.assertGreater(seen[302], 20)  # and some was kept

    def test_others_change_nothing_they_may_not(self) -> None:
        trials, people = Trial.objects.count(), User.objects.count()
        for role in (Role.EVALUATOR, Role.HELPER, Role.READER):
            seen = self.storm(5, role, 150)
            self.assertGreater(seen.get(403, 0), 10)
        self.assertEqual((Trial.objects.count(), User.objects.count()), (trials, people))
        self.storm(9, Role.READER, 100)
        self.assertEqual(Observation.objects.filter(by=self.people[Role.READER]).count(), 0)

    def test_every_address_answers_a_reload(self) -> None:
        """After a refused form the page has the act's address: a reload or the way back comes to a page, never to a blank one."""
        client = Client()
        client.force_login(self.people[Role.MANAGER], backend="django.contrib.auth.backends.ModelBackend")
        acts = 0
        for pattern in (p for p in self.addresses if not p.startswith("api/v1/")):  # programs come to no page
            url = "/" + re.sub(r"<[^>]+>", lambda m: self.trial.slug if "slug" in m[0] else self.number(m[0]), pattern)
            with self.subTest(url=url):
                first = client.get(url)
                acts += first.status_code == 302
                last = client.get(first["Location"], follow=True) if first.status_code == 302 else first
                self.assertNotIn(403, (first.status_code, last.status_code))
                self.assertNotEqual(last.status_code, 405)
        self.assertGreater(acts, 80)
        page = f"/trials/{self.trial.slug}/calendar/?from=here"
        back = client.get(f"/trials/{self.trial.slug}/fix/", headers={"Referer": f"http://testserver{page}"})
        self.assertRedirects(back, page)
        away = client.get(f"/trials/{self.trial.slug}/fix/", headers={"Referer": "http://elsewhere.example/trials/"})
        self.assertRedirects(away, f"/trials/{self.trial.slug}/")

    def test_a_refused_form_shows_only_what_its_sender_may_open(self) -> None:
        """Whoever may send a form but not open its page must not see that page by sending it wrong."""
        by = self.people[Role.MANAGER]
        blind = world.trial(by, name="Hidden", entries=("Grey Heron", "Salt Wren", "Low Teal", "Mud Rail"))
        lot = keep_lot(None, blind.entries.all()[0].cultivar, {"name": "K", "material": "seed", "year": 2026}, by)
        move_stock(lot, "received", 600, world.TODAY, by, world.TODAY)
        test = begin_test(lot, "germination", world.TODAY, 2, 25, None, "", by, world.TODAY)
        plot, refused = blind.plots.all()[0], 0
        names = [e.cultivar.name for e in blind.entries.select_related("cultivar")]
        for role in (Role.HELPER, Role.EVALUATOR, Role.READER):
            client = Client()
            client.force_login(self.people[role], backend="django.contrib.auth.backends.ModelBackend")
            for pattern in self.addresses:
                kinds = {"seed/": lot.pk, "seed/tests": test.pk, "trials/": plot.pk}
                pk = next((kinds[k] for k in sorted(kinds, key=len, reverse=True) if pattern.startswith(k)), 1)
                filled = {"slug": blind.slug, "uuid": str(uuid.UUID(int=7)), "int": str(pk)}
                url = "/" + re.sub(r"<(\w+):[^>]+>", lambda m: filled.get(m[1], "x"), pattern)  # noqa: B023
                answer = client.post(url, {"plants": "wrong", "on": "never", "name": ""})
                if answer.status_code != 422:
                    continue
                refused += 1
                with self.subTest(role=role, url=url):
                    self.assertIn(client.get(above(url)).status_code if client.get(url).status_code == 302 else 200, (200, 302))
                    if role != Role.READER and not url.startswith("/cultivars/"):  # the catalogue itself says no trial's codes
                        self.assertEqual([n for n in names if n in answer.content.decode()], [])
        self.assertGreater(refused, 12)
        helper = Client()
        helper.force_login(self.people[Role.HELPER], backend="django.contrib.auth.backends.ModelBackend")
        for url in (f"/seed/{lot.pk}/test/", f"/seed/tests/{test.pk}/count/"):
            self.assertEqual(helper.post(url, {"began_on": "never", "on": "never"}).status_code, 403, url)


@tag("long")
@override_settings(AXES_ENABLED=False)
class Doors(Everywhere):
    def test_every_address_holds_every_role_to_the_table_by_every_method(self) -> None:
        views = {pattern: view for pattern, view in views_of(get_resolver()) if acts_of(view)}
        self.assertGreater(len(views), 270)
        without = {p for p, v in views_of(get_resolver()) if not acts_of(v) and getattr(v, "login_required", True)}
        own = {"people/me/", "people/me/password/", "people/me/second/", "people/log-out/", "people/visits/<int:pk>/end/"}
        self.assertEqual(without, own)
        chance = random.Random(11)  # noqa: S311
        self.slugs, self.plots = [self.trial.slug], [self.trial.plots.all()[0].pk]
        self.observations = list(Observation.objects.values_list("pk", flat=True)[:1])
        refused, opened = 0, set[str]()
        for role, user in self.people.items():
            client = Client(raise_request_exception=False)
            client.force_login(user, backend="django.contrib.auth.backends.ModelBackend")
            for pattern, view in views.items():
                url = self.address(chance, pattern)
                if all(role in ACTS[act] for act in acts_of(view)):
                    if role == Role.MANAGER or pattern in opened:
                        continue  # a manager opens each in the test of reloads; of the others one does
                    opened.add(pattern)
                    with self.subTest(role=role, url=url):
                        self.assertNotEqual(client.get(url).status_code, 403)
                    continue
                refused += 1
                for method in ("get", "head", "post", chance.choice(("put", "delete", "patch", "options", "trace"))):
                    with self.subTest(role=role, url=url, method=method):
                        answer = getattr(client, method)(url)
                        self.assertEqual(answer.status_code, 403 if method in ("get", "head", "post") else 405)
                answer = client.post(url, {"name": "x" * 1000, "act-key": str(uuid.uuid4())})
                self.assertFalse(answer.wsgi_request._read_started, url)  # type: ignore[attr-defined]
        self.assertGreater(refused, 250)

    def test_empty_forms_make_nothing(self) -> None:
        """Acts of one touch, which need no words, are let be; any other empty form leaves every table as it was."""
        chance = random.Random(12)  # noqa: S311
        self.slugs, self.plots = [self.trial.slug], [self.trial.plots.all()[0].pk]
        self.observations = list(Observation.objects.values_list("pk", flat=True)[:1])
        client = Client(raise_request_exception=False)
        client.force_login(self.people[Role.MANAGER], backend="django.contrib.auth.backends.ModelBackend")
        made, before = {}, rows()
        for pattern in self.addresses:
            if any(word in pattern for word in ("api/", "back-ups", "log-in", "leave", "role", "end/", "reset/", "apart/")):
                continue
            with transaction.atomic():
                client.post(self.address(chance, pattern), {})
                changed = {t for t, n in rows().items() if n != before[t]} - {"people.AuditLine", "people.Visit"}
                transaction.set_rollback(True)
            if changed:
                made[pattern] = changed
        self.assertEqual(made, {})

    def test_no_page_offers_what_its_reader_may_not_open(self) -> None:
        offered: dict[str, set[str]] = {}
        pages = 0
        for role, user in self.people.items():
            client = Client()
            client.force_login(user, backend="django.contrib.auth.backends.ModelBackend")
            for pattern in (p for p in self.addresses if not p.startswith("api/v1/")):
                url = "/" + re.sub(r"<[^>]+>", lambda m: self.trial.slug if "slug" in m[0] else self.number(m[0]), pattern)
                if not opens(user, url):
                    continue
                answer = client.get(url)
                if answer.status_code != 200 or "html" not in answer["Content-Type"]:
                    continue
                pages += 1
                for link in set(re.findall(r'href="(/[^"#?]*)', answer.content.decode())):
                    if not link.startswith("/static/") and not opens(user, link):
                        offered.setdefault(f"{role}: {link}", set()).add(pattern)
        self.assertEqual(offered, {})
        self.assertGreater(pages, 200)

    def test_no_number_in_an_address_is_too_large(self) -> None:
        client = Client(raise_request_exception=False)
        client.force_login(self.people[Role.MANAGER], backend="django.contrib.auth.backends.ModelBackend")
        asked = 0
        for pattern in (p for p in self.addresses if "<int:" in p):
            other = {"slug": self.trial.slug, "uuid": str(uuid.UUID(int=7))}
            plain = re.sub(r"<(?!int)(\w+):[^>]+>", lambda m: other.get(m[1], "x"), pattern)  # noqa: B023
            many = plain.count("<int:")
            for at in range(many):
                url = "/" + plain
                for i in range(many):
                    url = re.sub(r"<int:[^>]+>", "99999999999999999999" if i == at else str(self.asked.pk), url, count=1)
                for method in ("get", "post"):
                    asked += 1
                    with self.subTest(url=url, method=method):
                        self.assertLess(getattr(client, method)(url).status_code, 500)
        self.assertGreater(asked, 150)

    def test_nobody_sees_anything_without_a_name(self) -> None:
        client = Client()
        for pattern in self.addresses:
            url = "/" + re.sub(r"<[^>]+>", lambda m: self.trial.slug if "slug" in m.group(0) else "1", pattern)
            if "log-in" in url or "uuid" in pattern:
                continue
            if url in OPEN:
                self.assertEqual(client.get(url).status_code, OPEN[url])
                continue
            with self.subTest(url=url):
                answer = client.get(url)
                self.assertIn(answer.status_code, (401, 405) if url.startswith("/api/v1/") else (302, 405))
                if answer.status_code == 302:
                    self.assertIn("/people/log-in/", answer["Location"])
