"""Planning a trial: what stands, what is refused, and nothing half-saved."""

from datetime import date
from itertools import count
from typing import Any
from unittest import mock

from django.urls import reverse
from django.utils import timezone

from evarlo.catalogue.models import Crop, Cultivar
from evarlo.compare.queries import compare
from evarlo.grounds.models import Bed, Site
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.doubts import date_doubts
from evarlo.trials.laying import fix_layout, lay_out, shuffle
from evarlo.trials.leaving_out import exclude_plot, lift_exclusion
from evarlo.trials.models import Exclusion, Plot, Trial
from evarlo.trials.needs import plan_of
from evarlo.trials.planning import plan_trial
from evarlo.trials.queries import layout_faults_of
from evarlo.trials.tasks import season_tasks
from evarlo.ui.refused import Refused

TYPED: dict[str, Any] = {
    "name": "Fennel",
    "question": "Which?",
    "crop": "Bulb fennel",
    "season": "2026",
    "site": "Ostrel Flats",
    "bed": "B",
    "bed_length_m": "20",
    "bed_width_m": "10",
    "bearing": "75",
    "entries": "Corvane\nQuillet\nOF-17",
    "check": "corvane",
    "blocks": "4",
    "plot_length_m": "2,4",
    "plot_width_m": "1.5 m",
    "path_m": "0.5",
    "between_rows_cm": "40",
    "in_row_cm": "30",
    "cv_percent": "12",
    "trait_1": "plot-yield",
    "direction_1": "higher",
    "matters_1": "0.5",
    "sow_on": "2026-03-01",
}


