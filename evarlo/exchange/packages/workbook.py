"""The same tables as a workbook: a sheet for each kind of record, with units in the headers; the first says what is where."""

from __future__ import annotations

from datetime import UTC
from typing import IO, Any

from django.db import models
from django.utils import timezone
from openpyxl import Workbook
from openpyxl.cell import WriteOnlyCell
from openpyxl.worksheet._write_only import WriteOnlyWorksheet

from evarlo.databases.moments import one_moment
from evarlo.exchange.packages.leaving import rows_of, wanted
from evarlo.exchange.packages.tables import Model, called, kind_of, name_of, plain_columns, unit_of, written

LONGEST_NAME = 31  # of a sheet
MOST_ROWS = 1_048_000


def write_workbook(out: IO[bytes], what: str, slug: str = "") -> None:
    """Write it into `out`, as the place is at one moment. Raises Trial.DoesNotExist or Programme.DoesNotExist."""
    with one_moment():
        asked = wanted(what, slug)
        book = Workbook(write_only=True)
        first = book.create_sheet("Read me")
        first.append([asked.title])
        first.append([f"as of {timezone.localtime():%-d %b %Y, %H:%M}; times are UTC"])
        first.append(["sheet", "what", "records"])
        for model, ids in asked.picked.items():
            if ids:
                name = name_of(model)[:LONGEST_NAME]
                first.append([name, called(model), len(ids)])
                _sheet(book.create_sheet(name), model, ids)
        book.save(out)


def _sheet(sheet: WriteOnlyWorksheet, model: Model, ids: set[int]) -> None:
    sheet.freeze_panes = "A2"
    columns = [model._meta.pk, *plain_columns(model)]
    sheet.append([_heading(f) for f in columns])
    for n, row in enumerate(rows_of(model, ids)):
        if n >= MOST_ROWS:
            sheet.append(["more than a sheet holds: take the data package"])
            return
        sheet.append([_cell(sheet, f, getattr(row, f.attname)) for f in columns])


def _heading(field: models.Field[Any, Any]) -> str:
    unit, name = unit_of(field), field.name
    return f"{name} ({unit})" if unit else name


def _cell(sheet: WriteOnlyWorksheet, field: models.Field[Any, Any], value: Any) -> Any:
    kind = kind_of(field)
    if value is None or kind in ("number", "integer", "boolean", "date"):
        return value
    if kind == "datetime":
        return value.astimezone(UTC).replace(tzinfo=None)
    cell = WriteOnlyCell(sheet, value if kind == "string" and isinstance(value, str) else written(field, value))
    cell.data_type = "s"  # never a formula, whatever it begins with
    return cell
