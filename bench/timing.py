"""How a benchmark times and tells."""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager


@contextmanager
def empty_garden() -> Iterator[str]:
    """A data folder of its own with an empty database, for as long as a benchmark runs; gives its path."""
    with tempfile.TemporaryDirectory() as data:
        os.environ["EVARLO_DATA"] = data
        os.environ.setdefault("DJANGO_SETTINGS_MODULE", "evarlo.settings")
        import django
        from django.core.management import call_command

        django.setup()
        from evarlo.ui.assets import put_ready

        put_ready()
        call_command("upgrade", verbosity=0)
        yield data


def best_of(act: Callable[[], object], times: int = 2) -> float:
    """Seconds of the fastest of some runs."""
    taken = []
    for _ in range(times):
        start = time.perf_counter()
        act()
        taken.append(time.perf_counter() - start)
    return min(taken)


def growth(now: float, before: float, size: float) -> str:
    return "" if not before else f"; {now / before:.1f} times the one before at {size:.1f} times the plots"
