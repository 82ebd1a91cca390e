"""What was uploaded, as text: a delimited file as it is, a workbook as the cells of its first filled sheet."""

from __future__ import annotations

import csv
import io
from datetime import date, datetime
from typing import Any
from zipfile import BadZipFile

from trialcore.formats.sheet import MOST_BYTES, MOST_COLUMNS, MOST_ROWS, decode

WORKBOOK = b"PK\x03\x04"  # what a zip archive begins with, as every xlsx does


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
