"""Sheets as people keep them, through the page: what is proposed, what is asked, what is remembered."""

from __future__ import annotations

import io
import zipfile
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from openpyxl import Workbook

from evarlo.compare.queries import compare
from evarlo.exchange.models import Shape, Sheet
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial
from trialcore.tests.test_messy import ENTRIES, MEANS, SHAPES

Rows = list[list[str]]


def xlsx(*sheets: tuple[str, Rows]) -> bytes:
    book = Workbook()
    book.remove(book.worksheets[0])
    for name, rows in sheets:
        sheet = book.create_sheet(name)
        for row in rows:
            sheet.append([float(c) if c.replace(".", "", 1).isdigit() else c for c in row])
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def ods(rows: Rows) -> bytes:
    """The least that an open document spreadsheet holds."""
    cells = "".join(
        "<table:table-row>"
        + "".join(f'<table:table-cell office:value-type="string"><text:p>{c}</text:p></table:table-cell>' for c in row)
        + "</table:table-row>"
        for row in rows
    )
    names = "".join(f' xmlns:{n}="urn:oasis:names:tc:opendocument:xmlns:{n}:1.0"' for n in ("office", "table", "text"))
    content = (
        f'<?xml version="1.0"?><office:document-content{names}><office:body><office:spreadsheet><table:table table:name="a">{cells}'
    )
    content += "</table:table></office:spreadsheet></office:body></office:document-content>"
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as file:
        file.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        file.writestr("content.xml", content)
        file.writestr(
            "META-INF/manifest.xml",
            '<manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0">'
            '<manifest:file-entry manifest:full-path="/" manifest:media-type="application/vnd.oasis.opendocument.spreadsheet"/>'
            '<manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/></manifest:manifest>',
        )
    return out.getvalue()


class Brought(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.client.force_login(self.by, backend="django.contrib.auth.backends.ModelBackend")

    def upload(self, raw: bytes, name: str) -> Any:
        return self.client.post(reverse("exchange:bring-in"), {"file": SimpleUploadedFile(name, raw)}, follow=True)

    def say(self, **said: str) -> Any:
        sheet = Sheet.objects.latest("pk")
        return self.client.post(reverse("exchange:shape", args=[sheet.pk]), {"then": "look", **said}, follow=True)

    def make(self, name: str) -> Trial:
        sheet = Sheet.objects.latest("pk")
        given = {"name": name, "season": "2025", "crop": "Leek", "check": "Corvane", "design": "blocks"}
        columns = self.client.get(reverse("exchange:dry-run", args=[sheet.pk])).context["form"].column_rows
        for i, _ in enumerate(columns):
            given |= {f"direction_{i}": "higher", f"matters_{i}": ""}
        self.client.post(reverse("exchange:dry-run", args=[sheet.pk]), given)
        return Trial.objects.get(name=name)


class Shapes(Brought):
    def test_every_shape_comes_to_the_same_verdicts(self) -> None:
        found = set()
        for n, (shape, rows) in enumerate(SHAPES.items()):
            with self.subTest(shape=shape):
                raw = (
                    xlsx(("a", rows)) if n % 3 == 0 else ods(rows) if n % 3 == 1 else "\n".join(";".join(x) for x in rows).encode()
                )
                self.upload(raw, f"sheet-{n}")
                self.say()
                made = self.make(f"Trial {n}")
                told = compare(made, made.criteria.get(rank=1).trait, self.by)
                means = {r.name: round(r.mean.lsmean or 0.0, 6) for r in told.results}
                self.assertEqual(means, {e: round(m, 6) for e, m in MEANS.items()})
                found.add(tuple((r.name, r.word) for r in told.results))
        self.assertEqual(len(found), 1)

    def test_a_plain_sheet_goes_straight_to_what_was_understood(self) -> None:
        page = self.upload("\n".join(",".join(r) for r in SHAPES["plain"]).encode(), "plain.csv")
        self.assertContains(page, "18 plots, 6 entries, 3 complete blocks")
        self.assertContains(page, "What its columns mean")

    def test_a_workbook_of_several_sheets_is_looked_at_sheet_by_sheet(self) -> None:
        page = self.upload(xlsx(("notes", [["read", "me"], ["a", "b"]]), ("data", SHAPES["plain"])), "book.xlsx")
        self.assertContains(page, "Sheet of the workbook")
        self.assertContains(page, '<option value="1" selected>data</option>', html=True)  # the fullest
        self.assertContains(self.say(sheet="1"), "18 plots, 6 entries")
        self.upload(xlsx(("cover", [["Carrots"]]), ("data", SHAPES["plain"])), "book.xlsx")
        other = self.client.post(
            reverse("exchange:shape", args=[Sheet.objects.latest("pk").pk]), {"sheet": "0"}, headers={"HX-Request": "true"}
        )
        form = other.content.decode().split('id="shape"')[1].split("</form>")[0]
        self.assertIn("No line of this sheet names columns", form)  # what is said of it goes with the sheet

    def test_a_question_is_answered_before_anything_is_made_and_what_was_said_stays(self) -> None:
        rows = [["Sorte", "Wdh", "Ertrag"], ["A", "1", "1.234"], ["B", "1", "987"], ["A", "2", "1.112"], ["B", "2", "1.020"]]
        raw = "\n".join(";".join(r) for r in rows).encode()
        self.assertContains(self.upload(raw, "kg.csv"), "can be read in two ways")
        refused = self.client.post(
            reverse("exchange:shape", args=[Sheet.objects.latest("pk").pk]), {"then": "look", "mean:1": "note"}
        )
        self.assertContains(refused, "Expected one of these", status_code=422)
        self.assertContains(refused, '<option value="note" selected>', status_code=422)
        page = self.say(**{"mean:1": "rep", "decimal:2": "point_thousands"})
        self.assertContains(page, '<td class="num">1234</td>')

    def test_what_columns_meant_is_remembered_for_the_next_sheet_of_that_shape(self) -> None:
        rows = [["what", "where", "x"], *([e, str(b), str(4 + i)] for i, e in enumerate(ENTRIES) for b in (1, 2))]
        raw = "\n".join(";".join(r) for r in rows).encode()
        self.upload(raw, "first.csv")
        self.say(**{"mean:0": "entry", "mean:1": "rep", "mean:2": "value"})
        self.make("First")
        self.assertEqual(Shape.objects.count(), 1)
        self.upload(raw.replace(b"4", b"6"), "second.csv")
        self.assertEqual(Sheet.objects.latest("pk").chosen["mean:1"], "rep")

    def test_problems_stand_at_the_lines_of_the_sheet_itself(self) -> None:
        rows = [["A title over it all", "", ""], ["", "", ""], ["entry", "rep", "kg"], ["A", "1", "5"], ["B", "1", "heavy"]]
        self.upload("\n".join(";".join(r) for r in rows).encode(), "t.csv")
        page = self.say()
        self.assertEqual([(p.line, p.found) for p in page.context["shown"]], [(5, "heavy")])

    def test_less_is_proposed_as_better_where_the_name_says_so_and_nothing_else_is_claimed(self) -> None:
        page = self.upload(b"entry,rep,kg,bolted %\nA,1,5,3\nB,1,6,4\nA,2,5,2\nB,2,7,5\n", "t.csv")
        form = page.context["form"]
        self.assertEqual((form["direction_0"].value(), form["direction_1"].value()), ("higher", "lower"))
        self.assertNotContains(page, "random")
