"""Planting: what is fit and needed, ways out of a shortage, which plants go where, the stand, and the audit of it all."""

from collections import Counter
from datetime import timedelta
from typing import Any

from django.urls import reverse
from django.utils import timezone

from evarlo.catalogue.models import Crop
from evarlo.nursery.audit import audit_of
from evarlo.nursery.book import EntryBook, book_of, planted_in
from evarlo.nursery.models import BoughtIn, Happening, RaisingRule, StationMark, Step
from evarlo.nursery.planting import Fit, choices_for, choose_way, fill_gap, fits, plant
from evarlo.nursery.queries import gaps, step_rows
from evarlo.nursery.raising import keep_rule, prick_out, rule_of, tend, undo_happening
from evarlo.nursery.sowing import Put, session_of, sow_cells
from evarlo.nursery.stand import below, leave_thin_out, mark_station, stands
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.testing.raising import Nursery
from evarlo.trials.models import Exclusion, Trial
from evarlo.trials.queries import diary_of
from evarlo.ui.refused import Refused
from trialcore.reckoning.shortage import Way


class Planted(TestCase):
    """Four fennels need 54 plants each; three have 60, the last has 30."""

    def setUp(self) -> None:
        self.by = world.person()
        self.today = timezone.localdate()
        self.n = Nursery(self.by, self.today, days=34)
        self.sowings = self.n.sow_all()
        self.short = self.n.codes[3]
        for code, sowing in self.sowings.items():
            self.n.count(sowing, 14, 30 if code == self.short else 60)
        self.client.force_login(self.by)

    @property
    def trial(self) -> Trial:
        return Trial.objects.get(pk=self.n.trial.pk)

    def fits(self) -> dict[str, Fit]:
        return {f.entry.code: f for f in fits(self.trial, book_of(self.trial), {}, rule_of(self.trial))}

    def choose(self, way: Way, **more: Any) -> str:
        return choose_way(self.trial, self.n.entries[self.short], way, self.by, self.today, **more)

    def plant(self, *numbers: str) -> int:
        plots = self.trial.plots.filter(number__in=numbers) if numbers else self.trial.plots.all()
        return len(plant(self.trial, list(plots.select_related("entry")), self.today, self.by, self.today))


