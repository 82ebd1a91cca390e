"""Cultivars: other names, kin, claims, and two names for one."""

from datetime import date

from django.urls import reverse

from evarlo.catalogue.models import Crop, Cultivar
from evarlo.catalogue.services import add_synonym, cultivar_of, keep_apart, likely_duplicates
from evarlo.people.models import Role
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.bed_doubts import bed_doubts
from evarlo.trials.doubts import name_doubts
from evarlo.trials.models import Trial
from evarlo.trials.planning import plan_trial
from evarlo.ui.refused import Refused


class Cultivars(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.crop = Crop.objects.get(name="Bulb fennel")
        self.one = Cultivar.objects.create(crop=self.crop, name="Brakewater")
        self.other = Cultivar.objects.create(crop=self.crop, name="Breakwater")
        self.client.force_login(self.by)

    def at(self, name: str, *more: int) -> str:
        return reverse(f"catalogue:{name}", args=[self.one.pk, *more])

    def test_a_synonym_stands_for_its_cultivar(self) -> None:
        add_synonym(self.one, "Estuary White")
        self.assertEqual(cultivar_of(self.crop, "estuary white"), self.one)
        with self.assertRaisesMessage(Refused, "is on the list as Breakwater"):
            add_synonym(self.one, "breakwater")
        with self.assertRaisesMessage(Refused, "has that name already"):
            add_synonym(self.one, "Estuary White")
        answer = self.client.post(reverse("catalogue:list"), {"crop": "Bulb fennel", "name": "ESTUARY WHITE"})
        self.assertContains(answer, "is on the list of Bulb fennel already as Brakewater", status_code=422)

    def test_two_names_of_one_cultivar_cannot_both_be_entries(self) -> None:
        add_synonym(self.one, "Estuary White")
        with self.assertRaises(Refused) as caught:
            plan_trial(world.plan(entries=("Corvane", "Brakewater", "Estuary White")), self.by)
        self.assertIn("are one cultivar, Brakewater, under two names", str(caught.exception))
        made = world.trial(self.by, entries=("Corvane", "Estuary White"))
        self.assertEqual({e.cultivar.name for e in made.entries.all()}, {"Corvane", "Brakewater"})

    def test_likely_duplicates_are_pointed_out_until_they_are_kept_apart(self) -> None:
        self.assertEqual([(a.name, b.name) for a, b, _ in likely_duplicates()], [("Brakewater", "Breakwater")])
        self.assertContains(self.client.get(reverse("catalogue:list")), "Perhaps one cultivar under two names")
        made = world.trial(self.by, entries=("Corvane", "Brakewater", "Breakwater"))
        self.assertIn("may be one cultivar: nearly the same letters", " ".join(name_doubts(made)))
        self.client.post(self.at("apart", self.other.pk))
        self.assertEqual(likely_duplicates(), [])
        self.assertEqual(name_doubts(made), [])
        keep_apart(self.other, self.one)  # twice, and the other way round: still once on record

    def test_kin_is_told_on_both_pages_and_on_the_plan(self) -> None:
        typed = {"relation": "selection", "related": "breakwater", "breeding": "open", "height_cm": "2 ft"}
        self.client.post(self.at("keep-cultivar"), typed)
        self.one.refresh_from_db()
        self.assertEqual((self.one.related, self.one.breeding), (self.other, "open"))
        self.assertAlmostEqual(self.one.height_cm or 0, 60.96)
        self.assertEqual(likely_duplicates(), [])
        self.assertContains(self.client.get(reverse("catalogue:cultivar", args=[self.other.pk])), "is a selection of it")
        made = world.trial(self.by, entries=("Corvane", "Brakewater", "Breakwater"))
        self.assertIn("Brakewater is a selection of Breakwater; expect them to be alike.", name_doubts(made))

    def test_a_relation_needs_both_parts_and_another_cultivar(self) -> None:
        for typed, said in (
            ({"relation": "selection"}, "Expected both"),
            ({"relation": "child", "related": "Nobody"}, "is not on the list of Bulb fennel"),
            ({"relation": "child", "related": "Brakewater"}, "not its own parent"),
        ):
            with self.subTest(typed=typed):
                self.assertContains(self.client.post(self.at("keep-cultivar"), typed), said, status_code=422)

    def test_claims_keep_their_figure_source_and_climate(self) -> None:
        typed = {
            "says": "First to the market",
            "trait": "days-to-first-pick",
            "value": "78",
            "source": "SUP-04",
            "climate": "inland",
        }
        self.client.post(self.at("new-claim"), typed)
        page = self.client.get(self.at("cultivar"))
        self.assertContains(page, "Days to first pick: 78 days")
        self.assertContains(page, "made in inland")
        wrong = self.client.post(self.at("new-claim"), {"says": "Early", "value": "78"})
        self.assertContains(wrong, "Expected which trait the figure is about", status_code=422)
        self.assertContains(wrong, 'value="Early"', status_code=422)
        self.client.post(self.at("drop-claim", self.one.claims.get().pk))
        self.assertFalse(self.one.claims.exists())

    def test_helpers_do_not_learn_names_here(self) -> None:
        self.client.force_login(world.person(Role.HELPER))
        self.assertEqual(self.client.get(self.at("cultivar")).status_code, 403)


class Descent(TestCase):
    def test_what_segregates_is_not_expected_to_be_alike(self) -> None:
        by = world.person()
        made = world.trial(by)
        parent = made.entries.get(cultivar__name="Quillet").cultivar
        child = made.entries.get(cultivar__name="OF-17").cultivar
        child.related, child.relation, child.breeding = parent, "child", "f2"
        child.save()
        self.assertEqual(
            name_doubts(made), ["OF-17 is bred from Quillet; its plants differ from each other, so judge it by more of them."]
        )
        child.breeding = "open"
        child.save()
        self.assertIn("expect them to share a part of what they show", name_doubts(made)[0])

    def test_species_and_crossing_group_are_the_cultivars(self) -> None:
        """Four squashes of four species do not cross; two of one species do."""
        by = world.person()
        Crop.objects.filter(name="Bulb fennel").update(
            profile={"pollination": "insects", "isolation_m": 800, "crossing": "squashes"}
        )
        made = world.trial(by, sow_on=date(2026, 4, 1), saves_seed=True)
        species = ("Cucurbita pepo", "C. maxima", "C. moschata", "C. argyrosperma")
        for cultivar, name in zip(Cultivar.objects.filter(entries__trial=made).order_by("pk"), species, strict=True):
            Cultivar.objects.filter(pk=cultivar.pk).update(species=name)
        fresh = Trial.objects.get(pk=made.pk)
        self.assertFalse([d for d in bed_doubts(fresh).others if "cross" in d])
        Cultivar.objects.filter(species="C. maxima").update(species="cucurbita pepo")
        said = [d for d in bed_doubts(Trial.objects.get(pk=made.pk)).others if "cross" in d]
        self.assertTrue(said[0].startswith("2 of the entries cross with each other by insects, nearer than 800 m"), said)
