"""Every design planned, laid out in one bed or several, moved, swapped and compared, through the same services as people."""

from collections import Counter
from typing import Any

from django.db import transaction
from django.urls import reverse

from evarlo.compare.queries import compare
from evarlo.grounds.models import Bed, Site
from evarlo.harvest.queries import yields
from evarlo.people.models import Role
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.laying import drawing_of, fix_layout, lay_out, move_block, swap_plots
from evarlo.trials.models import Plot, Trial
from evarlo.trials.planning import change_plan, plan_trial
from evarlo.trials.queries import blocks_of
from evarlo.ui.refused import Refused
from trialcore.tests.surely import surely

Design = Trial.Design
DATES = ("15 Mar", "12 Apr")


def now(made: Trial) -> Trial:
    """The trial as it stands on record, nothing read before."""
    return Trial.objects.get(pk=made.pk)


class Designs(TestCase):
    def setUp(self) -> None:
        self.by = world.person()

    def made(self, design: str, **changes: Any) -> Trial:
        return world.trial(self.by, fixed=False, design=design, **changes)

    def count(self, made: Trial, *by: str) -> Counter[tuple[str, ...]]:
        return Counter(made.plots.values_list(*by))

    def test_a_latin_square_holds_each_entry_once_in_every_row_and_column(self) -> None:
        made = self.made(Design.LATIN)
        self.assertEqual(made.plots.count(), 16)
        for side in ("row", "col"):
            self.assertEqual(set(self.count(made, "entry__code", side).values()), {1})

    def test_a_split_plot_holds_every_level_on_a_whole_plot_and_every_entry_within(self) -> None:
        made = self.made(Design.SPLIT, factor="Sowing date", levels=DATES)
        self.assertEqual(set(self.count(made, "block", "level", "entry__code").values()), {1})
        self.assertEqual(set(self.count(made, "block", "inner", "level").values()), {4})
        whole = made.plots.filter(block="1", level="15 Mar")
        self.assertTrue(len({p.row for p in whole}) == 1 or len({p.col for p in whole}) == 1)

    def test_entries_can_lie_on_the_whole_plots(self) -> None:
        made = self.made(Design.SPLIT, factor="Spacing", levels=("20 cm", "30 cm"), entries_whole=True)
        self.assertEqual(set(self.count(made, "block", "inner", "entry__code").values()), {2})

    def test_strips_cross_in_every_block(self) -> None:
        made = self.made(Design.STRIP, factor="Cover", levels=("net", "none"))
        for block in ("1", "2", "3"):
            here = made.plots.filter(block=block)
            lanes = [len({getattr(p, side) for p in here.filter(level="net")}) for side in ("row", "col")]
            self.assertEqual(sorted(lanes), [1, 4])

    def test_a_factorial_holds_every_combination_once_in_a_block(self) -> None:
        made = self.made(Design.FACTORIAL, factor="Pruning", levels=("one stem", "two stems", "none"))
        self.assertEqual(set(self.count(made, "block", "entry__code", "level").values()), {1})
        self.assertEqual(made.plots.count(), 36)

    def test_augmented_blocks_repeat_their_checks_only(self) -> None:
        names = ["Corvane", "Quillet", *(f"New {n}" for n in range(1, 11))]
        made = self.made(Design.AUGMENTED, entries=names, repeated=["Quillet"])
        counts = self.count(made, "entry__cultivar__name")
        self.assertEqual([counts[(name,)] for name in names], [3, 3] + [1] * 10)
        self.assertEqual(set(self.count(made.entries.get(cultivar__name="Quillet").trial, "entry", "block").values()), {1})

    def test_pairs_put_the_check_beside_every_entry(self) -> None:
        made = self.made(Design.PAIRS)
        self.assertEqual(made.plots.filter(entry__is_check=True).count(), 9)
        for inner in set(made.plots.values_list("inner", flat=True)):
            self.assertEqual(made.plots.filter(inner=inner, entry__is_check=True).count(), 1)

    def test_without_blocks_every_entry_stands_as_often(self) -> None:
        made = self.made(Design.NO_BLOCKS)
        self.assertEqual(set(self.count(made, "entry").values()), {3})
        self.assertEqual(set(made.plots.values_list("block", flat=True)), {""})

    def test_a_recorded_seed_draws_the_same_layout_again_in_every_design(self) -> None:
        two: dict[str, Any] = {"factor": "Sowing date", "levels": DATES}
        for n, (design, more) in enumerate(
            {
                Design.LATIN: {},
                Design.SPLIT: two,
                Design.STRIP: two,
                Design.FACTORIAL: two,
                Design.PAIRS: {},
                Design.NO_BLOCKS: {},
            }.items()
        ):
            with self.subTest(design=design):
                made = self.made(design, name=f"Trial {n}", seed=None, **more)
                made.refresh_from_db()
                before = list(made.plots.values_list("number", "entry", "level", "x", "y"))
                lay_out(made, made.layout_seed, self.by)
                self.assertEqual(list(made.plots.values_list("number", "entry", "level", "x", "y")), before)

    def test_what_a_design_asks_for_is_asked_for_beside_its_field(self) -> None:
        many = [f"E{n}" for n in range(20)]
        wrong: dict[str, dict[str, Any]] = {
            "factor": {"design": Design.SPLIT, "levels": DATES},
            "levels": {"design": Design.FACTORIAL, "factor": "Cover", "levels": ("net", "NET")},
            "design": {"design": Design.LATIN, "entries": many},
            "repeated": {"design": Design.AUGMENTED},
            "blocks": {"design": Design.AUGMENTED, "repeated": ["Quillet", "OF-17"]},
        }
        for field, changes in wrong.items():
            with self.subTest(field=field), self.assertRaises(Refused) as caught:
                plan_trial(world.plan(**changes), self.by)
            self.assertEqual(caught.exception.field, field)

    def test_a_design_in_words_says_how_it_lies(self) -> None:
        made = self.made(Design.SPLIT, factor="Sowing date", levels=DATES)
        self.assertIn("2 levels of sowing date on whole plots and entries within them", made.design_in_words)


