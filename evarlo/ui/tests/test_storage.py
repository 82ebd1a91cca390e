"""What is on the disk is its owner's, and a disk that fails is said in words on every page, the log-in too."""

import os
import stat
import subprocess
import sys
import tempfile
from pathlib import Path
from unittest import mock

from django.conf import settings
from django.db import OperationalError
from django.test import Client, SimpleTestCase
from django.urls import reverse

from evarlo.testing import world
from evarlo.testing.pages import TestCase


class Failing(TestCase):
    def test_a_full_disk_or_a_read_only_folder_is_said_in_words(self) -> None:
        client = Client(raise_request_exception=False)
        client.force_login(world.person(), backend="django.contrib.auth.backends.ModelBackend")
        for said, status, words in (
            ("database or disk is full", 507, "disk is full"),
            ("attempt to write a readonly database", 507, "cannot be written to"),
            ("unable to open database file", 507, "cannot be opened"),
            ("database is locked", 503, "Send it again in a moment"),
        ):
            with (
                self.subTest(said=said),
                self.assertLogs("django.request", "ERROR"),
                mock.patch("django.db.backends.utils.CursorWrapper._execute", side_effect=OperationalError(said)),
            ):
                for url in ("/", reverse("people:log-in"), reverse("trials:list")):
                    answer = client.post(url, {"username": "a", "password": "b"}) if "log-in" in url else client.get(url)
                    self.assertEqual(answer.status_code, status, url)
                    self.assertIn(words, answer.content.decode())
                part = client.get("/", headers={"HX-Request": "true"})
                self.assertEqual(part["Content-Type"], "text/plain")
                self.assertIn(words, part.content.decode())


class Private(SimpleTestCase):
    def test_the_data_folder_and_all_in_it_are_readable_by_the_owner_only_and_two_migrations_wait(self) -> None:
        with tempfile.TemporaryDirectory() as room:
            data = Path(room) / "data"
            data.mkdir(mode=0o755)
            (data / "evarlo.sqlite3").touch(mode=0o644)
            env = {**os.environ, "EVARLO_DATA": str(data)}
            words = [sys.executable, "manage.py", "migrate", "catalogue", "--verbosity", "0"]
            both = [subprocess.Popen(words, cwd=settings.ROOT, env=env, stderr=subprocess.PIPE) for _ in range(2)]
            for one in both:
                self.assertEqual((one.wait(), one.stderr and one.stderr.read()), (0, b""))
                assert one.stderr
                one.stderr.close()
            for p in (data, *data.rglob("*")):
                self.assertEqual(stat.S_IMODE(p.stat().st_mode), 0o700 if p.is_dir() else 0o600, p)
