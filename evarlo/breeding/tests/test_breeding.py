"""From a cross to a line that may be named: acts, ranking, gate, pedigree, relatives."""

import uuid
from datetime import date
from typing import Any

import numpy as np
from django.urls import reverse

from evarlo.breeding.gate import gate_of
from evarlo.breeding.kin import kin_of
from evarlo.breeding.models import Cross, Generation, Grown, How, Isolation, Named, Saved
from evarlo.breeding.pedigree import ancestors, descendants, pedigree_of
from evarlo.breeding.ranking import sisters_of
from evarlo.breeding.services import Ask, cross, drop_cross, drop_saved, grow, name_line, save_seed, undo_name
from evarlo.breeding.traits import MARK, mark_trait
from evarlo.catalogue.models import Crop, Cultivar
from evarlo.catalogue.services import cultivar_named
from evarlo.grounds.models import Bed, Site
from evarlo.people.models import Role
from evarlo.seeds.models import Lot
from evarlo.seeds.services import move_stock, stock_of
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Plot, Trial
from evarlo.trials.plan import CriterionPlan
from evarlo.trials.services import delete_plan
from evarlo.ui.refused import Refused
from evarlo.walks.field import taken_along
from evarlo.walks.services import Seen, keep_observation, open_round
from trialcore.analyses.relatives import relationship

TODAY = date(2031, 12, 1)


class Family(TestCase):
    """A cross of two beans that pollinate themselves."""

    def setUp(self) -> None:
        self.by = world.person()
        self.crop = Crop.objects.create(name="Made bean", profile={"pollination": "self", "isolation_m": 10})
        for name in ("Hollis", "Verrin"):
            cultivar_named(self.crop, name)
        site = Site.objects.create(name="Made place")
        self.bed = Bed.objects.create(site=site, name="Long", length_m=12, width_m=6)
        self.cross = self.crossed()

    def crossed(self, **more: Any) -> Cross:
        given: dict[str, Any] = {
            "name": "HV",
            "seed_parent": "Hollis",
            "pollen_parent": "Verrin",
            "isolation": "bagged",
            "seeds": 40,
        }
        return cross(self.crop, **(given | {"on": date(2026, 6, 20), "by": self.by, "today": TODAY} | more))

    def ask(self, saved: list[Saved], season: int, **more: Any) -> Ask:
        weight = CriterionPlan(world.trait("plot-yield"), "higher", 0.1)
        given: dict[str, Any] = {"plants": 12, "check": "Hollis", "check_every": 4, "bed": self.bed, "between_rows_cm": 50}
        given |= {"in_row_cm": 40, "criteria": [weight], "name": f"HV {season}", "season": str(season)}
        return Ask(saved, **(given | more))

    def grow(self, saved: list[Saved], season: int, **more: Any) -> Generation:
        return grow(self.cross, self.ask(saved, season, **more), self.by)

    def save(self, plot: Plot, year: int, mating: str = How.SELFED, isolation: str = Isolation.BAGGED, **more: Any) -> Saved:
        return save_seed(plot, mating, isolation, 200, date(year, 10, 1), self.by, TODAY, **more)

    def plant(self, made: Generation, nth: int = 0) -> Plot:
        return made.trial.plots.filter(entry__is_check=False).select_related("entry__cultivar", "trial")[nth]

    def weigh(self, made: Generation, figures: dict[str, float]) -> None:
        walk = open_round(made.trial, world.trait("plot-yield"), TODAY, self.by)
        for plot in made.trial.plots.all():
            if plot.number in figures:
                keep_observation(walk, plot, Seen(number=figures[plot.number]), self.by, TODAY, uuid.uuid4(), TODAY)

    def to_f5(self) -> list[Saved]:
        """Single-seed descent: a plant of each generation, F1 to F4, whose seed is the next."""
        line: list[Saved] = []
        for season in (2027, 2028, 2029, 2030):
            made = self.grow(line[-1:], season)
            line.append(self.save(self.plant(made), season))
        return line


