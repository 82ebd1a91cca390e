"""Verdicts: suggested with reasons, given with reasons, signed and frozen."""

from typing import Any

from django.urls import reverse

from evarlo.compare.tests.test_comparing import MEANS
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial
from evarlo.trials.services import exclude_plot
from evarlo.ui.refused import Refused
from evarlo.verdicts.models import Opinion, SignedBoard
from evarlo.verdicts.queries import Board, board_of
from evarlo.verdicts.services import give_verdict, sign_board


class Deciding(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.trial = world.trial(self.by)
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
        self.assertEqual(verdicts, {"Quillet": "recommend", "OF-17": "retest", "Corvane": "", "Brakewater": "drop"})
        reasons = {line.name: line.reasons for line in self.board().lines}
        self.assertRegex(reasons["Quillet"][0], r"^Better than the check in plot yield: chance (over 99|9\d) %\.$")

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
