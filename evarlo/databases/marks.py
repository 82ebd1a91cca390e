"""Whether what was read is still so: each write changes the mark of its table, in the same transaction, and each reading knows
the tables it rests on. So what one page worked out can be given to the next until something of it has changed.

A mark is a number drawn at random: it says which state a table is in, also after a write was taken back or a copy was restored.
Rows of a model with `of_one_trial = True` have a mark for each trial beside that of the table (`within_trials`)."""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping
from contextlib import contextmanager, nullcontext
from contextvars import ContextVar
from dataclasses import dataclass, field
from functools import cache, lru_cache, wraps
from typing import Any, Concatenate, NamedTuple, ParamSpec, TypeVar, cast

from django.apps import apps
from django.db import connection, models, transaction

P = ParamSpec("P")
T = TypeVar("T")
Marks = dict[str, int]
ALL = ""  # the mark that every write changes
ANY = "*"  # of a table of trials: rows of no trial in particular were written
MOST_TRIALS = 40  # whose marks are asked for one by one; of more, the table's own is
NAME = re.compile(r'"(\w+)"')
WRITES = re.compile(r'\s*(?:INSERT\s+(?:OR\s+\w+\s+)?INTO|REPLACE\s+INTO|UPDATE|DELETE\s+FROM)\s+"(\w+)"', re.IGNORECASE)


class Told(NamedTuple):
    """What something else said, and how to ask it again."""

    again: Callable[[], Any]
    said: Any


@dataclass
class Resting:
    """What some work rests on so far: tables it has read, what it was told, and the marks from before it read anything."""

    names: set[str] = field(default_factory=set)
    told: dict[Hashable, Told] = field(default_factory=dict)
    begun: Marks | None = None
    now: Marks | None = None  # of a request: the marks since it wrote itself, or when it first asked for them


_resting: ContextVar[Resting | None] = ContextVar("resting", default=None)
_trials: ContextVar[tuple[int, ...]] = ContextVar("trials", default=())
_last: Marks = {}  # as last read by any thread of this process; replaced, never changed


def begin(**_signal: Any) -> None:
    """A request begins: it rests on nothing yet."""
    _resting.set(Resting())


def end(**_signal: Any) -> None:
    """A request is answered: what this thread does next is none of it."""
    _resting.set(None)


def look_again() -> None:
    """What others have written since this request began counts too."""
    if (here := _resting.get()) is not None:
        here.now = None


def resting() -> Resting | None:
    """What the request that this thread works on rests on; None where there is none."""
    return _resting.get()


@contextmanager
def aside(names: Iterable[str] = ()) -> Iterator[Resting]:
    """What is read within rests on these tables and on nothing else that was read before, and what comes after not on it."""
    outer = _resting.get()
    own = Resting(set(names), begun=outer.begun if outer else None, now=outer.now if outer else None)
    token = _resting.set(own)
    try:
        yield own
    finally:
        _resting.reset(token)


@contextmanager
def apart(names: Iterable[str] = ()) -> Iterator[Resting]:
    """The same, but what comes after rests on it too."""
    with aside(names) as own:
        yield own
    note(own.names, own.told)


def note(names: Iterable[str], told: Mapping[Hashable, Told] | None = None) -> None:
    """What is worked on rests on these too: they were read before, by another."""
    if (here := _resting.get()) is not None:
        here.names.update(names)
        here.told.update(told or {})


def quick(names: Iterable[str]) -> set[str]:
    """Of some marks those of tables that change while people walk."""
    return {name for name in names if name.partition(":")[0] in _of_trials()}


def tables_under(row: models.Model) -> set[str]:
    """The tables of which a row was read, and what came with it."""
    found: set[str] = set()
    _look_under(row, found, set())
    return found


def _look_under(row: models.Model, found: set[str], seen: set[int]) -> None:
    if id(row) in seen:
        return
    seen.add(id(row))
    found.add(row._meta.db_table)
    for other in row._state.fields_cache.values():
        if isinstance(other, models.Model):
            _look_under(other, found, seen)
    for name, others in row.__dict__.get("_prefetched_objects_cache", {}).items():
        found.add(others.model._meta.db_table)
        found |= {through._meta.db_table for f in row._meta.many_to_many if f.name == name and (through := f.remote_field.through)}
        for other in others:
            _look_under(other, found, seen)


@contextmanager
def within_trials(*pks: int) -> Iterator[None]:
    """Of tables whose rows are each of one trial, only rows of these trials are read and written within."""
    token = _trials.set(pks if len(pks) <= MOST_TRIALS else ())
    try:
        yield
    finally:
        _trials.reset(token)


