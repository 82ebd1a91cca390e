"""A sheet that is brought: the form that takes it, and its text: of a workbook, the cells of the first sheet that holds any."""

from __future__ import annotations

import csv
import io
from datetime import date, datetime
from typing import Any
from zipfile import BadZipFile

from django import forms

from trialcore.formats.sheet import MOST_BYTES, MOST_COLUMNS, MOST_ROWS, decode

WORKBOOK = b"PK\x03\x04"  # what a zip archive begins with, as every xlsx does


class Upload(forms.Form):
    """A sheet, chosen as a file or pasted as lines."""

    file = forms.FileField(
        label="CSV or xlsx file",
        required=False,
        allow_empty_file=True,
        widget=forms.ClearableFileInput(attrs={"accept": ".csv,.tsv,.txt,.xlsx,text/csv"}),
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
            self.add_error("file", "Nothing was chosen. Expected a CSV or xlsx file, or its lines pasted below.")
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
        return (file.name, file.read()) if file else ("pasted lines", self.cleaned_data["text"].encode())


def text_of(raw: bytes) -> str:
    """The text of an uploaded sheet, separated by tabs where it was a workbook. Raises ValueError, in words for the person, for
    what is no sheet or too large."""
    return _cells_of(raw) if raw.startswith(WORKBOOK) and len(raw) <= MOST_BYTES else decode(raw)


def _cells_of(raw: bytes) -> str:
    from openpyxl import load_workbook
    from openpyxl.utils.exceptions import InvalidFileException

    try:
        book = load_workbook(io.BytesIO(raw), read_only=True, data_only=True)
        sheets = [[list(row) for row in _rows(sheet)] for sheet in book.worksheets]
    except (BadZipFile, InvalidFileException, KeyError, ValueError, OSError):
        raise ValueError("This workbook cannot be read. Save the sheet as CSV and choose that.") from None
    rows = next((some for some in sheets if any(c is not None for row in some for c in row)), None)
    if rows is None:
        raise ValueError("Every sheet of the workbook is empty.")
    out = io.StringIO()
    csv.writer(out, delimiter="\t", lineterminator="\n").writerows([_written(c) for c in row] for row in rows)
    return out.getvalue()


def _rows(sheet: Any) -> Any:
    return sheet.iter_rows(max_row=MOST_ROWS + 2, max_col=MOST_COLUMNS + 1, values_only=True)


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