class NewTrial(TestCase):
    def setUp(self) -> None:
        self.crops = Crop.objects.count()
        self.client.force_login(world.person(), backend="django.contrib.auth.backends.ModelBackend")

    def post(self, **changes: Any) -> Any:
        return self.client.post(reverse("trials:new"), TYPED | changes)

    def test_from_typed_to_drawn(self) -> None:
        answer = self.post()
        made = Trial.objects.get()
        self.assertRedirects(answer, made.get_absolute_url())
        self.assertEqual((made.plot_length_m, made.plot_width_m, world.spacing(made).plants), (2.4, 1.5, 24))
        self.assertEqual(made.plots.count(), 12)
        self.assertEqual([e.cultivar.name for e in made.entries.filter(is_check=True)], ["Corvane"])
        page = self.client.get(made.get_absolute_url())
        self.assertContains(page, f"<code>{made.layout_seed}</code>")
        self.assertContains(page, "Shuffle again")

    def test_each_bad_value_is_said_beside_its_field_and_nothing_is_saved(self) -> None:
        for field, typed, said in (
            ("plot_length_m", "-2", "Found “-2”. Expected a number from 0.1 to 100 m."),
            ("plot_length_m", "wide", "Found “wide”. Expected a number from 0.1 to 100 m."),
            ("plot_length_m", "1e400", "Expected a number"),
            ("plot_width_m", "", "Nothing was typed. Expected a number from 0.1 to 100 m."),
            ("blocks", "2.5", "Expected a whole number from 1 to 20"),
            ("blocks", "0", "Expected a whole number from 1 to 20"),
            ("bearing", "400", "from 0 to 359"),
            ("entries", "Corvane", "at least two entries"),
            ("entries", "\n".join(f"E{i}" for i in range(1000)), "1000 entries are more"),
            ("entries", "x" * 30_000, "Found 30000 characters"),
            ("entries", "Corvane\nQuillet\nquillet", "named twice"),
            ("entries", "Corvane\n" + "y" * 61, "Expected a name of at most 60"),
            ("check", "Nobody", "Choose one of the entries as the check"),
            ("check", "", "Nothing was typed. Expected check"),
            ("name", "z" * 81, "Found 81 characters. Expected at most 80."),
            ("sow_on", "31 Feb 2026", "Expected a date such as 14 Jul 2026"),
            ("sow_on", "0001-01-01", "Expected one from 1900 to 2200"),
            ("trait_1", "", "Nothing was typed"),
            ("trait_1", "no-such-trait", "Select a valid choice"),
            ("matters_1", "", "Expected the smallest difference worth acting on"),
            ("cv_percent", "0", "Expected a number from 0.5 to 100 %"),
        ):
            with self.subTest(field=field, typed=typed[:20]):
                answer = self.post(**{field: typed})
                self.assertContains(answer, said, status_code=422)
                self.assertEqual((Trial.objects.count(), Bed.objects.count(), Cultivar.objects.count()), (0,) * 3)
                self.assertEqual(Crop.objects.count(), self.crops)

    def test_what_was_typed_is_kept(self) -> None:
        answer = self.post(blocks="many", question="Is <b>this</b> kept?", entries="Corvane\nWeir Street\nA")
        self.assertContains(answer, 'value="many"', status_code=422)
        self.assertContains(answer, "Is &lt;b&gt;this&lt;/b&gt; kept?", status_code=422)
        self.assertContains(answer, "Corvane\nWeir Street\nA", status_code=422)

    def test_dates_in_the_wrong_order(self) -> None:
        answer = self.post(sow_on="2026-05-01", plant_on="2026-04-01")
        self.assertContains(answer, "1 Apr 2026 lies before the stage ahead of it, 1 May 2026.", status_code=422)
        self.assertEqual(Trial.objects.count(), 0)

    def test_a_bed_on_record_keeps_its_size(self) -> None:
        Bed.objects.create(site=Site.objects.create(name="Ostrel Flats"), name="B", length_m=30, width_m=10)
        self.assertContains(self.post(), "B is 30 × 10 m on record", status_code=422)

    def test_one_trait_twice(self) -> None:
        answer = self.post(trait_2="plot-yield", direction_2="higher", matters_2="1")
        self.assertContains(answer, "only once", status_code=422)
        self.assertEqual(Trial.objects.count(), 0)

    def test_the_forecast_reckons_with_what_can_be_read(self) -> None:
        url = reverse("trials:forecast")
        self.assertContains(self.client.post(url, {}), "Say the crop")
        answer = self.client.post(url, TYPED)
        self.assertContains(answer, "It fits")
        self.assertContains(answer, "3 rows × 8")
        small = self.client.post(url, TYPED | {"bed_length_m": "5", "bed_width_m": "2"})
        self.assertContains(small, "It does not fit: the bed would have to be")
        broken = self.client.post(url, TYPED | {"plot_length_m": "abc", "bed_width_m": "-1"})
        self.assertContains(broken, "<dd>12</dd>")

    def test_the_design_is_advised_by_the_ground_too(self) -> None:
        url = reverse("trials:forecast")
        loose = TYPED | {"design": "no_blocks"}
        self.assertNotContains(self.client.post(url, loose), "without blocks it all counts as error")
        site = Site.objects.create(name=TYPED["site"])
        Bed.objects.create(site=site, name=TYPED["bed"], length_m=20, width_m=10, bearing=75, gradient=Bed.Gradient.ALONG)
        self.assertContains(self.client.post(url, loose), "The ground changes along a known line")
        Bed.objects.update(gradient="")
        beds = self.client.post(url, loose | {"more_beds": "South strip, 12 x 6"})
        self.assertContains(beds, "2 beds are never quite alike")

    def test_a_trial_sent_twice_is_made_once_and_like_names_have_two_addresses(self) -> None:
        self.post()
        self.assertContains(self.post(), "There is a trial “Fennel” in season 2026 already", status_code=422)
        self.post(name="Fennel!")
        self.assertEqual(sorted(Trial.objects.values_list("slug", flat=True)), ["fennel-2026", "fennel-2026-2"])


