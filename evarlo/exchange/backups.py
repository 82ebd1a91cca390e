"""Copies of the whole place: made while it is used, checked, kept by a rule, and put back.

A copy is one file, the database with its pictures, and beside it what it holds: when and why it was made, its fingerprint, the
migrations it is at and the rows of each table. Where the operator has given a key it is locked with it: this machine locks and
cannot open, and whoever puts one back brings the other half of the key."""

from __future__ import annotations

import json
import os
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from datetime import datetime, timedelta
from hashlib import file_digest
from pathlib import Path
from shutil import rmtree
from tempfile import TemporaryDirectory

import pyrage
from django.conf import settings
from django.core.management import call_command
from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from django.db.migrations.loader import MigrationLoader
from django.utils import timezone

from evarlo.databases.copying import Failed, copying
from evarlo.databases.journal import begin_anew
from evarlo.databases.turns import begun_by_one
from evarlo.exchange.new_place import make_tables
from evarlo.people.audit import begin_end_anew
from evarlo.ui.refused import Refused

DAYS, WEEKS, SAFEGUARDS = 14, 8, 10  # of how many days, weeks, and of those made before something was replaced, the newest is kept
BY_HAND, SCHEDULED, BEFORE_RESTORE, BEFORE_UPGRADE = "by hand", "scheduled", "before a restore", "before an upgrade"
LOCKED = ".age"  # how the name of a locked copy ends: the format is age's, and its own program opens it too


@dataclass(frozen=True)
class BackUp:
    """What a copy holds. `at` is in the place's own time; `rows` by table, of those that hold records; `digest` and `size` of the
    file as it lies."""

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
    def beside(self) -> Path:
        return folder() / f"{self.name.split('.')[0]}.json"

    @property
    def locked(self) -> bool:
        return self.name.endswith(LOCKED)

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


def locks() -> str:
    """The half of the operator's key that locks, as it was given; empty where copies stay open."""
    return os.environ.get("EVARLO_BACKUP_KEY", "").strip()


def lock() -> pyrage.x25519.Recipient | None:
    """The half of the operator's key that locks; None where copies stay open. Raises Refused where it is none."""
    try:
        return pyrage.x25519.Recipient.from_str(locks()) if locks() else None
    except pyrage.RecipientError:
        raise Refused("EVARLO_BACKUP_KEY is no key that locks: it begins with age1 and is made by “make backup-key”.") from None


def key_of(text: str) -> pyrage.x25519.Identity:
    """The half that opens, from the file it was written into. Raises Refused where there is none in it."""
    for line in text.splitlines():
        if line.strip().startswith("AGE-SECRET-KEY-"):
            try:
                return pyrage.x25519.Identity.from_str(line.strip())
            except pyrage.IdentityError:
                break
    raise Refused("There is no key in that file: it has a line that begins with AGE-SECRET-KEY-.")


def new_key() -> tuple[str, str]:
    """A key for copies: the half that locks, for EVARLO_BACKUP_KEY, and the half that opens, to be kept elsewhere."""
    made = pyrage.x25519.Identity.generate()
    return str(made.to_public()), str(made)


def back_up(why: str = BY_HAND) -> BackUp:
    """Copy the place as it is at one moment, check the copy, and only then give it its name. Raises Refused where the copy is not
    sound or there is no room."""
    with _copied() as plain:
        return _kept(plain, why)


@contextmanager
def _copied() -> Iterator[Path]:
    """A checked copy, open to be read: beside where it is to lie, or in the data folder where it is to be locked."""
    room = Path(settings.DATA) if lock() else folder()
    with _said("copied", "The copies made before are untouched."), TemporaryDirectory(prefix=".copying-", dir=room) as within:
        plain = Path(within) / "copy"
        copying().take(plain)
        copying().look_through(plain)
        yield plain


@contextmanager
def _said(done: str, safe: str) -> Iterator[None]:
    """Refused with why the place could not be copied or put back."""
    try:
        yield
    except (OSError, Failed) as error:
        raise Refused(f"The place could not be {done}: {error}. {safe}") from None


def _kept(plain: Path, why: str) -> BackUp:
    """Give a copy its name, locked where there is a key; it is not there by halves."""
    at, key = timezone.localtime(), lock()
    name = f"evarlo-{at:%Y-%m-%d-%H%M%S-%f}{copying().SUFFIX}{LOCKED if key else ''}"
    rows, migrations = copying().rows_of(plain), copying().migrations_of(plain)
    part, beside = (folder() / f".{name}{end}.part" for end in ("", ".json"))
    try:
        if key:
            pyrage.encrypt_file(str(plain), str(part), [key])
        else:
            plain.rename(part)
        told = BackUp(name, at.isoformat(), why, _digest(part), part.stat().st_size, migrations, rows)
        beside.write_text(json.dumps(asdict(told), indent=1))
        _settle(part)
        _settle(beside)
        part.rename(told.file)
        beside.rename(told.beside)
        _settle(folder())
    except pyrage.EncryptError as error:
        raise Failed(str(error)) from None
    finally:
        for left in (part, beside):
            left.unlink(missing_ok=True)
    return told


