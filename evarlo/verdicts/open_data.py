"""The open data beside a report: tables as CSV, with a schema that says of every column what it is and in which unit."""

from __future__ import annotations

import csv
import io
import json
import zipfile
from typing import Any

from evarlo.ui.tables import harmless
from evarlo.verdicts.board import Board

STAMP = (2026, 1, 1, 0, 0, 0)  # of the files in the archive: the same data give the same archive


def entry_table(board: Board) -> list[list[Any]]:
    """A line for each entry: verdict, reasons, and of every criterion mean, lead, what is expected to be kept, and the chance."""
    head = ["entry", "name", "verdict", "suggested", "for whom", "reasons"]
    for c in board.criteria:
        head += [f"{c.trait.name}: {what}" for what in _columns(c.trait.shown_unit)]
    rows: list[list[Any]] = [head]
    for x in board.lines:
        whom = "; ".join(f"{o.verdict} for {o.whom}" for o in x.for_some)
        row: list[Any] = [
            x.entry.code,
            x.name,
            "check" if x.entry.any_check else x.verdict,
            x.suggestion.verdict.value if x.suggestion else "",
        ]
        row += [whom, " ".join([*x.reasons, x.opinion.reason if x.opinion else ""]).strip()]
        for f in x.figures:
            row += [f.mean, f.better_by, f.kept if f.chance is not None else None, f.se, f.chance]
        rows.append(row)
    return rows


def _columns(unit: str) -> list[str]:
    said = f", {unit}" if unit else ""
    return [f"mean{said}", f"lead over the check{said}", f"expected to keep{said}", f"standard error{said}", "chance better"]


def plot_table(board: Board) -> list[list[Any]]:
    """A line for each plot and criterion: where it stood, its value, and why it is left out."""
    rows: list[list[Any]] = [["plot", "entry", "block", "row", "column", "trait", "value", "unit", "left out because"]]
    for c in board.comparisons:
        for p in c.plots:
            own = [p.plot.number, p.plot.entry.code, p.plot.block, p.plot.row, p.plot.col, c.trait.name]
            rows.append([*own, p.value, c.trait.shown_unit, p.left_out])
    return rows


def packed(board: Board, question: str) -> bytes:
    """The archive: `entries.csv`, `plots.csv` and the schema of both as `datapackage.json`, with the question as it may be read."""
    tables = {"entries": entry_table(board), "plots": plot_table(board)}
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, rows in tables.items():
            text = io.StringIO()
            csv.writer(text).writerows([harmless("" if v is None else v) for v in row] for row in rows)
            archive.writestr(zipfile.ZipInfo(f"{name}.csv", STAMP), text.getvalue())
        archive.writestr(
            zipfile.ZipInfo("datapackage.json", STAMP), json.dumps(_schema(board, question, tables), indent=1, ensure_ascii=False)
        )
    return out.getvalue()


def _schema(board: Board, question: str, tables: dict[str, list[list[Any]]]) -> dict[str, Any]:
    trial, signed = board.trial, board.signed
    return {
        "profile": "tabular-data-package",
        "name": trial.slug,
        "title": f"{trial.name}, {trial.season}",
        "description": question,
        "created": signed.at.isoformat() if signed else None,
        "contributors": [{"title": str(signed.by), "role": "signed"}] if signed else [],
        "rule": signed.rule if signed else {},
        "resources": [
            {
                "name": name,
                "path": f"{name}.csv",
                "profile": "tabular-data-resource",
                "schema": {"fields": [{"name": h, "type": _type(rows, i)} for i, h in enumerate(rows[0])], "missingValues": [""]},
            }
            for name, rows in tables.items()
        ],
    }


def _type(rows: list[list[Any]], i: int) -> str:
    seen = [row[i] for row in rows[1:] if row[i] not in (None, "")]
    return "number" if seen and all(isinstance(v, int | float) for v in seen) else "string"