class Layouts(TestCase):
    def setUp(self) -> None:
        self.manager = world.person()

    def test_the_recorded_seed_draws_the_same_layout_again(self) -> None:
        made = world.trial(self.manager, fixed=False)
        first = list(made.plots.values_list("number", "entry__code"))
        shuffle(made, self.manager)
        made.refresh_from_db()
        again = world.trial(self.manager, fixed=False, seed=7, name="Again")
        self.assertEqual(list(again.plots.values_list("number", "entry__code")), first)
        lay_out(made, 7, self.manager)
        self.assertEqual(list(made.plots.values_list("number", "entry__code")), first)
        self.assertEqual([d.detail.get("seed") for d in made.deeds.filter(detail__has_key="seed")][-1], 7)

    def test_a_fixed_layout_stays(self) -> None:
        made = world.trial(self.manager)
        with self.assertRaises(Refused):
            shuffle(made, self.manager)
        self.client.force_login(self.manager, backend="django.contrib.auth.backends.ModelBackend")
        answer = self.client.post(reverse("trials:shuffle", args=[made.slug]), follow=True)
        self.assertContains(answer, "can no longer be shuffled")

    def test_what_does_not_fit_its_bed_is_not_fixed(self) -> None:
        made = world.trial(self.manager, fixed=False, plot_length_m=12.0)
        with self.assertRaisesMessage(Refused, "does not fit its bed"):
            fix_layout(made, self.manager)

    def test_a_refused_plan_leaves_nothing(self) -> None:
        with self.assertRaises(Refused):
            plan_trial(world.plan(criteria=[]), self.manager)
        self.assertEqual((Trial.objects.count(), Plot.objects.count(), Cultivar.objects.count()), (0, 0, 0))


class LeftOut(TestCase):
    def test_left_out_and_taken_back_with_both_on_record(self) -> None:
        manager = world.person()
        plot = world.trial(manager).plots.get(number="102")
        out = exclude_plot(plot, "accident", "Flooded", world.TODAY, manager)
        with self.assertRaises(Refused):
            exclude_plot(plot, "accident", "Again", world.TODAY, manager)
        lift_exclusion(out, manager)
        exclude_plot(plot, "accident", "Hares", world.TODAY, manager)
        self.assertEqual(Exclusion.objects.count(), 2)

    def test_in_the_browser_it_needs_a_reason(self) -> None:
        manager = world.person()
        made = world.trial(manager)
        plot = made.plots.get(number="102")
        self.client.force_login(manager, backend="django.contrib.auth.backends.ModelBackend")
        url = reverse("trials:leave-out", args=[made.slug, plot.pk])
        self.assertContains(
            self.client.post(url, {"cause": "accident", "on": "2026-06-01", "note": " "}), "Expected what happened", status_code=422
        )
        self.assertContains(self.client.post(url, {"cause": "accident", "on": "2026-06-01", "note": "Flooded"}), "Flooded")
        self.assertContains(self.client.post(reverse("trials:take-back", args=[made.slug, plot.pk])), "Taken back")


class IncompleteBlocks(TestCase):
    """Many entries: replicates cut into small blocks, planned, drawn and forecast."""

    def setUp(self) -> None:
        self.by = world.person()
        self.client.force_login(self.by, backend="django.contrib.auth.backends.ModelBackend")
        self.names = [f"OE-{i}" for i in range(12)]

    def post(self, **changes: Any) -> Any:
        typed = TYPED | {
            "entries": "\n".join(self.names),
            "check": "OE-0",
            "design": "incomplete",
            "block_size": "4",
            "blocks": "3",
        }
        return self.client.post(reverse("trials:new"), typed | changes)

    def test_every_replicate_is_cut_into_blocks_that_hold_each_entry_once(self) -> None:
        self.post(bed_length_m="40")
        made = Trial.objects.get()
        cells = list(made.plots.values_list("block", "inner", "entry__code"))
        self.assertEqual(len(set(cells)), 36)
        self.assertEqual({sum(b == rep and i == inner for b, i, _ in cells) for rep, inner, _ in cells}, {4})
        for rep in "123":
            self.assertEqual(len({e for b, _, e in cells if b == rep}), 12)
        again = list(made.plots.values_list("number", "entry__code"))
        lay_out(made, made.layout_seed, self.by)
        self.assertEqual(list(made.plots.values_list("number", "entry__code")), again)
        self.assertContains(self.client.get(made.get_absolute_url()), "each cut into small blocks of at most 4 plots")

    def test_what_cannot_be_cut_is_said_beside_its_field(self) -> None:
        for typed, said in (("", "Expected how many plots"), ("12", "from 2 to 11"), ("1", "from 2 to 50"), ("few", "Found “few”")):
            with self.subTest(typed=typed):
                self.assertContains(self.post(block_size=typed), said, status_code=422)
        self.assertEqual(Trial.objects.count(), 0)

    def test_the_forecast_draws_what_more_replicates_buy(self) -> None:
        url = reverse("trials:forecast")
        typed = TYPED | {"entries": "\n".join(self.names), "design": "incomplete", "block_size": "4", "blocks": "3"}
        answer = self.client.post(url, typed)
        self.assertContains(answer, 'class="advisor"')
        self.assertContains(answer, "With 3 replicates you can tell")
        self.assertContains(answer, "each replicate 3 blocks of up to 4 plots")

    def test_a_fresh_layout_keeps_entries_from_standing_beside_themselves(self) -> None:
        made = world.trial(self.by, fixed=False, seed=None, entries=self.names[:8], blocks=3)
        for _ in range(4):
            shuffle(made, self.by)
            made = Trial.objects.get(pk=made.pk)
            self.assertEqual(layout_faults_of(made), [])

    def test_a_machine_that_is_busy_elsewhere_draws_as_often(self) -> None:
        made = world.trial(self.by, fixed=False, seed=None, entries=self.names[:8], blocks=3)
        with mock.patch("time.monotonic", side_effect=count(step=10)):  # every look at the clock is ten seconds later
            for _ in range(4):
                shuffle(made, self.by)
                self.assertEqual(layout_faults_of(Trial.objects.get(pk=made.pk)), [])


