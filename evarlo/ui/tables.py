"""Files to take along; a table as CSV or as a workbook: texts stay texts, figures stay figures."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence
from typing import Any

from django.http import HttpResponse

WORKBOOK = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"


def as_csv(name: str, rows: Iterable[Sequence[Any]]) -> HttpResponse:
    """The rows as a CSV file called `name`."""
    out = io.StringIO()
    csv.writer(out).writerows([harmless(c) for c in row] for row in rows)
    return attached(f"{name}.csv", out.getvalue(), "text/csv; charset=utf-8")


def as_workbook(name: str, rows: Iterable[Sequence[Any]]) -> HttpResponse:
    """The rows as the one sheet of a workbook called `name`, its first row kept in sight."""
    from openpyxl import Workbook

    book = Workbook()
    sheet = book.worksheets[0]
    for r, row in enumerate(rows, start=1):
        for c, value in enumerate(row, start=1):
            cell = sheet.cell(r, c, value)
            if isinstance(value, str):
                cell.data_type = "s"  # never a formula, whatever it begins with
    sheet.freeze_panes = "A2"
    out = io.BytesIO()
    book.save(out)
    return attached(f"{name}.xlsx", out.getvalue(), WORKBOOK)


def attached(name: str, content: str | bytes, kind: str) -> HttpResponse:
    """A file called `name`, to be kept rather than shown; `kind` is its media type."""
    return HttpResponse(content, content_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})


def harmless(cell: Any) -> Any:
    """A text that a spreadsheet would take for a formula gets an apostrophe in front; figures stay figures."""
    if isinstance(cell, str) and cell[:1] in "=+-@\t\r" and cell[:1]:
        try:
            float(cell)
        except ValueError:
            return "'" + cell
    return cell
