"""A first start that fails on the way leaves nothing behind that the next one would trip over."""

from __future__ import annotations

import os
import sqlite3
import subprocess
import sys
import tempfile
from contextlib import closing
from pathlib import Path
from unittest import TestCase

ROOT = Path(__file__).resolve().parents[3]
DIES = """
import os, django
django.setup()
from unittest import mock
from django.core.management import call_command
with mock.patch("evarlo.exchange.new_place.put_in_what_ships", side_effect={}):
    call_command("upgrade")
"""


class FirstStart(TestCase):
    def started(self, data: str, *command: str) -> subprocess.CompletedProcess[str]:
        env = {k: v for k, v in os.environ.items() if k != "EVARLO_DATABASE_URL"}
        env |= {"EVARLO_DATA": data, "DJANGO_SETTINGS_MODULE": "evarlo.settings"}
        return subprocess.run([sys.executable, *command], cwd=ROOT, env=env, capture_output=True, text=True, check=False)

    def tables(self, data: str) -> int:
        with closing(sqlite3.connect(Path(data) / "evarlo.sqlite3")) as place:
            return int(place.execute("select count(*) from sqlite_master where type = 'table'").fetchone()[0])

    def test_whether_it_fails_or_dies_the_next_start_makes_the_place(self) -> None:
        for way in ("OSError('no room')", "lambda: os._exit(9)"):
            with self.subTest(way), tempfile.TemporaryDirectory() as data:
                first = self.started(data, "-c", DIES.replace("{}", way))
                self.assertNotEqual(first.returncode, 0)
                self.assertEqual(self.tables(data), 0)
                if "no room" in way:
                    self.assertIn("no room", first.stderr)
                    second = self.started(data, "manage.py", "upgrade")
                    self.assertEqual((second.returncode, second.stderr), (0, ""))
                    self.assertGreater(self.tables(data), 90)
