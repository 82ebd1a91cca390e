"""Methods, answers on the way, spraying of passwords, and what a watcher of the machine is told."""

import http.client
import os
import re
import signal
import socket
import subprocess
import sys
import tempfile
import time
from unittest import mock

from django.conf import settings
from django.urls import reverse

from evarlo.people.guards import MOST_WRONG
from evarlo.people.models import Role
from evarlo.testing import world
from evarlo.testing.pages import TestCase


class Guarded(TestCase):
    def test_other_methods_are_refused_before_anything_else(self) -> None:
        for method in ("put", "delete", "patch", "options", "trace"):
            answer = getattr(self.client, method)("/trials/")
            self.assertEqual((answer.status_code, answer["Allow"]), (405, "GET, HEAD, POST"), method)

    def test_no_machine_on_the_way_keeps_what_a_person_sees(self) -> None:
        self.client.force_login(world.person())
        for path in ("/", "/trials/", "/cultivars/", "/people/me/"):
            self.assertIn("private", self.client.get(path)["Cache-Control"], path)

    def test_one_address_cannot_try_a_password_on_every_name(self) -> None:
        for n in range(MOST_WRONG + 2):
            world.person(Role.HELPER, f"person{n}")
        url = reverse("people:log-in")
        wrong = [{"username": f"person{n}", "password": "Summer2026"} for n in range(MOST_WRONG + 2)]
        told = [self.client.post(url, one).status_code for one in wrong]
        self.assertEqual(set(told[:MOST_WRONG]), {200})
        self.assertEqual(told[MOST_WRONG:], [429, 429])
        elsewhere = self.client.post(
            reverse("people:log-in"), {"username": "person1", "password": "wrong"}, REMOTE_ADDR="192.0.2.7"
        )
        self.assertEqual(elsewhere.status_code, 200)

    def test_what_a_watcher_is_told(self) -> None:
        self.assertEqual(self.client.get("/health/").content, b"ok\n")
        with mock.patch("evarlo.exchange.health_views.pending", return_value=[]):
            self.assertEqual(self.client.get("/ready/").json(), {"ready": True, "wrong": []})
            with mock.patch("evarlo.exchange.health_views.shutil.disk_usage", return_value=mock.Mock(free=5)):
                full = self.client.get("/ready/")
        self.assertEqual((full.status_code, full.json()["wrong"]), (503, ["the disk is nearly full"]))
        with mock.patch("evarlo.exchange.health_views.pending", return_value=["trials.0099_later"]):
            self.assertEqual(self.client.get("/ready/").status_code, 503)


class BehindAProxy(TestCase):
    def test_only_the_proxy_is_believed(self) -> None:
        """A server of its own: what a stranger says of whose a request is counts for nothing, what the proxy says does."""
        asked = "import os; os.environ['DJANGO_SETTINGS_MODULE'] = 'evarlo.settings'\n"
        asked += "from evarlo import serving; import sys\n"
        asked += "def app(environ, start):\n    start('200 OK', [('Content-Type', 'text/plain')])\n"
        asked += "    return [(environ['REMOTE_ADDR'] + ' ' + environ['wsgi.url_scheme']).encode()]\n"
        asked += "import evarlo.wsgi; evarlo.wsgi.application = app\nserving.serve('127.0.0.1', int(sys.argv[1]))\n"
        for proxy, told in (("127.0.0.1", "203.0.113.9 https"), ("127.0.0.2", "127.0.0.1 http")):
            with self.subTest(proxy), socket.socket() as free, tempfile.TemporaryDirectory() as data:
                free.bind(("127.0.0.1", 0))
                port = free.getsockname()[1]
                free.close()
                env = {**os.environ, "EVARLO_DATA": data, "EVARLO_PROXY": proxy, "EVARLO_STATIC": str(settings.STATIC_ROOT)}
                words = [sys.executable, "-c", asked, str(port)]
                server = subprocess.Popen(words, cwd=settings.ROOT, env=env, start_new_session=True)
                try:
                    self.assertEqual(self.answer(port), told)
                finally:
                    os.killpg(server.pid, signal.SIGKILL)
                    server.wait()

    def answer(self, port: int) -> str:
        given = {"X-Forwarded-For": "203.0.113.9", "X-Forwarded-Proto": "https"}
        for _ in range(100):
            try:
                asked = http.client.HTTPConnection("127.0.0.1", port, timeout=2)
                asked.request("GET", "/", headers=given)
                return asked.getresponse().read().decode()
            except OSError:
                time.sleep(0.2)
        return "no answer"

    def test_what_ships_for_running_it_names_settings_that_there_are(self) -> None:
        readme = (settings.ROOT / "README.md").read_text()
        for unit in (settings.ROOT / "deploy").glob("*.service"):
            for name in re.findall(r"EVARLO_[A-Z]+", unit.read_text()):
                self.assertIn(f"`{name}", readme, f"{unit.name} sets {name}")