class Acts(Family):
    def test_a_cross_puts_its_f1_on_record_with_its_seed(self) -> None:
        self.assertEqual((self.cross.f1.name, self.cross.f1.breeding, stock_of(self.cross.lot)), ("HV F1", "f1", 40))
        for more, said in (
            ({"name": "hv"}, "There is a cross"),
            ({"name": "X", "pollen_parent": "Hollis"}, "two parents"),
            ({"name": "X", "pollen_parent": "Nobody"}, "not on the list"),
            ({"name": "X", "seeds": 0}, "one seed or more"),
            ({"name": "X", "on": date(2032, 1, 1)}, "in the future"),
        ):
            with self.assertRaisesMessage(Refused, said):
                self.crossed(**more)

    def test_plants_are_numbered_with_checks_among_them_and_the_seed_is_taken(self) -> None:
        made = self.grow([], 2027)
        plots = list(made.trial.plots.select_related("entry"))
        self.assertEqual((made.called, len(plots), sum(p.entry.is_check for p in plots)), ("F1", 16, 4))
        checks = [i for i, p in enumerate(plots) if p.entry.is_check]
        self.assertEqual(checks, [2, 7, 12, 15])  # after two, then after every four, and at the end
        self.assertEqual([p.number for p in plots[:3]], ["01", "02", "03"])
        self.assertEqual(len({(p.x, p.y) for p in plots}), 16)
        self.assertEqual(stock_of(self.cross.lot), 40)  # it is taken when it is sown
        for more, said in (
            ({"plants": 400}, "has 40 seeds left"),
            ({"plants": 5000}, "can be walked as one"),
            ({"in_row_cm": 400, "between_rows_cm": 300}, "holds 6 plants"),
            ({"check": "HV F1x"}, "not a fixed cultivar"),
            ({"check": "HV F1"}, "HV F1 is what is grown"),
            ({"plants": 41}, "has 40 seeds left"),
        ):
            with self.assertRaisesMessage(Refused, said):
                self.grow([], 2028, **more)
        self.assertEqual(Trial.objects.count(), 1)

    def test_what_was_put_on_record_by_mistake_leaves_its_name_free(self) -> None:
        f1 = self.grow([], 2027)
        kept = self.save(self.plant(f1), 2027)
        with self.assertRaisesMessage(Refused, "Other records stand on HV F1"):
            drop_cross(self.cross)
        f2 = self.grow([kept], 2028)
        with self.assertRaisesMessage(Refused, "Other records stand on HV-01"):
            drop_saved(kept, self.by)
        delete_plan(f2.trial)  # nothing is recorded of its plants
        self.assertEqual(Generation.objects.get(), f1)
        move_stock(kept.lot, "taken", 20, TODAY, self.by, TODAY)
        with self.assertRaisesMessage(Refused, "Something was done with the seed"):
            drop_saved(kept, self.by)
        other = self.save(self.plant(f1, 1), 2027)
        drop_saved(other, self.by)
        self.assertEqual(Saved.objects.get(), kept)
        self.assertEqual(self.save(self.plant(f1, 1), 2027).progeny.name, other.progeny.name)
        self.assertIn("Taken back: 200 seeds of plant", " ".join(f1.trial.deeds.values_list("said", flat=True)))
        wrong = self.crossed(name="WX")
        drop_cross(wrong)
        self.assertEqual(list(Cross.objects.all()), [self.cross])
        self.assertFalse(Cultivar.objects.filter(name="WX F1").exists() or Lot.objects.filter(name="WX-F1").exists())

    def test_a_generation_of_which_something_is_recorded_stays(self) -> None:
        f1 = self.grow([], 2027)
        self.save(self.plant(f1), 2027)
        with self.assertRaisesMessage(Refused, "saved"):
            delete_plan(f1.trial)
        self.assertEqual(Generation.objects.count(), 1)

    def test_seed_of_a_plant_is_a_lot_with_its_parentage(self) -> None:
        f1 = self.grow([], 2027)
        kept = self.save(self.plant(f1), 2027)
        self.assertEqual((kept.progeny.name, kept.called, stock_of(kept.lot), kept.expected.fixed), ("HV-01", "F2", 200, 0.5))
        self.assertTrue(kept.progeny.segregates)
        f2 = self.grow([kept], 2028, plants=20)
        self.assertEqual((f2.called, f2.trial.plots.filter(entry__cultivar=kept.progeny).count()), ("F2", 20))
        again = self.save(self.plant(f2, 16), 2028)
        number = self.plant(f2, 16).number
        self.assertEqual(again.progeny.name, f"HV-01-{number}")
        self.assertEqual(self.save(self.plant(f2, 16), 2028).progeny.name, f"HV-01-{number}b")
        self.assertEqual([s.progeny.name for s in ancestors(again)], ["HV-01"])
        self.assertEqual(len(descendants(kept)), 2)
        check = f2.trial.plots.filter(entry__is_check=True).select_related("entry__cultivar", "trial")[0]
        for plot, more, said in (
            (check, {}, "is the check"),
            (self.plant(f2), {"mating": How.SIBBED}, "Name the sister plant"),
            (self.plant(f2), {"mating": How.SIBBED, "pollen": check}, "Name the sister plant"),
        ):
            with self.assertRaisesMessage(Refused, said):
                self.save(plot, 2028, **more)
        with self.assertRaisesMessage(Refused, "too long for a label"):
            self.save(self.plant(f2), 2028, called="x" * 41)
        with self.assertRaisesMessage(Refused, "has a cultivar verrin already"):
            self.save(self.plant(f2), 2028, called="verrin")
        with self.assertRaisesMessage(Refused, "one generation at a time"):
            self.grow([kept, again], 2029)
        self.crop.profile = {"pollination": "insects"}
        self.crop.save()
        with self.assertRaisesMessage(Refused, "not bagged or caged it is open-pollinated"):
            self.save(self.plant(Generation.objects.get(pk=f2.pk)), 2028, isolation=Isolation.NONE)

    def test_paths_of_mating_are_kept(self) -> None:
        f1 = self.grow([], 2027)
        back = self.save(self.plant(f1), 2027, How.BACKCROSSED)
        self.assertEqual((back.called, back.expected.first_parent), ("BC1F1", 0.75))
        later = self.save(self.plant(self.grow([back], 2028)), 2028)
        self.assertEqual((later.called, later.expected.fixed), ("BC1F2", 0.75))


