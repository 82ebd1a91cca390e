"""The practice season: months pass, the real screens hold its records, the truth waits for the signature and counts nowhere
else."""

from datetime import date

from django.urls import reverse
from django.utils import timezone

from evarlo.compare.queries import compare
from evarlo.rehearsal.models import PlayedSeason
from evarlo.rehearsal.services import MEAN, begin_season, let_a_month_pass, let_it_end, look_at_the_truth, put_away
from evarlo.rehearsal.truth import often, truth_of
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial
from evarlo.ui.refused import Refused
from evarlo.verdicts.services import sign_board

TODAY = date(2026, 11, 20)


class Playing(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.client.force_login(self.by)

    def season(self, **changes: int) -> PlayedSeason:
        given = {"entries": 7, "blocks": 3, "seed": 5} | changes
        return begin_season(given["entries"], given["blocks"], good_check=True, by=self.by, seed=given["seed"], today=TODAY)

    def test_months_bring_what_people_would_keep_and_the_yields_follow_the_truth(self) -> None:
        played = self.season(blocks=8)
        played = let_a_month_pass(played, TODAY)
        self.assertEqual(played.trial.rounds.count(), 0)
        played = let_it_end(played, TODAY)
        self.assertEqual(played.trial.rounds.count(), 3)
        self.assertEqual(let_a_month_pass(played, TODAY).months, 4)
        found = compare(played.trial, world.trait("plot-yield"), self.by)
        off = [(r.mean.lsmean or 0.0) - played.truth[r.entry.code] for r in found.results]
        self.assertLess(max(abs(x) for x in off), 1.6)  # a spread of seasons, the ground's rise and luck
        self.assertLess(abs(sum(off) / len(off)), 0.6)
        good = played.truth[found.check.code if found.check else ""] - MEAN
        self.assertAlmostEqual(good, played.spread, places=3)

    def test_the_same_seed_is_the_same_season(self) -> None:
        one, other = self.season(), self.season()
        by_name = [{e.cultivar.name: s.truth[e.code] for e in s.trial.entries.select_related("cultivar")} for s in (one, other)]
        self.assertEqual(by_name[0], by_name[1])

    def test_the_truth_waits_for_the_signature_and_says_who_was_wrong(self) -> None:
        played = let_it_end(self.season(), TODAY)
        with self.assertRaisesMessage(Refused, "Decide first"):
            look_at_the_truth(played)
        url = reverse("rehearsal:truth", args=[played.pk])
        self.assertContains(self.client.get(url, follow=True), "Decide first")
        sign_board(played.trial, self.by)
        played = PlayedSeason.objects.get(pk=played.pk)
        page = self.client.get(url)
        self.assertContains(page, "The highest mean would have named")
        found = truth_of(played)
        assert found
        check = played.truth[played.trial.entries.get(is_check=True).code]
        for line in found.lines:
            self.assertAlmostEqual(line.true, played.truth[line.code] - check)
            self.assertEqual(line.rule_wrong, line.you_wrong)  # signed as suggested
        self.assertEqual([x.true for x in found.lines], sorted((x.true for x in found.lines), reverse=True))
        self.assertTrue(all(f is None for _, row in often(played) for f in row))
        self.client.get(url, {"more": "1"}, headers={"HX-Request": "true"})
        self.assertEqual(sum(f is not None for _, row in often(played) for f in row), 1)

    def test_it_stands_in_no_list_and_is_nobody_elses(self) -> None:
        played = self.season()
        self.assertNotContains(self.client.get(reverse("trials:list")), played.trial.name)
        self.assertNotContains(self.client.get("/"), played.trial.name)
        self.assertNotContains(self.client.get(reverse("programmes:list")), "Practice crop")
        self.client.force_login(world.person(name="another"))
        self.assertEqual(self.client.get(played.get_absolute_url()).status_code, 404)

    def test_it_is_played_on_its_pages_and_put_away(self) -> None:
        wrong = self.client.post(reverse("rehearsal:seasons"), {"entries": "2", "blocks": "²", "check": "good"})
        self.assertContains(wrong, "Expected a whole number from 4 to 24", status_code=422)
        self.client.post(reverse("rehearsal:seasons"), {"entries": "5", "blocks": "2", "check": "like"})
        played = PlayedSeason.objects.get()
        self.client.post(reverse("rehearsal:on", args=[played.pk]))
        self.client.post(reverse("rehearsal:on", args=[played.pk]), {"all": "1"})
        self.assertContains(self.client.get(played.get_absolute_url()), "Everything is weighed.")
        self.client.post(reverse("verdicts:sign", args=[played.trial.slug]))
        self.assertContains(self.client.get(reverse("rehearsal:truth", args=[played.pk])), "True lead")
        self.client.post(reverse("rehearsal:away", args=[played.pk]), follow=True)
        self.assertNotContains(self.client.get(reverse("rehearsal:seasons")), played.trial.name)
        self.assertTrue(Trial.objects.filter(practice=True).exists())  # nothing is deleted

    def test_another_season_can_follow_one_that_is_put_away(self) -> None:
        put_away(let_it_end(self.season(), timezone.localdate()))
        self.assertEqual(self.season().trial.name, "Practice season 2")
