"""Copies of a file of SQLite, by its own online copy."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path

from django.db import connection

from evarlo.databases.copying import Failed, holds_records

SUFFIX = ".sqlite3"
WAIT = 30  # seconds for those who write


def _file() -> Path:
    return Path(str(connection.settings_dict["NAME"]))


@contextmanager
def _said() -> Iterator[None]:
    try:
        yield
    except sqlite3.Error as error:
        raise Failed(str(error)) from error


@contextmanager
def _reading(path: Path) -> Iterator[sqlite3.Connection]:
    with _said(), closing(sqlite3.connect(f"file:{path}?mode=ro&immutable=1", uri=True)) as opened:
        yield opened


def take(to: Path) -> None:
    with _said(), closing(sqlite3.connect(_file())) as now, closing(sqlite3.connect(to)) as copy:
        now.backup(copy, pages=-1)  # at one go: in steps each write from elsewhere begins it anew
        copy.execute("PRAGMA journal_mode=DELETE")


def look_through(path: Path) -> None:
    with _reading(path) as copy:
        said = copy.execute("PRAGMA quick_check").fetchone()[0]
        foreign = copy.execute("PRAGMA foreign_key_check").fetchone()
    if said != "ok":
        raise Failed(str(said))
    if foreign:
        raise Failed("a record refers to one that is not there")


def rows_of(path: Path) -> dict[str, int]:
    with _reading(path) as copy:
        return _counted(copy)


def migrations_of(path: Path) -> tuple[str, ...]:
    with _reading(path) as copy:
        return tuple(f"{app}.{name}" for app, name in copy.execute("select app, name from django_migrations order by app, name"))


def rows_now() -> dict[str, int]:
    with _said(), closing(sqlite3.connect(_file())) as opened:
        return _counted(opened)


def size_now() -> int:
    return _file().stat().st_size


def _counted(opened: sqlite3.Connection) -> dict[str, int]:
    tables = [name for (name,) in opened.execute("select name from sqlite_master where type = 'table' order by name")]
    return {t: opened.execute(f'select count(*) from "{t}"').fetchone()[0] for t in tables if holds_records(t)}


def put_back(path: Path) -> None:
    connection.close()
    with _reading(path) as copy, closing(sqlite3.connect(_file(), timeout=WAIT)) as now:
        copy.backup(now, pages=-1)


def look_through_now() -> None:
    connection.close()
    with _said(), closing(sqlite3.connect(_file())) as opened:
        opened.execute("PRAGMA wal_checkpoint(TRUNCATE)")  # all that was written lately in the one file
    look_through(_file())
