"""A server on a new database: the migrations make what the models say, and when it is killed while it takes a batch in, and
started again, what was typed is there once, to the record."""

import os
import signal
import socket
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
import unittest
import urllib.request
from contextlib import closing
from pathlib import Path
from typing import ClassVar

from django.conf import settings
from django.db import connection
from django.test import tag
from playwright.sync_api import Page, expect

from evarlo.testing.browser import PHONE, browser
from evarlo.testing.world import PASSWORD

MAKE = """
import django; django.setup()
from django.utils import timezone
from evarlo.testing import world
from evarlo.walks.services import open_round
by = world.person()
names = [f"N{n}" for n in range(20)]
made = world.trial(by, entries=names, check="N0", blocks=2, plot_length_m=0.5, plot_width_m=0.5)
print(f"/trials/{made.slug}/walk/{open_round(made, world.trait('damage'), timezone.localdate(), by).pk}/")
"""
WHAT_SHIPS = (
    "select key, name, kind, source, unit, method, direction, low, high, decimals, samples from catalogue_trait order by key",
    "select t.key, g.version, g.anchors from catalogue_guide g join catalogue_trait t on t.id = g.trait_id order by t.key",
    "select name, kind, signs, threshold from catalogue_problem order by name",
    "select name, profile from catalogue_crop order by name",
)
DEATHS = (0.0, 0.015, 0.06)  # seconds from when a batch is sent to when the server dies


def structure(db: sqlite3.Connection) -> dict[str, list[object]]:
    """Of each table its columns, references and indexes, and how many rules it has, in whatever order they were made."""
    told: dict[str, list[object]] = {}
    for table, sql in db.execute(
        "select name, sql from sqlite_master where type = 'table' and name not like 'sqlite_%'"
    ).fetchall():
        asked = f"select name, upper(type), \"notnull\", pk from pragma_table_info('{table}') order by name"
        refers = f'select "from", "table", "to" from pragma_foreign_key_list(\'{table}\') order by 1, 2, 3'
        indexes = db.execute(f"select name, \"unique\", partial from pragma_index_list('{table}')").fetchall()
        over = sorted(
            (unique, partial, [c for (c,) in db.execute(f"select name from pragma_index_info('{name}') order by seqno")])
            for name, unique, partial in indexes
        )
        told[table] = [db.execute(asked).fetchall(), db.execute(refers).fetchall(), over, sql.count("CHECK")]
    return told


