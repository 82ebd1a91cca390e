"""Published trials come in through the page as they are, and a bad sheet makes nothing."""

import json
from pathlib import Path
from typing import Any
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

import trialcore
from evarlo.catalogue.models import Crop, Cultivar
from evarlo.compare.places import in_places
from evarlo.compare.queries import compare
from evarlo.exchange.models import Sheet
from evarlo.exchange.services import bring_next
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial
from trialcore.tests.agreement import disagreements

DATA = Path(trialcore.__file__).parent / "tests" / "data"


class Uploading(TestCase):
    """What is done with a sheet, from the file to the trial."""

    def upload(self, raw: bytes, name: str = "sheet.csv") -> Any:
        return self.client.post(reverse("exchange:bring-in"), {"file": SimpleUploadedFile(name, raw)}, follow=True)

    def make(self, **typed: str) -> Any:
        sheet = Sheet.objects.latest("at")
        given = {
            "name": "Published",
            "season": "1929",
            "crop": "Potato",
            "check": "V01",
            "direction_0": "higher",
            "matters_0": "",
        } | typed
        return self.client.post(reverse("exchange:dry-run", args=[sheet.pk]), given, follow=True)


class BringingIn(Uploading):
    def setUp(self) -> None:
        self.client.force_login(world.person(), backend="django.contrib.auth.backends.ModelBackend")

    def test_published_trials_give_their_published_figures(self) -> None:
        for name in ("rcbd_16x4", "rcbd_16x4_missing", "rcbd_unbalanced_reps", "rcbd_double_check", "crd_unbalanced"):
            with self.subTest(name=name):
                expected = json.loads((DATA / f"{name}.expected.json").read_text())
                page = self.upload((DATA / f"{name}.csv").read_bytes(), f"{name}.csv")
                self.assertContains(page, "Every cell could be read.")
                check = expected.get("check") or "V01"
                self.assertContains(self.make(name=name, check=check), "How this was worked out")
                made = Trial.objects.get(name=name)
                figures = self.client.get(reverse("compare:figures", args=[made.slug])).json()
                if "check" not in expected:
                    figures.pop("check", None)
                tolerance = max(expected.get("vs_check", {}).get("p_dunnett_abs_tolerance", 1e-6), 1e-6)
                self.assertEqual(list(disagreements(expected, figures, tolerance))[:5], [])
                for stage in ("", "walk/", "pick/", "sow/", "plant/", "compare/working/", "decide/", "report/"):
                    self.assertEqual(self.client.get(f"/trials/{made.slug}/{stage}").status_code, 200, stage)

    def test_the_page_before_anything_is_chosen(self) -> None:
        self.assertNotContains(self.client.get(reverse("exchange:bring-in")), "Nothing was chosen")

    def test_places_in_the_field_are_kept(self) -> None:
        self.upload((DATA / "rcbd_double_check.csv").read_bytes())
        self.make(check="V01")
        plot = Trial.objects.get().plots.get(number="102")
        self.assertEqual((plot.row, plot.col, plot.place), (1, 2, 2))

    def test_bad_cells_are_named_and_nothing_is_made(self) -> None:
        crops = Crop.objects.count()
        page = self.upload(b"plot,rep,entry,value\n101,1,V01,5\n101,1,V02,five\n103,,V03,6\n")
        for said in (
            "3 things have to be mended",
            "<code>101</code>",
            "<code>five</code>",
            "a number, or blank",
            "the rep of this plot",
        ):
            self.assertContains(page, said, status_code=422)
        self.make()
        self.assertEqual((Trial.objects.count(), Cultivar.objects.count()), (0, 0))
        self.assertEqual(Crop.objects.count(), crops)

    def test_what_is_no_sheet(self) -> None:
        for raw, said in (
            (b"\x89PNG\r\n\x1a\n\x00\x00", "not a text file"),
            (b"", "The file is empty."),
            (b"PK\x03\x04workbook", "Save the sheet as CSV"),
            (b"1,2\n" * 1_400_000, "Expected at most 5 MB"),
        ):
            with self.subTest(said=said):
                self.assertContains(self.upload(raw), said, status_code=422)
        self.assertContains(self.client.post(reverse("exchange:bring-in"), {}), "Nothing was chosen", status_code=422)
        self.assertEqual(Sheet.objects.count(), 0)

    def test_pasted_lines_and_hostile_names(self) -> None:
        text = "plot;rep;entry;yield\n1;1;=HYPERLINK(1);1,5\n2;1;<script>;2,5\n3;2;=HYPERLINK(1);1,7\n4;2;<script>;2,6\n"
        page = self.client.post(reverse("exchange:bring-in"), {"text": text}, follow=True)
        self.assertContains(page, "4 plots, 2 entries, 2 complete blocks")
        self.assertContains(self.make(check="<script>"), "&lt;script&gt;")
        made = Trial.objects.get()
        exported = self.client.get(reverse("compare:plots", args=[made.slug])).content.decode()
        self.assertIn("'=HYPERLINK(1)", exported)

    def test_a_check_must_be_chosen_and_a_sheet_makes_one_trial(self) -> None:
        self.upload((DATA / "rcbd_16x4.csv").read_bytes())
        self.assertContains(self.make(check=""), "Nothing was chosen", status_code=422)
        self.assertContains(self.make(matters_0="much"), "Found “much”", status_code=422)
        self.make()
        self.make()
        self.assertEqual(Trial.objects.count(), 1)

    def test_a_difference_that_matters_is_proposed_from_how_plots_of_an_entry_differ(self) -> None:
        """Squares within entries: A 4, 6 (2), B 5, 9 (8): √(10 ÷ 2) = 2.236, half of it 1.1."""
        page = self.upload(b"plot,entry,value\n1,A,4\n2,A,6\n3,B,5\n4,B,9\n")
        self.assertContains(page, 'value="1.1"')
        self.make(check="A")
        self.assertEqual(Trial.objects.get().criteria.get().matters, 1.1)

    def test_another_persons_sheet_is_not_shown(self) -> None:
        self.upload((DATA / "rcbd_16x4.csv").read_bytes())
        self.client.force_login(world.person(name="other"), backend="django.contrib.auth.backends.ModelBackend")
        self.assertEqual(self.client.get(reverse("exchange:dry-run", args=[Sheet.objects.get().pk])).status_code, 404)


