"""A table of things: sorted, filtered, with the columns one wants, page by page, and to be taken along. One component for every
list."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from typing import Any, Generic, TypeVar

from django.http import HttpRequest, HttpResponse, QueryDict

from evarlo.ui.tables import as_csv, as_workbook

Row = TypeVar("Row")
A_PAGE = 50
MOST_ASKED = 80  # characters of a filter


@dataclass(frozen=True)
class Column(Generic[Row]):
    """A column: `value` is what it is sorted by and taken along as, `text` how it is shown where that differs, `url` where it
    leads. A `spare` column is shown when it is asked for."""

    key: str
    label: str
    value: Callable[[Row], Any]
    text: Callable[[Row], str] | None = None
    url: Callable[[Row], str] | None = None
    number: bool = False
    spare: bool = False

    def shown(self, row: Row) -> str:
        if self.text is not None:
            return self.text(row)
        value = self.value(row)
        return f"{value:%-d %b %Y}" if isinstance(value, date) else "" if value is None else str(value)


@dataclass(frozen=True)
class Act:
    """Something that is done to the ticked rows at once: its words and its address."""

    words: str
    url: str


@dataclass
class Listing(Generic[Row]):
    """A list as one request asks for it. `key` gives what a row is ticked by; `acts` what can be done to ticked ones."""

    request: HttpRequest
    name: str
    columns: Sequence[Column[Row]]
    rows: Sequence[Row]
    sort: str
    noun: str
    acts: Sequence[Act] = ()
    key: Callable[[Row], Any] | None = None
    found: list[Row] = field(init=False)

    def __post_init__(self) -> None:
        asked = self.request.GET
        self.asked = " ".join(asked.get("find", "").split())[:MOST_ASKED]
        wanted = asked.getlist("column")
        known = [c for c in self.columns if c.key in wanted] if wanted else []
        self.visible = known or [c for c in self.columns if not c.spare]
        self.by, self.down = self._order(asked.get("sort", ""))
        self.found = self._sorted(self._filtered())
        pages = max(1, -(-len(self.found) // A_PAGE))
        at = asked.get("page", "1")
        self.page = min(pages, max(1, int(at))) if at.isdecimal() and len(at) < 6 else 1
        self.pages = pages

    def _order(self, asked: str) -> tuple[Column[Row], bool]:
        key, down = (asked or self.sort).removeprefix("-"), (asked or self.sort).startswith("-")
        column = next((c for c in self.columns if c.key == key), None)
        return (column, down) if column else (self.columns[0], False)

    def _filtered(self) -> list[Row]:
        words = self.asked.casefold().split()
        if not words:
            return list(self.rows)
        made = []
        for row in self.rows:
            text = " ".join(c.shown(row) for c in self.columns).casefold()
            if all(word in text for word in words):
                made.append(row)
        return made

    def _sorted(self, rows: list[Row]) -> list[Row]:
        """By the column, those without a value last whichever way it goes."""
        value = self.by.value
        told = [(v, row) for row in rows if (v := value(row)) not in (None, "")]
        none = [row for row in rows if value(row) in (None, "")]
        told.sort(key=lambda pair: pair[0].casefold() if isinstance(pair[0], str) else pair[0], reverse=self.down)
        return [row for _, row in told] + none

    @property
    def lines(self) -> list[dict[str, Any]]:
        """The rows of the page that is shown, cell by cell."""
        start = (self.page - 1) * A_PAGE
        return [
            {
                "key": self.key(row) if self.key else None,
                "cells": [(c.shown(row), c.url(row) if c.url else "", c.number) for c in self.visible],
            }
            for row in self.found[start : start + A_PAGE]
        ]

    @property
    def heads(self) -> list[dict[str, Any]]:
        """The columns that are shown: their words, where a touch on them leads, and which way they are sorted."""
        return [
            {
                "label": c.label,
                "number": c.number,
                "url": self._url(sort=f"-{c.key}" if c.key == self.by.key and not self.down else c.key, page=""),
                "sorted": ("descending" if self.down else "ascending") if c.key == self.by.key else "",
            }
            for c in self.visible
        ]

    @property
    def chosen(self) -> list[tuple[str, str, bool]]:
        return [(c.key, c.label, c in self.visible) for c in self.columns]

    @property
    def before(self) -> str:
        return self._url(page=str(self.page - 1)) if self.page > 1 else ""

    @property
    def after(self) -> str:
        return self._url(page=str(self.page + 1)) if self.page < self.pages else ""

    @property
    def csv(self) -> str:
        return self._url(take="csv")

    @property
    def xlsx(self) -> str:
        return self._url(take="xlsx")

    @property
    def sorted_by(self) -> str:
        return f"{'-' if self.down else ''}{self.by.key}"

    def _url(self, **changes: str) -> str:
        query = QueryDict(mutable=True)
        for name in ("find", "sort", "page", "column"):
            query.setlist(name, [v for v in self.request.GET.getlist(name) if v])
        for name, value in changes.items():
            query.setlist(name, [value] if value else [])
        return f"?{query.urlencode()}"

    def taken(self) -> HttpResponse | None:
        """The whole of what was found as a file, where that is asked for."""
        form = self.request.GET.get("take")
        if form not in ("csv", "xlsx"):
            return None
        head = [c.label for c in self.visible]
        rows = [[_plain(c.value(row)) for c in self.visible] for row in self.found]
        return (as_csv if form == "csv" else as_workbook)(self.name, [head, *rows])


def _plain(value: Any) -> Any:
    if isinstance(value, date | datetime):
        return value.isoformat()
    return "" if value is None else value
