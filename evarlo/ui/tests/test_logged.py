"""Requests and errors in the log, under the number that the answer carries; how often and how long is counted."""

import json
import logging
import os
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from django.test import Client
from django.urls import reverse

from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.ui import logged
from evarlo.ui.logged import AsLine, Counts, counted_in_all


class InTheLog(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.client.force_login(self.by)

    def lines(self, *paths: str, **more: str) -> list[dict[str, object]]:
        logged.access.disabled = False
        with self.assertLogs("evarlo.access", "INFO") as seen:
            self.answers = [self.client.get(path, headers=more) for path in paths]
        return [json.loads(AsLine().format(r)) for r in seen.records]

    def test_a_request_is_a_line_with_the_number_of_its_answer(self) -> None:
        [line] = self.lines("/trials/?q=secret-word")
        self.assertEqual((line["method"], line["path"], line["status"], line["who"]), ("GET", "/trials/", 200, self.by.pk))
        self.assertEqual(line["id"], self.answers[0]["X-Request-Id"])
        self.assertNotIn("secret-word", str(line))
        self.assertEqual(line["bytes"], len(self.answers[0].content))

    def test_an_address_that_lets_in_is_not_told(self) -> None:
        for line in self.lines("/partner/abcdefgh23456789/", "/trials/feed/opensesame.ics", "/taste/opensesame/"):
            self.assertNotIn("opensesame", str(line))
            self.assertNotIn("abcdefgh23456789", str(line))

    def test_a_number_is_taken_from_a_trusted_proxy_alone(self) -> None:
        self.assertNotEqual(
            self.client.get("/health/", headers={"X-Request-Id": "from-outside-1"})["X-Request-Id"], "from-outside-1"
        )
        with mock.patch.dict(os.environ, {"EVARLO_PROXY": "127.0.0.1"}):
            self.assertEqual(
                self.client.get("/health/", headers={"X-Request-Id": "from-proxy-12"})["X-Request-Id"], "from-proxy-12"
            )
            self.assertNotIn("\n", self.client.get("/health/", headers={"X-Request-Id": "bad id"})["X-Request-Id"])

    def test_an_error_is_a_line_and_its_page_tells_the_number(self) -> None:
        client = Client(raise_request_exception=False)
        client.force_login(self.by)
        with (
            mock.patch("evarlo.exchange.health_views.counted_in_all", side_effect=RuntimeError("broken")),
            self.assertLogs("django.request", "ERROR") as seen,
        ):
            page = client.get(reverse("exchange:running"))
        self.assertEqual(page.status_code, 500)
        self.assertIn(page["X-Request-Id"], page.content.decode())
        line = json.loads(AsLine().format(seen.records[0]))
        self.assertIn("RuntimeError: broken", line["error"])
        self.assertEqual((line["id"], line["level"]), (page["X-Request-Id"], "error"))
        self.assertEqual(json.loads(AsLine().format(logging.makeLogRecord({"msg": "two\nlines"})))["said"], "two\nlines")


class Counting(TestCase):
    def test_what_the_processes_counted_is_summed_and_the_dead_are_let_go(self) -> None:
        with TemporaryDirectory() as folder, self.settings(DATA=Path(folder)):
            mine = Counts()
            mine.add(200, 12)
            mine.written = 0.0
            mine.add(503, 90_000)
            other = Path(folder) / "counts" / "4194303.json"  # no process has so high a number here
            other.write_text('{"since": "2026-01-01T00:00:00+00:00", "status": {"2xx": 9}, "took": {"50": 9}}')
            status, took, _ = counted_in_all()
            self.assertEqual((dict(status), dict(took)), ({"2xx": 1, "5xx": 1}, {"50": 1, "more": 1}))
            self.assertFalse(other.exists())

    def test_managers_read_it_and_where_it_cannot_be_written_answers_are_given(self) -> None:
        self.client.force_login(world.person())
        fresh = mock.patch.object(logged, "counts", Counts())
        with TemporaryDirectory() as folder, self.settings(DATA=Path(folder)), fresh:
            self.client.get("/health/")
            self.assertContains(self.client.get(reverse("exchange:running")), "1 answer since")
        with self.settings(DATA=Path("/nowhere")):
            Counts().add(200, 1)
        self.client.force_login(world.person("reader"))
        self.assertEqual(self.client.get(reverse("exchange:running")).status_code, 403)
