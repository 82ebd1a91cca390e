"""Programmes: leads reckoned by hand, one cultivar under two names, years left out, and the school that boards go by."""

import csv
import json
from datetime import date, timedelta
from pathlib import Path
from typing import Any

from django.urls import reverse

import trialcore
from evarlo.catalogue.models import Crop, Cultivar, Trait
from evarlo.catalogue.services import CULTIVAR_FIELDS, keep_cultivar
from evarlo.exchange.services import Wanted, make_trial
from evarlo.exchange.shapes import keep_sheet
from evarlo.grounds.models import WeatherDay
from evarlo.programmes.analysing import FEWEST_DAYS, begin, is_done, reckon, step, warmth_of
from evarlo.programmes.frontier import reckon_next, rules_of, table_of
from evarlo.programmes.models import Frontier, Membership, Programme
from evarlo.programmes.services import leave_out, make_programme, take_in
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial
from evarlo.ui import unchanged
from evarlo.ui.refused import Refused
from evarlo.verdicts.board import board_of
from evarlo.verdicts.services import sign_board

DATA = Path(trialcore.__file__).parent / "tests" / "data"
ENTRIES = ("Corvane", "Quillet", "OF-17", "Brakewater", "Weir Street", "Umbra Sill")
MEANS = {"Corvane": 5.0, "Quillet": 6.2, "OF-17": 5.8, "Brakewater": 4.4, "Weir Street": 4.7, "Umbra Sill": 4.2}


