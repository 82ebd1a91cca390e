"""Takes the pictures of docs/screenshots from the sample world: starts Evarlo on a data folder of its own, looks, and stops."""

import os
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))
OUT = ROOT / "docs" / "screenshots"
PORT = 8377
BASE = f"http://127.0.0.1:{PORT}"
DESK, PHONE = (1280, 800), (390, 844)


def start(data: str) -> "subprocess.Popen[bytes]":
    env = {**os.environ, "EVARLO_DATA": data}
    for command in (["migrate", "--verbosity", "0"], ["load_demo"]):
        subprocess.run([sys.executable, "manage.py", *command], cwd=ROOT, env=env, check=True, stdout=subprocess.DEVNULL)
    serving = [sys.executable, "-m", "evarlo.serving", "--port", str(PORT)]
    server = subprocess.Popen(serving, cwd=ROOT, env=env, stderr=subprocess.DEVNULL)
    for _ in range(60):
        try:
            urllib.request.urlopen(f"{BASE}/people/log-in/", timeout=1)
            return server
        except OSError:
            time.sleep(0.5)
    raise RuntimeError("Evarlo did not start")


def main() -> None:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "evarlo.settings")
    with tempfile.TemporaryDirectory() as data:
        os.environ["EVARLO_DATA"] = data
        import django

        django.setup()
        from playwright.sync_api import Page, sync_playwright

        from evarlo.demo.world import PASSWORD
        from evarlo.pests.models import Watch
        from evarlo.testing.browser import FLAGS, chromium
        from evarlo.trials.models import Trial

        server = start(data)
        seasons = {t.season: t.slug for t in Trial.objects.filter(name="Bulb fennel, main season")}
        heads = f"/trials/{Trial.objects.get(name='Radicchio heads').slug}/"
        late = f"/trials/{Trial.objects.get(name='Radicchio, late heads').slug}/"
        lines = f"/trials/{Trial.objects.get(name='Edamame lines').slug}/"
        spot = Watch.objects.get(problem__name="Leaf spot").pk
        first, second, running = (f"/trials/{slug}/" for _, slug in sorted(seasons.items()))

        def go_on(page: Page) -> None:
            page.get_by_role("row", name="Bolting").get_by_role("button", name="Go on").click()
            page.wait_for_selector("#value")

        def several(page: Page) -> None:
            page.eval_on_selector_all("form.starts details", "all => all.forEach((d) => (d.open = true))")
            for name in ("Leaf area diseased", "Vigour", "Bulb or head width"):
                page.get_by_role("checkbox", name=name).check()
            page.get_by_role("button", name="Start walking").click()
            for value in ("8.1", "7.9", "9.2"):
                page.wait_for_selector("#value")
                page.keyboard.type(value)
                page.keyboard.press("Enter")
                page.wait_for_timeout(250)
            page.get_by_role("button", name="Save these 3").click()
            page.wait_for_timeout(300)
            page.get_by_role("button", name="Guide").click()

        def on_the_ground(page: Page) -> None:
            page.locator("#days").scroll_into_view_if_needed()

        def practise(page: Page) -> None:
            page.get_by_role("button", name="Practise ten").click()
            page.wait_for_selector("#said")
            page.keyboard.type("12")
            page.keyboard.press("Enter")

        def type_17(page: Page) -> None:
            go_on(page)
            page.get_by_role("button", name="1", exact=True).tap()
            page.get_by_role("button", name="7", exact=True).tap()

        def weigh(page: Page) -> None:
            page.get_by_label("Plot", exact=True).fill("401")
            page.get_by_label("Marketable").focus()
            for kg in ("3.1", "3.4", "2.9", "3.3", "3.0"):
                page.keyboard.type(kg)
                page.keyboard.press("Enter")
            page.wait_for_timeout(3000)

        def fill_new(page: Page) -> None:
            page.get_by_label("Number of entries").fill("8")
            page.get_by_label("Crop").fill("Radicchio")
            page.get_by_label("Crop").press("Tab")
            page.wait_for_selector("#forecast svg")
            page.wait_for_timeout(600)

        shots: list[tuple[str, str, tuple[int, int], Callable[[Page], None] | None]] = [
            ("today", "/", DESK, None),
            ("new-trial", "/trials/new/", DESK, fill_new),
            ("plan", heads, DESK, None),
            ("needs", f"{heads}needs/", DESK, None),
            ("calendar", f"{heads}calendar/", DESK, None),
            ("sow", f"{late}sow/", DESK, None),
            ("walk", f"{running}walk/", DESK, several),
            ("walk-phone", f"{running}walk/", PHONE, type_17),
            ("events", f"{running}walk/events/", DESK, None),
            ("pests", f"{running}walk/pests/{spot}/", DESK, on_the_ground),
            ("practice", "/practice/", PHONE, practise),
            ("pick", f"{running}pick/", DESK, weigh),
            ("compare", f"{first}compare/", DESK, None),
            ("ground", f"{lines}compare/ground/", DESK, None),
            ("decide", f"{second}decide/", DESK, None),
            ("programme", "/programmes/bulb-fennel-main-season/", DESK, None),
            ("report", f"{second}report/", DESK, None),
            ("crosses", f"/crosses/plants/{Trial.objects.get(name='OE F4').slug}/", DESK, None),
            ("seed", "/seed/", DESK, None),
        ]
        try:
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path=chromium(), args=list(FLAGS))
                for name, path, (width, height), act in shots:
                    context = browser.new_context(
                        viewport={"width": width, "height": height}, has_touch=width < 500, locale="en-GB"
                    )
                    page = context.new_page()
                    page.goto(f"{BASE}/people/log-in/?next={path}")
                    page.get_by_label("Username").fill("ines")
                    page.get_by_label("Password").fill(PASSWORD)
                    page.get_by_role("button", name="Log in").click()
                    page.wait_for_load_state("load")
                    if act:
                        act(page)
                    page.wait_for_timeout(700)
                    page.screenshot(path=str(OUT / f"{name}.png"))
                    context.close()
                browser.close()
        finally:
            server.terminate()
            server.wait()


if __name__ == "__main__":
    main()