class CheckPlots(TestCase):
    """Several plots of the check in a block: laid, kept apart, counted in seed, and analysed as they lie."""

    def test_every_block_holds_the_check_so_often_and_the_analysis_knows(self) -> None:
        by = world.person()
        made = world.trial(by, check_plots=2, blocks=3, fixed=False)
        self.assertEqual(made.plots.count(), 15)
        for block in "123":
            self.assertEqual(made.plots.filter(block=block, entry__is_check=True).count(), 2)
        self.assertIn("the check on 2 plots of each", made.design_in_words)
        fix_layout(made, by)
        made = Trial.objects.get(pk=made.pk)
        world.sow(made, by)
        world.keep_yields(made, by, {"Corvane": 5.0, "Quillet": 6.0, "OF-17": 5.5, "Brakewater": 5.2})
        found = compare(made, world.trait("plot-yield"), by)
        self.assertEqual(found.analysis.df_error, 15 - 3 - 4 + 1)
        ses = {r.name: r.mean.se or 0.0 for r in found.results}
        self.assertAlmostEqual(ses["Corvane"] * 2**0.5, ses["Quillet"], places=6)

    def test_it_goes_with_complete_blocks_or_none(self) -> None:
        by = world.person()
        none = world.trial(by, design="no_blocks", check_plots=2, blocks=3)
        self.assertEqual(none.plots.filter(entry__is_check=True).count(), 6)
        with self.assertRaises(Refused) as refused:
            world.trial(by, name="Square", design="latin", check_plots=2, blocks=4)
        self.assertEqual(refused.exception.field, "check_plots")


class Doubts(TestCase):
    """Planned dates against the crop's profile and the frosts of the site."""

    def doubts(self, **dates: Any) -> list[str]:
        crop = Crop.objects.get(name="Sweet pepper")
        return date_doubts(world.trial(world.person(name=str(dates)), name=str(dates)[:60], crop=crop, **dates))

    def test_dates_that_go_together_raise_none(self) -> None:
        self.assertEqual(self.doubts(sow_on=date(2026, 3, 10), plant_on=date(2026, 5, 8), pick_on=date(2026, 7, 20)), [])
        self.assertEqual(self.doubts(), [])

    def test_each_doubt_says_its_figures(self) -> None:
        early = self.doubts(sow_on=date(2026, 3, 10), plant_on=date(2026, 4, 2), pick_on=date(2026, 5, 20))
        self.assertEqual(len(early), 3)
        self.assertIn("planned 71 days after sowing; sweet pepper takes 110 to 150 days, so that looks early", early[0])
        self.assertIn("23 days old; 50 to 65 days are usual", early[1])
        self.assertIn("frost comes until 18 Apr in half of the years", early[2])


class Codes(TestCase):
    def test_they_are_drawn_anew_and_neither_they_nor_the_order_of_rows_tells_the_check(self) -> None:
        by, names = world.person(), [f"N{n}" for n in range(12)]
        firsts, seen = [], set()
        for year in range(2020, 2050):
            made = plan_trial(
                world.plan(
                    name=f"T{year}", season=str(year), entries=names, check="N0", blocks=2, plot_length_m=0.5, plot_width_m=0.5
                ),
                by,
            )
            entries = list(made.entries.order_by("pk"))
            self.assertEqual([e.code for e in entries], sorted(e.code for e in entries))
            firsts.append(entries[0].is_check)
            seen.add(next(e.code for e in entries if e.is_check))
        self.assertGreater(len(seen), 6)  # of 12 codes in 30 years; fewer than seven come by chance once in a hundred million
        self.assertLess(sum(firsts), 12)


