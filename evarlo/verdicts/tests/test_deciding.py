"""Verdicts: suggested with reasons, given with reasons, signed and frozen."""

from datetime import date, timedelta
from typing import Any

from django.urls import reverse
from django.utils import timezone

from evarlo.compare.queries import compare, guard_of
from evarlo.nursery.models import BoughtIn, Happening, Sowing, Step
from evarlo.nursery.raising import Act, happen
from evarlo.nursery.services import keep_step
from evarlo.nursery.sowing import Put, new_tray, session_of, sow_cells
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.leaving_out import exclude_plot
from evarlo.trials.models import Entry, Trial
from evarlo.trials.services import choose_guard
from evarlo.ui.refused import Refused
from evarlo.verdicts.board import Board, BoardLine, board_of
from evarlo.verdicts.models import Opinion, SignedBoard
from evarlo.verdicts.services import give_verdict, sign_board
from trialcore.reckoning.balance import Kind

MEANS = {"Corvane": 5.0, "Quillet": 9.0, "OF-17": 5.6, "Brakewater": 3.4, "Weir Street": 5.2, "Umbra Sill": 4.9}
MEANS |= {"Tolvik": 5.1, "Dunnick": 5.0, "Hallow Reach": 5.3}


class Deciding(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.trial = world.trial(self.by, entries=tuple(MEANS))
        self.client.force_login(self.by, backend="django.contrib.auth.backends.ModelBackend")

    def board(self) -> Board:
        return board_of(Trial.objects.get(pk=self.trial.pk), self.by)

    def entry(self, name: str) -> Any:
        return self.trial.entries.get(cultivar__name=name)

    def give(self, name: str, **typed: str) -> Any:
        url = reverse("verdicts:give", args=[self.trial.slug, self.entry(name).pk])
        return self.client.post(url, typed, headers={"HX-Request": "true"})

    def test_suggestions(self) -> None:
        world.keep_yields(self.trial, self.by, MEANS)
        verdicts = {line.name: line.verdict for line in self.board().lines}
        told = {name: verdicts[name] for name in ("Quillet", "OF-17", "Corvane", "Brakewater")}
        self.assertEqual(told, {"Quillet": "recommend", "OF-17": "retest", "Corvane": "", "Brakewater": "drop"})
        reasons = {line.name: line.reasons for line in self.board().lines}
        self.assertRegex(reasons["Quillet"][0], r"^Ahead of the check in plot yield: chance (over 99|9\d) %\.$")

    def test_what_an_entry_must_have_puts_it_out_however_good_it_is_otherwise(self) -> None:
        """Yields are about 5 to 8; nobody bears 12, and Quillet alone surely 6."""
        world.keep_yields(self.trial, self.by, MEANS)
        criterion = self.trial.criteria.get()
        criterion.must = 12.0
        criterion.save()
        lines = {line.name: line for line in self.board().lines}
        self.assertEqual({line.verdict for line in lines.values()}, {"drop", ""})
        self.assertIn("Fails what it must have in plot yield, at least 12 kg: chance over 99 %.", lines["Quillet"].reasons)
        criterion.must = 1.0
        criterion.save()
        self.assertEqual({line.name: line.verdict for line in self.board().lines}["Quillet"], "recommend")
        criterion.direction, criterion.must = "lower", 1.0
        criterion.save()
        self.assertIn("at most 1 kg", " ".join(next(line.reasons for line in self.board().lines if line.name == "Brakewater")))

    def test_deciding_otherwise_needs_a_reason_and_keeps_what_was_typed(self) -> None:
        world.keep_yields(self.trial, self.by, MEANS)
        self.assertContains(self.give("OF-17", verdict="drop", reason=" "), "Say why you decide otherwise", status_code=422)
        self.assertContains(self.give("OF-17", verdict="drop", reason="x" * 310), "x" * 310, status_code=422)
        self.assertContains(self.give("OF-17", verdict="perhaps", reason=""), "Choose recommend, retest or drop", status_code=422)
        self.assertEqual(Opinion.objects.count(), 0)
        self.assertContains(self.give("OF-17", verdict="drop", reason="Splits in store"), "decided otherwise: Splits in store")
        self.assertContains(self.give("OF-17", verdict="retest"), "agrees")
        self.assertEqual(Opinion.objects.count(), 2)
        with self.assertRaises(Refused):
            give_verdict(self.entry("Corvane"), "drop", "no", "", self.by)

    def test_a_signed_board_stays_as_it_was_and_says_what_changed(self) -> None:
        asked = world.keep_yields(self.trial, self.by, MEANS)
        for _ in range(2):  # pressed twice, signed once
            self.client.post(reverse("verdicts:sign", args=[self.trial.slug]), {"password": world.PASSWORD})
        signed = SignedBoard.objects.get()
        lines, figures = signed.lines, signed.figures
        self.assertEqual({x["name"]: x["verdict"] for x in lines}["Quillet"], "recommend")
        self.assertEqual(self.board().changes, ())
        world.keep(asked, self.trial.plots.get(number="101"), self.by, 99.0)
        exclude_plot(self.trial.plots.get(number="202"), "accident", "Hares", world.TODAY, self.by)
        changes = self.board().changes
        self.assertEqual(len(changes), 2)
        self.assertTrue(changes[0].startswith("plot 101: ") and changes[0].endswith("→ 99"))
        self.assertIn("accident: Hares", changes[1])
        page = self.client.get(reverse("verdicts:decide", args=[self.trial.slug]))
        self.assertContains(page, "The data have changed since: 2 values")
        self.assertContains(
            self.client.get(reverse("verdicts:report", args=[self.trial.slug])), "The data have changed since the signature"
        )
        signed.refresh_from_db()
        self.assertEqual((signed.lines, signed.figures), (lines, figures))
        sign_board(self.trial, self.by)
        self.assertEqual(SignedBoard.objects.count(), 2)
        self.assertEqual(self.board().changes, ())

    def test_signing_opens_the_names_and_ends_what_is_due(self) -> None:
        world.keep_yields(self.trial, self.by, MEANS)
        sign_board(self.trial, self.by)
        self.trial.refresh_from_db()
        self.assertIsNotNone(self.trial.opened_at)
        self.assertIsNotNone(self.trial.decided_at)

    def test_nothing_to_stand_on_is_not_signed(self) -> None:
        with self.assertRaisesMessage(Refused, "nothing a signature could stand on"):
            sign_board(self.trial, self.by)
        self.assertContains(
            self.client.post(reverse("verdicts:sign", args=[self.trial.slug]), {"password": world.PASSWORD}, follow=True),
            "nothing a signature could stand on",
        )
        self.assertContains(self.client.post(reverse("verdicts:sign", args=[self.trial.slug]), follow=True), "nothing was signed")
        self.trial.refresh_from_db()
        self.assertIsNone(self.trial.opened_at)

    def test_nobody_adds_to_a_signed_season_before_it_is_reopened_with_a_reason(self) -> None:
        world.keep_yields(self.trial, self.by, MEANS)
        self.client.post(reverse("verdicts:sign", args=[self.trial.slug]), {"password": world.PASSWORD})
        self.trial.refresh_from_db()
        plot = self.trial.plots.all()[0]
        with self.assertRaisesMessage(Refused, "are signed. Reopen it under Decide"):
            world.pick(plot, self.by, 4.0, world.TODAY)
        url = reverse("verdicts:reopen", args=[self.trial.slug])
        self.assertContains(self.client.post(url, {"why": " "}, follow=True), "Say why it is reopened")
        self.assertContains(
            self.client.post(url, {"why": "A crate turned up"}, follow=True), "Reopened: records can be added again"
        )
        self.assertEqual(SignedBoard.objects.count(), 1)
        plot.trial.refresh_from_db()
        world.pick(plot, self.by, 4.0, world.TODAY)
        self.assertIn("A crate turned up", self.trial.deeds.latest("at").said)


class Fairly(TestCase):
    """What an entry differs in besides its name reaches the verdict."""

    def setUp(self) -> None:
        self.by = world.person()
        self.trial = world.trial(self.by, entries=tuple(MEANS))
        self.client.force_login(self.by)
        world.keep_yields(self.trial, self.by, MEANS)

    def sow(self, name: str, on: date) -> None:
        plots = self.trial.plots.filter(entry__cultivar__name=name)
        keep_step(self.trial, Step.SOWN, on, plots, self.by, world.TODAY)

    def lines(self) -> dict[str, BoardLine]:
        return {line.name: line for line in board_of(Trial.objects.get(pk=self.trial.pk), self.by).lines}

    def test_what_was_sown_nine_days_later_is_retested_and_says_so_everywhere(self) -> None:
        for name in MEANS:
            self.sow(name, world.SOWN + timedelta(days=9 if name == "Quillet" else 0))
        line = self.lines()["Quillet"]
        self.assertEqual(line.verdict, "retest")
        self.assertEqual(line.reasons[0], "Sown 9 days later than the check: no figure can tell that from the cultivar.")
        self.assertIn("Ahead of the check in plot yield", line.reasons[1])
        self.assertEqual(self.lines()["Brakewater"].verdict, "drop")
        for page in ("compare:compare", "verdicts:decide", "verdicts:report"):
            self.assertContains(self.client.get(reverse(page, args=[self.trial.slug])), "Sown 9 days later than the check")
        self.client.post(reverse("verdicts:sign", args=[self.trial.slug]), {"password": world.PASSWORD})
        self.assertContains(self.client.get(reverse("verdicts:report", args=[self.trial.slug])), "Sown 9 days later than the check")

    def test_the_check_that_stands_apart_holds_all(self) -> None:
        for name in MEANS:
            self.sow(name, world.SOWN + timedelta(days=0 if name == "Corvane" else 5))
        self.assertEqual({line.verdict for line in self.lines().values()}, {"retest", ""})

    def test_a_day_or_two_between_is_no_difference(self) -> None:
        for n, name in enumerate(MEANS):
            self.sow(name, world.SOWN + timedelta(days=n % 3))
        self.assertEqual({name: line.verdict for name, line in self.lines().items()}["Quillet"], "recommend")
        self.assertEqual([d for line in self.lines().values() for d in line.besides], [])

    def test_one_that_was_bought_throughout_is_held(self) -> None:
        for plot in self.trial.plots.all():
            entry = plot.entry
            if entry.cultivar.name == "Quillet":
                BoughtIn.objects.create(plot=plot, source="SUP-12", plants=18, on=world.SOWN, by=self.by, at=timezone.now())
            else:
                sowing = Sowing.objects.filter(entry=entry).first() or self.raised(entry)
                now = timezone.now()
                Happening.objects.create(sowing=sowing, kind="planted", plants=18, plot=plot, on=world.SOWN, by=self.by, at=now)
        line = self.lines()["Quillet"]
        self.assertEqual(line.verdict, "retest")
        self.assertIn("Source of the plants: bought, SUP-12; the check raised here", [d.said for d in line.besides])

    def raised(self, entry: Entry) -> Sowing:
        session = session_of(world.SOWN - timedelta(days=30), self.by, {})
        tray = new_tray(f"T{entry.pk}", 9, 10, None, None, session.on, self.by)
        sowing = sow_cells(Put(entry, None, 1), tray, list(range(80)), session, world.TODAY)
        happen(sowing, Act(Kind.COUNTED, 80, world.SOWN - timedelta(days=10)), self.by, world.TODAY)
        return sowing

    def test_compare_and_decide_say_the_same_word_by_the_same_bar(self) -> None:
        trial = Trial.objects.get(pk=self.trial.pk)
        for family in (False, True):
            choose_guard(trial, family, self.by)
            trial = Trial.objects.get(pk=self.trial.pk)
            told = compare(trial, world.trait("plot-yield"), self.by, guard_of(trial))
            words = {r.name: r.expected for r in told.results}
            for name, line in self.lines().items():
                self.assertEqual(line.figures[0].word, words[name], (family, name))
                if line.suggestion and words[name] == "not sure":
                    self.assertNotEqual(line.suggestion.verdict, "recommend", (family, name))
                if line.suggestion and words[name] == "behind":
                    self.assertEqual(line.suggestion.verdict, "drop", (family, name))

    def test_all_comparisons_together_are_chosen_on_record(self) -> None:
        url = reverse("verdicts:guard", args=[self.trial.slug])
        page = self.client.post(url, {"guard": "family"}, follow=True)
        self.assertContains(page, "All comparisons with the check are held to 5 % together (Dunnett).")
        self.assertIn("all together", self.trial.deeds.latest("at").said)
        wide = {
            r.name: r.half
            for r in compare(Trial.objects.get(pk=self.trial.pk), world.trait("plot-yield"), self.by, "family").results
        }
        one = {
            r.name: r.half for r in compare(Trial.objects.get(pk=self.trial.pk), world.trait("plot-yield"), self.by, "each").results
        }
        self.assertTrue(all((wide[n] or 0) > (one[n] or 0) for n in wide if one[n]))