class Shortage(Planted):
    def test_what_is_fit_is_set_against_what_is_needed(self) -> None:
        keep_rule(self.trial, self.today, reserve=4)
        found = self.fits()
        usual = found[self.n.codes[0]]
        self.assertEqual((usual.fit, usual.needed, usual.short, usual.surplus), (60, 54, 0, 2))
        self.assertEqual((found[self.short].short, found[self.short].surplus), (24, 0))

    def test_nothing_is_planted_before_a_way_is_chosen_and_the_entry_is_named(self) -> None:
        with self.assertRaisesMessage(Refused, f"{self.short} has 30 plants fit for planting; these plots need 54"):
            self.plant()
        self.assertEqual((planted_in(self.trial), step_rows(self.trial, Step.PLANTED)), ([], []))

    def test_fewer_plants_a_plot_for_all_leaves_entries_alike(self) -> None:
        self.choose(Way.FEWER_A_PLOT)
        self.assertEqual(self.plant(), 12)
        self.assertEqual({p.plants for p in planted_in(self.trial)}, {10})
        self.assertEqual({f.short for f in self.fits().values()}, {0})
        self.assertIn("every plot gets 10 plants", self.trial.deeds.order_by("-id")[0].said)

    def test_fewer_plots_ask_for_the_cause_and_leave_them_out(self) -> None:
        with self.assertRaisesMessage(Refused, "Say whether an accident or the cultivar"):
            self.choose(Way.FEWER_BLOCKS)
        self.choose(Way.FEWER_BLOCKS, cause="accident")
        lost = Exclusion.objects.all()
        self.assertEqual(lost.count(), 2)
        self.assertIn("No plants: 30 of 54 were fit", lost[0].note)
        self.assertEqual(self.fits()[self.short].short, 0)
        plots = [p for p in self.trial.plots.all() if not p.exclusions.exists()]
        self.assertEqual(len(plant(self.trial, plots, self.today, self.by, self.today)), 10)

    def test_thinner_plots_share_what_there_is(self) -> None:
        self.choose(Way.THINNER_PLOTS)
        self.plant()
        by_plot = {p.plot_id: p.plants for p in planted_in(self.trial)}
        mine = self.trial.plots.filter(entry__code=self.short).values_list("pk", flat=True)
        self.assertEqual([by_plot[pk] for pk in mine], [10, 10, 10])
        self.assertEqual({n for pk, n in by_plot.items() if pk not in mine}, {18})

    def test_bought_plants_fill_whole_plots_and_stay_marked(self) -> None:
        with self.assertRaisesMessage(Refused, "where the plants come from"):
            self.choose(Way.BOUGHT)
        self.choose(Way.BOUGHT, source="SUP-12")
        self.assertEqual([(b.plants, b.source) for b in BoughtIn.objects.all()], [(18, "SUP-12")] * 2)
        self.assertEqual(self.fits()[self.short].short, 0)
        self.plant()
        found = [f for f in audit_of(self.trial, book_of(self.trial)).findings if f.about == "Source of the plants"]
        self.assertIn("bought, SUP-12", found[0].said)

    def test_the_page_shows_what_each_way_tells_and_takes_one(self) -> None:
        found = list(self.fits().values())
        choices = choices_for(self.trial, found, self.fits()[self.short])
        url = reverse("nursery:shortage", args=[self.trial.slug, self.short])
        page = self.client.get(url)
        for choice in choices[1:]:
            self.assertContains(page, f"<b>{choice.way.capitalize()}</b>")
        self.assertContains(page, f"As planned it would be {choices[0].tells:.0f} %.")
        self.assertContains(self.client.post(url, {"way": ""}), "Choose one of the ways", status_code=422)
        wrong = self.client.post(url, {"way": Way.BOUGHT, "source": "  "})
        self.assertContains(wrong, "Say where the plants come from", status_code=422)
        self.assertRedirects(self.client.post(url, {"way": Way.LATER}), reverse("nursery:plant", args=[self.trial.slug]))
        self.assertEqual(RaisingRule.objects.get().ways, {self.short: "gaps filled later"})

    def test_a_way_can_be_left_again(self) -> None:
        self.choose(Way.FEWER_A_PLOT)
        self.assertEqual(RaisingRule.objects.get().plants, 10)
        self.choose(Way.AS_PLANNED)
        rule = RaisingRule.objects.get()
        self.assertEqual((rule.plants, rule.ways), (None, {}))
        with self.assertRaisesMessage(Refused, "Choose one of the ways"):
            self.choose(Way.AS_PLANNED)

    def test_bought_plants_taken_back_leave_the_plot_unplanted(self) -> None:
        self.choose(Way.BOUGHT, source="SUP-12")
        self.assertEqual(len(step_rows(self.trial, Step.PLANTED)), 2)
        for bought in BoughtIn.objects.all():
            self.client.post(reverse("nursery:undo-bought", args=[self.trial.slug, bought.pk]))
        self.assertEqual((planted_in(self.trial), step_rows(self.trial, Step.PLANTED)), ([], []))

    def test_a_plug_kept_whole_is_one_to_plant(self) -> None:
        sowing = self.sowings[self.n.codes[0]]
        self.n.count(sowing, 20, 66, "2" * 6 + "1" * 54 + "0" * 12)
        for surplus, fit in (("prick", 66), ("cut", 60), ("whole", 60)):
            keep_rule(self.trial, self.today, surplus=surplus)
            self.assertEqual(self.fits()[self.n.codes[0]].fit, fit, surplus)


