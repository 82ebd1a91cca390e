"""Writing a package: a zip archive with a CSV file for each table, the pictures, and `datapackage.json`, which says of every file
and column what it is. It is written from one moment of the place, while others work on."""

from __future__ import annotations

import csv
import io
import json
import zipfile
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from hashlib import sha256
from typing import IO, Any
from uuid import UUID

from django.contrib.auth.models import AnonymousUser
from django.utils import timezone
from django.utils.text import slugify

from evarlo.databases.moments import one_moment
from evarlo.exchange.models import Brought
from evarlo.exchange.packages import drawings
from evarlo.exchange.packages.chosen import Picked, of_place, of_programme, of_trial
from evarlo.exchange.packages.tables import FORMAT, Model, batched, columns_of, label_of, name_of, pictures_of, schema_of, written
from evarlo.people.models import Place
from evarlo.programmes.models import Programme
from evarlo.trials.models import Trial

ORIGINS = "origins"
SIGNS = ((b"\xff\xd8", "jpg"), (b"\x89PNG", "png"), (b"RIFF", "webp"))
READ_ME = """This is an open data package: tables as CSV (UTF-8, commas, a header line), described in datapackage.json.

tables/     one file for each kind of record; the column `id` is referred to by the columns that datapackage.json lists as
            foreign keys. A number's unit stands there too. An empty cell is an unknown. Times carry their offset from UTC.
            A text that a spreadsheet would take for a formula has an apostrophe in front.
pictures/   what the tables name.
trials/     for each trial the value of every plot in every trait (what is left out is blank), its plan as GeoJSON (WGS 84) and
            SVG, its report as a page that stands by itself, and what is still to be done as iCalendar.
            `evarlo analyse FILE --trial NAME --trait KEY` analyses it.

Evarlo brings the whole in again, ids and history with it: People, Packages.
"""


@dataclass(frozen=True)
class Wanted:
    """What is to be taken out: the place, or one trial or programme of it."""

    what: str  # place, trial or programme
    slug: str
    title: str
    picked: Picked


def wanted(what: str, slug: str = "") -> Wanted:
    """The records of what is asked for. Raises Trial.DoesNotExist or Programme.DoesNotExist."""
    if what == "trial":
        trial = Trial.objects.get(slug=slug)
        return Wanted(what, slug, f"{trial.name}, {trial.season}", of_trial(trial))
    if what == "programme":
        programme = Programme.objects.get(slug=slug)
        return Wanted(what, slug, programme.name, of_programme(programme))
    place = Place.objects.first()
    name = place.name if place else "A place"
    return Wanted("place", slugify(name) or "place", name, of_place())


def write(out: IO[bytes], what: str, slug: str = "", by: Any = None) -> None:
    """Write the package of what is asked for into `out`, as the place is at one moment. Drawings tell the names that `by` may
    read; without anybody no blind trial's."""
    with one_moment():
        asked = wanted(what, slug)
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=4) as archive:
            resources = [_table(archive, model, ids) for model, ids in asked.picked.items()]
            resources.append(_origins(archive, asked.picked))
            resources += drawings.into(archive, sorted(asked.picked.get(Trial, ())), by or AnonymousUser())
            archive.writestr("README.txt", READ_ME)
            archive.writestr("datapackage.json", json.dumps(_told(asked, resources), indent=1, ensure_ascii=False))


def _told(asked: Wanted, resources: list[dict[str, Any]]) -> dict[str, Any]:
    place = Place.objects.first()
    return {
        "profile": "data-package",
        "name": f"{asked.what}-{asked.slug}",
        "title": asked.title,
        "created": timezone.now().isoformat(timespec="seconds"),
        "resources": resources,
        "evarlo": {
            "format": FORMAT,
            "what": asked.what,
            "place": str(place.key if place else UUID(int=0)),
            "called": place.name if place else "",
        },
    }


def rows_of(model: Model, ids: Iterable[int]) -> Iterator[Any]:
    """Records in the order of their ids, some at a time."""
    for some in batched(sorted(ids)):
        yield from model._default_manager.filter(pk__in=some).order_by("pk")


def _table(archive: zipfile.ZipFile, model: Model, ids: set[int]) -> dict[str, Any]:
    columns, pictures = columns_of(model), {f.name for f in pictures_of(model)}
    path = f"tables/{name_of(model)}.csv"
    later: list[tuple[str, int, str]] = []

    def lines() -> Iterator[list[str]]:
        yield [f.name for f in columns]
        for row in rows_of(model, ids):
            cells = []
            for f in columns:
                value = getattr(row, f.attname)
                if f.name in pictures:
                    value = bytes(value) if value is not None else b""
                    file = f"pictures/{name_of(model)}-{row.pk}-{f.name}.{_ending(value)}" if value else ""
                    if file:
                        later.append((file, row.pk, f.name))
                    cells.append(file)
                else:
                    cells.append(written(f, value))
            yield cells

    told = _put(archive, path, lines())
    for file, pk, name in later:
        content = model._default_manager.values_list(name, flat=True).get(pk=pk)
        archive.writestr(zipfile.ZipInfo(file, (2026, 1, 1, 0, 0, 0)), bytes(content))
    about = {"name": name_of(model), "title": str(model._meta.verbose_name), "schema": schema_of(model), "evarlo": label_of(model)}
    return about | told


def _ending(content: bytes) -> str:
    return next((end for sign, end in SIGNS if content.startswith(sign)), "bin")


def _put(archive: zipfile.ZipFile, path: str, lines: Iterable[list[str]]) -> dict[str, Any]:
    """A table into the archive, line by line; its size and fingerprint."""
    digest, size = sha256(), 0
    with archive.open(path, "w") as file:
        for line in lines:
            text = io.StringIO()
            csv.writer(text).writerow(line)
            raw = text.getvalue().encode()
            digest.update(raw)
            size += len(raw)
            file.write(raw)
    how = {"path": path, "format": "csv", "mediatype": "text/csv", "encoding": "utf-8"}
    return how | {"bytes": size, "hash": f"sha256:{digest.hexdigest()}"}


def _origins(archive: zipfile.ZipFile, picked: Picked) -> dict[str, Any]:
    """Which of the records were made elsewhere, and which they were there."""

    def lines() -> Iterator[list[str]]:
        yield ["table", "id", "place", "there"]
        for model, ids in picked.items():
            came = Brought.objects.filter(table=label_of(model)).order_by("pk").values_list("ours", "place", "theirs")
            here = {str(pk) for pk in ids}
            yield from ([label_of(model), ours, str(place), theirs] for ours, place, theirs in came if ours in here)

    told = _put(archive, f"tables/{ORIGINS}.csv", lines())
    kinds = dict.fromkeys(("table", "id", "place", "there"), "string")
    fields = [{"name": name, "type": kind} for name, kind in kinds.items()]
    return {"name": ORIGINS, "title": "records made elsewhere", "schema": {"fields": fields, "missingValues": [""]}} | told
