"""Copies of the whole place: made while it is used, checked, kept by a rule, and put back.

A copy is one file, the database with its pictures, and beside it what it holds: when and why it was made, its fingerprint, the
migrations it is at and the rows of each table."""

from __future__ import annotations

import json
import os
import sqlite3
from collections.abc import Iterator, Sequence
from contextlib import closing, contextmanager
from dataclasses import asdict, dataclass
from datetime import datetime, timedelta
from hashlib import file_digest
from pathlib import Path

from django.conf import settings
from django.core.management import call_command
from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from django.db.migrations.loader import MigrationLoader
from django.utils import timezone

from evarlo.ui.refused import Refused

DAYS, WEEKS, SAFEGUARDS = 14, 8, 10  # of how many days, weeks, and of those made before something was replaced, the newest is kept
BY_HAND, SCHEDULED, BEFORE_RESTORE, BEFORE_UPGRADE = "by hand", "scheduled", "before a restore", "before an upgrade"


@dataclass(frozen=True)
class BackUp:
    """What a copy holds. `at` is in the place's own time; `rows` by table, of those that hold records."""

    name: str
    at: str
    why: str
    digest: str
    size: int
    migrations: tuple[str, ...]
    rows: dict[str, int]

    @property
    def file(self) -> Path:
        return folder() / self.name

    @property
    def made(self) -> datetime:
        return datetime.fromisoformat(self.at)

    @property
    def megabytes(self) -> float:
        return self.size / 1e6

    @property
    def records(self) -> int:
        return sum(self.rows.values())


def folder() -> Path:
    """Where copies lie: beside the data, or where the operator says, best on another disk."""
    made = Path(os.environ.get("EVARLO_BACKUPS") or Path(settings.DATA) / "backups")
    made.mkdir(mode=0o700, parents=True, exist_ok=True)
    return made


def _database() -> Path:
    return Path(str(connection.settings_dict["NAME"]))


def back_up(why: str = BY_HAND) -> BackUp:
    """Copy the place as it is at one moment, check the copy, and only then give it its name. Raises Refused where the copy is not
    sound or there is no room."""
    at = timezone.localtime()
    name = f"evarlo-{at:%Y-%m-%d-%H%M%S-%f}.sqlite3"
    part = folder() / f".{name}.part"
    try:
        with closing(sqlite3.connect(_database())) as now, closing(sqlite3.connect(part)) as copy:
            now.backup(copy, pages=-1)  # at one go: in steps each write from elsewhere begins it anew
            copy.execute("PRAGMA journal_mode=DELETE")
        _sound_or_refused(part)
        told = BackUp(name, at.isoformat(), why, _digest(part), part.stat().st_size, _migrations(part), _rows(part))
        _settle(part)
        beside = folder() / f".{name}.json.part"
        beside.write_text(json.dumps(asdict(told), indent=1))
        _settle(beside)
        part.rename(told.file)
        beside.rename(told.file.with_suffix(".json"))
        _settle(folder())
    except (OSError, sqlite3.Error) as error:
        raise Refused(f"The place could not be copied: {error}. The copies made before are untouched.") from None
    finally:
        for left in (part, folder() / f".{name}.json.part"):
            left.unlink(missing_ok=True)
    return told


def _settle(path: Path) -> None:
    """On the disk, not only on its way there."""
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return file_digest(file, "sha256").hexdigest()


@contextmanager
def _reading(path: Path) -> Iterator[sqlite3.Connection]:
    with closing(sqlite3.connect(f"file:{path}?mode=ro&immutable=1", uri=True)) as opened:
        yield opened


def _sound_or_refused(path: Path) -> None:
    with _reading(path) as copy:
        said = copy.execute("PRAGMA quick_check").fetchone()[0]
        foreign = copy.execute("PRAGMA foreign_key_check").fetchone()
    if said != "ok" or foreign:
        raise Refused(f"The copy is not sound: {said if said != 'ok' else 'a record refers to one that is not there'}.")


def _migrations(path: Path) -> tuple[str, ...]:
    with _reading(path) as copy:
        return tuple(f"{app}.{name}" for app, name in copy.execute("select app, name from django_migrations order by app, name"))


def _rows(path: Path) -> dict[str, int]:
    with _reading(path) as copy:
        return _counted(copy)


def _counted(opened: sqlite3.Connection) -> dict[str, int]:
    tables = [name for (name,) in opened.execute("select name from sqlite_master where type = 'table' order by name")]
    kept = [t for t in tables if not t.startswith(("sqlite_", "django_", "axes_"))]
    return {t: opened.execute(f'select count(*) from "{t}"').fetchone()[0] for t in kept}


