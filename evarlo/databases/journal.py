"""What was acknowledged, written down beside the database: each record that a phone or a page was told is kept.

A database file can lose its newest records without a word, when the disk or a thief of power takes the end of what it was writing.
At each start the journal is held against it; what is missing is told, and phones that still hold it send it again."""

from __future__ import annotations

import contextlib
import os
from collections import defaultdict
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path
from uuid import UUID

from django.apps import apps
from django.conf import settings
from django.db import models, transaction
from django.utils import timezone

KEPT_FOR = timedelta(days=7)  # what is older has long been in the database's own file, and in copies
MANY = 500  # keys that are looked for at once


@dataclass(frozen=True)
class Line:
    """A record that somebody was told is kept: when, of which table, its key, who sent it and to which address."""

    at: datetime
    table: str
    key: UUID
    who: str
    path: str

    def __str__(self) -> str:
        return f"{self.at.isoformat()} {self.table} {self.key} {self.who} {self.path}\n"


def _journal() -> Path:
    return Path(settings.DATA) / "acknowledged.log"


def _lost() -> Path:
    return Path(settings.DATA) / "lost.log"


def acknowledge(model: type[models.Model], keys: Iterable[UUID], who: str, path: str) -> None:
    """Write down, once they are in the database, that records are about to be acknowledged. `who` as they log in."""
    at, table = timezone.now(), model._meta.label_lower
    name, where = "_".join(who.split()) or "-", " ".join(path.split())  # a line is a line, whatever an address holds
    told = "".join(str(Line(at, table, key, name, where)) for key in keys)
    if told:
        transaction.on_commit(lambda: _append(told))


def _append(told: str) -> None:
    """At the end, on the disk. A disk that takes nothing more has failed the record itself already."""
    with contextlib.suppress(OSError):
        handle = os.open(_journal(), os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o600)
        try:
            os.write(handle, told.encode())
            os.fsync(handle)
        finally:
            os.close(handle)


def _lines(path: Path) -> Iterator[Line]:
    """What stands in a file; a line that was cut off while it was written is left out."""
    try:
        text = path.read_text(errors="replace")
    except FileNotFoundError:
        return
    for line in text.splitlines():
        with contextlib.suppress(ValueError, LookupError):
            at, table, key, who, where = line.split(" ", 4)
            apps.get_model(table)
            read = Line(datetime.fromisoformat(at), table, UUID(key), who, where)
            if read.at.tzinfo:
                yield read


def _missing(lines: Iterable[Line]) -> list[Line]:
    """Those whose record is not in the database."""
    by_table: dict[str, list[Line]] = defaultdict(list)
    for line in lines:
        by_table[line.table].append(line)
    missing = []
    for table, some in by_table.items():
        model = apps.get_model(table)
        for begin in range(0, len(some), MANY):
            part = some[begin : begin + MANY]
            there = set(model._default_manager.filter(pk__in=[x.key for x in part]).values_list("pk", flat=True))
            missing += [x for x in part if x.key not in there]
    return sorted(missing, key=lambda x: x.at)


def hold_against() -> list[Line]:
    """At the start: what was acknowledged lately and is not in the database. It is remembered until it has come again; the
    journal itself is shortened to the last days."""
    since = timezone.now() - KEPT_FOR
    lately = [line for line in _lines(_journal()) if line.at >= since]
    missing = _missing({line.key: line for line in (*_lines(_lost()), *lately)}.values())
    gone = {line.key for line in missing}
    _write(_lost(), missing)
    _write(_journal(), [line for line in lately if line.key not in gone])
    return missing


def still_lost() -> list[Line]:
    """What was found missing and has not come again. Cheap where nothing is."""
    if not any_lost():
        return []
    missing = _missing(_lines(_lost()))
    if not missing:
        let_be()
    return missing


def any_lost() -> bool:
    return _lost().exists()


def let_be() -> None:
    """What is missing is not waited for any longer."""
    _lost().unlink(missing_ok=True)


def begin_anew() -> None:
    """The database was replaced as a whole, on purpose: what is not in it is no loss."""
    let_be()
    _journal().unlink(missing_ok=True)


def _write(path: Path, lines: list[Line]) -> None:
    if not lines:
        path.unlink(missing_ok=True)
        return
    part = path.with_suffix(".part")
    part.write_text("".join(map(str, lines)))
    part.replace(path)
