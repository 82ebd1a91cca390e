"""When a phone that has nothing of the application yet first sees something: network of 1.6 Mbit/s with 150 ms to the server and
back, processor four times slower. `python -m bench.paint`, part of `make bench`."""

from __future__ import annotations

import os
import socket
import subprocess
import sys
import time
import urllib.request

from playwright.sync_api import Browser

from bench.timing import empty_garden

NETWORK = {"offline": False, "latency": 150, "downloadThroughput": 200_000, "uploadThroughput": 94_000}  # ms, bytes a second
SLOWER, MOST_MS, TIMES = 4, 1000, 3


def first_paint(browser: Browser, address: str, key: str) -> tuple[float, float, int]:
    """Milliseconds to the first byte and to the first paint, and bytes in all, of one page in a browser of its own."""
    context = browser.new_context(viewport={"width": 390, "height": 844})
    context.add_cookies([{"name": "sessionid", "value": key, "url": address}])
    page = context.new_page()
    reins = context.new_cdp_session(page)
    reins.send("Network.enable")
    reins.send("Network.emulateNetworkConditions", NETWORK)
    reins.send("Emulation.setCPUThrottlingRate", {"rate": SLOWER})
    page.goto(address)
    page.wait_for_function("performance.getEntriesByName('first-contentful-paint').length")
    byte, paint, size = page.evaluate(
        """() => {
            const page = performance.getEntriesByType("navigation")[0];
            const all = [page, ...performance.getEntriesByType("resource")];
            const paint = performance.getEntriesByName("first-contentful-paint")[0];
            return [page.responseStart, paint.startTime, all.reduce((sum, one) => sum + one.transferSize, 0)];
        }"""
    )
    context.close()
    return byte, paint, size


def main() -> None:
    with empty_garden() as data:
        from django.conf import settings
        from django.test import Client
        from django.utils import timezone
        from playwright.sync_api import sync_playwright

        from evarlo.demo.services import build
        from evarlo.people.models import User
        from evarlo.testing.browser import FLAGS, chromium
        from evarlo.walks.models import Round

        build(timezone.localdate())
        visitor = Client()
        visitor.force_login(User.objects.get(username="ines"), backend=settings.AUTHENTICATION_BACKENDS[-1])
        walk = Round.objects.select_related("trial").latest("pk")
        trial = f"/trials/{walk.trial.slug}/"
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            port = free.getsockname()[1]
        serving = [sys.executable, "-m", "evarlo.serving", "--port", str(port)]
        with subprocess.Popen(serving, env={**os.environ, "EVARLO_DATA": data}) as server:  # noqa: S603
            try:
                os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"
                _wait_for(port)
                with sync_playwright() as playwright:
                    browser = playwright.chromium.launch(executable_path=chromium(), args=list(FLAGS))
                    print(f"{'page':52} {'first byte':>10} {'first paint':>11} {'in all':>8}")
                    for path in ("/", "/trials/", "/cultivars/", f"{trial}walk/{walk.pk}/", f"{trial}compare/"):
                        address = f"http://127.0.0.1:{port}{path}"
                        key = visitor.cookies["sessionid"].value
                        seen = sorted((first_paint(browser, address, key) for _ in range(TIMES)), key=lambda found: found[1])
                        byte, paint, size = seen[TIMES // 2]
                        over = " over" if paint > MOST_MS else ""
                        print(f"{path:52} {byte:7.0f} ms {paint:8.0f} ms {size / 1000:5.0f} kB{over}")
                    browser.close()
            finally:
                server.terminate()


def _wait_for(port: int) -> None:
    for _ in range(100):
        try:
            urllib.request.urlopen(f"http://127.0.0.1:{port}/worker.js", timeout=1)
            return
        except OSError:
            time.sleep(0.2)
    raise RuntimeError("The server did not start.")


if __name__ == "__main__":
    main()