class LongSheets(TestCase):
    """A sheet of 4,000 plots in 40 replicates: 100 entries, 4,000 plots, 4,000 values and the end of it are 8,101 rows."""

    def setUp(self) -> None:
        self.by = world.person()
        self.client.force_login(self.by)
        lines = ["plot,rep,entry,value"]
        lines += [f"{1000 + n},{n // 100 + 1},V{n % 100:03d},{(n * 7919) % 1000 / 100}" for n in range(4000)]
        upload = SimpleUploadedFile("long.csv", "\n".join(lines).encode())
        self.client.post(reverse("exchange:bring-in"), {"file": upload})
        self.sheet = Sheet.objects.get()
        given = {"name": "Long", "season": "2026", "crop": "Potato", "check": "V001", "direction_0": "higher", "matters_0": ""}
        self.client.post(reverse("exchange:dry-run", args=[self.sheet.pk]), given)

    def go_on(self) -> Any:
        return self.client.post(reverse("exchange:go-on", args=[self.sheet.pk]), headers={"HX-Request": "true"})

    def test_it_comes_in_piece_by_piece_and_is_seen_when_it_is_whole(self) -> None:
        trial = Trial.objects.get()
        said = []
        for _ in range(20):
            self.assertEqual(self.client.get(trial.get_absolute_url()).status_code, 404)
            self.assertNotContains(self.client.get(reverse("trials:list")), "Long")
            answer = self.go_on()
            if "HX-Redirect" in answer.headers:
                break
            said.append(int(answer.content.decode().split('value="')[1].split('"')[0]))
        self.assertEqual(said, [100, 850, 1600, 2350, 3100, 3850, 4100, 4850, 5600, 6350, 7100, 7850, 8100])
        self.assertEqual((trial.plots.count(), trial.entries.count(), trial.rounds.get().observations.count()), (4000, 100, 4000))
        kept = dict(trial.rounds.get().observations.values_list("plot__number", "number"))
        self.assertEqual(
            [kept[str(1000 + n)] for n in (0, 1, 749, 750, 3999)], [(n * 7919) % 1000 / 100 for n in (0, 1, 749, 750, 3999)]
        )
        self.assertContains(self.client.get(answer.headers["HX-Redirect"], follow=True), "Long: 4000 plots in.")

    def test_it_goes_on_after_it_was_broken_off_and_can_be_left(self) -> None:
        self.go_on()
        self.go_on()
        page = self.client.get(reverse("exchange:dry-run", args=[self.sheet.pk]), follow=True)
        self.assertContains(page, "850 of 8101 rows are in.")
        self.client.post(reverse("exchange:take-back", args=[self.sheet.pk]))
        self.sheet.refresh_from_db()
        self.assertIsNone(self.sheet.trial)
        self.assertNotContains(self.client.get(reverse("trials:list")), "Long")
        self.assertIn("HX-Redirect", self.go_on().headers)
        self.assertEqual(Trial.objects.get().plots.count(), 750)

    def test_a_piece_is_short_enough_for_others(self) -> None:
        self.sheet.refresh_from_db()
        with mock.patch("evarlo.exchange.services.PIECE", 5):
            self.assertEqual(bring_next(self.sheet, self.by).done, 5)
            self.assertEqual(bring_next(self.sheet, self.by).done, 10)