@contextmanager
def _opened(made: BackUp, key: str) -> Iterator[Path]:
    """A copy to be read; a locked one is opened in the data folder, and gone from there afterwards."""
    if not made.locked:
        yield made.file
        return
    if not key:
        raise Refused("It is locked: give the file with the key that opens it.")
    opens = key_of(key)
    with TemporaryDirectory(prefix=".opening-", dir=settings.DATA) as within:
        plain = Path(within) / "copy"
        try:
            pyrage.decrypt_file(str(made.file), str(plain), [opens])
        except pyrage.DecryptError:
            raise Refused("That key does not open it: it was locked with another one.") from None
        yield plain


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
    """What is wrong with a copy; empty where it is as it was made. What is in a locked one is seen when it is opened."""
    if not made.file.exists():
        return "The file is not there."
    if _digest(made.file) != made.digest:
        return "The file is not as it was made: its fingerprint differs."
    return "" if made.locked else _wrong_in(made.file, made)


def _wrong_in(plain: Path, made: BackUp) -> str:
    try:
        copying().look_through(plain)
        alike = copying().rows_of(plain) == made.rows
    except Failed as failure:
        return f"The copy is not sound: {failure}."
    return "" if alike else "It does not hold as many records as when it was made."


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
        b.beside.unlink(missing_ok=True)
        b.file.unlink(missing_ok=True)
    _clear_up(now)
    return gone


def _clear_up(now: datetime) -> None:
    """What a machine that died while copying left half done."""
    for left in (p for where in {folder(), Path(settings.DATA)} for p in where.glob(".*ing-*")):
        if left.stat().st_mtime < (now - timedelta(days=1)).timestamp():
            rmtree(left, ignore_errors=True)


@dataclass(frozen=True)
class Difference:
    """How many records of a kind there are now and in a copy."""

    table: str
    now: int
    there: int


def replaced_by(made: BackUp) -> list[Difference]:
    """What putting a copy back would change in numbers: tables that hold more or fewer records now."""
    now = copying().rows_now()
    tables = sorted({*now, *made.rows})
    return [Difference(t, now.get(t, 0), made.rows.get(t, 0)) for t in tables if now.get(t, 0) != made.rows.get(t, 0)]


def restore(made: BackUp, key: str = "") -> BackUp:
    """Put a copy in the place of what is there, which is itself copied first and kept. Whoever is using the place sees the copy
    from the next page on. Raises Refused for a copy that is not as it was made, of another kind of database, of a newer version
    than this, or locked with another key."""
    if not made.name.removesuffix(LOCKED).endswith(copying().SUFFIX):
        raise Refused("It is a copy of another kind of database. Take a package out there and bring it in here.")
    if wrong := wrong_with(made):
        raise Refused(f"It is not put back. {wrong}")
    known = {f"{app}.{name}" for app, name in MigrationLoader(connection).disk_migrations}
    own = {m for m in made.migrations if m.split(".")[0] in {name.split(".")[0] for name in known}}
    if newer := sorted(own - known):
        raise Refused(f"It is of a newer version of Evarlo than this one ({newer[0]}). Upgrade first, then put it back.")
    with _said("put back", "It is as it was."), _opened(made, key) as plain:
        if made.locked and (wrong := _wrong_in(plain, made)):
            raise Refused(f"It is not put back. {wrong}")
        before = back_up(BEFORE_RESTORE)
        copying().put_back(plain)
    begin_anew()
    begin_end_anew()
    call_command("migrate", verbosity=0)
    return before


def pending() -> list[str]:
    """Migrations that this version brings and the place does not have yet."""
    executor = MigrationExecutor(connection)
    return [f"{m.app_label}.{m.name}" for m, _ in executor.migration_plan(executor.loader.graph.leaf_nodes())]


def upgrade() -> tuple[Sequence[str], BackUp | None]:
    """Bring the place to this version: copied first, migrated, checked; where anything fails it is put back as it was. Raises
    Refused with what failed. Which migrations were done, and the copy (none for a new or an up-to-date place)."""
    with begun_by_one():
        if not connection.introspection.table_names():
            make_tables()
    waiting = pending()
    if not waiting:
        return (), None
    with _copied() as plain:
        before = _kept(plain, BEFORE_UPGRADE)
        try:
            call_command("migrate", verbosity=0)
            copying().look_through_now()
        except Exception as error:
            copying().put_back(plain if before.locked else before.file)
            raise Refused(f"The upgrade failed and was taken back: {error}. The place is as it was.") from error
    return waiting, before
