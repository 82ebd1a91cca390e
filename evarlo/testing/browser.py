"""Drives the real interface in headless Chromium, as a person would."""

from __future__ import annotations

import json
import os
import shutil
from pathlib import Path
from typing import Any, ClassVar

from django.conf import settings
from django.test import Client, LiveServerTestCase, tag
from playwright.sync_api import Browser, BrowserContext, Page, Playwright, ViewportSize, expect, sync_playwright

from evarlo.people.models import User
from evarlo.testing.pages import ShipsAgain

FLAGS = (
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-dev-shm-usage",
)
DESK: ViewportSize = {"width": 1280, "height": 800}
PHONE: ViewportSize = {"width": 390, "height": 844}
AXE = (Path(__file__).parent / "vendor" / "axe.min.js").read_text()

_running: list[tuple[Playwright, Browser]] = []


def chromium() -> str:
    """Where Chromium is: CHROMIUM from the environment, else the first of Debian's."""
    names = (os.environ.get("CHROMIUM", ""), "chromium-headless-shell", "chromium", "chromium-browser")
    found = next((path for name in names if name and (path := shutil.which(name))), None)
    if found is None:
        raise RuntimeError("No Chromium found; `make test` installs it, or set CHROMIUM to its path.")
    return found


def browser() -> Browser:
    """The browser of this process, started when it is first needed."""
    if not _running:
        playwright = sync_playwright().start()
        _running.append((playwright, playwright.chromium.launch(executable_path=chromium(), args=list(FLAGS))))
    return _running[0][1]


@tag("browser")
class BrowserTest(ShipsAgain, LiveServerTestCase):
    """A test with pages of its own. It fails on any error that the browser's console shows."""

    forgiven: ClassVar[tuple[str, ...]] = ()

    def setUp(self) -> None:
        expect.set_options(timeout=45_000)  # a busy machine may take long; a quiet one never waits for it
        self.complaints: list[str] = []
        self.contexts: list[BrowserContext] = []

    def __getstate__(self) -> dict[str, Any]:
        """What of a failed part is sent from the worker that ran it: pages and browsers stay there."""
        return {name: value for name, value in self.__dict__.items() if isinstance(value, str | int | list | tuple | dict | None)
                and name not in ("contexts", "_outcome")}  # fmt: skip

    def tearDown(self) -> None:
        for context in self.contexts:
            context.close()
        self.assertEqual(self.complaints, [])

    def open(self, who: str = "", size: ViewportSize | None = None, **more: Any) -> Page:
        """An empty page in a new context, in which `who` is logged in when given."""
        size = size or DESK
        context = browser().new_context(viewport=size, has_touch=size["width"] < 500, locale="en-GB", **more)
        self.contexts.append(context)
        page = context.new_page()
        page.on("console", lambda m: self._complain(m.text) if m.type == "error" else None)
        page.on("pageerror", lambda e: self._complain(str(e)))
        if who:
            visitor = Client()
            visitor.force_login(User.objects.get(username=who), backend=settings.AUTHENTICATION_BACKENDS[-1])
            key = visitor.cookies[settings.SESSION_COOKIE_NAME].value
            context.add_cookies([{"name": settings.SESSION_COOKIE_NAME, "value": key, "url": self.live_server_url}])
        return page

    def _complain(self, text: str) -> None:
        # A refused form answers 422, which the browser reports as a failed load; that is meant. So is a request that
        # ends because its page is left: htmx tells of it twice, and of a true failure under a name of its own.
        meant = ("status of 422", "htmx:sendAbort", "htmx:afterRequest", *self.forgiven)
        if not any(part in text for part in meant):
            self.complaints.append(text)

    def at(self, path: str) -> str:
        return f"{self.live_server_url}{path}"

    def accessible(self, page: Page, name: str) -> None:
        """No serious finding of the automatic accessibility check."""
        page.evaluate(AXE)
        found = page.evaluate("() => axe.run(document, {resultTypes: ['violations']})")
        serious = [
            f"{v['id']}: {json.dumps([n['target'] for n in v['nodes']][:4])}"
            for v in found["violations"]
            if v["impact"] in ("serious", "critical")
        ]
        self.assertEqual(serious, [], name)

    def begin_plan(self, page: Page, crop: str) -> None:
        """On the planning bench: say the crop, wait until the plan stands, and unfold all of it."""
        page.get_by_label("Crop").fill(crop)
        page.get_by_label("Crop").press("Tab")
        expect(page.get_by_label("Plot length")).not_to_have_value("")
        self.unfold(page)

    def unfold(self, page: Page) -> None:
        """Open what is folded in forms."""
        page.eval_on_selector_all("form details", "all => all.forEach((d) => (d.open = true))")

    def for_thumbs(self, page: Page, name: str) -> None:
        """On a phone whatever is touched in the page is 44 px high or more."""
        page.eval_on_selector_all("details", "all => all.forEach((d) => (d.open = true))")
        low = page.eval_on_selector_all(
            "main :is(button:not(.figure), a.button, select, summary, .choice, input:not([type=hidden], [type=checkbox], "
            "[type=radio]))",
            """all => all.map((e) => [e, e.getBoundingClientRect().height])
                .filter(([e, high]) => e.offsetParent && high && high < 43.5 && !e.closest(".sr-only"))
                .map(([e, high]) => `${e.outerHTML.slice(0, 120)} ${high}`)""",
        )
        self.assertEqual(low, [], name)

    def no_sideways(self, page: Page, name: str) -> None:
        """The page itself does not scroll sideways."""
        width = page.evaluate("() => document.documentElement.scrollWidth")
        self.assertLessEqual(width, page.viewport_size["width"], name)  # type: ignore[index]