class OtherDesigns(Uploading):
    """Designs other than blocks come in by their columns and get their own analysis; what was assumed can be set."""

    def brought(self, name: str, **typed: str) -> tuple[Any, Trial]:
        page = self.upload((DATA / f"{name}.csv").read_bytes(), f"{name}.csv")
        self.assertContains(page, "Every cell could be read.")
        made = self.make(name=name, **typed)
        self.assertContains(made, "How this was worked out")
        return page, Trial.objects.get(name=name)

    def compared(self, made: Trial) -> Any:
        return compare(made, next(iter(made.criteria.all())).trait, self.by)

    def setUp(self) -> None:
        self.by = world.person()
        self.client.force_login(self.by, backend="django.contrib.auth.backends.ModelBackend")

    def test_latin_squares_are_told_by_their_rows_and_columns(self) -> None:
        for name in ("latin_6x6", "latin_6x6_missing"):
            expected = json.loads((DATA / f"{name}.expected.json").read_text())
            _, made = self.brought(name)
            self.assertEqual((made.design, made.placed), (Trial.Design.LATIN, True))
            figures = self.client.get(reverse("compare:figures", args=[made.slug])).json()
            self.assertEqual(list(disagreements(expected, figures, 1e-3))[:5], [])

    def test_augmented_blocks_have_their_checks_proposed(self) -> None:
        expected = json.loads((DATA / "augmented_4c40.expected.json").read_text())
        page, made = self.brought("augmented_4c40", further="V02, V03, V04")
        self.assertContains(page, 'value="V02, V03, V04"')
        self.assertEqual(made.design, Trial.Design.AUGMENTED)
        self.assertEqual([e.code for e in made.entries.all() if e.any_check], ["V01", "V02", "V03", "V04"])
        found = {r.entry.code: r.mean for r in self.compared(made).results}
        for m in expected["entry_means"]:
            self.assertAlmostEqual(found[m["entry"]].lsmean or 0, m["adjusted_mean"], places=6)
            self.assertAlmostEqual(found[m["entry"]].se or 0, m["se"], places=6)
        self.assertContains(self.client.get(reverse("compare:checks", args=[made.slug])), "less V04")

    def test_a_split_plot_is_set_where_its_columns_do_not_tell(self) -> None:
        """The sheet does not say which plots make a whole plot, so a factorial is proposed; set right, each stratum has its own
        error."""
        expected = json.loads((DATA / "splitplot_3x4.expected.json").read_text())
        page, made = self.brought("splitplot_3x4", design="split", factor="Nitrogen", entries_whole="on")
        self.assertContains(page, "levels of a second factor")
        self.assertEqual(
            (made.design, made.factor, made.levels, made.entries_whole), ("split", "Nitrogen", ["N0", "N1", "N2", "N3"], True)
        )
        found = {r.entry.code: r for r in self.compared(made).results}
        versus = {d["a"]: d for d in expected["whole_plot_means"]["pairwise"] if d["b"] == "V03"}
        self.assertTrue(versus)
        for m in expected["whole_plot_means"]["table"]:
            self.assertAlmostEqual(found[m["level"]].mean.lsmean or 0, m["mean"], places=6)
        pair = next(d for d in expected["whole_plot_means"]["pairwise"] if "V01" in (d["a"], d["b"]))
        other = pair["b"] if pair["a"] == "V01" else pair["a"]
        difference = found[other].difference
        assert difference
        self.assertAlmostEqual(abs(difference.estimate), abs(pair["estimate"]), places=6)
        self.assertAlmostEqual(difference.se, pair["se"], places=4)
        self.assertContains(self.client.get(reverse("compare:compare", args=[made.slug])), "By nitrogen")

    def test_environments_of_one_sheet_are_read_place_by_place(self) -> None:
        expected = json.loads((DATA / "environments_8x3x3.expected.json").read_text())
        page, made = self.brought("environments_8x3x3", check="V03")
        self.assertContains(page, "stands in several places")
        there = in_places(self.compared(made))
        assert there
        self.assertEqual(there.places, ("glass", "open", "tunnel"))
        one_error = {(d.entry, d.where[0]): d for d in there.worked.pooled.within("V03")}  # as the reference has it
        for d in expected["simple_effects_vs_check"]:
            code = d["contrast"].split(" - ")[0]
            self.assertAlmostEqual(there.within[code, d["environment"]].difference.estimate, d["estimate"], places=6)
            self.assertAlmostEqual(one_error[code, d["environment"]].difference.se_kr, d["se_kr"], places=5)
        self.assertContains(self.client.get(reverse("compare:places", args=[made.slug])), "read them by place")

    def test_sites_and_seasons_of_one_sheet_are_places_of_one_trial(self) -> None:
        _, made = self.brought("met_plots_12x6x3")
        there = in_places(self.compared(made))
        assert there
        self.assertEqual(len(there.places), 6)
        self.assertEqual(len({p.block for p in made.plots.all()}), 18)

    def test_what_does_not_fit_is_refused_beside_its_field(self) -> None:
        self.upload((DATA / "rcbd_16x4.csv").read_bytes(), "x.csv")
        page = self.make(name="X", design="latin")
        self.assertContains(page, "not one of the available choices", status_code=422)
        page = self.make(name="X", further="V02, Nobody")
        self.assertContains(page, "“Nobody” is no entry of the sheet", status_code=422)
        self.assertContains(page, 'value="V02, Nobody"', status_code=422)
        self.assertFalse(Trial.objects.filter(name="X").exists())