class Allocation(Planted):
    def test_plants_leave_their_tray_and_plots_get_their_day_once(self) -> None:
        code = self.n.codes[0]
        numbers = list(self.trial.plots.filter(entry__code=code).values_list("number", flat=True))
        self.assertEqual(self.plant(*numbers), 3)
        self.assertEqual(self.plant(*numbers), 0)
        whole = next(b for b in book_of(self.trial) if b.entry.code == code).whole
        self.assertEqual((whole.standing, whole.planted), (6, 54))
        self.assertEqual({r.on for r in step_rows(self.trial, Step.PLANTED)}, {self.today})
        plot = self.trial.plots.get(number=numbers[0])
        self.assertIn("18 plants (sown", " ".join(line.text for line in diary_of(plot, True)))

    def test_a_planting_taken_back_returns_the_plants_and_the_plot_has_no_day(self) -> None:
        plot = self.trial.plots.filter(entry__code=self.n.codes[0])[0]
        self.plant(plot.number)
        undo_happening(Happening.objects.get(plot=plot), self.by)
        self.assertEqual((planted_in(self.trial), step_rows(self.trial, Step.PLANTED)), ([], []))
        self.assertEqual(self.fits()[self.n.codes[0]].fit, 60)
        self.assertEqual(self.plant(plot.number), 1)
        self.assertEqual([r.plot_id for r in step_rows(self.trial, Step.PLANTED)], [plot.pk])

    def test_a_first_sowing_goes_before_a_second_and_the_audit_tells_their_ages(self) -> None:
        again = self.n.sow(self.short, self.n.tray(), range(40), again=True, days=10)
        self.n.count(again, 24, 36)
        self.plant()
        mine = [p for p in planted_in(self.trial) if p.sowing and p.sowing.entry.code == self.short]
        self.assertEqual(sum(p.plants for p in mine if p.sowing and not p.sowing.again), 30)
        self.assertEqual(sum(p.plants for p in mine if p.sowing and p.sowing.again), 24)
        found = {f.about: f.said for f in audit_of(self.trial, book_of(self.trial)).findings}
        self.assertIn("24 days, 34 days; the others 34 days", found["Age when planted"])
        self.assertIn("Sown again", found)

    def test_the_page_plants_and_says_what_lacks(self) -> None:
        slug = self.trial.slug
        url, typed = reverse("nursery:plant-out", args=[slug]), {"on": self.today.isoformat(), "plots": ""}
        self.assertContains(self.client.post(url, typed), "See the shortage bench", status_code=422)
        first = self.trial.plots.exclude(entry__code=self.short)[0].number
        answer = self.client.post(url, typed | {"plots": first}, follow=True)
        self.assertContains(answer, "Planted: 18 plants in 1 plot.")
        self.assertContains(answer, "1 of 12 plots are planted")

    def test_the_outlook_and_the_age_are_said(self) -> None:
        page = reverse("nursery:plant", args=[self.trial.slug])
        self.assertContains(
            self.client.get(page), "The plants are 34 days old; 28 to 40 are usual. They are not on record as hardened"
        )
        self.assertContains(self.client.get(page, {"tmin": "-9", "tmax": "4"}), "<b>Wait.</b>")
        tend(self.n.trays[0], "hardened", self.today, "", self.by, self.today)
        mild = self.client.get(page, {"tmin": "9", "tmax": "18"})
        self.assertContains(mild, "<b>Go.</b>")
        self.assertNotContains(mild, "not on record as hardened")
        self.assertContains(self.client.get(page, {"tmin": "9", "tmax": "2"}), "Expected the warmest above the coldest")


