"""A copy of the whole database in one file: taken while it is used, looked into, put back.

`sqlite` a file of SQLite itself; `postgresql` what pg_dump writes."""

from __future__ import annotations

from pathlib import Path
from typing import Protocol, cast

from django.db import connection

NOT_RECORDS = ("sqlite_", "django_", "axes_", "databases_")  # tables that hold none of a place's records


class Failed(Exception):
    """It could not be copied, is not sound, or could not be put back; why."""


class Copying(Protocol):
    """What each kind of database does. All raise Failed or OSError."""

    SUFFIX: str

    def take(self, to: Path) -> None:
        """Copy the database as it is at one moment into a new file, while it is used."""

    def look_through(self, path: Path) -> None:
        """Read a copy from end to end, whether it is whole and refers to nothing that is not there."""

    def rows_of(self, path: Path) -> dict[str, int]:
        """How many records of each table are in a copy."""

    def migrations_of(self, path: Path) -> tuple[str, ...]:
        """The migrations that a copy is at, as app.name in order."""

    def rows_now(self) -> dict[str, int]:
        """How many records of each table there are."""

    def size_now(self) -> int:
        """Bytes that the database takes."""

    def put_back(self, path: Path) -> None:
        """A copy in the place of what is there, in one step that all who use it wait for."""

    def look_through_now(self) -> None:
        """Whether the database itself is sound, after it was changed as a whole."""


def copying() -> Copying:
    """How the database in use is copied."""
    from evarlo.databases.copying import postgresql, sqlite

    return cast(Copying, postgresql if connection.vendor == "postgresql" else sqlite)


def holds_records(table: str) -> bool:
    return not table.startswith(NOT_RECORDS)
