"""Partner growers: the small trial, what comes back, the mark it carries, and its weight in the programme."""

from __future__ import annotations

import uuid
from datetime import timedelta
from typing import Any

from django.urls import reverse
from django.utils import timezone

from evarlo.compare.queries import compare_plots
from evarlo.partners.models import Partner
from evarlo.partners.quality import mark_of, share_kept
from evarlo.partners.services import Typed, end_link, keep_typed, make_partner, partner_of, rounds_of, traits_to_ask, weigh
from evarlo.people.models import AuditLine
from evarlo.people.places import people_known
from evarlo.programmes.analysing import fitted, reckon
from evarlo.programmes.evidence import read_trial
from evarlo.programmes.services import make_programme
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.today.views import all_due
from evarlo.trials.icalendar import feed_of
from evarlo.trials.models import Trial
from evarlo.trials.proposing import propose
from evarlo.trials.queries import plots_of
from evarlo.trials.registry import registry
from evarlo.ui.refused import Refused
from evarlo.walks.models import Observation
from evarlo.walks.queries import current

MEANS = {"Corvane": 4.1, "Quillet": 5.2, "OF-17": 4.4, "Brakewater": 3.0}


class Partners(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.main = world.trial(self.by)
        world.keep_yields(self.main, self.by, MEANS)
        self.trait = world.trait("plot-yield")
        self.partner = self.make()

    def make(self, **changes: Any) -> Partner:
        given: dict[str, Any] = {
            "name": "Garden Under The Hill",
            "where": "Hill garden",
            "entries": list(self.main.entries.all()),
            "blocks": 2,
            "traits": [self.trait],
            "ends_on": timezone.localdate() + timedelta(days=90),
        }
        return make_partner(self.main, by=self.by, **(given | changes))

    def fill(self, means: dict[str, float], most: int = 99) -> None:
        [asked] = rounds_of(self.partner)
        typed = {}
        for i, p in enumerate(self.partner.trial.plots.select_related("entry__cultivar")[:most]):
            typed[asked.pk, p.pk] = Typed(f"{means[p.entry.cultivar.name] + 0.2 * (i % 3 - 1):.2f}", "")
        kept, wrong = keep_typed(self.partner, typed, timezone.now())
        self.assertEqual((kept, wrong), (len(typed), {}))


class Making(Partners):
    def test_a_small_trial_with_the_same_check_under_its_own_codes(self) -> None:
        made = self.partner.trial
        self.assertEqual((made.plots.count(), made.blocks, made.blind, made.is_fixed), (8, 2, True, True))
        check = made.entries.get(is_check=True)
        self.assertEqual(check.cultivar.name, "Corvane")
        self.assertEqual(made.bed.site.name, "Hill garden")  # type: ignore[union-attr]
        self.assertEqual([r.trait for r in rounds_of(self.partner)], [self.trait])
        self.assertFalse(self.partner.person.is_active)
        self.assertNotIn(self.partner.person, people_known())
        self.assertIn(self.trait, traits_to_ask(self.main))

    def test_its_work_is_not_done_here_and_no_plan_goes_on_from_it(self) -> None:
        today, theirs = timezone.localdate(), self.partner.trial
        Trial.objects.filter(pk__in=(theirs.pk, self.main.pk)).update(sow_on=today - timedelta(days=3), season="2026")
        due = {d.trial for told in registry.due for d in told(today)}
        self.assertIn(theirs, due)  # as it would be here
        self.assertNotIn(theirs, {d.trial for d in all_due(today)})
        feed = feed_of("http://station.example").decode()
        self.assertNotIn(f"/trials/{theirs.slug}/", feed)
        self.assertIn(f"/trials/{self.main.slug}/", feed)
        self.client.force_login(self.by)
        programme = make_programme("Fennel", self.main.crop, [self.main, theirs], self.by)
        self.assertEqual(self.client.get(programme.get_absolute_url()).context["plan_next"], self.main)
        proposed = propose({"crop": self.main.crop.name, "count": "4"}, frozenset(), today)
        self.assertIn(self.main.name, " ".join(proposed.why))
        self.assertNotIn("Hill garden", " ".join(proposed.why))

    def test_what_cannot_be_is_said(self) -> None:
        before = Trial.objects.count()
        for change, said in (
            ({"entries": []}, "1 to 11 entries"),
            ({"blocks": 9}, "1 to 4 blocks"),
            ({"traits": []}, "1 to 4 traits"),
            ({"ends_on": timezone.localdate() - timedelta(days=1)}, "from today on"),
        ):
            self.assertRaisesRegex(Refused, said, self.make, **change)
        self.assertEqual(Trial.objects.count(), before)

    def test_a_link_works_until_its_day_or_its_end(self) -> None:
        today = timezone.localdate()
        self.assertEqual(partner_of(self.partner.code.upper(), today), self.partner)
        self.assertRaises(Refused, partner_of, self.partner.code, self.partner.ends_on + timedelta(days=1))
        self.assertRaises(Refused, partner_of, "none", today)
        end_link(self.partner, self.by)
        self.assertRaises(Refused, partner_of, self.partner.code, today)


class ComingBack(Partners):
    def page(self, typed: dict[str, str], **more: Any) -> Any:
        return self.client.post(reverse("partner-keep", args=[self.partner.code]), typed, **more)

    def test_the_page_needs_no_account_and_tells_no_name(self) -> None:
        page = self.client.get(reverse("partner", args=[self.partner.code]))
        for plot in self.partner.trial.plots.all():
            self.assertContains(page, f"Plot {plot.number}")
        for name in MEANS:
            self.assertNotContains(page, name)
        self.assertContains(page, 'name="v_', count=8)
        self.assertEqual(self.client.get(reverse("trials:list")).status_code, 302)

    def test_typed_values_are_kept_by_the_partner_corrected_and_taken_back(self) -> None:
        [asked], plot = rounds_of(self.partner), self.partner.trial.plots.all()[0]
        name, was = f"v_{asked.pk}_{plot.pk}", f"w_{asked.pk}_{plot.pk}"
        self.assertContains(self.page({name: "4,2", was: ""}), "1 value kept")
        self.assertEqual([(o.number, o.by) for o in current(asked)], [(4.2, self.partner.person)])
        self.assertContains(self.page({name: "4.2", was: ""}), "0 values kept")  # sent again
        self.page({name: "4.5", was: "4.2"})
        self.page({name: "4.2", was: "4.5"})  # and back: another correction, not the first again
        self.assertEqual(current(asked).get().number, 4.2)
        self.assertEqual(Observation.objects.filter(round=asked).count(), 3)
        self.page({name: "LOST", was: "4.2"})
        self.assertEqual(current(asked).get().cause, "accident")
        self.page({name: "", was: "lost"})
        self.assertFalse(current(asked).exists())
        self.page({name: "3.9", was: ""})
        self.assertEqual(current(asked).get().number, 3.9)
        self.assertEqual(Observation.objects.filter(round=asked).count(), 6)

    def test_what_was_not_changed_on_the_page_changes_nothing(self) -> None:
        [asked], plot = rounds_of(self.partner), self.partner.trial.plots.all()[0]
        name, was = f"v_{asked.pk}_{plot.pk}", f"w_{asked.pk}_{plot.pk}"
        self.page({name: "4", was: ""})
        self.page({name: "", was: ""})  # a page from before, sent late
        self.assertEqual(current(asked).get().number, 4)

    def test_what_cannot_be_is_said_beside_its_field_and_the_rest_is_kept(self) -> None:
        [asked], plots = rounds_of(self.partner), list(self.partner.trial.plots.all())
        typed = {f"v_{asked.pk}_{p.pk}": text for p, text in zip(plots, ["5", "many", "1_0", "nan", "-4"], strict=False)}
        page = self.page(typed)
        self.assertContains(page, "Found “many”. Expected a number, or “lost”", status_code=422)
        self.assertContains(page, 'value="many"', status_code=422)
        self.assertEqual([o.number for o in current(asked)], [5])
        self.assertEqual(page.context["wrong"], 4)
        foreign = self.main.plots.all()[0]
        told = self.page({f"v_{asked.pk}_{foreign.pk}": "5"}, headers={"Accept": "application/json"})
        self.assertEqual(told.json(), {"kept": 0, "wrong": {f"{asked.pk}_{foreign.pk}": "That plot is not in this round."}})
        self.assertEqual(self.page({"v_x_1": "3", f"v_{asked.pk + 1000}_9": "3", "w": ""}).status_code, 200)

    def test_a_link_that_ended_keeps_nothing_and_says_so(self) -> None:
        end_link(self.partner, self.by)
        self.assertRedirects(
            self.client.get(reverse("partner", args=[self.partner.code])),
            f"{reverse('partner-code')}?code={self.partner.code}",
            target_status_code=422,
        )
        self.assertContains(self.page({"v_1_1": "3"}), "does not work", status_code=422)
        told = self.page({"v_1_1": "3"}, headers={"Accept": "application/json"})
        self.assertIn("does not work", told.json()["said"])
        typed = self.client.post(reverse("partner-code"), {"code": "no such"})
        self.assertContains(typed, "does not work", status_code=422)


class Quality(Partners):
    def test_a_partner_who_sees_the_same_counts_in_full_and_half_of_it_half(self) -> None:
        self.fill(MEANS)
        mark = mark_of(self.partner, self.trait)
        self.assertEqual((share_kept(self.partner), mark.weight), (1.0, 1.0))
        self.assertLess(mark.found.apart or 9, 2)
        self.assertIn("kept by Garden Under The Hill; 100 % of what was asked", mark.said)
        for o in current(rounds_of(self.partner)[0])[:4]:
            keep_typed(self.partner, {(o.round_id, o.plot_id): Typed("", f"{o.number:g}")}, timezone.now())
        self.assertEqual((share_kept(self.partner), mark_of(self.partner, self.trait).found.complete), (0.5, 0.5))

    def test_one_whose_check_stands_otherwise_counts_less_and_a_manager_may_say_otherwise(self) -> None:
        self.fill(MEANS | {"Corvane": 9.5})
        mark = mark_of(self.partner, self.trait)
        self.assertGreater(mark.found.apart or 0, 4)
        self.assertAlmostEqual(mark.weight, 2 / (mark.found.apart or 1))
        self.assertRaisesRegex(Refused, "Say why", weigh, self.partner, 0.9, " ", self.by)
        weigh(self.partner, 0.9, "Their soil suits the check", self.by)
        self.partner.refresh_from_db()
        again = mark_of(self.partner, self.trait)
        self.assertEqual(again.weight, 0.9)
        self.assertIn("as was said: Their soil suits the check", again.said)

    def test_the_lead_and_its_error_are_those_reckoned_by_hand(self) -> None:
        self.fill(MEANS)
        found = mark_of(self.partner, self.trait).found
        values: dict[str, list[float]] = {}
        for o in current(rounds_of(self.partner)[0]).select_related("plot__entry__cultivar"):
            values.setdefault(o.plot.entry.cultivar.name, []).append(o.number or 0.0)
        means = {n: sum(v) / len(v) for n, v in values.items()}
        others = [m for n, m in means.items() if n != "Corvane"]
        self.assertAlmostEqual(found.here or 0, means["Corvane"] - sum(others) / 3)
        errors = []
        for trial in (self.partner.trial, self.main):
            plots = plots_of(trial)
            mse = compare_plots(trial, self.trait, plots, {p.entry_id: p.entry.code for p in plots}).analysis.mse
            errors.append((mse or 0.0) / (len(plots) / 4) * (1 + 1 / 3))
        self.assertAlmostEqual(found.apart or 0, abs((found.here or 0) - (found.there or 0)) / sum(errors) ** 0.5)

    def test_the_programme_takes_its_error_divided_by_the_weight(self) -> None:
        self.fill(MEANS)
        programme = make_programme("Fennel", self.main.crop, [self.main, self.partner.trial], self.by)
        plain = read_trial(self.partner.trial, self.trait)
        weigh(self.partner, 0.25, "Weeds", self.by)
        less = read_trial(self.partner.trial, self.trait)
        assert plain and less
        self.assertAlmostEqual(less["covariance"][0][0], 4 * plain["covariance"][0][0])
        self.assertEqual(less["means"], plain["means"])
        self.assertIn("counts 25 %", less["marks"][0])
        main = read_trial(self.main, self.trait)
        assert main

        def lead(partner: dict[str, Any]) -> float:
            read = [{"left_out": "", "pk": 0, "read": r, "warmth": None} for r in (main, partner)]
            rows = fitted(programme, self.trait, read)["rows"]
            return next(r["lead"]["se"] for r in rows if r["name"] == "Quillet")  # type: ignore[no-any-return]

        self.assertGreater(lead(less), lead(plain))  # less is known where less counts
        self.assertTrue(reckon(programme, self.trait).found["rows"])


class Pages(Partners):
    def test_a_manager_makes_one_prints_its_sheet_and_ends_it(self) -> None:
        self.client.force_login(self.by)
        url = reverse("partners:list", args=[self.main.slug])
        self.assertContains(self.client.get(url), "Garden Under The Hill")
        chosen = [str(e.pk) for e in self.main.entries.filter(is_check=False)][:2]
        typed = {
            "name": "School",
            "where": "School yard",
            "blocks": "1",
            "ends_on": (timezone.localdate() + timedelta(days=30)).isoformat(),
            "entries": chosen,
            "traits": ["plot-yield"],
            "act-key": str(uuid.uuid4()),
        }
        self.assertContains(self.client.post(url, typed | {"entries": [], "act-key": ""}), "Nothing was chosen", status_code=422)
        page = self.client.post(url, typed, follow=True)
        made = Partner.objects.get(name="School")
        self.assertContains(page, made.code)
        self.assertContains(page, "<svg")
        self.assertEqual(made.trial.plots.count(), 3)
        sheet = self.client.get(reverse("partners:paper", args=[self.main.slug, made.pk]))
        for p in made.trial.plots.select_related("entry"):
            self.assertContains(sheet, f'<th scope="row">{p.number}</th><td>{p.entry.code}</td>')
        self.assertNotContains(sheet, "Quillet")
        this = reverse("partners:partner", args=[self.main.slug, made.pk])
        self.assertContains(self.client.post(this, {"weight": "50", "why": ""}), "Say why", status_code=422)
        self.assertContains(self.client.post(this, {"weight": "50 %", "why": "Shade"}, follow=True), "It counts 50 %: Shade")
        self.client.post(reverse("partners:end", args=[self.main.slug, made.pk]))
        self.assertContains(self.client.get(this), "does not work any more")
        told = list(AuditLine.objects.filter(what__contains="partner").order_by("pk"))
        self.assertEqual(
            [line.what for line in told],
            ["let a partner in by a link", "said how far a partner's trial counts", "ended a partner's link"],
        )
        self.assertEqual((told[1].changed["weight"], told[1].changed["weight_why"]), (["None", "0.5"], ["", "Shade"]))
        self.assertNotIn(made.code, str([line.changed for line in told]))