class OverYears(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.client.force_login(self.by)
        self.trait = Trait.objects.get(key="plot-yield")

    def season(self, year: str, means: dict[str, float], signed: bool = True) -> Trial:
        made = world.trial(self.by, entries=tuple(means), season=year, name="Fennel")
        world.sow(made, self.by)
        world.keep_yields(made, self.by, means)
        if signed:
            sign_board(made, self.by)
        return Trial.objects.get(pk=made.pk)

    def programme(self, *trials: Trial) -> Programme:
        return make_programme("Fennel over the years", trials[0].crop, trials, self.by)

    def rows(self, programme: Programme) -> dict[str, dict[str, Any]]:
        return {r["name"]: r for r in reckon(programme, self.trait).found["rows"]}


class Years(OverYears):
    def test_leads_are_averages_of_the_trials_where_all_stood_in_all(self) -> None:
        shifts = {"2023": 0.0, "2024": 0.4, "2025": -0.3}
        trials = [
            self.season(y, {n: m + s * (n == "Quillet") for n, m in MEANS.items()}, signed=y != "2025") for y, s in shifts.items()
        ]
        rows = self.rows(self.programme(*trials))
        by_hand = []
        for t in trials:
            line = {x.name: x.figures[0].mean for x in board_of(t, self.by).lines}
            by_hand.append((line["Quillet"] or 0) - (line["Corvane"] or 0))
        self.assertAlmostEqual(rows["Quillet"]["lead"]["estimate"], sum(by_hand) / 3, places=6)
        for made, held in zip(rows["Quillet"]["steps"], by_hand, strict=True):
            self.assertAlmostEqual(made["estimate"], held, places=6)
        self.assertEqual(rows["Quillet"]["lead"]["trials"], 3)
        page = self.client.get(reverse("programmes:page", args=["fennel-over-the-years"]))
        self.assertContains(page, "<strong>Quillet</strong> has beaten Corvane in three trials of three")
        working = self.client.get(reverse("programmes:working", args=["fennel-over-the-years"]))
        self.assertContains(working, "Superiority (Lin–Binns)")
        one = reckon(Programme.objects.get(), self.trait).found["one_stage"][str(rows["Quillet"]["id"])]
        self.assertAlmostEqual(one["estimate"], sum(by_hand) / 3, places=6)  # nothing is missing, so both stages agree
        self.assertContains(working, "In one stage, from the plots themselves")

    def test_one_cultivar_under_two_names_is_one_line(self) -> None:
        old = {("Dusk Sill" if n == "Umbra Sill" else n): m for n, m in MEANS.items()}
        trials = [self.season("2024", old), self.season("2025", MEANS)]
        programme = self.programme(*trials)
        self.assertIn("Dusk Sill", self.rows(programme))
        other = Cultivar.objects.get(name="Dusk Sill")
        kept = {name: getattr(other, name) for name in CULTIVAR_FIELDS}
        keep_cultivar(other, kept | {"relation": "same", "related": "Umbra Sill"})
        rows = self.rows(programme)  # reckoned anew, since the names were joined
        self.assertNotIn("Dusk Sill", rows)
        self.assertEqual(rows["Umbra Sill"]["lead"]["trials"], 2)
        now = self.season("2026", MEANS, signed=False)
        take_in(programme, now, self.by)
        line = next(x for x in board_of(Trial.objects.get(pk=now.pk), self.by).lines if x.name == "Umbra Sill")
        self.assertEqual([y.verdict for y in line.years], ["drop", "drop"])

    def test_a_year_left_out_does_not_count_and_is_said(self) -> None:
        odd = self.season("2024", {n: 9.0 - m for n, m in MEANS.items()})
        now = self.season("2026", MEANS, signed=False)
        programme = self.programme(odd, now)
        chance = {x.name: x.figures[0].chance for x in board_of(now, self.by).lines}
        leave_out(Membership.objects.get(trial=odd), "labels were mixed up", self.by)
        after = board_of(Trial.objects.get(pk=now.pk), self.by)
        self.assertEqual(after.rested_on, [])
        self.assertNotEqual({x.name: x.figures[0].chance for x in after.lines}, chance)
        self.assertIn("labels were mixed up", after.judging.not_in_it[0])
        found = reckon(programme, self.trait).found
        self.assertIn("Nothing can be put together yet", found["why"])
        page = self.client.get(programme.get_absolute_url())
        self.assertContains(page, "is left out: labels were mixed up")

    def test_a_trial_that_lost_the_check_or_has_no_figure_is_marked_not_mixed_in_silence(self) -> None:
        from evarlo.trials.leaving_out import exclude_plot

        made = world.trial(self.by, entries=ENTRIES, season="2024", name="Fennel")
        world.sow(made, self.by)
        world.keep_yields(made, self.by, MEANS)
        exclude_plot(made.plots.filter(entry__is_check=True)[0], "accident", "Hares", world.TODAY, self.by)
        bare = world.trial(self.by, entries=ENTRIES, season="2026", name="Fennel")
        found = reckon(self.programme(made, self.season("2025", MEANS), bare), self.trait).found
        marks = {t["season"]: t["marks"] for t in found["trials"]}
        self.assertIn("the check has 2 of 3 plots left", marks["2024"])
        self.assertEqual((marks["2025"], marks["2026"]), ([], ["no figure of this trait"]))

    def test_a_trial_has_a_column_where_it_tells_something_the_newest_eight_unasked(self) -> None:
        bare = world.trial(self.by, entries=ENTRIES, season="2026", name="Fennel")
        programme = self.programme(*(self.season(str(y), MEANS) for y in range(2014, 2024)), bare)
        reckon(programme, self.trait)
        page = self.client.get(programme.get_absolute_url())
        self.assertEqual([t["season"] for t in page.context["columns"]], [str(y) for y in range(2016, 2024)])
        self.assertEqual({len(r.tags) for r in page.context["rows"]}, {8})
        self.assertContains(page, "2 earlier trials")
        self.assertContains(page, "no figure of this trait")
        whole = self.client.get(programme.get_absolute_url(), {"all": "1"})
        self.assertEqual(len(whole.context["columns"]), 10)
        self.assertNotContains(whole, "earlier trial")

    def test_reckoning_goes_on_by_steps_and_is_kept(self) -> None:
        trials = [self.season(str(y), MEANS) for y in range(2020, 2026)]
        programme = self.programme(*trials)
        page = self.client.get(programme.get_absolute_url())
        self.assertContains(page, "Reading the trials: 0 of 6")
        url = reverse("programmes:reckoned", args=[programme.slug])
        self.assertContains(self.client.get(url), "4 of 6")
        self.assertContains(self.client.get(url), "Quillet")
        kept = begin(programme, self.trait)
        self.assertTrue(is_done(kept))
        unchanged.forget()
        with self.assertNumQueries(14):  # however many trials: nothing is reckoned
            self.client.get(programme.get_absolute_url())
        take_in(programme, self.season("2026", MEANS), self.by)
        stale = begin(programme, self.trait)
        self.assertFalse(is_done(stale))
        self.assertTrue(stale.found["rows"])  # the old figures stay in sight meanwhile
        while not is_done(stale):
            stale = step(stale)
        self.assertEqual(len(stale.found["trials"]), 7)

    def test_a_trial_sown_on_a_leap_day_has_its_warmth(self) -> None:
        made = world.trial(self.by, entries=tuple(MEANS))
        made.sow_on, made.pick_on = date(2024, 2, 29), None
        self.assertIsNotNone(made.bed)
        site = made.bed.site  # type: ignore[union-attr]
        first = date(2024, 3, 1)
        WeatherDay.objects.bulk_create(
            WeatherDay(site=site, day=first + timedelta(days=d), tmin=4.0, tmax=14.0) for d in range(FEWEST_DAYS)
        )
        self.assertEqual(warmth_of(made), 9.0)

    def test_single_strips_over_seasons_are_judged_by_the_seasons(self) -> None:
        shifts = (0.0, 0.5, -0.4, 0.2, 0.1)
        trials = []
        for i, s in enumerate(shifts):
            made = world.trial(self.by, entries=ENTRIES[:4], season=str(2020 + i), name="Strips", blocks=2)
            world.sow(made, self.by)
            asked = world.walk(made, "plot-yield", self.by)
            for plot in made.plots.filter(block="1").select_related("entry__cultivar"):
                name = plot.entry.cultivar.name
                world.keep(asked, plot, self.by, round(MEANS[name] + s * (1 if name == "Quillet" else 0.3) + 0.05 * i, 2))
            trials.append(made)
        rows = self.rows(self.programme(*trials))
        self.assertAlmostEqual(rows["Quillet"]["lead"]["estimate"], 1.2 + 0.7 * sum(shifts) / 5, places=2)
        self.assertEqual(rows["Quillet"]["lead"]["trials"], 5)
        self.assertGreater(rows["Quillet"]["lead"]["se"], 0)


class Schools(OverYears):
    def keep(self, programme: Programme, **typed: str) -> object:
        usual = {"name": programme.name, "flat": "no", "bar": "0.95", "dropping": "promise", "fresh": "1.0", "good_check": "yes"}
        usual |= {"second_signature": "no", "several": "yes"}
        return self.client.post(reverse("programmes:settings", args=[programme.slug]), usual | typed)

    def verdicts(self, trial: Trial) -> dict[str, str]:
        return {x.name: x.verdict for x in board_of(Trial.objects.get(pk=trial.pk), self.by).lines}

    def test_boards_go_by_the_programme_and_say_so(self) -> None:
        now = self.season("2026", MEANS, signed=False)
        programme = self.programme(now)
        self.assertEqual(self.verdicts(now)["OF-17"], "retest")
        self.assertEqual(self.verdicts(now)["Quillet"], "retest")
        self.keep(programme, flat="yes")
        self.assertEqual(self.verdicts(now)["Quillet"], "recommend")  # by its own season alone it is sure
        self.keep(programme, dropping="one")
        self.assertEqual(self.verdicts(now)["Brakewater"], "drop")
        self.keep(programme, dropping="clear")
        self.assertEqual(self.verdicts(now)["Brakewater"], "retest")
        page = self.client.get(reverse("verdicts:decide", args=[now.slug]))
        self.assertContains(page, "Fennel over the years")
        self.assertTrue(now.deeds.filter(said__contains="judged otherwise").exists())
        signed = sign_board(now, self.by)
        self.assertEqual((signed.rule["dropping"], signed.rule["programme"]), ("clear", "Fennel over the years"))

    def test_two_bad_seasons_running_drop_and_one_does_not(self) -> None:
        programme = self.programme(self.season("2025", MEANS), self.season("2026", MEANS, signed=False))
        self.keep(programme, dropping="two")
        now = Trial.objects.get(season="2026")
        self.assertEqual(self.verdicts(now)["Brakewater"], "drop")
        leave_out(Membership.objects.get(trial__season="2025"), "another check plot", self.by)
        self.assertEqual(self.verdicts(now)["Brakewater"], "retest")

    def test_what_cannot_be_is_said_beside_its_field(self) -> None:
        programme = self.programme(self.season("2026", MEANS, signed=False))
        answer = self.client.post(reverse("programmes:settings", args=[programme.slug]), {"name": " ", "bar": "2"})
        self.assertEqual(answer.status_code, 422)
        self.assertContains(answer, "Expected a name", status_code=422)

    def test_a_trial_stands_in_one_programme_of_its_crop(self) -> None:
        one, other = self.season("2025", MEANS, signed=False), self.season("2026", MEANS, signed=False)
        programme = self.programme(one)
        second = make_programme("Another", one.crop, [other], self.by)
        with self.assertRaisesMessage(Refused, "stands in Fennel over the years already"):
            take_in(second, one, self.by)
        self.client.post(reverse("programmes:join", args=[second.slug]), {"trial": one.slug}, follow=True)
        self.assertEqual(one.membership.programme, programme)
        member = other.membership
        self.client.post(reverse("programmes:member", args=[second.slug, member.pk]), {"act": "go"})
        self.assertFalse(Membership.objects.filter(pk=member.pk).exists())
        page = self.client.get(reverse("programmes:list"))
        self.assertContains(page, "Fennel over the years")

    def test_loose_trials_are_offered_and_joined(self) -> None:
        trials = [self.season(y, MEANS, signed=False) for y in ("2025", "2026")]
        self.assertContains(self.client.get(reverse("programmes:list")), "2 trials stand alone")
        url = reverse("programmes:new")
        typed = {"crop": trials[0].crop_id, "trial": [t.slug for t in trials]}
        self.assertContains(self.client.post(url, typed | {"name": ""}), "Expected a name", status_code=422)
        self.assertEqual(self.client.post(url, typed | {"crop": "²", "name": "F"}).status_code, 404)
        self.client.post(url, typed | {"name": "Fennel"})
        self.assertEqual(Programme.objects.get().memberships.count(), 2)
        self.client.force_login(world.person("helper"))
        self.assertEqual(self.client.get(reverse("programmes:list")).status_code, 403)

    def test_what_each_rule_costs_is_reckoned_once_for_a_size(self) -> None:
        programme = self.programme(self.season("2026", dict(list(MEANS.items())[:4]), signed=False))
        bars = table_of(programme)
        self.assertEqual([b.own for b in bars].count(True), 1)
        self.assertTrue(all(f is None for b in bars for f in b.figures))
        self.assertTrue(reckon_next(programme))
        first = table_of(programme)[0].figures[0]
        assert first
        self.assertLess(first["wrong"] or 0.0, first["wrong_ranked"])
        self.assertEqual(Frontier.objects.count(), 1)
        url = reverse("programmes:frontier", args=[programme.slug])
        self.client.get(url)
        self.assertEqual(Frontier.objects.count(), 2)
        Programme.objects.update(bar=0.90, dropping="two")
        self.assertEqual(rules_of(Programme.objects.get())[-1][0], "as this programme has it")


class Published(TestCase):
    """A published set of trials at several places, brought in as sheets and read on the programme's pages."""

    def test_the_pages_hold_the_published_figures(self) -> None:
        by = world.person()
        self.client.force_login(by)
        expected = json.loads((DATA / "met_plots_12x6x3.expected.json").read_text())
        rows = list(csv.DictReader((DATA / "met_plots_12x6x3.csv").open()))
        crop, trials = Crop.objects.get(name="Bulb fennel"), []
        for where in sorted({(r["site"], r["season"]) for r in rows}):
            here = [r for r in rows if (r["site"], r["season"]) == where]
            text = "plot,rep,entry,value\n" + "\n".join(f"{r['plot']},{r['rep']},{r['entry']},{r['value']}" for r in here)
            sheet = keep_sheet(f"{where[0]} {where[1]}.csv", text.encode(), by)
            wanted = Wanted(where[0], crop, where[1], "V01", {"value": "higher"}, {"value": 0.1})
            trials.append(make_trial(sheet, wanted, by, world.TODAY))
        programme = make_programme("Published", crop, trials, by)
        trait = trials[0].criteria.get().trait
        found = reckon(programme, trait).found
        table = expected["table_of_means"]
        mean = {e: sum(v) / len(v) for e, v in zip(table["entries"], table["values"], strict=True)}
        for row in found["rows"]:
            if not row["check"]:
                plain = mean[row["name"]] - mean["V01"]
                self.assertAlmostEqual(found["one_stage"][str(row["id"])]["estimate"], plain, places=6)
                self.assertAlmostEqual(row["lead"]["estimate"], plain, delta=0.1)  # trials weigh by how sure they are
        published = {s["entry"]: s for s in expected["stability"]["table"]}
        for s in found["whole"]["stability"]:
            own = published[s["name"]]
            self.assertAlmostEqual(s["slope"], own["slope_b"], places=6)
            self.assertAlmostEqual(s["shukla"], own["shukla_variance"], places=6)
            self.assertAlmostEqual(s["ecovalence"], own["ecovalence_w"], places=6)
            self.assertAlmostEqual(s["superiority"], own["superiority_p"], places=6)
        follows = {r["name"]: r["follows"] for r in found["rows"]}
        for name, own in published.items():
            self.assertAlmostEqual(follows[name]["slope"], own["slope_b"], places=6)
        shown = self.client.get(reverse("programmes:working", args=[programme.slug]), {"trait": trait.key})
        self.assertContains(shown, "12 cultivars in\n  6 trials")