class Stands(Planted):
    def setUp(self) -> None:
        super().setUp()
        self.choose(Way.THINNER_PLOTS)
        self.plant()
        self.walk = world.walk(self.trial, "stand", self.by)
        for plot in self.trial.plots.select_related("entry"):
            world.keep(self.walk, plot, self.by, 9 if plot.entry.code == self.short else 17)

    def test_plots_below_the_least_stand_are_named_and_left_out_with_their_cause(self) -> None:
        self.assertEqual(below(stands(self.trial), rule_of(self.trial)), [])
        url = reverse("nursery:stand", args=[self.trial.slug])
        self.client.post(url, {"least_stand": "60"})
        thin = below(stands(self.trial), rule_of(self.trial))
        self.assertEqual({s.plot.entry.code for s in thin}, {self.short})
        self.assertContains(self.client.get(url), "<strong>3</strong> lie below the least")
        out = reverse("nursery:thin-out", args=[self.trial.slug])
        self.assertContains(self.client.post(out, {"cause": ""}), "Say whether an accident", status_code=422)
        self.client.post(out, {"cause": "failed"})
        self.assertEqual({e.note for e in Exclusion.objects.all()}, {"Stand 9 of 18, below the least of 60 % that is judged"})
        self.assertEqual(leave_thin_out(self.trial, rule_of(self.trial), "failed", self.by, self.today), 0)

    def test_gaps_are_marked_at_their_stations_and_plants_come_back(self) -> None:
        plot = self.trial.plots.all()[0]
        mark_station(plot, 4, "gap", self.today, self.by, self.today)
        mark_station(plot, 4, "gap", self.today, self.by, self.today)
        mark_station(plot, 7, "gap", self.today, self.by, self.today)
        mark_station(plot, 7, "back", self.today, self.by, self.today)
        mark_station(plot, 9, "double", self.today, self.by, self.today)
        found = stands(self.trial)[0]
        self.assertEqual((found.gaps, found.back, found.doubles), (1, 1, 1))
        self.assertEqual(gaps(self.trial), {plot.pk: {4}})
        closer = self.client.get(reverse("trials:closer", args=[self.trial.slug])).content.decode()
        self.assertEqual(closer.split('class="plants gone" d="')[1].split('"')[0].count("M"), 1)
        with self.assertRaisesMessage(Refused, "There was no gap"):
            mark_station(plot, 1, "replaced", self.today, self.by, self.today)
        with self.assertRaisesMessage(Refused, "has no such station"):
            mark_station(plot, 18, "gap", self.today, self.by, self.today)
        mark_station(plot, 4, "", self.today, self.by, self.today)
        self.assertEqual(stands(self.trial)[0].gaps, 0)
        self.assertEqual(StationMark.objects.count(), 4)

    def test_gaps_are_filled_from_what_is_left_and_stay_marked_as_late(self) -> None:
        plot = self.trial.plots.filter(entry__code=self.n.codes[0])[0]
        self.assertEqual(fill_gap(plot, 2, self.today, self.by, self.today), 2)
        self.assertEqual(next(s for s in stands(self.trial) if s.plot == plot).late, 2)
        with self.assertRaisesMessage(Refused, "has only 4 plants left"):
            fill_gap(plot, 9, self.today, self.by, self.today)
        late = [f.said for f in audit_of(self.trial, book_of(self.trial)).findings if f.about == "Late plants in gaps"]
        self.assertIn("filled in later", late[0])

    def test_the_page_marks_and_fills(self) -> None:
        plot, slug = self.trial.plots.filter(entry__code=self.n.codes[0])[0], self.trial.slug
        self.client.post(reverse("nursery:mark", args=[slug, plot.pk]), {"station": "3", "what": "gap"})
        page = self.client.get(reverse("nursery:stand", args=[slug]), {"plot": plot.number})
        self.assertContains(page, "Row 1, station 4: a gap")
        bad = self.client.post(reverse("nursery:mark", args=[slug, plot.pk]), {"station": "x", "what": "gap"}, follow=True)
        self.assertContains(bad, "has no such station")
        filled = self.client.post(reverse("nursery:fill", args=[slug, plot.pk]), {"plants": "1"}, follow=True)
        self.assertContains(filled, "marked as late: 1 plant.")
        self.assertContains(
            self.client.post(reverse("nursery:fill", args=[slug, plot.pk]), {"plants": ""}, follow=True), "Expected from 1"
        )

    def test_the_audit_page_says_it_in_words(self) -> None:
        page = self.client.get(reverse("nursery:fairness", args=[self.trial.slug]))
        self.assertContains(page, "Wholly apart")
        self.assertContains(page, f"Tray: {self.n.codes[0]} T1")


