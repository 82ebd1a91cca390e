"""Tests of pages: what a page says is looked for as a browser shows it, wherever its template breaks a line."""

from __future__ import annotations

import re
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

from django import test
from django.db import connections

from evarlo.catalogue.shipped import put_in_what_ships


def folded(text: str) -> str:
    """White space as a browser shows it: any run of it is one space, and none stands at the edge of an element."""
    return re.sub(r"(?<=>) (?=\S)|(?<=\S) (?=<)", "", re.sub(r"\s+", " ", text))


class ShipsAgain:
    """For tests that end with empty tables: what a new place begins with is put in again for whichever test comes next."""

    def _fixture_teardown(self) -> None:
        super()._fixture_teardown()  # type: ignore[misc]
        put_in_what_ships()


class TransactionTestCase(ShipsAgain, test.TransactionTestCase):
    """Django's, after which what ships is there again."""

    def beside(self, act: Callable[[], object]) -> threading.Thread:
        """Let another thread, with a connection of its own, do something meanwhile."""

        def run() -> None:
            try:
                act()
            finally:
                connections.close_all()

        begun = threading.Thread(target=run)
        begun.start()
        return begun


class TestCase(test.TestCase):
    """Django's, whose `assertContains` and `assertNotContains` see white space as a browser does."""

    def assertContains(self, response: Any, text: Any, *args: Any, **kwargs: Any) -> None:
        with _shown(response):
            super().assertContains(response, folded(str(text)), *args, **kwargs)

    def assertNotContains(self, response: Any, text: Any, *args: Any, **kwargs: Any) -> None:
        with _shown(response):
            super().assertNotContains(response, folded(str(text)), *args, **kwargs)


@contextmanager
def _shown(response: Any) -> Iterator[None]:
    if response.streaming or "html" not in response.get("Content-Type", ""):
        yield
        return
    kept = response.content
    response.content = folded(kept.decode())
    try:
        yield
    finally:
        response.content = kept
