"""What a comparison gives to take along: the same figures as the page, texts that no spreadsheet takes for formulas."""

import csv
import io
from xml.dom import minidom

from django.urls import reverse
from openpyxl import load_workbook

from evarlo.catalogue.models import Trait
from evarlo.compare.queries import compare
from evarlo.people.models import Role
from evarlo.testing import world
from evarlo.testing.pages import TestCase

MEANS = {"Corvane": 5.0, "Quillet": 6.5, "OF-17": 5.1, "Brakewater": 3.4}


class Downloads(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.made = world.trial(self.by, blocks=4)
        world.sow(self.made, self.by)
        world.keep_yields(self.made, self.by, MEANS, 0.3)
        self.client.force_login(self.by)
        self.found = compare(self.made, Trait.objects.get(key="plot-yield"), self.by)

    def got(self, name: str, **asked: str) -> bytes:
        content: bytes = self.client.get(reverse(f"compare:{name}", args=[self.made.slug]), {"trait": "plot-yield"} | asked).content
        return content

    def test_the_table_of_entries_has_the_figures_of_the_page_with_units(self) -> None:
        rows = list(csv.DictReader(io.StringIO(self.got("entries_csv").decode())))
        self.assertEqual([r["name"] for r in rows], ["Quillet", "Corvane", "OF-17", "Brakewater"])
        for row, result in zip(rows, self.found.results, strict=True):
            self.assertAlmostEqual(float(row["mean (kg)"]), result.mean.lsmean or 0.0, places=9)
            if result.difference:
                self.assertAlmostEqual(float(row["difference from check (kg)"]), result.difference.estimate, places=9)
        self.assertEqual([r["stands"] for r in rows], ["ahead", "check", "could be luck", "behind"])
        self.assertEqual(rows[0]["plots"], "4")

    def test_the_guard_that_was_asked_for_goes_along(self) -> None:
        page = self.client.get(reverse("compare:compare", args=[self.made.slug]), {"trait": "plot-yield", "guard": "family"})
        self.assertContains(page, "entries.csv?trait=plot-yield&amp;guard=family")
        each, family = (
            [
                float(r["difference 95 % to (kg)"]) - float(r["difference 95 % from (kg)"])
                for r in csv.DictReader(io.StringIO(self.got("entries_csv", guard=g).decode()))
                if r["stands"] != "check"
            ]
            for g in ("each", "family")
        )
        self.assertTrue(all(f > e for e, f in zip(each, family, strict=True)))

    def test_a_workbook_keeps_figures_as_figures_and_no_name_as_a_formula(self) -> None:
        cultivar = self.made.entries.get(cultivar__name="Quillet").cultivar
        cultivar.name = "=1+1"
        cultivar.save()
        sheet = load_workbook(io.BytesIO(self.got("entries_xlsx"))).worksheets[0]
        self.assertEqual(sheet["A1"].value, "entry")
        self.assertEqual((sheet["B2"].value, sheet["B2"].data_type), ("=1+1", "s"))
        self.assertAlmostEqual(sheet["D2"].value, self.found.results[0].mean.lsmean or 0.0, places=9)

    def test_the_drawing_stands_by_itself_and_says_what_it_shows(self) -> None:
        drawn = minidom.parseString(self.got("drawing"))  # noqa: S318 - our own file
        texts = [t.firstChild.nodeValue for t in drawn.getElementsByTagName("text") if t.firstChild]
        self.assertIn(f"{self.made.name}: {self.found.trait.name}", texts)
        self.assertTrue(any(t and t.endswith(" kg") for t in texts))
        self.assertEqual(len(drawn.getElementsByTagName("circle")), 4)

    def test_entries_by_code_or_the_best_first(self) -> None:
        def order(**asked: str) -> list[str]:
            page = self.got("compare", **asked).decode()
            return sorted(self.codes(), key=lambda code: page.index(f"<b>{code}</b>"))

        self.assertEqual(order(sort="code"), sorted(self.codes()))
        self.assertEqual(order(), [s.entry.code for s in self.found.results])

    def codes(self) -> list[str]:
        return list(self.made.entries.values_list("code", flat=True))

    def test_a_trait_without_a_record_draws_nothing_and_says_so(self) -> None:
        empty = world.trial(self.by, blocks=3, name="Not recorded")
        response = self.client.get(reverse("compare:drawing", args=[empty.slug]))
        self.assertEqual(response.status_code, 404)

    def test_codes_stay_codes_for_who_may_not_see_names(self) -> None:
        self.made.blind = True
        self.made.save()
        self.client.force_login(world.person(Role.EVALUATOR))
        response = self.client.get(reverse("compare:entries_csv", args=[self.made.slug]), {"trait": "plot-yield"})
        self.assertContains(response, self.codes()[0])
        self.assertNotContains(response, "Quillet")
