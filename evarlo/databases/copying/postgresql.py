"""Copies of a database of PostgreSQL, by its own pg_dump, pg_restore and psql: they have to be installed beside Evarlo."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Iterator
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from django.db import connection

from evarlo.databases.copying import Failed, holds_records

SUFFIX = ".pgdump"
here: Any = connection


def _asked(*program: str) -> tuple[list[str], dict[str, str]]:
    """A program of PostgreSQL's with what it has to be told to reach the database; a password never on its line."""
    (_, *reach), told = here.client.settings_to_cmd_args_env(here.settings_dict, [])
    *reach, name = reach
    return [*program, *reach, name], {**os.environ, **(told or {})}


def _ran(line: list[str], env: dict[str, str] | None = None) -> str:
    """What a program said. Raises Failed with its first complaint."""
    try:
        return subprocess.run(line, env=env, check=True, capture_output=True, text=True, errors="replace").stdout
    except FileNotFoundError:
        raise _without(line[0]) from None
    except subprocess.CalledProcessError as error:
        said = error.stderr.strip().splitlines()
        raise Failed(said[0] if said else f"{line[0]} failed") from None


def _without(program: str) -> Failed:
    return Failed(f"{program} is not on this machine: install PostgreSQL's client programs")


def take(to: Path) -> None:
    line, env = _asked("pg_dump", "--format=custom", "--no-owner", "--no-privileges", f"--file={to}")
    _ran(line, env)


def look_through(path: Path) -> None:
    _ran(["pg_restore", "--file", os.devnull, str(path)])


def rows_of(path: Path) -> dict[str, int]:
    rows = dict.fromkeys(_tables_in(path), 0)
    for table, _ in _lines(path):
        rows[table] = rows.get(table, 0) + 1
    return dict(sorted((t, n) for t, n in rows.items() if holds_records(t)))


def migrations_of(path: Path) -> tuple[str, ...]:
    told = (line.split("\t") for _, line in _lines(path, "--table=django_migrations"))
    return tuple(sorted(f"{app}.{name}" for _, app, name, *_ in told))


def _tables_in(path: Path) -> list[str]:
    """The names in its list, whose lines say: 215; 1259 16386 TABLE public people_user owner."""
    listed = _ran(["pg_restore", "--list", str(path)]).splitlines()
    words = [line.split() for line in listed if not line.startswith(";")]
    return [w[5] for w in words if w[3:5] == ["TABLE", "public"]]


def _lines(path: Path, *only: str) -> Iterator[tuple[str, str]]:
    """Each record of a copy with its table, as it is written: columns between tabs."""
    line = ["pg_restore", "--data-only", *only, "--file=-", str(path)]
    try:
        asked = subprocess.Popen(line, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True, encoding="utf-8")
    except FileNotFoundError:
        raise _without(line[0]) from None
    with asked:
        table = ""
        for text in asked.stdout or ():
            if table and text == "\\.\n":
                table = ""
            elif table:
                yield table, text.rstrip("\n")
            elif text.startswith("COPY public."):
                table = text.split()[1].removeprefix("public.").strip('"')
    if asked.returncode:
        raise Failed("it cannot be read to its end")


def rows_now() -> dict[str, int]:
    quoted = here.ops.quote_name
    with here.cursor() as cursor:
        counts = {}
        for table in sorted(t for t in here.introspection.table_names() if holds_records(t)):
            cursor.execute(f"select count(*) from {quoted(table)}")
            counts[table] = cursor.fetchone()[0]
    return counts


def size_now() -> int:
    with here.cursor() as cursor:
        cursor.execute("select pg_database_size(current_database())")
        return int(cursor.fetchone()[0])


def put_back(path: Path) -> None:
    """What is there goes and the copy comes in one transaction: where it fails all is as it was."""
    gone = ", ".join(here.ops.quote_name(t) for t in here.introspection.table_names())
    connection.close()
    with TemporaryDirectory(dir=path.parent) as within:
        before, told = Path(within) / "before.sql", Path(within) / "told.sql"
        before.write_text(f"DROP TABLE {gone} CASCADE;\n" if gone else "")
        _ran(["pg_restore", "--no-owner", "--no-privileges", f"--file={told}", str(path)])
        files = (f"--file={before}", f"--file={told}")
        line, env = _asked("psql", "--quiet", "--single-transaction", "--set=ON_ERROR_STOP=1", *files)
        _ran(line, env)


def look_through_now() -> None:
    with here.cursor() as cursor:
        cursor.execute("select 1")  # its rules are held by the server while it is changed