class AsATrial(Family):
    def test_the_pages_of_its_trial_know_that_each_plot_is_a_plant(self) -> None:
        made = self.grow([], 2027)
        self.client.force_login(self.by)
        page = self.client.get(made.trial.get_absolute_url())
        self.assertContains(page, "Its plants stand in the order of their numbers")
        self.assertNotContains(page, "stands beside itself")
        self.assertNotContains(page, "None")
        pods = open_round(made.trial, world.trait("pods"), TODAY, self.by)  # of a plot five plants are counted
        self.assertEqual(taken_along([pods], self.by, TODAY)["asks"][0]["samples"], 1)
        walk = self.client.get(reverse("walks:walk", args=[made.trial.slug]))
        self.assertIn(MARK, [t.key for t in walk.context["offered"]])
        other = self.client.get(reverse("walks:walk", args=[world.trial(self.by, name="Plots").slug]))
        self.assertNotIn(MARK, [t.key for t in (*other.context["offered"], *other.context["others"])])
        for name in ("needs", "paper", "plan-sheet", "scoring-sheet", "kit", "calendar-page", "protocol", "closer"):
            with self.subTest(name):
                self.assertEqual(self.client.get(reverse(f"trials:{name}", args=[made.trial.slug])).status_code, 200)
        for name in ("walks:walk", "nursery:sow", "nursery:plant", "compare:compare", "verdicts:decide", "harvest:pick"):
            with self.subTest(name):
                self.assertEqual(self.client.get(reverse(name, args=[made.trial.slug])).status_code, 200)