@tag("browser", "long")
class Killed(unittest.TestCase):
    databases: ClassVar[set[str]] = {"default"}  # the tests' own, to hold the new one against
    data: ClassVar[tempfile.TemporaryDirectory[str]]
    env: ClassVar[dict[str, str]]
    path: ClassVar[str]

    @classmethod
    def setUpClass(cls) -> None:
        cls.data = tempfile.TemporaryDirectory()
        cls.addClassCleanup(cls.data.cleanup)
        cls.env = {**os.environ, "EVARLO_DATA": cls.data.name, "DJANGO_SETTINGS_MODULE": "evarlo.settings"}
        cls.run_python("manage.py", "migrate", "--verbosity", "0")
        cls.path = cls.run_python("-c", MAKE).strip().splitlines()[-1]

    @classmethod
    def run_python(cls, *words: str) -> str:
        done = subprocess.run([sys.executable, *words], cwd=settings.ROOT, env=cls.env, check=True, capture_output=True, text=True)
        return done.stdout

    def begin(self) -> None:
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        self.server: subprocess.Popen[bytes] | None = None
        self.start()
        self.addCleanup(self.kill)

    def start(self) -> None:
        words = [sys.executable, "-m", "evarlo.serving", "--port", str(self.port)]
        self.server = subprocess.Popen(words, cwd=settings.ROOT, env=self.env, stderr=subprocess.DEVNULL, start_new_session=True)
        for _ in range(80):
            try:
                urllib.request.urlopen(f"http://127.0.0.1:{self.port}/worker.js", timeout=1)
                return
            except OSError:
                time.sleep(0.25)
        self.fail("the server did not start")

    def kill(self) -> None:
        """At once, with all its workers, and nothing tidied up."""
        if self.server and self.server.poll() is None:
            os.killpg(self.server.pid, signal.SIGKILL)
            self.server.wait()

    def values(self) -> tuple[dict[str, float], int, int]:
        """What stands in the plots, how many observations there are in all, and how many rivals."""
        with sqlite3.connect(Path(self.data.name) / "evarlo.sqlite3") as db:
            standing = db.execute(
                "select p.number, o.number from walks_observation o join trials_plot p on p.id = o.plot_id "
                "where not o.withdrawn and o.id not in (select supersedes_id from walks_observation where supersedes_id is not null)"
            ).fetchall()
            every = db.execute("select count(*) from walks_observation").fetchone()[0]
            rivals = db.execute("select count(*) from walks_rival").fetchone()[0]
        db.close()
        return dict(standing), every, rivals

    @unittest.skipUnless(connection.vendor == "sqlite", "two files are held against each other")
    def test_the_migrations_make_what_the_tests_stand_on(self) -> None:
        """The tests' tables come from the models and their library from the services: the same as a new place gets."""
        with sqlite3.connect(Path(self.data.name) / "evarlo.sqlite3") as migrated, connection.cursor() as made:
            for table in connection.introspection.table_names():
                if table != "django_migrations":
                    asked = f"select name, type, \"notnull\", pk from pragma_table_info('{table}') order by name"
                    self.assertEqual(migrated.execute(asked).fetchall(), made.execute(asked).fetchall(), table)
            for asked in WHAT_SHIPS:
                self.assertEqual(migrated.execute(asked).fetchall(), made.execute(asked).fetchall(), asked)
                self.assertGreater(len(migrated.execute(asked).fetchall()), 8, asked)
        migrated.close()

    def test_what_was_typed_is_there_once_however_often_the_server_dies(self) -> None:
        self.begin()
        context = browser().new_context(viewport=PHONE, locale="en-GB")
        self.addCleanup(context.close)
        page = context.new_page()
        page.goto(f"http://127.0.0.1:{self.port}/people/log-in/")
        page.get_by_label("Username").fill("manager")
        page.get_by_label("Password").fill(PASSWORD)
        page.get_by_role("button", name="Log in").click()
        page.goto(f"http://127.0.0.1:{self.port}{self.path}")
        expect(page.locator(".strip-tag.here")).to_be_visible()
        page.evaluate("() => navigator.serviceWorker.ready")
        typed: dict[str, float] = {}
        for n, after in enumerate(DEATHS):
            self.walk_ten(page, typed, 10 * n)
            self.die_while_it_takes_them_in(page, after)
            expect(page.locator("#waiting")).to_contain_text("Everything is on the server.", timeout=20_000)
        self.assertEqual(self.values(), (typed, 30, 0))
        self.lose_what_was_written_last(page, typed)
        page.goto(f"http://127.0.0.1:{self.port}/")
        for _ in range(100):
            page.wait_for_timeout(100)
            if self.values()[0] == typed:
                break
        self.assertEqual(self.values(), (typed, 40, 0))
        page.goto(f"http://127.0.0.1:{self.port}/")
        self.assertEqual(page.locator("body[data-lost]").count(), 1)  # until somebody has looked: nothing is missing any more
        self.assertEqual(page.request.get(f"http://127.0.0.1:{self.port}/bring-in/running/lost/").json(), {"keys": []})
        page.reload()
        self.assertEqual(page.locator("body[data-lost]").count(), 0)

    def lose_what_was_written_last(self, page: Page, typed: dict[str, float]) -> None:
        """Ten values are brought in and acknowledged; then the power goes, and the disk has only the beginning of what SQLite had
        written beside its file."""
        self.kill()
        self.assertEqual(self.run_python("manage.py", "upgrade"), "")  # all is there, and now in the one file
        self.start()
        page.reload()
        expect(page.locator(".strip-tag.here")).to_be_visible()
        self.walk_ten(page, typed, 30)
        page.context.set_offline(False)
        expect(page.locator("#waiting")).to_contain_text("Everything is on the server.", timeout=20_000)
        self.assertEqual(self.values(), (typed, 40, 0))
        self.kill()
        beside = Path(self.data.name) / "evarlo.sqlite3-wal"
        beside.write_bytes(beside.read_bytes()[: beside.stat().st_size // 4])
        self.assertIn("that were acknowledged are not here", self.run_python("manage.py", "upgrade"))
        self.assertLess(self.values()[1], 40)
        self.start()

    def test_a_new_place_has_what_the_migrations_make(self) -> None:
        """The tables of a new place are made at once: the same columns, indexes, references and rules, and the same that ships."""
        with tempfile.TemporaryDirectory() as folder:
            env = {**self.env, "EVARLO_DATA": folder}
            subprocess.run([sys.executable, "manage.py", "upgrade"], cwd=settings.ROOT, env=env, check=True)
            with closing(sqlite3.connect(Path(folder) / "evarlo.sqlite3")) as new:
                made, done = structure(new), new.execute("select app, name from django_migrations order by app, name").fetchall()
                ships = [new.execute(asked).fetchall() for asked in WHAT_SHIPS]
        with closing(sqlite3.connect(Path(self.data.name) / "evarlo.sqlite3")) as migrated:
            self.assertEqual(made, structure(migrated))
            self.assertEqual(done, migrated.execute("select app, name from django_migrations order by app, name").fetchall())
            self.assertEqual(ships, [migrated.execute(asked).fetchall() for asked in WHAT_SHIPS])

    def test_stalled_connections_hold_nobody_up_and_a_dead_process_is_replaced(self) -> None:
        self.begin()
        page = f"http://127.0.0.1:{self.port}/people/log-in/"
        begun = b"POST /people/log-in/ HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 100\r\n\r\nab"
        stalled = [self.sent(begun if n % 4 else b"GET / HTTP/1.1\r\nHo") for n in range(200)]
        for _ in range(12):
            self.assertEqual(urllib.request.urlopen(page, timeout=10).status, 200)
        too_large = self.sent(b"POST / HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 99000000\r\n\r\n")
        too_large.settimeout(10)
        self.assertIn(b" 413 ", too_large.recv(100))
        for one in (*stalled, too_large):
            one.close()
        assert self.server
        child = subprocess.run(["ps", "--ppid", str(self.server.pid), "-o", "pid="], check=True, capture_output=True, text=True)
        os.kill(int(child.stdout.split()[0]), signal.SIGKILL)
        for _ in range(12):
            self.assertEqual(urllib.request.urlopen(page, timeout=10).status, 200)
        self.server.terminate()
        self.assertEqual(self.server.wait(timeout=30), 0)

    def sent(self, begun: bytes) -> socket.socket:
        made = socket.create_connection(("127.0.0.1", self.port), timeout=10)
        made.sendall(begun)
        return made

    def walk_ten(self, page: Page, typed: dict[str, float], first: int) -> None:
        page.context.set_offline(True)
        for n in range(first, first + 10):
            here = page.locator(".strip-tag.here").inner_text().partition(",")[0]
            page.keyboard.type(str(n + 1))
            page.keyboard.press("Enter")
            typed[here] = float(n + 1)
            expect(page.locator(".foot").first).to_contain_text(f"{len(typed)} of 40 plots")
        expect(page.locator("#waiting")).to_contain_text("10 kept on this phone only")

    def die_while_it_takes_them_in(self, page: Page, after: float) -> None:
        died = threading.Event()

        def die() -> None:
            self.kill()
            died.set()

        def doom(request: object) -> None:
            if "bring-in" in str(getattr(request, "url", "")) and not died.is_set():
                threading.Timer(after, die).start()

        page.on("request", doom)
        page.context.set_offline(False)
        for _ in range(100):
            page.wait_for_timeout(50)
            if died.is_set():
                break
        page.remove_listener("request", doom)
        self.assertTrue(died.is_set(), "no batch was sent")
        self.start()
        page.evaluate("() => window.dispatchEvent(new Event('online'))")
