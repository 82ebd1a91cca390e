"""A package that is brought, opened and checked before anything of it is used: whether it is one, whole, of a version that is
known here, and each cell what its column may hold."""

from __future__ import annotations

import csv
import io
import json
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from hashlib import file_digest
from pathlib import Path
from typing import Any, cast
from uuid import UUID

from django.core.exceptions import ValidationError
from django.db import models

from evarlo.exchange.packages.insides import apart
from evarlo.exchange.packages.leaving import ORIGINS
from evarlo.exchange.packages.tables import (
    FORMAT,
    LEFT_OUT,
    Model,
    all_models,
    chosen_or_refused,
    columns_of,
    label_of,
    pictures_of,
    taken,
)
from evarlo.ui.refused import Refused

MOST_BYTES = 2_000_000_000  # of all files together, unpacked
MOST_SCHEMA = 8_000_000
MOST_WRONG = 12  # cells that are named
MOST_PICTURE = 40_000_000
csv.field_size_limit(8_000_000)


@dataclass
class Package:
    """A package that is open. `unknown` names tables and columns that this version does not have."""

    archive: zipfile.ZipFile
    told: dict[str, Any]
    tables: dict[Model, dict[str, Any]]
    unknown: list[str] = field(default_factory=list)
    wrong: list[str] = field(default_factory=list)

    @property
    def place(self) -> UUID:
        return UUID(self.told["evarlo"]["place"])

    @property
    def called(self) -> str:
        return str(self.told["evarlo"].get("called") or "another place")[:80]

    @property
    def title(self) -> str:
        return str(self.told.get("title") or "A package")[:120]

    def rows(self, model: Model) -> Iterator[dict[str, Any]]:
        """The records of a table with their values; what cannot be read is added to `wrong` and left out. Columns that are
        missing, as in packages of older versions, have what a new record has."""
        if model not in self.tables:
            return
        resource = self.tables[model]
        wanted = {f.name: f for f in columns_of(model)}
        files = {f.name for f in pictures_of(model)}
        for line, cells in enumerate(self._lines(resource), start=2):
            row, bad = self._read(wanted, files, cells)
            bad = bad or apart(label_of(model), row)
            for name, said in bad:
                if len(self.wrong) <= MOST_WRONG:
                    self.wrong.append(f"{resource['path']}, line {line}, {name}: {said}")
            if not bad:
                yield row

    def _read(self, wanted: dict[str, Any], files: set[str], cells: dict[str, str]) -> tuple[dict[str, Any], list[tuple[str, str]]]:
        row, bad = {}, []
        for name, column in wanted.items():
            try:
                if name not in cells:
                    row[column.attname] = _as_new(column)
                elif name in files:
                    row[column.attname] = self._picture(cells[name])
                else:
                    row[column.attname] = taken(column, cells[name])
                    chosen_or_refused(column, row[column.attname])
            except ValidationError as error:
                bad.append((name, " ".join(error.messages)))
        return row, bad

    def origins(self) -> Iterator[tuple[str, str, UUID, str]]:
        """Of the records that were made elsewhere: table, id in the package, the place, and the id there."""
        for resource in self.told["resources"]:
            if resource.get("name") == ORIGINS:
                for cells in self._lines(resource):
                    try:
                        yield cells["table"], cells["id"], UUID(cells["place"]), cells["there"]
                    except (KeyError, ValueError):
                        self.wrong.append(f"{resource['path']} holds a line that cannot be read.")
                        return

    def _lines(self, resource: dict[str, Any]) -> Iterator[dict[str, str]]:
        with self.archive.open(resource["path"]) as raw:
            try:
                for cells in csv.DictReader(io.TextIOWrapper(raw, "utf-8-sig", newline="")):
                    if None in cells or None in cells.values():
                        raise Refused(f"{resource['path']} has a line with more or fewer cells than its header.")
                    yield cells
            except (csv.Error, UnicodeDecodeError) as error:
                raise Refused(f"{resource['path']} cannot be read as CSV in UTF-8: {error}.") from None

    def _picture(self, name: str) -> bytes:
        if not name:
            return b""
        try:
            if self.archive.getinfo(name).file_size > MOST_PICTURE:
                raise ValidationError(f"{name} is larger than a picture may be.")
            return self.archive.read(name)
        except KeyError:
            raise ValidationError(f"{name} is not in the package.") from None


def _as_new(column: models.Field[Any, Any]) -> Any:
    value = column.get_default()
    if value is None and not column.null:
        raise ValidationError("The column is missing.")
    return value


@contextmanager
def opened(file: Path) -> Iterator[Package]:
    """A package whose files are all there as they were written. Raises Refused with what is wrong with it."""
    try:
        with zipfile.ZipFile(file) as archive:
            yield _looked_at(archive)
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError, OSError) as error:
        if isinstance(error, Refused):
            raise
        raise Refused("That is no package: expected the zip file that Evarlo wrote, whole.") from None


def _looked_at(archive: zipfile.ZipFile) -> Package:
    if sum(i.file_size for i in archive.infolist()) > MOST_BYTES:
        raise Refused(f"Unpacked it holds more than {MOST_BYTES / 1e9:.0f} GB.")
    told = _told(archive)
    about = told["evarlo"]
    if about["format"] > FORMAT:
        raise Refused(
            f"It is of a newer version of Evarlo (format {about['format']}, here {FORMAT}). Upgrade first, then bring it in."
        )
    package = Package(archive, told, {})
    models_here = {label_of(m): m for m in all_models()}
    for resource in told["resources"]:
        if "hash" not in resource or "schema" not in resource:  # drawn or reckoned from the tables, for other programs
            continue
        _whole(archive, resource)
        model = models_here.get(resource.get("evarlo", ""))
        if model is not None:
            package.tables[model] = resource
            own = {f.name for f in columns_of(model)} | LEFT_OUT.get(label_of(model), set())
            new = [f["name"] for f in resource["schema"]["fields"] if f["name"] not in own]
            package.unknown += [f"{resource['path']}: {name}" for name in new]
        elif resource["name"] != ORIGINS:
            package.unknown.append(resource["path"])
    return package


def _told(archive: zipfile.ZipFile) -> dict[str, Any]:
    try:
        if archive.getinfo("datapackage.json").file_size > MOST_SCHEMA:
            raise Refused("Its description is too long to be one.")
        told = json.loads(archive.read("datapackage.json"))
        about = told["evarlo"]
        good = isinstance(about["format"], int) and str(UUID(about["place"])) and isinstance(told["resources"], list)
        good = good and all(
            isinstance(r.get(n, ""), str) and r["path"] for r in told["resources"] for n in ("path", "name", "evarlo", "hash")
        )
        good = good and all(isinstance(f["name"], str) for r in told["resources"] if "schema" in r for f in r["schema"]["fields"])
    except (KeyError, TypeError, ValueError, AttributeError):
        good = False
    if not good:
        raise Refused("That is no package of Evarlo: its description, datapackage.json, is missing or cannot be read.")
    return dict(told)


def _whole(archive: zipfile.ZipFile, resource: dict[str, Any]) -> None:
    try:
        with archive.open(resource["path"]) as raw:
            digest = file_digest(cast(Any, raw), "sha256")
    except KeyError:
        raise Refused(f"{resource['path']} is named and not in the package.") from None
    if resource.get("hash") != f"sha256:{digest.hexdigest()}":
        raise Refused(f"{resource['path']} is not as it was written: its fingerprint differs.")