def backups() -> list[BackUp]:
    """Every copy there is, the newest first."""
    found = []
    for beside in folder().glob("evarlo-*.json"):
        try:
            told = json.loads(beside.read_text())
            made = BackUp(**told | {"migrations": tuple(told["migrations"])})
        except (ValueError, TypeError, KeyError):
            continue
        if made.file.exists():
            found.append(made)
    return sorted(found, key=lambda b: b.at, reverse=True)


def backup_named(name: str) -> BackUp | None:
    return next((b for b in backups() if b.name == name), None)


def wrong_with(made: BackUp) -> str:
    """What is wrong with a copy; empty where it is as it was made."""
    if not made.file.exists():
        return "The file is not there."
    if _digest(made.file) != made.digest:
        return "The file is not as it was made: its fingerprint differs."
    try:
        _sound_or_refused(made.file)
    except Refused as refusal:
        return str(refusal)
    if _rows(made.file) != made.rows:
        return "It does not hold as many records as when it was made."
    return ""


def prune(now: datetime) -> list[BackUp]:
    """Let go of copies that the rule does not keep: the newest of each of the last days and weeks stays, and of those made before
    something was replaced the newest few. What went."""
    every, kept = backups(), set[str]()
    for span, most in (("%Y-%m-%d", DAYS), ("%G-%V", WEEKS)):
        newest: dict[str, str] = {}
        for b in every:
            newest.setdefault(b.made.strftime(span), b.name)
        kept |= set(list(newest.values())[:most])
    safeguards = [b.name for b in every if b.why in (BEFORE_RESTORE, BEFORE_UPGRADE)]
    kept |= set(safeguards[:SAFEGUARDS])
    gone = [b for b in every if b.name not in kept and b.made < now - timedelta(days=1)]
    for b in gone:
        b.file.with_suffix(".json").unlink(missing_ok=True)
        b.file.unlink(missing_ok=True)
    return gone


@dataclass(frozen=True)
class Difference:
    """How many records of a kind there are now and in a copy."""

    table: str
    now: int
    there: int


def replaced_by(made: BackUp) -> list[Difference]:
    """What putting a copy back would change in numbers: tables that hold more or fewer records now."""
    with closing(sqlite3.connect(_database())) as opened:
        now = _counted(opened)
    tables = sorted({*now, *made.rows})
    return [Difference(t, now.get(t, 0), made.rows.get(t, 0)) for t in tables if now.get(t, 0) != made.rows.get(t, 0)]


def restore(made: BackUp) -> BackUp:
    """Put a copy in the place of what is there, which is itself copied first and kept. Whoever is using the place sees the copy
    from the next page on. Raises Refused for a copy that is not as it was made, or of a newer version than this."""
    if wrong := wrong_with(made):
        raise Refused(f"It is not put back. {wrong}")
    known = {f"{app}.{name}" for app, name in MigrationLoader(connection).disk_migrations}
    own = {m for m in made.migrations if m.split(".")[0] in {name.split(".")[0] for name in known}}
    if newer := sorted(own - known):
        raise Refused(f"It is of a newer version of Evarlo than this one ({newer[0]}). Upgrade first, then put it back.")
    before = back_up(BEFORE_RESTORE)
    put_back(made)
    call_command("migrate", verbosity=0)
    return before


def put_back(made: BackUp) -> None:
    """The pages of a copy over those of the database, in one step that all who use it wait for."""
    connection.close()
    with _reading(made.file) as copy, closing(sqlite3.connect(_database(), timeout=30)) as now:
        copy.backup(now, pages=-1)


def pending() -> list[str]:
    """Migrations that this version brings and the place does not have yet."""
    executor = MigrationExecutor(connection)
    return [f"{m.app_label}.{m.name}" for m, _ in executor.migration_plan(executor.loader.graph.leaf_nodes())]


def upgrade() -> tuple[Sequence[str], BackUp | None]:
    """Bring the place to this version: copied first, migrated, checked; where anything fails it is put back as it was. Raises
    Refused with what failed. Which migrations were done, and the copy (none for a new or an up-to-date place)."""
    waiting = pending()
    empty = not connection.introspection.table_names()
    if not waiting or empty:
        call_command("migrate", verbosity=0)
        return (), None
    before = back_up(BEFORE_UPGRADE)
    try:
        call_command("migrate", verbosity=0)
        _sound_or_refused(_checkpointed())
    except Exception as error:
        put_back(before)
        raise Refused(f"The upgrade failed and was taken back: {error}. The place is as it was.") from error
    return waiting, before


def _checkpointed() -> Path:
    """The database with all that was written to it lately in the one file."""
    path = _database()
    connection.close()
    with closing(sqlite3.connect(path)) as opened:
        opened.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    return path