class OtherCriteria(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.made = world.trial(self.by)
        self.client.force_login(self.by)
        self.url = reverse("trials:criteria", args=[self.made.slug])

    def change(self, **typed: str) -> Any:
        given = {"trait_1": "vigour", "direction_1": "higher", "matters_1": "1", "why": "yield was lost to hail"} | typed
        return self.client.post(self.url, given, follow=True)

    def test_they_change_after_fixing_with_a_reason_on_record(self) -> None:
        self.assertContains(self.client.get(self.made.get_absolute_url()), "Change what it is decided by")
        self.assertContains(self.change(why=""), "Expected why they change", status_code=422)
        self.assertContains(self.change(matters_1=""), "Expected the smallest difference", status_code=422)
        page = self.change(trait_2="plot-yield", matters_2="0,5", direction_2="higher")
        self.assertEqual([c.trait.key for c in self.made.criteria.all()], ["vigour", "plot-yield"])
        self.assertContains(page, "before, by plot yield")
        self.assertContains(page, "yield was lost to hail")

    def test_not_once_the_verdicts_are_signed(self) -> None:
        Trial.objects.filter(pk=self.made.pk).update(decided_at=timezone.now())
        self.assertContains(self.change(), "Reopen it under Decide", status_code=422)
        self.assertEqual([c.trait.key for c in self.made.criteria.all()], ["plot-yield"])

    def test_how_each_is_recorded_is_said_where_it_is_chosen(self) -> None:
        page = self.client.get(reverse("trials:new"))
        for how in ("Weighed on a walk, or at the picks", "From weigh-ins", "Scored on walks"):
            self.assertContains(page, f'<optgroup label="{how}">')


class RaisedOrSown(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.client.force_login(self.by)

    def keys(self, made: Trial) -> set[str]:
        return {line.key for line in season_tasks(Trial.objects.get(pk=made.pk)).lines}

    def test_a_day_to_plant_makes_it_raised_and_all_tasks_follow(self) -> None:
        Crop.objects.get_or_create(name="Bulb fennel")[0]
        Crop.objects.filter(name="Bulb fennel").update(profile={"raising": "direct"})
        sown = world.trial(self.by, name="Sown", sow_on=date(2026, 4, 1))
        self.assertFalse(plan_of(sown).transplant)
        self.assertFalse({"plant", "harden"} & self.keys(sown))
        raised = world.trial(self.by, name="Raised", sow_on=date(2026, 4, 1), plant_on=date(2026, 5, 4))
        self.assertTrue(plan_of(Trial.objects.get(pk=raised.pk)).transplant)
        self.assertLessEqual({"plant", "harden"}, self.keys(raised))

    def test_it_can_be_said_and_a_day_to_plant_what_is_sown_is_refused(self) -> None:
        Crop.objects.filter(name="Bulb fennel").update(profile={"raising": "transplant"})
        made = world.trial(self.by, raised=False)
        self.assertFalse(plan_of(Trial.objects.get(pk=made.pk)).transplant)
        with self.assertRaisesMessage(Refused, "A day to plant is for raised plants"):
            world.trial(self.by, name="Other", raised=False, sow_on=date(2026, 4, 1), plant_on=date(2026, 5, 4))
        self.assertTrue(plan_of(world.trial(self.by, name="Said", raised=True)).transplant)


class Overhang(TestCase):
    def test_a_layout_that_does_not_fit_says_so_and_what_would(self) -> None:
        by = world.person()
        self.client.force_login(by)
        made = world.trial(by, fixed=False, plot_length_m=4.5, plot_width_m=5.0)
        page = self.client.get(made.get_absolute_url())
        self.assertContains(page, "It does not fit: the bed would have to be")
        self.assertContains(page, "would fit")
        fits = world.trial(by, name="Fits", fixed=False)
        self.assertNotContains(self.client.get(fits.get_absolute_url()), "It does not fit")
