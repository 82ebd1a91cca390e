"""What a board holds besides its suggestions: for whom, one of two, taken back, signed twice, the years; and what it leaves
behind."""

import csv
import io
import json
import zipfile
from datetime import date

from django.urls import reverse

from evarlo.catalogue.models import Cultivar
from evarlo.catalogue.services import CULTIVAR_FIELDS, add_claim, keep_cultivar
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial
from evarlo.trials.protocol import keep_protocol
from evarlo.ui.refused import Refused
from evarlo.verdicts.board import Board, BoardLine, board_of
from evarlo.verdicts.lessons import keep_lesson, lessons_for, remembered
from evarlo.verdicts.models import Opinion, Preference, SignedBoard
from evarlo.verdicts.services import give_verdict, prefer, sign_board, sign_second, undo_last
from trialcore.inference.verdict import Ground

ENTRIES = ("Corvane", "Quillet", "OF-17", "Brakewater", "Weir Street", "Umbra Sill")
MEANS = {"Corvane": 5.0, "Quillet": 6.2, "OF-17": 5.8, "Brakewater": 4.4, "Weir Street": 4.9, "Umbra Sill": 4.2}


class Seasons(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.client.force_login(self.by)

    def season(self, year: str, means: dict[str, float] | None = None, name: str = "Fennel") -> Trial:
        made = world.trial(self.by, entries=tuple(means or MEANS), season=year, name=name)
        world.sow(made, self.by)
        world.keep_yields(made, self.by, means or MEANS)
        return made

    def board(self, trial: Trial) -> Board:
        return board_of(Trial.objects.get(pk=trial.pk), self.by)

    def line(self, trial: Trial, name: str) -> BoardLine:
        return next(x for x in self.board(trial).lines if x.name == name)


class Boards(Seasons):
    def test_a_verdict_for_some_stands_beside_the_one_for_everyone(self) -> None:
        made = self.season("2026")
        entry = made.entries.get(cultivar__name="OF-17")
        give_verdict(entry, "recommend", "Keeps its shape in the tunnel", "retest", self.by, " the  tunnel ")
        line = self.line(made, "OF-17")
        self.assertIsNone(line.opinion)
        self.assertEqual([(o.whom, o.verdict) for o in line.for_some], [("the tunnel", "recommend")])
        give_verdict(entry, "drop", "Not worth it outside", "retest", self.by)
        self.assertEqual(self.line(made, "OF-17").verdict, "drop")
        page = self.client.get(reverse("verdicts:decide", args=[made.slug]))
        self.assertContains(page, "Recommend for the tunnel")
        signed = sign_board(made, self.by)
        kept = next(x for x in signed.lines if x["name"] == "OF-17")
        self.assertEqual((kept["verdict"], kept["whom"][0]["whom"]), ("drop", "the tunnel"))
        self.assertContains(self.client.get(reverse("verdicts:report", args=[made.slug])), "Recommend for the tunnel")
        with self.assertRaisesMessage(Refused, "at most 60"):
            give_verdict(self.season("2027").entries.get(cultivar__name="OF-17"), "drop", "x", "drop", self.by, "w" * 61)

    def test_one_of_two_is_chosen_with_a_reason_and_signed_with_the_board(self) -> None:
        made = self.season("2026")
        one, other, check = (made.entries.get(cultivar__name=n) for n in ("OF-17", "Weir Street", "Corvane"))
        for wrong in ((one, one, "same"), (one, check, "the check"), (one, other, " ")):
            with self.assertRaises(Refused):
                prefer(*wrong, self.by)
        url = reverse("verdicts:prefer", args=[made.slug, one.pk])
        refused = self.client.post(url, {"over": other.code, "reason": ""}, headers={"HX-Request": "true"})
        self.assertContains(refused, "what made the choice", status_code=422)
        answer = self.client.post(url, {"over": other.code, "reason": "Transplants better"}, headers={"HX-Request": "true"})
        self.assertContains(answer, f"Chosen over {other.code}")
        self.assertEqual(sign_board(made, self.by).preferences[0]["reason"], "Transplants better")

    def test_the_last_word_is_taken_back_until_the_board_is_signed(self) -> None:
        made = self.season("2026")
        entry, other = (made.entries.get(cultivar__name=n) for n in ("OF-17", "Weir Street"))
        give_verdict(entry, "drop", "Splits", "retest", self.by)
        prefer(entry, other, "Looks better", self.by)
        self.assertIn("over", undo_last(made))
        self.client.post(reverse("verdicts:undo", args=[made.slug]))
        self.assertEqual((Opinion.objects.in_force().count(), Preference.objects.in_force().count()), (0, 0))
        self.assertEqual(Opinion.objects.count(), 1)  # it stays on record
        with self.assertRaisesMessage(Refused, "no verdict of yours"):
            undo_last(made)
        give_verdict(entry, "drop", "Splits", "retest", self.by)
        sign_board(made, self.by)
        with self.assertRaisesMessage(Refused, "signed"):
            undo_last(Trial.objects.get(pk=made.pk))
        with self.assertRaisesMessage(Refused, "signed"):
            give_verdict(made.entries.get(cultivar__name="OF-17"), "retest", "", "retest", self.by)

    def test_every_line_opens_and_shuts_and_a_helper_decides_nothing(self) -> None:
        made = self.season("2026")
        entry = made.entries.get(cultivar__name="OF-17")
        url = reverse("verdicts:line", args=[made.slug, entry.pk])
        opened = self.client.get(url, {"verdict": "drop"})
        self.assertContains(opened, 'value="drop" checked')
        self.assertContains(opened, "Expected to keep")
        self.assertNotContains(self.client.get(url, {"shut": "1"}), "Expected to keep")
        self.client.force_login(world.person("evaluator"))
        self.assertNotContains(self.client.get(url), "Save verdict")
        self.assertEqual(self.client.post(reverse("verdicts:undo", args=[made.slug])).status_code, 403)

    def test_earlier_seasons_are_said_on_the_line_and_a_signed_board_stays_on_its_own(self) -> None:
        first = self.season("2024")
        sign_board(first, self.by)
        second = self.season("2025")
        line = self.line(second, "Umbra Sill")
        self.assertEqual([y.verdict for y in line.years], ["drop"])
        self.assertEqual(line.remembered, "Dropped after 2024.")
        self.assertIn("Fennel 2024", self.board(second).rested_on)
        signed = sign_board(second, self.by)
        self.assertEqual(signed.rule["rested_on"], ["Fennel 2024"])
        third = self.season("2026")
        self.assertIn("the second time", self.line(third, "Umbra Sill").remembered)
        chances = [x.figures[0].chance for x in self.board(second).lines]
        late = self.season("2025", name="Fennel elsewhere")
        sign_board(late, self.by)
        self.assertEqual([x.figures[0].chance for x in self.board(second).lines], chances)

    def test_who_scores_blind_does_not_learn_a_name_by_its_past(self) -> None:
        sign_board(self.season("2025"), self.by)
        made = self.season("2026")
        evaluator = world.person("evaluator")
        for line in board_of(Trial.objects.get(pk=made.pk), evaluator).lines:
            self.assertEqual((line.years, line.remembered), ((), ""))
        self.client.force_login(evaluator)
        page = self.client.get(reverse("verdicts:decide", args=[made.slug]))
        self.assertNotContains(page, "after 2025")
        self.assertNotContains(page, "Over the years")

    def test_another_season_is_foretold_and_what_is_typed_wrong_is_said(self) -> None:
        made = self.season("2026")
        url = reverse("verdicts:ahead", args=[made.slug])
        page = self.client.get(url, {"blocks": "6", "sites": "2", "plots": "24", "hand-BF01": "9"})
        self.assertContains(page, "By hand")
        rows = {line.name: o for line, o, _ in page.context["rows"]}
        priced = self.client.get(url, {"blocks": "6", "sites": "2", "worth": "100", "cost": "1,5"})
        self.assertContains(priced, "Less its plots’ cost")
        _, outlook, net = priced.context["rows"][0]
        self.assertAlmostEqual(net, 100 * outlook.gain - 12 * 1.5)
        few = {line.name: o for line, o, _ in self.client.get(url, {"blocks": "2"}).context["rows"]}
        self.assertGreater(rows["OF-17"].gain, few["OF-17"].gain)
        for line_ in self.board(made).lines:
            if line_.outlook:
                self.assertLessEqual(line_.outlook.settled, 1.0)
        for typed in ("0", "21", "²", "many", "9" * 40):
            self.assertContains(self.client.get(url, {"blocks": typed}), "Expected a whole number from 1 to 20")
        left = [d.left for d in page.context["ways"]]
        self.assertEqual(left, sorted(left))
        self.assertEqual(max(page.context["ways"], key=lambda d: d.left).said, "no plot at all")


class Left(Seasons):
    def test_the_next_season_is_planned_from_the_verdicts(self) -> None:
        made = self.season("2025")
        keep_protocol(made, {"sow": "Two seeds a station"}, date(2025, 4, 1), "", self.by)
        sign_board(made, self.by)
        url = reverse("verdicts:next", args=[made.slug])
        page = self.client.get(url)
        self.assertContains(page, 'value="2026"')
        kept = [n.name for n in page.context["needs"] if n.chosen and n.verdict != "check"]
        retests = [x for x in self.board(made).lines if x.verdict == "retest" and x.suggestion]
        first = [x.name for x in retests if x.suggestion and x.suggestion.reasons[0].ground != Ground.ROOM_FIRST]
        self.assertEqual(kept, first)  # where a new entry would promise more, an entry is kept only where somebody ticks it
        self.assertLess(len(first), len(retests))
        self.assertContains(page, "where there is room", len(retests) - len(first))
        typed = {
            "name": "Fennel",
            "season": "2026",
            "blocks": "3",
            "check_plots": "2",
            "sow_on": "2026-04-10",
            "kept": ["OF-17"],
            "protocol": "1",
        }
        again = self.client.post(url, typed | {"new": "Umbra Sill\nHarl Quoin"})
        self.assertContains(again, "Umbra Sill was dropped after 2025", status_code=422)
        self.assertContains(again, "Harl Quoin", status_code=422)  # what was typed is kept
        self.client.post(url, typed | {"new": "Umbra Sill\nHarl Quoin", "sure": "1"})
        after = Trial.objects.get(season="2026")
        self.assertEqual(
            set(after.entries.values_list("cultivar__name", flat=True)), {"Corvane", "OF-17", "Umbra Sill", "Harl Quoin"}
        )
        self.assertEqual(after.entries.get(is_check=True).cultivar.name, "Corvane")
        self.assertEqual(after.plots.filter(entry__is_check=True).count(), 6)
        self.assertEqual({after.plots.filter(block=b, entry__is_check=True).count() for b in "123"}, {2})
        last = after.protocols.last()
        assert last
        self.assertEqual(last.steps["sow"], "Two seeds a station")
        self.assertEqual(after.criteria.get().matters, made.criteria.get().matters)
        self.assertIn("Umbra Sill was dropped after 2025", " ".join(remembered(after)))
        self.assertContains(self.client.get(after.get_absolute_url()), "Umbra Sill was dropped after 2025")
        names = "Corvane\nUmbra Sill\nOF-17"
        typed_new = {"crop": "Bulb fennel", "entries": names, "blocks": "3", "design": "blocks"}
        self.assertContains(self.client.post(reverse("trials:forecast"), typed_new), "Umbra Sill was dropped after 2025")
        taken = self.client.post(url, typed | {"new": ""})
        self.assertContains(taken, "already", status_code=422)
        proposed = self.client.get(url).context["form"]
        self.assertEqual(proposed["season"].value(), "2027")
        self.assertEqual(proposed["sow_on"].value(), made.sow_on and made.sow_on.replace(year=made.sow_on.year + 2))

    def test_a_lesson_comes_back_where_it_bears(self) -> None:
        made = self.season("2025")
        bed = made.bed
        assert bed
        keep_lesson(made, "Score bolting  before the first pick.", "crop", self.by)
        keep_lesson(made, "The north end floods.", f"bed:{bed.pk}", self.by)
        quillet = Cultivar.objects.get(name="Quillet")
        keep_lesson(made, "Quillet wants wider rows.", f"cultivar:{quillet.pk}", self.by)
        for text, about in (("", "crop"), ("x" * 201, "crop"), ("What?", "bed:999999"), ("What?", "cultivar:²")):
            with self.assertRaises(Refused):
                keep_lesson(made, text, about, self.by)
        after = self.season("2026", {"Corvane": 5.0, "OF-17": 5.2, "Weir Street": 5.1, "Umbra Sill": 4.0})
        self.assertEqual({x.text for x in lessons_for(after)}, {"Score bolting before the first pick.", "The north end floods."})
        keep_lesson(made, "Thin before the fourth leaf.", "task:sow", self.by)
        self.assertContains(
            self.client.get(reverse("trials:calendar-page", args=[after.slug])), "Thin before the fourth leaf. (2025)"
        )
        page = self.client.get(reverse("verdicts:lessons", args=[made.slug]))
        self.assertContains(page, "Quillet wants wider rows.")
        self.client.post(reverse("verdicts:forget-lesson", args=[made.slug, made.lessons.all()[0].pk]))
        self.assertEqual(len(lessons_for(after)), 2)
        self.client.post(reverse("verdicts:new-lesson", args=[made.slug]), {"text": "", "about": "crop"}, follow=True)
        self.assertEqual(made.lessons.in_force().count(), 3)

    def test_a_dossier_holds_every_season_under_every_name(self) -> None:
        sign_board(self.season("2024", MEANS | {"Dusk Sill": 4.3}), self.by)
        sign_board(self.season("2025"), self.by)
        one, other = Cultivar.objects.get(name="Umbra Sill"), Cultivar.objects.get(name="Dusk Sill")
        kept = {name: getattr(other, name) for name in CULTIVAR_FIELDS}
        keep_cultivar(other, kept | {"relation": "same", "related": "Umbra Sill"})
        claim = {"says": "Heavy", "trait": "plot-yield", "value": 6.0, "source": "", "climate": ""}
        add_claim(one, claim)
        page = self.client.get(reverse("dossiers:dossier", args=[one.pk]))
        d = page.context["d"]
        self.assertEqual([s.under for s in d.seasons], ["Dusk Sill", "", ""] if d.seasons[0].under else ["", "Dusk Sill", ""])
        self.assertIn("Dusk Sill", d.names)
        self.assertContains(page, "Claims and what was measured")
        lead = next(s for s in d.seasons if s.entry.trial.season == "2025")
        means = {x["name"]: x["means"][0] for x in SignedBoard.objects.get(trial__season="2025").lines}
        self.assertAlmostEqual(lead.lead, means["Umbra Sill"] - means["Corvane"])
        with self.assertRaises(Refused):  # it is what another is called
            keep_cultivar(one, {n: getattr(one, n) for n in CULTIVAR_FIELDS} | {"relation": "same", "related": "Quillet"})

    def test_a_line_up_covers_classes_and_says_what_a_bad_year_leaves(self) -> None:
        for year in ("2023", "2024", "2025"):
            sign_board(self.season(year, MEANS | {"OF-17": 6.0, "Weir Street": 6.1}), self.by)
        Cultivar.objects.filter(name="OF-17").update(maturity="early")
        Cultivar.objects.filter(name="Weir Street").update(maturity="late")
        made = self.season("2026", MEANS | {"OF-17": 6.0, "Weir Street": 6.1})
        url = reverse("verdicts:line-up", args=[made.slug])
        choices = self.client.get(url).context["choices"]
        assert choices
        self.assertEqual(len(choices.sets[0].names), 1)
        pair = next(c for c in choices.sets if len(c.names) == 2)
        self.assertEqual(set(pair.names), {"OF-17", "Weir Street"})
        self.assertEqual(pair.missing, ())
        for c in choices.sets:
            self.assertLess(c.found.in_bad_years, c.found.expected)
        codes = [code for code, name, _ in choices.candidates if name == "Quillet"]
        own = self.client.get(url, {"grow": codes}).context["choices"]
        self.assertEqual([c.names for c in own.sets if c.own], [("Quillet",)])
        self.assertContains(self.client.get(url, {"range": "one"}), "One best")

    def test_the_open_data_say_of_every_column_what_it_is(self) -> None:
        made = self.season("2026")
        sign_board(made, self.by)
        raw = self.client.get(reverse("verdicts:report-data", args=[made.slug])).content
        archive = zipfile.ZipFile(io.BytesIO(raw))
        schema = json.loads(archive.read("datapackage.json"))
        for table in schema["resources"]:
            rows = list(csv.reader(io.StringIO(archive.read(table["path"]).decode())))
            self.assertEqual(rows[0], [f["name"] for f in table["schema"]["fields"]])
            self.assertGreater(len(rows), 5)
        self.assertIn("kg", " ".join(f["name"] for f in schema["resources"][0]["schema"]["fields"]))
        self.assertEqual(raw, self.client.get(reverse("verdicts:report-data", args=[made.slug])).content)
        self.assertEqual(self.client.get(reverse("verdicts:report-workbook", args=[made.slug])).status_code, 200)
        head = self.client.get(reverse("trials:running-head", args=[made.slug]))
        self.assertIn('content: "Fennel, 2026"', head.content.decode())
        short = self.client.get(reverse("verdicts:report", args=[made.slug]), {"for": "grower"})
        self.assertContains(short, "What it does not say")
        self.assertNotContains(short, "95 % interval")


class Twice(Seasons):
    def test_a_second_person_signs_the_very_board_that_the_first_signed(self) -> None:
        from evarlo.programmes.models import Programme
        from evarlo.programmes.services import make_programme

        made = self.season("2026")
        programme = make_programme("Fennel", made.crop, [made], self.by)
        Programme.objects.filter(pk=programme.pk).update(second_signature=True)
        made = Trial.objects.get(pk=made.pk)
        with self.assertRaisesMessage(Refused, "No board waits"):
            sign_second(made, self.by)
        sign_board(made, self.by)
        made.refresh_from_db()
        self.assertIsNone(made.decided_at)
        with self.assertRaisesMessage(Refused, "yours"):
            sign_second(made, self.by)
        other = world.person(name="second")
        self.client.force_login(other)
        page = self.client.get(reverse("verdicts:decide", args=[made.slug]))
        self.assertContains(page, "This programme asks for a second signature.")
        url = reverse("verdicts:second", args=[made.slug])
        self.assertContains(self.client.post(url, {"password": "a guess"}, follow=True), "nothing was signed")
        self.client.post(url, {"password": world.PASSWORD})
        made.refresh_from_db()
        self.assertIsNotNone(made.decided_at)
        signed = SignedBoard.objects.get()
        self.assertEqual((signed.by, signed.second_by), (self.by, other))

    def test_what_has_changed_since_is_not_signed_by_the_second(self) -> None:
        from evarlo.programmes.models import Programme
        from evarlo.programmes.services import make_programme

        made = self.season("2026")
        programme = make_programme("Fennel", made.crop, [made], self.by)
        Programme.objects.filter(pk=programme.pk).update(second_signature=True)
        sign_board(Trial.objects.get(pk=made.pk), self.by)
        give_verdict(made.entries.get(cultivar__name="OF-17"), "drop", "Splits", "retest", self.by)
        with self.assertRaisesMessage(Refused, "changed since the first signature"):
            sign_second(Trial.objects.get(pk=made.pk), world.person(name="second"))
