"""The one component of lists: sorted, filtered, with the columns one wants, page by page, taken along."""

from __future__ import annotations

import io
from dataclasses import dataclass
from datetime import date
from typing import Any

from django.http import HttpRequest
from django.test import RequestFactory, SimpleTestCase
from openpyxl import load_workbook

from evarlo.ui.listing import A_PAGE, Column, Listing


@dataclass(frozen=True)
class Thing:
    name: str
    size: float | None
    on: date | None = None


THINGS = [Thing("reed", 3, date(2026, 3, 1)), Thing("Alder", 10.5), Thing("bray", None, date(2025, 1, 2)), Thing("=1+1", 2)]
COLUMNS: list[Column[Thing]] = [
    Column("name", "Name", lambda t: t.name, url=lambda t: f"/{t.name}/"),
    Column("size", "Size, m", lambda t: t.size, number=True),
    Column("on", "Seen", lambda t: t.on, spare=True),
]


class Lists(SimpleTestCase):
    def asked(self, things: list[Thing] = THINGS, **query: Any) -> Listing[Thing]:
        request: HttpRequest = RequestFactory().get("/", query)
        return Listing(request, "things", COLUMNS, things, "name", "thing")

    def names(self, **query: Any) -> list[str]:
        return [t.name for t in self.asked(**query).found]

    def test_sorted_both_ways_and_what_is_not_known_last(self) -> None:
        self.assertEqual(self.names(), ["=1+1", "Alder", "bray", "reed"])
        self.assertEqual(self.names(sort="size"), ["=1+1", "reed", "Alder", "bray"])
        self.assertEqual(self.names(sort="-size"), ["Alder", "reed", "=1+1", "bray"])
        self.assertEqual(self.names(sort="nonsense"), self.names())

    def test_found_by_any_of_its_words_in_any_column(self) -> None:
        self.assertEqual(self.names(find="REED"), ["reed"])
        self.assertEqual(self.names(find="10.5 ald"), ["Alder"])
        self.assertEqual(self.names(find="mar 2026"), ["reed"])
        self.assertEqual(self.names(find="nothing"), [])

    def test_columns_are_chosen_and_kept_in_every_address(self) -> None:
        found = self.asked(column=["name", "on"], find="r")
        self.assertEqual([h["label"] for h in found.heads], ["Name", "Seen"])
        self.assertIn("column=name&column=on", found.heads[0]["url"])
        self.assertIn("find=r", found.csv)
        self.assertEqual([h["sorted"] for h in found.heads], ["ascending", ""])

    def test_pages_stay_within_what_there_is(self) -> None:
        many = [Thing(f"t{n:03d}", n) for n in range(A_PAGE * 2 + 1)]
        for asked, at in (("1", 1), ("3", 3), ("99", 3), ("-1", 1), ("x", 1)):
            self.assertEqual(self.asked(many, page=asked).page, at)
        last = self.asked(many, page="3")
        self.assertEqual((len(last.lines), last.after, "page=2" in last.before), (1, "", True))

    def test_taken_along_whole_with_figures_as_figures_and_no_formula(self) -> None:
        csv = self.asked(take="csv", sort="size").taken()
        assert csv is not None
        self.assertEqual(csv.content.decode().splitlines()[:3], ['Name,"Size, m"', "'=1+1,2", "reed,3"])
        book = self.asked(take="xlsx", column=["name", "size", "on"]).taken()
        assert book is not None
        sheet = load_workbook(io.BytesIO(book.content)).worksheets[0]
        self.assertEqual((sheet["A2"].value, sheet["A2"].data_type, sheet["B3"].value), ("=1+1", "s", 10.5))
        self.assertIsNone(self.asked(take="pdf").taken())