class Ranking(Family):
    def test_a_plant_on_good_ground_is_not_ranked_for_it(self) -> None:
        """Every check tells its spot: the plant that is best beyond its ground leads, by hand."""
        f2 = self.grow([self.save(self.plant(self.grow([], 2027)), 2027)], 2028)
        plots = list(f2.trial.plots.select_related("entry"))
        ground = {p.number: 0.2 * i for i, p in enumerate(plots)}  # it rises along the row
        best = plots[1].number
        figures = {n: 2 + g + (1.5 if n == best else 0.0) for n, g in ground.items()}
        luck = np.random.default_rng(1)
        figures = {n: round(v + float(luck.normal(0, 0.15)), 2) for n, v in figures.items()}
        raw = max((v, n) for n, v in figures.items() if not next(p for p in plots if p.number == n).entry.is_check)[1]
        self.assertNotEqual(raw, best)
        self.weigh(f2, figures)
        found = sisters_of(Generation.objects.get(pk=f2.pk))
        self.assertEqual((found.plants[0].plot.number, found.plants[0].ranked.rank), (best, 1))
        self.assertEqual((found.checks, found.looked_at), (4, 12))
        self.assertIsNotNone(found.plants[0].expected)

    def test_marks_are_walked_and_stand_beside_the_ranks(self) -> None:
        f1 = self.grow([], 2027)
        walk = open_round(f1.trial, mark_trait(), TODAY, self.by)
        plant = self.plant(f1)
        keep_observation(walk, plant, Seen(number=3, note="twisted leaves"), self.by, TODAY, uuid.uuid4(), TODAY)
        row = next(p for p in sisters_of(f1).plants if p.plot == plant)
        self.assertEqual((row.mark, row.reason), ("pull", "twisted leaves"))
        self.assertEqual(mark_trait().key, MARK)


class GateOfALine(Family):
    def even(self, made: Generation) -> None:
        plots = list(made.trial.plots.all())
        self.weigh(made, {p.number: 2 + 0.05 * (i % 7) for i, p in enumerate(plots)})

    def test_a_line_is_named_only_when_nothing_is_short(self) -> None:
        line = self.to_f5()
        f4, f5 = line[-2], line[-1]
        self.assertEqual((f5.called, round(100 * f5.expected.fixed, 2)), ("F5", 93.75))
        short = " ".join(gate_of(f4).short)
        self.assertIn("F4 is expected to be at 87.5 %", short)
        with self.assertRaisesMessage(Refused, "cannot be named yet"):
            name_line(f5, "Marrow Gate", self.by, TODAY)
        self.assertIn("Seen over 2 seasons or more; seen in 2030.", gate_of(f5).short)  # its mother stood in the F4 family
        grown = self.grow([f5], 2031, plants=14)
        self.assertIn("nothing was measured", " ".join(gate_of(f5).short))
        self.even(grown)
        self.assertEqual(gate_of(f5).short, [])
        walk = open_round(grown.trial, mark_trait(), TODAY, self.by)
        pulled = next(p for p in grown.trial.plots.all() if not p.entry.is_check)
        keep_observation(walk, pulled, Seen(number=3, note="purple"), self.by, TODAY, uuid.uuid4(), TODAY)
        self.assertIn("1 of 14 were pulled", " ".join(gate_of(f5).short))
        keep_observation(walk, pulled, Seen(number=1), self.by, TODAY, uuid.uuid4(), TODAY)
        named = name_line(f5, "Marrow Gate", self.by, TODAY)
        cultivar = Cultivar.objects.get(name="Marrow Gate")
        self.assertEqual((cultivar.breeding, named.before[:3], cultivar.segregates), ("open", "HV-", False))
        with self.assertRaisesMessage(Refused, "It is named already"):
            name_line(f5, "Another", self.by, TODAY)

    def test_a_name_taken_back_can_be_given_again(self) -> None:
        f5 = self.to_f5()[-1]
        self.even(self.grow([f5], 2031, plants=14))
        before = Cultivar.objects.get(pk=f5.progeny_id)
        named = name_line(f5, "Marow Gate", self.by, TODAY)
        self.assertEqual(undo_name(named, self.by), "Marow Gate")
        after = Cultivar.objects.get(pk=f5.progeny_id)
        self.assertEqual((after.name, after.breeding, after.note), (before.name, before.breeding, before.note))
        self.assertTrue(after.segregates)
        f5.refresh_from_db()
        again = name_line(f5, "Marrow Gate", self.by, TODAY)
        self.assertEqual(Named.objects.in_force().get(), again)
        self.assertEqual(Named.objects.count(), 2)
        world.trial(self.by, entries=("Marrow Gate", "Hollis"), check="Hollis", crop=self.crop)
        with self.assertRaisesMessage(Refused, "stands in"):
            undo_name(again, self.by)
        with self.assertRaisesMessage(Refused, "was named"):
            drop_saved(f5, self.by)

    def test_a_line_less_even_than_its_check_is_short(self) -> None:
        f5 = self.to_f5()[-1]
        grown = self.grow([f5], 2031, plants=14)
        plots = list(grown.trial.plots.select_related("entry"))
        self.weigh(grown, {p.number: 2 + (0.05 if p.entry.is_check else 1.0) * (i % 7) for i, p in enumerate(plots)})
        self.assertIn("less even in plot yield 2031", " ".join(gate_of(f5).short))


