"""Stakes and labels as PDF: exact sizes whatever the print dialogue does, a scannable code and a readable one on each."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING

import segno

from evarlo.trials.models import Plot, Trial

if TYPE_CHECKING:
    from fpdf import FPDF  # takes a second or two to load, so only where something is printed

FONTS = Path(__file__).parent / "fonts"  # cut from the pages' own by `bin/cut-fonts`
POINT = 0.3528  # millimetres
QUIET = 1.2  # millimetres around a code


@dataclass(frozen=True)
class Sheet:
    """A sheet of labels, or a single stake as a page of its own. Lengths in millimetres."""

    key: str
    name: str
    page: tuple[float, float]
    label: tuple[float, float]
    columns: int
    rows: int
    left: float
    top: float
    across: float  # from the left edge of one label to that of the next
    down: float

    @property
    def count(self) -> int:
        return self.columns * self.rows


A4, LETTER = (210.0, 297.0), (215.9, 279.4)
SHEETS = (
    Sheet("a4-24", "A4, 24 labels of 70 × 37 mm", A4, (70.0, 37.0), 3, 8, 0.0, 0.5, 70.0, 37.0),
    Sheet("a4-21", "A4, 21 labels of 63.5 × 38.1 mm", A4, (63.5, 38.1), 3, 7, 7.2, 15.1, 66.0, 38.1),
    Sheet("a4-65", "A4, 65 labels of 38.1 × 21.2 mm", A4, (38.1, 21.2), 5, 13, 4.7, 10.7, 40.6, 21.2),
    Sheet("letter-30", "Letter, 30 labels of 66.7 × 25.4 mm", LETTER, (66.7, 25.4), 3, 10, 4.8, 12.7, 69.9, 25.4),
    Sheet("letter-10", "Letter, 10 labels of 101.6 × 50.8 mm", LETTER, (101.6, 50.8), 2, 5, 4.2, 12.7, 106.0, 50.8),
    Sheet("stake", "Single stakes of 120 × 20 mm", (120.0, 20.0), (120.0, 20.0), 1, 1, 0.0, 0.0, 120.0, 20.0),
    Sheet("stake-large", "Single stakes of 200 × 30 mm", (200.0, 30.0), (200.0, 30.0), 1, 1, 0.0, 0.0, 200.0, 30.0),
)


@dataclass(frozen=True)
class Label:
    """What stands on one label: the code to scan, the plot's number, what is behind it and where it belongs."""

    code: str
    number: str
    entry: str
    place: str


def plot_code(plot: Plot) -> str:
    """What a scanner types: short, and found again by the jump field."""
    return f"T{plot.trial_id}-{plot.number}"


def code_read(text: str) -> tuple[int, str] | None:
    """The trial's id and the plot's number of a code that was scanned; None for any other text."""
    found = re.fullmatch(r"T(\d{1,9})-(.{1,60})", text)
    return (int(found[1]), found[2]) if found else None


def labels_of(trial: Trial, plots: Iterable[Plot], names: dict[int, str], kind: str) -> list[Label]:
    """One label a plot along the path; `kind` is `blind` (codes), `named`, or `both`: the second, named label of each plot
    follows it, to be hidden at the foot of the stake."""
    made = []
    for plot in plots:
        where = f"{trial.name} {trial.season}"
        block = f"block {plot.block}" + (f" / {plot.inner}" if plot.inner else "")
        place = " · ".join([where, *([block] if plot.block else []), *([plot.level] if plot.level else [])])
        if kind in ("blind", "both"):
            made.append(Label(plot_code(plot), plot.number, plot.entry.code, place))
        if kind in ("named", "both"):
            made.append(Label(plot_code(plot), plot.number, names.get(plot.entry_id, plot.entry.code), place))
    return made


def labels_pdf(labels: Sequence[Label], sheet: Sheet, start: int = 1) -> bytes:
    """The labels on as many sheets as they need, the first at place `start` (from 1) so that a begun sheet is used up.

    Raises ValueError when there is no label or `start` is not on the sheet.
    """
    from fpdf import FPDF

    if not labels:
        raise ValueError("there is no plot to print a label for")
    if not 1 <= start <= sheet.count:
        raise ValueError(f"the first place must lie from 1 to {sheet.count}")
    orientation = "L" if sheet.page[0] > sheet.page[1] else "P"
    pdf = FPDF(orientation=orientation, unit="mm", format=(min(sheet.page), max(sheet.page)))
    pdf.set_auto_page_break(False)
    pdf.set_title("Stakes and labels")
    _fonts(pdf)
    for i, label in enumerate(labels, start=start - 1):
        place = i % sheet.count
        if place == 0 or i == start - 1:
            pdf.add_page()
        row, column = divmod(place, sheet.columns)
        _draw(pdf, label, sheet.left + column * sheet.across, sheet.top + row * sheet.down, *sheet.label)
    return bytes(pdf.output())


def _fonts(pdf: FPDF) -> None:
    for family, file in (("archivo", "archivo-latin"), ("archivo-ext", "archivo-latin-ext")):
        pdf.add_font(family, fname=FONTS / f"{file}-regular.ttf")
        pdf.add_font(family, style="B", fname=FONTS / f"{file}-bold.ttf")
    pdf.set_fallback_fonts(["archivo-ext"], exact_match=True)


def _draw(pdf: FPDF, label: Label, x: float, y: float, width: float, height: float) -> None:
    edge = min(3.0, height * 0.1)
    side = min(height - 2 * edge, width * 0.36)
    _code(pdf, label.code, x + edge, y + (height - side) / 2, side)
    left, room = x + edge + side + 2.0, width - side - 2 * edge - 2.0
    inner = height - 2 * edge
    big, middle, small = inner * 0.5, inner * 0.24, inner * 0.15
    _line(pdf, label.number, left, y + edge + big * 0.86, room, big / POINT * 0.95, bold=True)
    _line(pdf, label.entry, left, y + edge + big + middle * 0.9, room, middle / POINT * 0.95, bold=True)
    _line(pdf, label.place, left, y + edge + big + middle + small * 1.25, room, max(4.5, small / POINT * 0.85), bold=False)


def _line(pdf: FPDF, text: str, x: float, y: float, room: float, size: float, bold: bool) -> None:
    """A line of text on its baseline, as small as it has to be to fit."""
    pdf.set_font("archivo", "B" if bold else "", size)
    width = pdf.get_string_width(text)
    if width > room:
        pdf.set_font_size(max(4.0, 0.985 * size * room / width))
    while text and pdf.get_string_width(text) > room:
        text = text[:-2] + "…" if len(text) > 2 else ""
    pdf.text(x, y, text)


@lru_cache(maxsize=4096)
def _modules(code: str) -> tuple[tuple[int, ...], ...]:
    return tuple(tuple(row) for row in segno.make_qr(code, error="m", boost_error=False).matrix)


def _code(pdf: FPDF, code: str, x: float, y: float, side: float) -> None:
    modules = _modules(code)
    each = (side - 2 * QUIET) / len(modules)
    pdf.set_fill_color(0)
    for r, row in enumerate(modules):
        start = None
        for c, dark in enumerate((*row, 0)):
            if dark and start is None:
                start = c
            elif not dark and start is not None:
                pdf.rect(x + QUIET + start * each, y + QUIET + r * each, (c - start) * each, each, style="F")
                start = None