class HeldBack(TestCase):
    """Four fennels on three plots of three plants: nine are needed."""

    def setUp(self) -> None:
        self.by, self.today = world.person(), timezone.localdate()
        self.n = Nursery(self.by, self.today)
        Trial.objects.filter(pk=self.n.trial.pk).update(plot_length_m=0.9, in_row_cm=30, between_rows_cm=100, plot_width_m=1)
        self.code = self.n.codes[0]
        self.client.force_login(self.by)

    def book(self) -> EntryBook:
        return next(b for b in book_of(self.trial) if b.entry.code == self.code)

    @property
    def trial(self) -> Trial:
        return Trial.objects.get(pk=self.n.trial.pk)

    def plant(self) -> int:
        plots = self.trial.plots.filter(entry__code=self.code).select_related("entry")
        return sum(p.plants for p in plant(self.trial, list(plots), self.today, self.by, self.today))

    def fit(self) -> Fit:
        return next(f for f in fits(self.trial, book_of(self.trial), {}, rule_of(self.trial)) if f.entry.code == self.code)

    def test_a_reserve_stays_until_it_is_released_with_its_reason(self) -> None:
        """Ten fit, nine needed, two held back: eight go."""
        self.assertEqual(world.spacing(self.trial).plants, 3)
        self.n.count(self.n.sow(self.code, self.n.tray(), range(12)), 14, 10, "111111111100")
        keep_rule(self.trial, self.today, reserve=2)
        self.assertEqual((self.fit().fit, self.fit().needed, self.fit().going), (10, 9, 8))
        self.assertEqual(self.plant(), 8)
        stands = Counter({x.plot_id: x.plants for x in planted_in(self.trial)})
        thin = next(p for p in self.trial.plots.filter(entry__code=self.code) if stands[p.pk] == 2)
        with self.assertRaisesMessage(Refused, "has only 0 plants left and 2 held back"):
            fill_gap(thin, 1, self.today, self.by, self.today)
        url = reverse("nursery:release", args=[self.trial.slug])
        self.assertContains(self.client.post(url, {"code": self.code, "why": " "}, follow=True), "Expected why they are released")
        self.client.post(url, {"code": self.code, "why": "a week after planting"})
        thin = self.trial.plots.get(pk=thin.pk)
        self.assertEqual(fill_gap(thin, 1, self.today, self.by, self.today), 1)
        self.assertIn("2 plants released that were held back: a week after planting", self.trial.deeds.latest("at").said)

    def test_cut_to_one_counts_a_cell_once_and_planting_uses_its_cells_up(self) -> None:
        """Ten cells with 20 seedlings are ten plants to plant; nine planted leave one, not eleven."""
        self.n.count(self.n.sow(self.code, self.n.tray(), range(10)), 14, 10, "1111111111")
        tray = self.n.tray()
        session = session_of(self.n.sown, self.by, {})
        double = sow_cells(Put(self.n.entries[self.code], self.n.lots[self.code], 2), tray, list(range(10)), session, self.today)
        self.n.count(double, 14, 18, "2222222220")
        self.assertEqual(self.fit().fit, 10 + 9)
        keep_rule(self.trial, self.today, surplus="prick")
        self.assertEqual(self.fit().fit, 10 + 18)
        keep_rule(self.trial, self.today, surplus="cut")
        self.assertEqual(self.plant(), 9)
        self.assertEqual(self.fit().fit, 10)

    def test_seedlings_left_behind_in_crowded_cells_are_not_planted_first(self) -> None:
        tray, session = self.n.tray(), session_of(self.n.sown, self.by, {})
        crowd = sow_cells(Put(self.n.entries[self.code], self.n.lots[self.code], 5), tray, [0, 1, 2, 3], session, self.today)
        self.n.count(crowd, 10, 16, "4444")
        moved = prick_out(crowd, 9, self.n.tray(), list(range(9)), self.n.sown + timedelta(days=12), self.by, self.today)
        self.assertEqual(self.plant(), 9)
        self.assertEqual({p.sowing.pk for p in planted_in(self.trial) if p.sowing}, {moved.pk})

    def test_age_runs_from_sowing_through_pricking_out_and_ends_at_planting(self) -> None:
        crowd = self.n.sow(self.code, self.n.tray(), range(9))
        self.n.count(crowd, 10, 9)
        prick_out(crowd, 9, self.n.tray(), list(range(9)), self.n.sown + timedelta(days=12), self.by, self.today)
        Crop.objects.filter(pk=self.trial.crop_id).update(profile={"transplant_days": [28, 42]})
        page = reverse("nursery:plant", args=[self.trial.slug])
        self.assertContains(self.client.get(page), "The plants are 16 days old")
        self.trial.plots.exclude(entry__code=self.code).delete()
        self.plant()
        self.assertEqual({p.age_days for p in planted_in(self.trial)}, {16})
        self.assertContains(self.client.get(page), "They were 16 days old when they were planted.")