class Kinship(Family):
    def test_sisters_of_a_line_share_what_their_mother_had(self) -> None:
        """Selfed seed of one F2 plant: two plants of it share 1½ of twice the coancestry, by hand."""
        f2 = self.grow([self.save(self.plant(self.grow([], 2027)), 2027)], 2028)
        one, other = self.save(self.plant(f2, 0), 2028), self.save(self.plant(f2, 1), 2028)
        born, known = pedigree_of([one.progeny, other.progeny, self.cross.seed_parent])
        order, a = relationship(born)
        at = {name: order.index(known[pk]) for name, pk in (("one", one.progeny_id), ("other", other.progeny_id))}
        # F2 plants of one F1 plant share 1 (the F1's own relationship, its parents fixed: A = 1), and so do their offspring.
        self.assertAlmostEqual(a[at["one"], at["other"]], 1.0)
        self.assertAlmostEqual(a[at["one"], at["one"]], 1.75)  # F3: three quarters fixed
        self.assertEqual(known[self.cross.seed_parent_id], f"c{self.cross.seed_parent_id}")

    def test_lines_in_a_trial_are_predicted_with_their_relatives(self) -> None:
        f1 = self.grow([], 2027)
        f2 = self.grow([self.save(self.plant(f1), 2027)], 2028, plants=8)
        mothers = [self.save(self.plant(f2, i), 2028) for i in range(4)]
        f3 = self.grow(mothers, 2029, plants=3)
        lines = [
            self.save(p, 2029) for p in f3.trial.plots.filter(entry__is_check=False).select_related("entry__cultivar", "trial")
        ]
        trial = world.trial(
            self.by, entries=["Hollis", *(s.progeny.name for s in lines)], check="Hollis", crop=self.crop, bed=self.bed, blocks=2,
            plot_length_m=1.0, plot_width_m=0.5, between_rows_cm=25, in_row_cm=25, name="Lines",
        )  # fmt: skip
        luck = np.random.default_rng(2)
        mother = {s.progeny.name: i // 3 for i, s in enumerate(lines)}
        walk = open_round(trial, world.trait("plot-yield"), world.TODAY, self.by)
        for plot in trial.plots.select_related("entry__cultivar"):
            value = 3 + 0.8 * mother.get(plot.entry.cultivar.name, 1) + float(luck.normal(0, 0.4))
            keep_observation(walk, plot, Seen(number=round(value, 2)), self.by, world.TODAY, uuid.uuid4(), world.TODAY)
        found = kin_of(Trial.objects.get(pk=trial.pk), world.trait("plot-yield"))
        self.assertEqual((found.why, len(found.rows)), ("", 12))
        self.assertGreater(found.gain, 0)
        best = {mother[e.cultivar.name] for e, _ in found.rows[:3]}
        self.assertEqual(best, {3})
        plain = world.trial(self.by, name="No kin")
        self.assertIn("None of its entries", kin_of(plain, world.trait("plot-yield")).why)
        self.client.force_login(self.by)
        page = self.client.get(reverse("breeding:kin", args=[trial.slug]))
        self.assertContains(page, "more is known of a line than its own plots tell")
        self.assertContains(self.client.get(self.cross.get_absolute_url()), reverse("breeding:kin", args=[trial.slug]))


class Pages(Family):
    def test_every_page_opens_for_whom_it_is_and_says_what_is_wrong(self) -> None:
        f1 = self.grow([], 2027)
        kept = self.save(self.plant(f1), 2027)
        pages = [
            reverse("breeding:list"), reverse("breeding:numbers"), self.cross.get_absolute_url(), f1.get_absolute_url(),
            kept.get_absolute_url(),
        ]  # fmt: skip
        for role, status in ((Role.MANAGER, 200), (Role.EVALUATOR, 200), (Role.READER, 200), (Role.HELPER, 403)):
            self.client.force_login(world.person(role, f"one-{role}"))
            for url in pages:
                with self.subTest(role=role, page=url):
                    self.assertEqual(self.client.get(url).status_code, status)
        self.client.force_login(self.by)
        told = {"crop": self.crop.pk, "name": "VH", "seed_parent": "Verrin", "pollen_parent": "Hollis", "isolation": "bagged"}
        wrong = self.client.post(reverse("breeding:list"), told | {"seeds": "many", "on": "2026-06-01"})
        self.assertContains(wrong, "Expected", status_code=422)
        made = self.client.post(reverse("breeding:list"), told | {"seeds": "12", "on": "2026-06-01"})
        self.assertRedirects(made, Cross.objects.get(name="VH").get_absolute_url())
        page = self.client.get(f1.get_absolute_url(), {"counts": "31, 5", "ratio": "3:1"})
        self.assertContains(page, "31, 5 go with 3:1 (expected 27, 9; p = 0.18, exact)")
        self.assertContains(self.client.get(f1.get_absolute_url(), {"counts": "31", "ratio": "3:1"}), "Expected", status_code=422)
        self.assertContains(self.client.get(reverse("breeding:numbers")), "grow 15.")  # log 0.05 ÷ log 13/16 = 14.4
        many = {
            "dominant": 0,
            "recessive": 2,
            "selfings": 1,
            "chance": 99,
            "at_least": 1,
            "total": 20,
            "kept": 2,
            "heritability": 36,
        }
        page = self.client.get(reverse("breeding:numbers"), many | {"fixed": 50, "next_plants": 20, "germination": 80})
        self.assertContains(page, "grow 72.")
        self.assertContains(page, "25 seeds of each give 20 plants on average. To have them with a chance of 99 %, sow 32.")
        self.assertContains(page, "expected 0.98 genetic standard deviations")  # 1.6375 × √0.36
        saved = self.client.post(
            reverse("breeding:save", args=[f1.trial.slug]),
            {"number": "4", "mating": "selfed", "isolation": "none", "seeds": "55", "on": "2026-09-30"},
            follow=True,
        )
        self.assertContains(saved, "Mostly its own pollen")
        self.assertTrue(Saved.objects.filter(plot__number="04").exists())
        grown = {"saved": kept.pk, "name": "HV F2", "season": "2028", "bed": self.bed.pk, "plants": "30", "check": "Hollis"}
        grown |= {"check_every": "6", "between_rows_cm": "50", "in_row_cm": "25", "trait_1": "plot-yield", "matters_1": "0.2"}
        page = self.client.post(reverse("breeding:grow", args=[self.cross.pk]), grown, follow=True)
        self.assertEqual(page.status_code, 200, page.context and page.context.get("form") and page.context["form"].errors)
        self.assertContains(page, "30 plants of HV F2, 0 looked at")
        self.assertEqual(Grown.objects.get().saved, kept)
        short = self.client.post(reverse("breeding:name", args=[kept.pk]), {"name": "Too early"})
        self.assertContains(short, "It cannot be named yet", status_code=422)
        drop = reverse("breeding:drop-saved", args=[kept.pk])
        self.assertContains(self.client.post(drop, follow=True), "Other records stand on")
        self.assertNotContains(self.client.get(kept.get_absolute_url()), drop)  # plants were grown of it
        gate = reverse("breeding:gate", args=[kept.pk])
        self.assertContains(self.client.post(gate, {"fixed": "120"}), "Expected", status_code=422)
        self.client.post(gate, {"fixed": "50", "seasons": "2", "plants": "3", "off_types": "0"})
        self.assertContains(self.client.get(kept.get_absolute_url()), "At least 50 % of its loci fixed")
