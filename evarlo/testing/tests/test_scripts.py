"""The pure modules of the scripts: by Node where it is, through the browser otherwise."""

import shutil
import subprocess
from pathlib import Path
from unittest import skipUnless

from django.test import SimpleTestCase
from playwright.sync_api import Route

from evarlo.testing.browser import BrowserTest

FRONTEND = Path(__file__).resolve().parents[3] / "frontend"
NODE = shutil.which("node")


@skipUnless(NODE, "Node is not on this machine")
class ByNode(SimpleTestCase):
    def test_the_walk_keeps_what_its_cases_promise(self) -> None:
        done = subprocess.run([str(NODE), "--test", "tests/walk.test.mjs"], cwd=FRONTEND, capture_output=True, text=True)
        self.assertEqual(done.returncode, 0, done.stdout[-3000:])

    @skipUnless((FRONTEND / "node_modules" / "fake-indexeddb").exists(), "the packages of frontend are not installed")
    def test_the_queue_loses_nothing(self) -> None:
        done = subprocess.run([str(NODE), "--test", "tests/queue.test.mjs"], cwd=FRONTEND, capture_output=True, text=True)
        self.assertEqual(done.returncode, 0, done.stdout[-3000:])


class ByTheBrowser(BrowserTest):
    def test_the_walk_keeps_what_its_cases_promise(self) -> None:
        cases = (FRONTEND / "tests" / "cases.mjs").read_text()

        def given(route: Route) -> None:
            route.fulfill(body=cases, content_type="text/javascript")

        page = self.open()
        page.route("**/cases.mjs", given)
        page.goto(self.at("/people/log-in/"))
        broken = page.evaluate(
            """async () => {
                const { cases } = await import("/static/cases.mjs");
                const broken = [];
                const all = Object.entries(await cases("/static/ui/js/walk/"));
                for (const [name, run] of all) try { run(); } catch (error) { broken.push(`${name}: ${error.message}`); }
                return all.length > 10 ? broken : ["hardly any case was run"];
            }"""
        )
        self.assertEqual(broken, [])