class SeveralBeds(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        site, _ = Site.objects.get_or_create(name="Ostrel Flats")
        self.first = Bed.objects.create(site=site, name="A", length_m=8.5, width_m=1.6, bearing=75)
        self.second = Bed.objects.create(site=site, name="B", length_m=17.5, width_m=4, bearing=75)
        self.made = world.trial(self.by, fixed=False, bed=self.first, more_beds=[self.second])

    def test_blocks_that_one_bed_does_not_hold_go_on_in_the_next(self) -> None:
        self.assertEqual([b.bed.name for b in blocks_of(now(self.made))], ["A", "B", "B"])
        fix_layout(self.made, self.by)
        self.assertEqual(self.made.plots.filter(bed=self.second).count(), 8)

    def test_a_block_moves_as_a_whole_and_keeps_its_entries(self) -> None:
        before = dict(self.made.plots.values_list("number", "entry"))
        move_block(self.made, 1, self.second, 0.0, 2.0, False, self.by)
        self.assertEqual(set(self.made.plots.filter(block="1").values_list("bed", flat=True)), {self.second.pk})
        self.assertEqual(dict(self.made.plots.values_list("number", "entry")), before)
        lay_out(self.made, None, self.by)
        self.assertEqual([b.bed.name for b in blocks_of(now(self.made))], ["B", "B", "B"], "a shuffle leaves blocks where they lie")

    def test_a_block_is_not_laid_on_another_or_over_the_edge(self) -> None:
        for x, y, turned, said in (
            (0.5, 0.0, False, "on block 2"),
            (14.0, 0.0, False, "over the edge"),
            (0, 2.0, True, "over the edge"),
        ):
            with self.subTest(said=said, x=x), self.assertRaisesMessage(Refused, said):
                move_block(self.made, 3 if "block" in said else 1, self.second, x, y, turned, self.by)
        self.assertFalse(self.made.block_places.exists())

    def test_a_turned_block_runs_across_its_bed(self) -> None:
        wide = Bed.objects.create(site=self.first.site, name="C", length_m=6, width_m=9)
        made = world.trial(self.by, fixed=False, name="Turned", bed=wide, blocks=2)
        across = {(p.length, p.width) for p in made.plots.filter(block="2")}
        place = blocks_of(now(made))[1]
        move_block(made, 2, wide, 0.0, 5.0 if place.width > 4 else 4.0, True, self.by)
        self.assertEqual({(p.width, p.length) for p in made.plots.filter(block="2")}, across)
        self.assertTrue(blocks_of(now(made))[1].turned)

    def test_a_fixed_layout_is_not_moved(self) -> None:
        fix_layout(self.made, self.by)
        with self.assertRaisesMessage(Refused, "fixed"):
            move_block(self.made, 1, self.second, 0, 2, False, self.by)

    def test_moving_over_the_web_says_what_is_wrong_and_only_managers_may(self) -> None:
        self.client.force_login(self.by)
        url = reverse("trials:move", args=[self.made.slug])
        self.assertContains(
            self.client.post(url, {"block": 3, "bed": self.second.pk, "x": "0,5", "y": "0"}, follow=True), "would lie on block 2"
        )
        self.assertContains(self.client.post(url, {"block": 3, "bed": "x", "x": "1", "y": "1"}, follow=True), "Nothing was moved")
        self.assertContains(
            self.client.post(url, {"block": 9, "bed": self.second.pk, "x": "1", "y": "1"}, follow=True), "no block 9"
        )
        self.client.post(url, {"block": 1, "bed": self.second.pk, "x": "0", "y": "2 m"})
        self.assertEqual(self.made.block_places.get(block=1).y, 2.0)
        self.client.force_login(world.person(Role.HELPER))
        self.assertEqual(self.client.post(url, {"block": 1, "bed": self.first.pk, "x": "0", "y": "0"}).status_code, 403)


class Changes(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.made = world.trial(self.by, fixed=False)

    def test_a_plan_can_be_changed_until_it_is_fixed(self) -> None:
        change_plan(self.made, world.plan(entries=("Corvane", "OF-17"), design=Design.NO_BLOCKS, blocks=5), self.by)
        self.made.refresh_from_db()
        self.assertEqual((self.made.plots.count(), self.made.entries.count()), (10, 2))
        fix_layout(self.made, self.by)
        with self.assertRaisesMessage(Refused, "fixed"):
            change_plan(self.made, world.plan(), self.by)

    def test_a_plan_that_cannot_stand_leaves_the_old_one(self) -> None:
        before = list(self.made.plots.values_list("pk", flat=True))
        with self.assertRaises(Refused), transaction.atomic():
            change_plan(self.made, world.plan(entries=("Corvane",)), self.by)
        self.assertEqual(list(self.made.plots.values_list("pk", flat=True)), before)

    def test_the_form_is_filled_with_the_plan_and_sent_back_changes_nothing_but_the_draw(self) -> None:
        self.client.force_login(self.by)
        url = reverse("trials:change", args=[self.made.slug])
        form = self.client.get(url).context["form"]
        typed = {name: form[name].value() for name in form.fields}
        answer = self.client.post(url, {k: v for k, v in typed.items() if v not in (None, False)})
        self.assertRedirects(answer, self.made.get_absolute_url())
        again = self.client.get(url).context["form"]
        told = {name: again[name].value() for name in again.fields}
        for given in (told, typed):  # codes are drawn anew, and the entries stand in the order of their codes
            given["entries"] = sorted(given["entries"].splitlines())
        self.assertEqual(told, typed)

    def test_weights_and_must_haves_are_typed_kept_and_shown(self) -> None:
        self.client.force_login(self.by)
        url = reverse("trials:change", args=[self.made.slug])
        form = self.client.get(url).context["form"]
        typed = {name: form[name].value() for name in form.fields if form[name].value() not in (None, False)}
        wrong = self.client.post(url, typed | {"must_1": "plenty", "weight_1": "-2"})
        self.assertContains(wrong, "Found “plenty”", status_code=422)
        self.assertContains(wrong, "Found “-2”. Expected a number from 0.01 to 100.", status_code=422)
        self.client.post(url, typed | {"must_1": "2,5", "weight_1": "3"})
        criterion = self.made.criteria.get()
        self.assertEqual((criterion.must, criterion.weight), (2.5, 3.0))
        self.assertContains(self.client.get(self.made.get_absolute_url()), "at least 2.5 kg")

    def test_a_swap_keeps_the_layout_as_planned_beside_it(self) -> None:
        fix_layout(self.made, self.by)
        one, other = self.made.plots.filter(block="1")[:2]
        first, second = one.entry, other.entry
        swap_plots(one, other, "Trays were mixed up", self.by)
        one.refresh_from_db()
        self.assertEqual((one.entry, one.planned), (second, first))
        self.client.force_login(self.by)
        self.assertContains(
            self.client.get(reverse("trials:plot", args=[self.made.slug, one.pk])), f"As planned, {first.cultivar.name} stood here"
        )
        swap_plots(one, Plot.objects.get(pk=other.pk), "They were right after all", self.by)
        one.refresh_from_db()
        self.assertEqual((one.entry, one.planned), (first, None))

    def test_a_swap_needs_a_reason_and_stays_within_its_block(self) -> None:
        url = reverse("trials:swap", args=[self.made.slug, self.made.plots.get(number="101").pk])
        self.client.force_login(self.by)
        for sent, said in (
            ({"other": "201", "reason": "wrong tray"}, "different blocks"),
            ({"other": "102", "reason": " "}, "Nothing was typed"),
            ({"other": "999", "reason": "wrong tray"}, "no such plot"),
            ({"other": "101", "reason": "wrong tray"}, "Expected two plots"),
        ):
            with self.subTest(sent=sent):
                self.assertContains(self.client.post(url, sent), said, status_code=422)


class Comparing(TestCase):
    """Each design is analysed by its own model; the figures of the models are held to published ones in the core."""

    def setUp(self) -> None:
        self.by = world.person()

    def grown(self, design: str, **changes: Any) -> Trial:
        made = world.trial(self.by, design=design, **changes)
        asked = world.walk(made, "plot-yield", self.by)
        means = {"Corvane": 5.0, "Quillet": 8.0, "OF-17": 5.2, "Brakewater": 3.0}
        for i, plot in enumerate(made.plots.select_related("entry__cultivar")):
            late = 1.0 if plot.level == DATES[1] else 0.0
            world.keep(asked, plot, self.by, round(means[plot.entry.cultivar.name] - late + 0.2 * ((i * 7) % 5 - 2), 3))
        return made

    def test_every_design_finds_what_stands_out_and_shows_its_working(self) -> None:
        two: dict[str, Any] = {"factor": "Sowing date", "levels": DATES}
        self.client.force_login(self.by)
        for n, (design, more) in enumerate(
            {
                Design.LATIN: {},
                Design.NO_BLOCKS: {},
                Design.PAIRS: {},
                Design.SPLIT: two,
                Design.STRIP: two,
                Design.FACTORIAL: two,
            }.items()
        ):
            with self.subTest(design=design):
                made = self.grown(design, name=f"Trial {n}", **more)
                found = compare(made, world.trait("plot-yield"), self.by)
                self.assertEqual(found.results[0].name, "Quillet")
                self.assertEqual(found.results[0].beats, 1)
                for name in ("compare", "working", "figures", "plots"):
                    answer = self.client.get(reverse(f"compare:{name}", args=[made.slug]))
                    self.assertEqual(answer.status_code, 200, name)
                if more:
                    page = self.client.get(reverse("compare:compare", args=[made.slug]))
                    self.assertContains(page, "answer differently to sowing date")
                    self.assertContains(page, "By sowing date")

    def test_an_order_that_changes_with_the_second_factor_is_said(self) -> None:
        made = world.trial(self.by, design=Design.FACTORIAL, factor="Sowing date", levels=DATES)
        asked = world.walk(made, "plot-yield", self.by)
        for i, plot in enumerate(made.plots.all()):
            ahead = 3 if (plot.entry.is_check) == (plot.level == DATES[0]) else 0
            world.keep(asked, plot, self.by, round(5 + ahead + 0.1 * ((i * 3) % 5), 2))
        self.client.force_login(self.by)
        page = self.client.get(reverse("compare:compare", args=[made.slug]))
        self.assertContains(page, "The entries answer differently to sowing date")

    def test_augmented_blocks_set_single_plots_against_the_check(self) -> None:
        names = ["Corvane", "Quillet", *(f"New {n}" for n in range(1, 7))]
        made = world.trial(self.by, design=Design.AUGMENTED, entries=names, repeated=["Quillet"])
        asked = world.walk(made, "plot-yield", self.by)
        for i, plot in enumerate(made.plots.select_related("entry__cultivar")):
            base = 9.0 if plot.entry.cultivar.name == "New 3" else 5.0
            world.keep(asked, plot, self.by, round(base + int(plot.block) + 0.1 * ((i * 3) % 5), 2))
        found = compare(made, world.trait("plot-yield"), self.by)
        best = found.results[0]
        self.assertEqual((best.name, best.mean.n), ("New 3", 1))
        assert best.difference
        self.assertAlmostEqual(best.difference.estimate, 4.0, delta=0.4)

    def test_the_draft_of_a_large_trial_is_one_draw(self) -> None:
        made = world.trial(self.by, fixed=False, design=Design.SPLIT, factor="Sowing date", levels=DATES)
        self.assertEqual(len(drawing_of(made)(made.layout_seed or 0).plots), made.plots.count())


class NetPlots(TestCase):
    """Plots of 2.0 × 1.5 m with 3 rows of 6: within a border of one, 4 plants are judged."""

    def setUp(self) -> None:
        self.by = world.person()
        self.client.force_login(self.by)

    def test_yields_go_by_the_ground_and_the_plants_that_are_judged(self) -> None:
        made = world.trial(self.by, border=1)
        self.assertEqual((world.spacing(made).plants, world.spacing(made).judged), (18, 4))
        plot = made.plots.all()[0]
        world.pick(plot, self.by, 2.0)
        found = yields(Trial.objects.get(pk=made.pk))[plot.pk]
        self.assertAlmostEqual(surely(found.kg_per_m2), 2.0 / (3.0 * 4 / 18))
        self.assertAlmostEqual(surely(found.g_per_plant), 500.0)
        self.assertContains(
            self.client.get(reverse("harvest:pick", args=[made.slug])), "Pick the 4 judged plants of each plot only"
        )

    def test_a_border_that_leaves_nothing_to_judge_is_refused(self) -> None:
        with self.assertRaises(Refused) as caught:
            plan_trial(world.plan(border=2), self.by)
        self.assertEqual(caught.exception.field, "border")

    def test_the_close_plan_draws_every_plant_the_obstacles_and_the_noon_sun(self) -> None:
        made = world.trial(self.by, border=1, guard_m=0.25)
        self.assertAlmostEqual(min(p.x for p in made.plots.all()), 0.25)
        Site.objects.update(latitude=53.0)
        page = self.client.get(reverse("trials:closer", args=[made.slug])).content.decode()
        judged, border = (page.split(f'<path class="{kind}" d="')[1].split('"')[0] for kind in ("plants", "plants border"))
        self.assertEqual((judged.count("M"), border.count("M")), (12 * 4, 12 * 14))
        self.assertIn('class="sun"', page)
