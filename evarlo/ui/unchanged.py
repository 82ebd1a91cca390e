"""What was worked out once is kept while nothing in the database has changed: the ground and rail of a page, what is due.

SQLite tells cheaply whether anything has: another connection's commits by `data_version`, this one's by how many rows it changed.
Both are asked each time, so that nothing old is ever shown. Each thread keeps its own; another database keeps nothing."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Any, TypeVar

from django.db import connection

from evarlo.ui.units import looks

T = TypeVar("T")
MOST = 96  # things that a thread keeps, the oldest going first
_here = threading.local()


def kept(key: Hashable, read: Callable[[], T]) -> T:
    """What `read` gives, or gave before under this key for somebody with the same units while nothing has changed since. Within a
    transaction, whose changes may be taken back, it is read anew. What is kept must not be changed by who gets it."""
    if connection.vendor != "sqlite" or within_transaction():
        return read()
    shelf: OrderedDict[Hashable, tuple[Any, Any]] = _here.__dict__.setdefault("shelf", OrderedDict())
    now, whole = _version(), (key, looks())
    before = shelf.get(whole)
    if before is not None and before[0] == now:
        shelf.move_to_end(whole)
        found: T = before[1]
        return found
    made = read()
    if _version() == now:
        shelf[whole] = (now, made)
        if len(shelf) > MOST:
            shelf.popitem(last=False)
    return made


def within_transaction() -> bool:
    return connection.in_atomic_block


def forget() -> None:
    """Nothing is kept any more in this thread."""
    _here.__dict__.pop("shelf", None)


def _version() -> tuple[int, int, int]:
    connection.ensure_connection()
    inner = connection.connection  # asked itself, for it is asked often: Django's cursor costs ten times as much
    (told,) = inner.execute("PRAGMA data_version").fetchone()
    return id(inner), int(told), int(inner.total_changes)
