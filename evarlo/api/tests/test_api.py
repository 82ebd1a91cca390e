"""The API: tokens, scopes, pages, ETags, rate; blind stays blind; the same figures as on the pages; its description kept true."""

from __future__ import annotations

import json
import os
import uuid
from collections import Counter
from datetime import date, timedelta
from pathlib import Path
from typing import Any, cast
from unittest import mock

import schemathesis
from django.conf import settings as place_settings
from django.core.cache import caches
from django.core.cache.backends.filebased import FileBasedCache
from django.core.wsgi import get_wsgi_application
from django.db import connection
from django.urls import reverse
from django.utils import timezone
from hypothesis import HealthCheck, given, settings
from hypothesis.errors import Unsatisfiable
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)

from evarlo.api.door import Rate
from evarlo.api.models import Token
from evarlo.api.service import api
from evarlo.api.tokens import MOST, digest_of, make_token, token_of
from evarlo.grounds.models import WeatherDay
from evarlo.people.models import AuditLine, User
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial
from evarlo.ui.refused import Refused
from evarlo.walks.models import Observation

DESCRIBED = Path(__file__).resolve().parents[3] / "docs" / "openapi.json"
EXAMPLES = 200 if os.environ.get("EVARLO_EXAMPLES") == "fuzz" else 4  # of each address, sound and unsound
MEANS = {"Corvane": 4.1, "Quillet": 5.2, "OF-17": 4.4, "Brakewater": 3.0}


def let_in(person: User, scope: str = "read", until: date | None = None) -> str:
    return make_token(person, "a program", scope, until or timezone.localdate() + timedelta(days=30))[1]


class Api(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.made = world.trial(self.by)
        self.key = let_in(self.by, "write")

    def ask(self, address: str, key: str | None = None, **more: Any) -> Any:
        return self.client.get(f"/api/v1/{address}", headers={"Authorization": f"Bearer {key or self.key}"} | more)

    def send(self, address: str, what: Any, key: str | None = None) -> Any:
        headers = {"Authorization": f"Bearer {key or self.key}"}
        return self.client.post(f"/api/v1/{address}", json.dumps(what), content_type="application/json", headers=headers)


class Letting(Api):
    def test_without_a_token_or_with_one_that_has_ended_nobody_gets_in(self) -> None:
        self.client.force_login(self.by)  # a log-in is no token
        answer = self.client.get("/api/v1/trials")
        self.client.logout()
        self.assertEqual((answer.status_code, answer["WWW-Authenticate"]), (401, 'Bearer realm="Evarlo"'))
        self.assertIn("Authorization: Bearer", answer.json()["error"])
        self.assertEqual(self.ask("trials", "ev_wrong").status_code, 401)
        self.assertEqual(self.ask("trials").status_code, 200)
        token = Token.objects.get()
        for change in ({"ends_on": timezone.localdate() - timedelta(days=1)}, {"ended_at": timezone.now()}):
            Token.objects.filter(pk=token.pk).update(**change)
            self.assertEqual(self.ask("trials").status_code, 401)
            Token.objects.filter(pk=token.pk).update(ends_on=timezone.localdate(), ended_at=None)
        for gone in ({"is_active": False}, {"role": ""}):
            User.objects.filter(pk=self.by.pk).update(**gone)
            self.assertEqual(self.ask("trials").status_code, 401)
            User.objects.filter(pk=self.by.pk).update(is_active=True, role="manager")
        self.assertEqual(self.ask("trials").status_code, 200)

    def test_only_a_digest_is_kept_and_the_use_is_noted(self) -> None:
        self.assertNotIn(self.key, str(list(Token.objects.values())))
        self.assertIsNone(Token.objects.get().used_at)
        self.ask("trials")
        self.assertIsNotNone(Token.objects.get().used_at)
        self.assertEqual(token_of(self.key), Token.objects.get())

    def test_a_token_has_an_end_and_a_name_and_there_are_not_too_many(self) -> None:
        today = timezone.localdate()
        for name, end, said in (
            (" ", today, "Nothing was typed"),
            ("a", today - timedelta(days=1), "Expected a day from today"),
            ("a", today + timedelta(days=500), "Expected a day from today"),
        ):
            self.assertRaisesRegex(Refused, said, make_token, self.by, name, "read", end)
        for _ in range(MOST - 1):
            let_in(self.by)
        self.assertRaisesRegex(Refused, "End one first", let_in, self.by)

    def test_the_page_shows_a_token_once_and_ends_it(self) -> None:
        self.client.force_login(self.by)
        typed = {"name": "rain gauge", "scope": "read", "ends_on": (timezone.localdate() + timedelta(days=9)).isoformat()}
        page = self.client.post(reverse("api:tokens"), typed)
        text = page.context["text"]
        self.assertContains(page, text)
        self.assertEqual(self.ask("trials", text).status_code, 200)
        self.assertNotContains(self.client.get(reverse("api:tokens")), text)
        self.assertContains(self.client.post(reverse("api:tokens"), typed | {"ends_on": "moon"}), "Expected a date")
        other = world.person("helper")
        self.client.force_login(other)
        pk = Token.objects.get(name="rain gauge").pk
        self.client.post(reverse("api:end", args=[pk]))
        self.assertEqual(self.ask("trials", text).status_code, 200)  # another's token is not theirs to end
        self.client.force_login(self.by)
        self.client.post(reverse("api:end", args=[pk]))
        self.assertEqual(self.ask("trials", text).status_code, 401)
        self.assertEqual(AuditLine.objects.filter(what__contains="program").count(), 4)

    def test_no_more_than_so_many_requests_a_minute_of_one_token(self) -> None:
        other = let_in(self.by)
        answers = [self.ask("sites").status_code for _ in range(300)]
        beside = FileBasedCache(str(place_settings.DATA / "rates"), {})  # another process counts in the same place
        asked = Rate.cache.get(f"api-{digest_of(self.key)}")
        beside.set(f"api-{digest_of(self.key)}", asked + asked, 60)
        answers += [self.ask("sites").status_code for _ in range(2)]
        self.assertEqual(Counter(answers), {200: 300, 429: 2})
        self.assertEqual(self.ask("sites", other).status_code, 200)
        with mock.patch.object(FileBasedCache, "set", side_effect=OSError(28, "No space left on device")):
            self.assertEqual(self.ask("sites", other).status_code, 200)

    def test_roles_and_scopes_hold(self) -> None:
        helper, reader = (let_in(world.person(r), "write") for r in ("helper", "reader"))
        self.assertEqual(self.ask(f"trials/{self.made.slug}/comparisons/plot-yield", helper).status_code, 403)
        self.assertEqual(self.send(f"trials/{self.made.slug}/rounds/1/observations", {"records": []}, reader).status_code, 403)
        refused = self.send("sites/1/weather", {"days": []}, let_in(self.by))
        self.assertEqual(
            (refused.status_code, refused.json()["error"]), (403, "This token reads only. Make one that reads and writes.")
        )
        for method in ("put", "delete", "patch"):
            self.assertEqual(getattr(self.client, method)("/api/v1/trials").status_code, 405)


class Reading(Api):
    def test_pages_of_results(self) -> None:
        world.trial(self.by, name="Another", season="2025")
        first = self.ask("trials?per_page=1").json()
        self.assertEqual((first["count"], first["pages"], len(first["results"])), (2, 2, 1))
        self.assertEqual(self.ask("trials?per_page=1&page=2").json()["results"][0]["name"], "Another")
        self.assertEqual(self.ask("trials?page=99").json()["results"], [])
        self.assertEqual([t["name"] for t in self.ask("trials?season=2025").json()["results"]], ["Another"])
        for wrong in ("page=0", "page=x", "per_page=501", "per_page=-1"):
            self.assertEqual(self.ask(f"trials?{wrong}").status_code, 422, wrong)

    def test_an_etag_spares_what_has_not_changed(self) -> None:
        first = self.ask(f"trials/{self.made.slug}")
        again = self.ask(f"trials/{self.made.slug}", **{"If-None-Match": first["ETag"]})
        self.assertEqual((again.status_code, again.content), (304, b""))
        Trial.objects.update(question="Other")
        self.assertEqual(self.ask(f"trials/{self.made.slug}", **{"If-None-Match": first["ETag"]}).status_code, 200)

    def test_the_figures_are_those_of_the_page(self) -> None:
        world.keep_yields(self.made, self.by, MEANS)
        self.client.force_login(self.by)
        page = self.client.get(reverse("compare:figures", args=[self.made.slug]), {"trait": "plot-yield"}).json()
        told = self.ask(f"trials/{self.made.slug}/comparisons/plot-yield").json()
        self.assertEqual({k: v for k, v in told.items() if k != "trait"}, {k: v for k, v in page.items() if k != "trait"})
        self.assertEqual(self.ask(f"trials/{self.made.slug}/comparisons/vigour").status_code, 404)

    def test_a_blind_trial_stays_blind(self) -> None:
        Trial.objects.update(blind=True, question="Is Quillet better than Corvane?")
        world.keep_yields(self.made, self.by, MEANS)
        asked = self.made.rounds.get()
        names = [e.cultivar.name for e in self.made.entries.select_related("cultivar")]
        world.keep(asked, self.made.plots.all()[0], self.by, 4.4, note="looks like Quillet")
        addresses = [x.replace("{slug}", self.made.slug).replace("{trait}", "plot-yield") for x in paths() if "{slug}" in x]
        addresses += ["trials"]
        self.assertGreater(len(addresses), 7)
        for role in ("evaluator", "helper"):
            key = let_in(world.person(role))
            for address in addresses:
                said = self.ask(address, key).content.decode()
                self.assertFalse([n for n in names if n in said], address)
            self.assertEqual({e["check"] for e in self.ask(f"trials/{self.made.slug}/entries", key).json()}, {None})
        told = self.ask(f"trials/{self.made.slug}/entries").json()
        self.assertEqual({e["cultivar"] for e in told}, set(names))
        Trial.objects.update(opened_at=timezone.now())
        self.assertIn("Quillet", self.ask(f"trials/{self.made.slug}/entries", key).content.decode())

    def test_who_scores_blind_reads_their_own_values_alone(self) -> None:
        asked, other = world.walk(self.made, "damage", self.by), world.person("evaluator")
        world.keep(asked, self.made.plots.all()[0], self.by, 10)
        world.keep(asked, self.made.plots.all()[1], other, 20)
        values = [
            o["number"] for o in self.ask(f"trials/{self.made.slug}/observations?trait=damage", let_in(other)).json()["results"]
        ]
        self.assertEqual(values, [20])
        self.assertEqual(self.ask(f"trials/{self.made.slug}/observations").json()["count"], 2)


class Writing(Api):
    def test_values_of_a_round_are_kept_once_and_each_gets_its_answer(self) -> None:
        asked, plots = world.walk(self.made, "damage", self.by), list(self.made.plots.all())
        url, now = f"trials/{self.made.slug}/rounds/{asked.pk}/observations", timezone.now().isoformat()
        one = {"key": str(uuid.uuid4()), "plot": plots[0].number, "number": 12.5, "made_at": now}
        sent = [
            one,
            {"key": str(uuid.uuid4()), "plot": "none", "number": 3, "made_at": now},
            {"key": str(uuid.uuid4()), "plot": plots[1].number, "number": 300, "made_at": now},
            {"key": str(uuid.uuid4()), "plot": plots[2].number, "cause": "accident", "made_at": now},
        ]
        answer = self.send(url, {"records": sent}).json()
        self.assertEqual([a["state"] for a in answer["answers"]], ["kept", "refused", "refused", "kept"])
        self.assertIn("not in this round", answer["answers"][1]["said"])
        self.assertEqual([a["state"] for a in self.send(url, {"records": [one]}).json()["answers"]], ["same"])
        self.assertEqual(Observation.objects.count(), 2)
        self.assertEqual(Observation.objects.get(pk=str(one["key"])).by, self.by)
        self.assertEqual(self.send(url, {"records": [one | {"moon": 1}]}).status_code, 422)
        self.assertEqual(self.send(url, {"records": [one] * 201}).status_code, 422)
        self.assertEqual(self.send(f"trials/{self.made.slug}/rounds/999/observations", {"records": []}).status_code, 404)

    def test_weather_is_kept_and_a_day_taken_anew(self) -> None:
        bed = self.made.bed
        assert bed is not None
        url, day = f"sites/{bed.site_id}/weather", timezone.localdate().isoformat()
        self.assertEqual(self.send(url, {"days": [{"day": day, "tmin_c": 3, "tmax_c": 12}]}).json(), {"kept": 1})
        self.send(url, {"days": [{"day": day, "tmin_c": 4, "tmax_c": 13, "rain_mm": 2}]})
        kept = WeatherDay.objects.get(site=bed.site, day=day)
        self.assertEqual((kept.tmin, kept.rain_mm, kept.source), (4, 2, "program"))
        told = self.ask(f"{url}?since={day}").json()["results"][0]
        self.assertEqual((told["tmax_c"], told["source"]), (13, "program"))
        for wrong in ({"tmin_c": 14}, {"tmax_c": 99}, {"day": "2999-01-01"}, {"rain_mm": -1}, {"tmin_c": "NaN"}):
            refused = self.send(url, {"days": [{"day": day, "tmin_c": 3, "tmax_c": 12} | wrong]})
            self.assertEqual(refused.status_code, 422, wrong)
            self.assertTrue(refused.json()["error"])
        self.assertEqual(WeatherDay.objects.get(site=bed.site, day=day).tmin, 4)


def described() -> dict[str, Any]:
    return json.loads(json.dumps(api.get_openapi_schema()))  # type: ignore[no-any-return]


def paths() -> list[str]:
    return [p.removeprefix("/api/v1/") for p, asks in described()["paths"].items() if "get" in asks]


class Description(TestCase):
    def test_the_file_in_the_docs_is_the_one_that_is_served(self) -> None:
        self.assertEqual(json.loads(DESCRIBED.read_text()), described())

    def test_whatever_the_description_allows_is_answered_as_it_says(self) -> None:
        caches["rates"].clear()
        holds = mock.patch.object(connection, "close_if_unusable_or_obsolete")  # the test's transaction lives on
        holds.start()
        self.addCleanup(holds.stop)
        by = world.person()
        made = world.trial(by)
        world.keep_yields(made, by, MEANS)
        key = let_in(by, "write")
        schema = schemathesis.openapi.from_wsgi("/api/v1/openapi.json", get_wsgi_application())
        checks = [not_a_server_error, status_code_conformance, content_type_conformance, response_schema_conformance]
        seen: Counter[int] = Counter()
        for operation in (found.ok() for found in cast(Any, schema).get_all_operations()):
            for mode in (schemathesis.GenerationMode.POSITIVE, schemathesis.GenerationMode.NEGATIVE):

                @settings(max_examples=EXAMPLES, deadline=None, suppress_health_check=list(HealthCheck), database=None)
                @given(operation.as_strategy(generation_mode=mode))
                def ask(case: Any) -> None:
                    if "slug" in (case.path_parameters or {}):
                        case.path_parameters["slug"] = made.slug
                    answer = case.call(headers={"Authorization": f"Bearer {key}", "Accept-Encoding": "identity"})
                    seen[answer.status_code] += 1
                    wrong = ""
                    try:
                        case.validate_response(answer, checks=checks)
                    except BaseExceptionGroup as failures:  # itself it cannot be handed over by a parallel run
                        wrong = str(failures)
                    self.assertEqual(wrong, "")

                try:
                    ask()
                except Unsatisfiable:
                    continue  # nothing about it can be asked wrongly
        self.assertGreater(seen[200], 5 * EXAMPLES)
        self.assertGreater(seen[422], EXAMPLES)
        self.assertLessEqual(set(seen), {200, 400, 401, 404, 422})
