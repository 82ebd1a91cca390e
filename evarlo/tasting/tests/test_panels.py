"""A tasting on its pages: balanced tables, ballots under codes, corrections on record, results reckoned by hand."""

from collections import Counter
from typing import Any

from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse
from django.utils import timezone

from evarlo.people.models import Role
from evarlo.tasting.models import Dish, Panel, Taste
from evarlo.tasting.results import ballots_of, found_in
from evarlo.tasting.services import PanelPlan, keep_ballot, set_table
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial
from evarlo.ui import unchanged
from evarlo.ui.refused import Refused


class Tasting(TestCase):
    def setUp(self) -> None:
        self.by, self.today = world.person(), timezone.localdate()
        self.made = world.trial(self.by)
        self.client.force_login(self.by)
        self.entries = list(self.made.entries.order_by("code"))
        self.url, self.new = (reverse(f"tasting:{name}", args=[self.made.slug]) for name in ("panels", "new"))

    def set(self, judges: int = 4, **changes: Any) -> Panel:
        plan = PanelPlan(self.today, "Sweetness", "none", "very sweet", judges, **changes)
        return set_table(self.made, plan, self.entries, self.by, seed=11)

    def score(self, panel: Panel, judge: int, by_name: dict[str, list[int]]) -> None:
        left = {name: list(scores) for name, scores in by_name.items()}
        dishes = panel.dishes.filter(judge=judge).select_related("entry__cultivar")
        keep_ballot(panel, {d.code: left[d.entry.cultivar.name].pop(0) for d in dishes}, self.by)

    def post(self, panel: Panel, judge: int, **scores: Any) -> Any:
        return self.client.post(reverse("tasting:ballot", args=[self.made.slug, panel.pk, judge]), scores)

    def test_the_check_is_served_twice_and_every_code_once(self) -> None:
        panel = self.set(10)
        self.assertEqual(Counter(d.entry.cultivar.name for d in panel.dishes.filter(judge=1))["Corvane"], 2)
        self.assertEqual(len(set(panel.dishes.values_list("code", flat=True))), 50)
        first = Counter(panel.dishes.filter(position=1, entry__is_check=False).values_list("entry", flat=True))
        self.assertEqual(set(first.values()), {2})  # ten judges, five dishes, ten rows of the square: each first twice
        self.assertEqual(Dish.objects.filter(panel=self.set(3, doubled=False)).count(), 12)

    def test_what_full_ballots_tell(self) -> None:
        """Quillet is 3 above the check's mean with every judge and the others level: the difference is 3, and W is high.

        The check's two tastings differ by 2, 0, 2: SD within √(8 / 6) = 1.15, written 1.2."""
        panel = self.set(3)
        self.assertIsNone(found_in(ballots_of(panel)))
        for judge, (check, other) in enumerate((([4, 6], 5), ([3, 3], 4), ([6, 4], 5)), start=1):
            mean = sum(check) // 2
            self.score(panel, judge, {"Corvane": check, "Quillet": [mean + 3], "OF-17": [other], "Brakewater": [mean]})
        found = found_in(ballots_of(panel))
        assert found and found.versus
        codes = {e.code: e.cultivar.name for e in self.entries}
        apart = {codes[d.a]: d.estimate for d in found.versus.differences}
        self.assertAlmostEqual(apart["Quillet"], 3.0)
        self.assertAlmostEqual(apart["OF-17"], 1 / 3)
        page = self.client.get(reverse("tasting:panel", args=[self.made.slug, panel.pk])).content.decode()
        self.assertIn("<strong>Quillet</strong> scored 3.0 higher than Corvane.", page)
        self.assertIn("Two tastings of one sample by one judge differ by 1.2 (SD within).", page)
        self.assertIn("3 judges, 5 samples each; 3 ballots in.", page)

    def test_a_ballot_comes_in_parts_and_a_correction_stays_on_record(self) -> None:
        panel = self.set()
        first, second = panel.dishes.filter(judge=1)[:2]
        self.assertEqual(self.post(panel, 1, **{str(first.code): "4"}).status_code, 302)
        self.post(panel, 1, **{str(first.code): "4", str(second.code): "7"})  # the same again is no news
        self.post(panel, 1, **{str(first.code): "5"})
        self.assertEqual(sorted(Taste.objects.values_list("score", flat=True)), [4, 5, 7])
        self.assertEqual(ballots_of(panel)[0].scores, {first.pk: 5, second.pk: 7})

    def test_wrong_scores_are_refused_beside_what_was_typed(self) -> None:
        panel = self.set()
        code = str(panel.dishes.filter(judge=2)[0].code)
        for typed in ("10", "0", "x", "4.5", "9" * 30):
            with self.subTest(typed=typed):
                answer = self.post(panel, 2, **{code: typed})
                self.assertContains(answer, "Expected a whole number from 1 to 9", status_code=422)
                self.assertContains(answer, f'value="{typed}"', status_code=422)
        self.assertEqual(self.post(panel, 99).status_code, 302)
        with self.assertRaises(Refused):
            keep_ballot(panel, {100: 5}, self.by)
        self.assertEqual(Taste.objects.count(), 0)

    def test_the_table_is_set_on_the_page(self) -> None:
        wanted = {"subject": "Bitterness", "low": "none", "high": "strong", "on": self.today.isoformat(), "judges": "6"}
        chosen = [str(e.pk) for e in self.entries[:3]]
        for typed in (
            {},
            {**wanted, "judges": "1", "entries": chosen},
            {**wanted, "entries": chosen[:1]},
            {"entries": ["x", "9999"]},
        ):
            self.assertEqual(self.client.post(self.new, typed).status_code, 422)
        self.assertContains(self.client.post(self.new, {}), "Nothing was typed. Expected a few words.", status_code=422)
        self.client.post(self.new, {**wanted, "entries": chosen, "doubled": "on"})
        panel = Panel.objects.get()
        self.assertEqual((panel.subject, panel.judges, panel.dishes.values("entry").distinct().count()), ("Bitterness", 6, 3))
        self.assertContains(self.client.get(self.url), "Bitterness")
        self.client.post(reverse("tasting:undo", args=[self.made.slug, panel.pk]))
        self.assertNotContains(self.client.get(self.url), "Bitterness")

    def test_too_many_samples_and_decided_trials_are_refused(self) -> None:
        large = world.trial(self.by, name="Large", entries=[f"N{i}" for i in range(12)], check="N0")
        with self.assertRaises(Refused):
            set_table(large, PanelPlan(self.today, "Taste", "a", "b", 4), list(large.entries.all()), self.by)
        panel = self.set()
        Trial.objects.filter(pk=self.made.pk).update(decided_at=timezone.now())
        panel.refresh_from_db()
        code = panel.dishes.all()[0].code
        with self.assertRaises(Refused):
            keep_ballot(Panel.objects.get(), {code: 5}, self.by)
        self.assertContains(self.post(panel, 1, **{str(code): "5"}), "The verdicts of this season are signed", status_code=422)

    def test_nobody_but_the_leader_sees_which_code_is_what(self) -> None:
        panel = self.set()
        url = reverse("tasting:panel", args=[self.made.slug, panel.pk])
        self.assertContains(self.client.get(url), "for the kitchen only")
        for role, posted in ((Role.HELPER, 302), (Role.EVALUATOR, 302), (Role.READER, 403)):
            self.client.force_login(world.person(role))
            page = self.client.get(url).content.decode()
            with self.subTest(role=role):
                self.assertNotIn("for the kitchen only", page)
                self.assertIn("Judge 1", page)
                self.assertEqual(self.client.post(self.new, {}).status_code, 403)
                self.assertEqual(self.post(panel, 1, **{str(panel.dishes.all()[0].code): "5"}).status_code, posted)

    def test_a_page_of_many_judges_takes_few_statements(self) -> None:
        counts = []
        for judges in (2, 30):
            url = reverse("tasting:panel", args=[self.made.slug, self.set(judges).pk])
            unchanged.forget()
            with CaptureQueriesContext(connection) as seen:
                self.client.get(url)
            counts.append(len(seen))
        self.assertEqual(counts[0], counts[1])
