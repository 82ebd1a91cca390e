"""What changes the tables themselves, one at a time."""

import fcntl
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from django.conf import settings


@contextmanager
def begun_by_one() -> Iterator[None]:
    """Whoever else begins this on the same data folder waits."""
    with (Path(settings.DATA) / "migrate.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield
