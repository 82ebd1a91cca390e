"""What was worked out once is kept while nothing that it rests on has changed: the ground and rail of a page, what is due, whole
pages that only show.

One shelf for all threads of a process. What a thing rests on is noted as it is read (`evarlo.databases.marks`) and held against
the tables' marks before it is given again, so that nothing old is ever shown."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from copy import copy
from dataclasses import dataclass
from functools import partial
from threading import Lock
from typing import Any, TypeVar, cast

from django.db import connection, models
from django.utils import timezone

from evarlo.databases import marks
from evarlo.databases.marks import ALL, Marks, Resting, Told
from evarlo.ui.units import looks

T = TypeVar("T")
MOST, MOST_BYTES = 1000, 64_000_000  # what a process keeps: things, and bytes of pages; what was not asked for longest goes first
_shelf: OrderedDict[Hashable, Kept] = OrderedDict()
_bytes = 0
_turns: dict[Hashable, tuple[Lock, int]] = {}  # of what is being made, and how many want it
_lock = Lock()


@dataclass
class Kept:
    made: Any
    rests_on: Marks  # the tables it was made of, as they were
    told: dict[Hashable, Told]  # what else it was made of, as it was said
    seen: int | None  # the mark of all tables when it was last seen to be so
    size: int = 0  # bytes, of a page


def kept(key: Hashable, read: Callable[[], T], *, of: Sequence[models.Model]) -> T:
    """What `read` gives, or gave before under this key for somebody with the same units while nothing it rests on has changed:
    what it reads itself, and the rows `of` which it tells, that were read before. Within a transaction, whose changes may be taken
    back, it is read anew. What is kept must not be changed by who gets it."""
    if within_transaction():
        return read()
    with marks.apart(name for row in of for name in marks.tables_under(row)):
        found = look_up(key)
        if found is not None:
            made: T = found.made
            return made
        made = read()
        put_away(key, made)
    return made


def told(source: Callable[..., T], *args: Any) -> T:
    """What a source says today of these arguments, kept by itself; what it gives one by one is read at once. Who asks rests on
    what it said rather than on the records of a walk that it looked at: most of these change nothing of it."""
    rows = [x for x in args if isinstance(x, models.Model)]
    asked = tuple((type(x), x.pk) if isinstance(x, models.Model) else tuple(x) if isinstance(x, list) else x for x in args)
    key = (source, asked, timezone.localdate())

    def ask(args: Sequence[Any]) -> Any:
        found: Any = source(*args)
        return list(found) if isinstance(found, Iterator) else found

    if within_transaction():
        return cast(T, ask(args))
    with marks.aside() as own:
        said = kept(key, partial(ask, args), of=rows)
    quick = marks.quick(own.names)
    marks.note(own.names - quick)
    if quick or own.told:
        anew = [as_it_came(x) for x in args]
        marks.note((), {key: Told(lambda: kept(key, partial(ask, anew), of=rows), said)})
    return cast(T, said)


def as_it_came(thing: Any) -> Any:
    """A row without what was read for it since; anything else as it is."""
    if not isinstance(thing, models.Model):
        return thing
    bare = copy(thing)
    bare.__dict__.pop("_read", None)
    return bare


def each_told(sources: Iterable[Callable[..., T]], *args: Any) -> list[T]:
    """What each source says today of these arguments."""
    return [told(source, *args) for source in sources]


def look_up(key: Hashable) -> Kept | None:
    """What is kept under a key, if it is still so."""
    now, whole = _now(), (key, looks())
    with _lock:
        found = _shelf.get(whole)
        if found is not None:
            _shelf.move_to_end(whole)
    if found is None or now is None:
        return None
    if found.seen != now.get(ALL) and not _still(found, now):
        return None
    found.seen = now.get(ALL)
    marks.note(found.rests_on, found.told)
    return found


def _still(found: Kept, now: Marks) -> bool:
    if not marks.as_before(found.rests_on, found.rests_on, now):
        return False
    with marks.aside():
        return all(one.again() == one.said for one in found.told.values())


def put_away(key: Hashable, made: Any, size: int = 0) -> None:
    """Keep what was made, unless something it rests on has changed since that was begun."""
    global _bytes
    here, after = marks.resting(), marks.marks()
    if here is None or here.begun is None or after is None or not marks.as_before(here.names, here.begun, after):
        return
    with _lock:
        whole = (key, looks())
        _bytes += size - (_shelf.pop(whole).size if whole in _shelf else 0)
        _shelf[whole] = Kept(made, marks.of(here.names, here.begun), dict(here.told), here.begun.get(ALL), size)
        while len(_shelf) > MOST or _bytes > MOST_BYTES:
            _bytes -= _shelf.popitem(last=False)[1].size


@contextmanager
def one_at_a_time(key: Hashable) -> Iterator[None]:
    """Whoever wants the same meanwhile waits for it instead of making it too. Not to be used within another."""
    with _lock:
        turn, waiting = _turns.get(key, (Lock(), 0))
        _turns[key] = (turn, waiting + 1)
    try:
        with turn:
            yield
    finally:
        with _lock:
            turn, waiting = _turns.pop(key)
            if waiting > 1:
                _turns[key] = (turn, waiting - 1)


def within_transaction() -> bool:
    return connection.in_atomic_block


def forget() -> None:
    """Nothing is kept any more in this process."""
    global _bytes
    with _lock:
        _shelf.clear()
        _bytes = 0


def _now() -> Marks | None:
    """The marks as of this request, or as of now where it has written itself and where there is none."""
    here: Resting | None = marks.resting()
    if here is None:
        return marks.marks()
    if here.now is None:
        here.now = marks.marks()
        here.begun = here.begun or here.now
    return here.now