def of_its_trial(read: Callable[Concatenate[Any, P], T]) -> Callable[Concatenate[Any, P], T]:
    """Marks what reads rows of the trial that is its first argument, and of no other trial. What it gives one by one is read at
    once."""

    @wraps(read)
    def within(trial: Any, /, *args: P.args, **kwargs: P.kwargs) -> T:
        with within_trials(trial.pk):
            found: Any = read(trial, *args, **kwargs)
            return cast(T, list(found) if isinstance(found, Iterator) else found)

    return within


def watch(connection: Any, **_signal: Any) -> None:
    """Note what is read and written through a new connection."""
    connection.marks_stand = False
    if _noting not in connection.execute_wrappers:
        connection.execute_wrappers.append(_noting)


def marks() -> Marks | None:
    """The marks of all tables, as of one moment; None where they are not kept."""
    global _last
    if not _stand(connection):
        return None
    before = _asked("SELECT value FROM {table} WHERE name = ''")
    if not before or _last.get(ALL) != before[0][0]:
        _last = dict(_asked("SELECT name, value FROM {table}"))
    return _last


def as_before(names: Iterable[str], before: Marks, now: Marks) -> bool:
    """Whether nothing of these tables has changed between two moments."""
    return before is now or all(before.get(name, 0) == now.get(name, 0) for name in names)


def of(names: Iterable[str], now: Marks) -> Marks:
    """The marks of some tables; a table that was never written has none."""
    return {name: now.get(name, 0) for name in names}


def _noting(execute: Callable[..., Any], sql: str, params: Any, many: bool, context: Any) -> Any:
    written, read = _tables_of(sql)
    if written is None:
        if read and (here := _resting.get()) is not None:
            if here.begun is None:
                here.begun = marks()
            here.names |= _parts(read)
        return execute(sql, params, many, context)
    if not read or not _stand(context["connection"]):
        return execute(sql, params, many, context)
    return _written(execute, sql, params, many, context, written)


def _written(execute: Callable[..., Any], sql: str, params: Any, many: bool, context: Any, table: str) -> Any:
    """A write, and the mark of its table with it. A statement that gives rows back and stands alone is not done before they are
    fetched; its mark becomes part of it."""
    here = context["connection"]
    alone = not here.in_atomic_block and "RETURNING" not in sql
    with transaction.atomic(using=here.alias) if alone else nullcontext():
        answer = execute(sql, params, many, context)
        if context["cursor"].rowcount == 0 and not sql.lstrip().upper().startswith("INSERT"):
            return answer  # nothing was there to be changed
        names, value = _changed(table), int.from_bytes(os.urandom(7))
        row = "(%s, %s)"
        with here.cursor() as cursor:
            cursor.execute(
                f"INSERT INTO {_table()} (name, value) VALUES {', '.join([row] * len(names))} "
                "ON CONFLICT (name) DO UPDATE SET value = excluded.value",
                [x for name in names for x in (name, value)],
            )
    if (resting := _resting.get()) is not None:
        resting.now = None
    return answer


@lru_cache(maxsize=4096)
def _tables_of(sql: str) -> tuple[str | None, frozenset[str]]:
    """The table that a statement writes, if any, and all that it names; none for the marks' own."""
    names = frozenset(NAME.findall(sql)) & _known()
    found = WRITES.match(sql)
    return (found[1] if found else None), names


@cache
def _known() -> frozenset[str]:
    return frozenset(m._meta.db_table for m in apps.get_models(include_auto_created=True)) - {_table()}


@cache
def _of_trials() -> frozenset[str]:
    return frozenset(m._meta.db_table for m in apps.get_models() if getattr(m, "of_one_trial", False))


@cache
def _table() -> str:
    return str(apps.get_model("databases", "Mark")._meta.db_table)


def _parts(tables: frozenset[str]) -> set[str]:
    """The marks that a reading of these tables rests on."""
    own = tables & _of_trials() if _trials.get() else frozenset()
    return set(tables - own) | {f"{name}:{part}" for name in own for part in (*_trials.get(), ANY)}


def _changed(table: str) -> list[str]:
    """The marks that a write to this table changes."""
    if table not in _of_trials():
        return [ALL, table]
    return [ALL, table, *(f"{table}:{part}" for part in _trials.get() or (ANY,))]


def _stand(here: Any) -> bool:
    """Whether the marks' table is there: it is not while a place is made."""
    if not getattr(here, "marks_stand", False):
        here.marks_stand = _table() in here.introspection.table_names()
    return bool(here.marks_stand)


def _asked(statement: str) -> list[Any]:
    """The rows of a question. The database is asked itself, for it is asked often: Django's cursor costs ten times as much."""
    connection.ensure_connection()
    inner: Any = connection.connection
    return list(inner.execute(statement.format(table=_table())).fetchall())
