"""A sheet that is brought: the form that takes it, its cells, and its text: of a workbook that of the first sheet that holds
any."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from django import forms
from python_calamine import CalamineError, CalamineWorkbook

from trialcore.formats.sheet import MOST_BYTES, MOST_COLUMNS, MOST_ROWS, Problem, decode, lines_of

PASTED = "pasted lines"  # the name of what was no file
WORKBOOKS = (b"PK\x03\x04", b"\xd0\xcf\x11\xe0")  # what a zip archive begins with, as xlsx and ods do, and an older workbook


class Upload(forms.Form):
    """A sheet, chosen as a file or pasted as lines."""

    file = forms.FileField(
        label="Spreadsheet or CSV file",
        required=False,
        allow_empty_file=True,
        widget=forms.ClearableFileInput(attrs={"accept": ".csv,.tsv,.txt,.xlsx,.xls,.ods,text/csv"}),
    )
    text = forms.CharField(
        label="or paste the lines",
        required=False,
        strip=False,
        widget=forms.Textarea(attrs={"rows": 8, "spellcheck": "false", "wrap": "off"}),
    )

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        if not data.get("file") and not (data.get("text") or "").strip():
            self.add_error("file", "Nothing was chosen. Expected a spreadsheet (xlsx, ods, CSV), or its lines pasted below.")
        if data.get("file") and data["file"].size > MOST_BYTES:
            self.add_error("file", f"The file holds {data['file'].size / 1e6:.1f} MB. Expected at most {MOST_BYTES / 1e6:.0f} MB.")
        return data

    @property
    def used(self) -> str:
        """The field the sheet was given in, beside which is said what is wrong with it."""
        return "file" if self.cleaned_data.get("file") else "text"

    def taken(self) -> tuple[str, bytes]:
        """What was chosen: its name and its bytes."""
        file = self.cleaned_data.get("file")
        return (file.name, file.read()) if file else (PASTED, self.cleaned_data["text"].encode())


@dataclass(frozen=True)
class Grid:
    """One sheet of what was brought: its name and its cells as text."""

    name: str
    rows: list[list[str]]


def grids_of(raw: bytes) -> list[Grid]:
    """The sheets of an uploaded workbook (xlsx, ods, xls), or the one that a text is. Raises ValueError, in words for the person,
    for what is no sheet or too large."""
    if raw.startswith(WORKBOOKS) and len(raw) <= MOST_BYTES:
        return _sheets_of(raw)
    table = lines_of(decode(raw), whole=True)
    if isinstance(table, Problem):
        raise ValueError(f"Found {table.found}. Expected {table.expected}.")
    return [Grid("", [table.header, *(row for _, row in table.rows)])]


def text_of(raw: bytes) -> str:
    """The text of an uploaded sheet, separated by tabs where it was a workbook. Raises ValueError as `grids_of`."""
    if not (raw.startswith(WORKBOOKS) and len(raw) <= MOST_BYTES):
        return decode(raw)
    out = io.StringIO()
    csv.writer(out, delimiter="\t", lineterminator="\n").writerows(_sheets_of(raw)[0].rows)
    return out.getvalue()


def _sheets_of(raw: bytes) -> list[Grid]:
    """The sheets of a workbook that hold anything."""
    try:
        book = CalamineWorkbook.from_filelike(io.BytesIO(raw))
        sheets = [
            (name, book.get_sheet_by_name(name).to_python(skip_empty_area=False, nrows=MOST_ROWS + 2)) for name in book.sheet_names
        ]
    except (CalamineError, ValueError, OSError, KeyError):
        raise ValueError("This workbook cannot be read. Save the sheet as CSV and choose that.") from None
    grids = [Grid(name, [[_written(c) for c in row[: MOST_COLUMNS + 1]] for row in rows]) for name, rows in sheets]
    filled = [g for g in grids if any(c for row in g.rows for c in row)]
    if not filled:
        raise ValueError("Every sheet of the workbook is empty.")
    return filled


def _written(cell: Any) -> str:
    """A cell as it would stand in a text: days without their hour, whole numbers without a point."""
    if cell is None:
        return ""
    if isinstance(cell, datetime):
        return cell.date().isoformat()
    if isinstance(cell, date):
        return cell.isoformat()
    if isinstance(cell, float):
        return str(int(cell)) if cell == int(cell) and abs(cell) < 1e15 else repr(cell)
    return " ".join(str(cell).split())
