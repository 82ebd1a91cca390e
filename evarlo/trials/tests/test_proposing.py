"""A plan from the first word: what is proposed, what it rests on, and that it never proposes what does not fit."""

from __future__ import annotations

from datetime import date, timedelta
from typing import Any

from django.urls import reverse

from evarlo.catalogue.models import Crop, Cultivar
from evarlo.catalogue.services import crop_named, cultivar_named
from evarlo.catalogue.shipped import put_in_what_ships
from evarlo.grounds.models import Bed, Site
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.doubts import name_doubts
from evarlo.trials.laying import fix_layout
from evarlo.trials.models import Trial
from evarlo.trials.proposing import likely_twins, propose, typed_names
from evarlo.ui.refused import Refused
from evarlo.verdicts.board import board_of
from evarlo.verdicts.services import sign_board

TODAY = date(2026, 3, 1)


class Names(TestCase):
    def test_a_crop_is_found_under_any_usual_name(self) -> None:
        put_in_what_ships()
        for typed, name in (
            ("courgettes", "Summer squash"),
            ("Zucchini", "Summer squash"),
            ("EGGPLANT", "Aubergine"),
            ("tomatoes", "Tomato"),
            ("  florence   fennel ", "Bulb fennel"),
            ("Möhre", "Carrot"),
            ("beets", "Beetroot"),
        ):
            found = crop_named(typed)
            self.assertEqual(found and found.name, name, typed)
        self.assertIsNone(crop_named("unheard of"))
        self.assertIsNone(crop_named(""))

    def test_entries_are_read_however_they_are_pasted(self) -> None:
        self.assertEqual(typed_names("A 1; B\tC,\n  D  e \n\n"), ["A 1", "B", "C", "D e"])

    def test_names_that_may_be_one_are_asked_about(self) -> None:
        crop = Crop.objects.get_or_create(name="Bulb fennel")[0]
        cultivar_named(crop, "Meregold")
        pairs = {(p["a"], p["b"]) for p in likely_twins(crop, ["brant", "Brant", "Mere Gold", "OF-17", "OF-18"])}
        self.assertEqual(pairs, {("brant", "Brant"), ("Mere Gold", "Meregold")})


class Proposals(TestCase):
    def setUp(self) -> None:
        put_in_what_ships()
        self.by = world.person()
        self.client.force_login(self.by)
        self.site = Site.objects.create(name="Ostrel Flats", last_frost="04-18", first_frost="10-21", latitude=53)
        for name, length, width in (("Small", 4, 2), ("Middle", 20, 7), ("Large", 60, 20)):
            Bed.objects.create(site=self.site, name=name, length_m=length, width_m=width, bearing=75)

    def proposed(self, **typed: str) -> dict[str, str]:
        return {**propose(typed, set(typed), TODAY).values, **typed}

    def test_crop_and_number_make_a_whole_plan_in_the_smallest_bed_that_holds_it(self) -> None:
        made = self.proposed(crop="courgette", count="8", blocks="3")
        self.assertEqual((made["bed"], made["design"], made["trait_1"]), ("Large", "blocks", "marketable-yield"))
        self.assertEqual((made["between_rows_cm"], made["in_row_cm"]), ("100", "80"))
        self.assertGreater(date.fromisoformat(made["sow_on"]), TODAY)
        answer = self.client.post(reverse("trials:new"), made | {"touched": "crop,count,blocks"})
        trial = Trial.objects.get()
        self.assertRedirects(answer, trial.get_absolute_url())
        self.assertEqual((trial.plots.count(), trial.crop.name), (24, "Summer squash"))

    def test_fewer_blocks_where_no_bed_holds_more(self) -> None:
        Bed.objects.exclude(name="Middle").delete()
        made = self.proposed(crop="courgette", count="6")
        self.assertEqual(made["bed"], "Middle")
        self.assertLess(int(made["blocks"]), 4)
        self.assertEqual(self.client.post(reverse("trials:new"), made).status_code, 302)

    def test_many_entries_lie_in_incomplete_blocks(self) -> None:
        made = self.proposed(crop="Lettuce", count="36")
        self.assertEqual((made["design"], made["block_size"], made["blocks"]), ("incomplete", "6", "3"))

    def test_what_was_touched_is_never_proposed_over(self) -> None:
        values = propose({"crop": "Leek", "bed": "Large", "plot_length_m": "3"}, {"crop", "bed", "plot_length_m"}, TODAY).values
        self.assertFalse({"crop", "bed", "plot_length_m"} & values.keys())
        self.assertEqual(values["site"], "Ostrel Flats")

    def test_without_a_bed_one_that_holds_it_is_proposed(self) -> None:
        Bed.objects.all().delete()
        made = self.proposed(crop="Leek", count="5")
        answer = self.client.post(reverse("trials:new"), made | {"site": "Anywhere"})
        self.assertEqual(answer.status_code, 302)
        self.assertEqual(Bed.objects.get().name, "Bed 1")

    def test_a_bed_that_is_taken_or_tired_comes_after_one_that_is_free(self) -> None:
        first = self.proposed(crop="Lettuce", count="4")
        self.assertEqual(first["bed"], "Middle")
        world.sow(made := self.grown("Lettuce", "Middle"), self.by, TODAY - timedelta(days=200))
        self.assertEqual(self.proposed(crop="Endive", count="4")["bed"], "Large")  # of the same family
        self.assertEqual(made.bed and made.bed.name, "Middle")

    def grown(self, crop: str, bed: str) -> Trial:
        at = Bed.objects.get(name=bed)
        made = world.trial(self.by, name=f"{crop} there", crop=Crop.objects.get(name=crop), bed=at, season="2025")
        Bed.objects.filter(name="North strip").delete()
        return made

    def test_last_years_verdicts_propose_the_entries_and_their_check(self) -> None:
        crop = Crop.objects.get(name="Bulb fennel")
        made = world.trial(self.by, blocks=4, crop=crop, bed=Bed.objects.get(name="Large"), season="2025")
        world.sow(made, self.by)
        world.keep_yields(made, self.by, {"Corvane": 5.0, "Quillet": 5.3, "OF-17": 5.2, "Brakewater": 1.0}, 0.3)
        self.client.post(
            reverse("verdicts:give", args=[made.slug, made.entries.get(cultivar__name="Brakewater").pk]),
            {
                "verdict": "drop",
                "reason": "far behind",
            },
        )
        sign_board(made, self.by)
        found = propose({"crop": "fennel"}, {"crop"}, TODAY)
        names = found.values["entries"].split("\n")
        self.assertEqual((names[0], found.values["check"]), ("Corvane", "Corvane"))
        self.assertNotIn("Brakewater", names)
        self.assertEqual(found.values["plot_length_m"], f"{made.plot_length_m:g}")


class Unnamed(TestCase):
    """Entries may be counted before they are named; the layout is not fixed before they are."""

    def setUp(self) -> None:
        put_in_what_ships()
        self.by = world.person()
        self.client.force_login(self.by)
        site = Site.objects.create(name="Ostrel Flats")
        Bed.objects.create(site=site, name="Large", length_m=60, width_m=20, bearing=75)

    def post(self, **typed: str) -> Any:
        given = propose(typed, set(typed), TODAY).values | typed
        return self.client.post(reverse("trials:new"), given | {"touched": ",".join(typed)})

    def test_they_keep_their_places_until_they_are_named(self) -> None:
        self.assertEqual(self.post(crop="Leek", count="3", entries="Bray", check="Bray").status_code, 302)
        made = Trial.objects.get()
        self.assertEqual({e.cultivar.name for e in made.entries.all()}, {"Bray", "Entry 1", "Entry 2"})
        with self.assertRaisesMessage(Refused, "no cultivar's name yet"):
            fix_layout(made, self.by)
        self.assertNotContains(self.client.get(reverse("trials:new")), "Entry 1")
        self.assertEqual(Cultivar.objects.filter(stands_in=True).count(), 2)

    def test_what_does_not_fit_is_not_drawn_and_says_what_would(self) -> None:
        Bed.objects.update(length_m=9, width_m=3)
        answer = self.post(crop="Leek", count="8", blocks="4", bed="Large", plot_length_m="2", plot_width_m="1.5")
        self.assertContains(answer, "It does not fit", status_code=422)
        self.assertContains(answer, "data-offer", status_code=422)
        self.assertEqual(Trial.objects.count(), 0)
        none = self.post(crop="Leek", count="4", plot_length_m="0.1", plot_width_m="0.1")
        self.assertContains(none, "No plant fits a plot", status_code=422)


class Kinds(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.client.force_login(self.by)

    def test_one_plot_an_entry_is_observed_and_never_judged(self) -> None:
        made = world.trial(self.by, blocks=1)
        self.assertTrue(made.only_observed)
        world.sow(made, self.by)
        world.keep_yields(made, self.by, {"Corvane": 5.0, "Quillet": 9.5, "OF-17": 5.2, "Brakewater": 0.4})
        self.assertContains(self.client.get(reverse("compare:compare", args=[made.slug])), "observation only")
        board = board_of(Trial.objects.get(pk=made.pk), self.by)
        self.assertEqual({line.suggestion.verdict.value for line in board.lines if line.suggestion}, {"retest"})

    def test_not_in_a_design_that_needs_more(self) -> None:
        with self.assertRaisesMessage(Refused, "from 2 to"):
            world.trial(self.by, blocks=1, design="augmented", repeated=("Quillet",))

    def test_treatments_of_one_cultivar_are_no_slips(self) -> None:
        names = ("Corvane mulched", "Corvane, mulched late", "Corvane bare")
        self.assertTrue(name_doubts(world.trial(self.by, entries=names)))
        self.assertEqual(name_doubts(world.trial(self.by, name="Mulch", entries=names, treatments=True)), [])


class CopiedPutAwayDeleted(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.client.force_login(self.by)
        self.made = world.trial(self.by, sow_on=date(2026, 4, 2), pick_on=date(2026, 7, 9))

    def act(self, name: str) -> Any:
        return self.client.post(reverse(f"trials:{name}", args=[self.made.slug]), follow=True)

    def test_another_like_it_is_planned_for_a_season_without_one(self) -> None:
        page = self.client.get(reverse("trials:new"), {"like": self.made.slug})
        typed = page.context["form"].initial
        self.assertEqual((typed["entries"].split("\n")[0] in world.plan().entries, typed["count"]), (True, 4))
        self.assertGreaterEqual(int(typed["season"]), 2027)
        self.assertEqual((typed["sow_on"].month, typed["sow_on"].day), (4, 2))

    def test_put_away_it_stays_whole_and_comes_back(self) -> None:
        self.act("archive")
        self.assertNotContains(self.client.get("/"), "Fennel, 2026")
        self.assertContains(self.client.get("/trials/"), "put away")
        self.assertContains(self.client.get(self.made.get_absolute_url()), "This trial is put away")
        self.act("archive")
        self.assertNotContains(self.client.get("/trials/"), "put away")

    def test_it_is_deleted_while_nothing_is_recorded_and_never_after(self) -> None:
        walk = world.walk(self.made, "vigour", self.by)
        world.keep(walk, self.made.plots.get(number="101"), self.by, 5.0)
        self.assertContains(self.act("delete"), "records are never deleted")
        self.assertTrue(Trial.objects.filter(pk=self.made.pk).exists())
        other = world.trial(self.by, name="Other")
        self.assertContains(self.client.post(reverse("trials:delete", args=[other.slug]), follow=True), "is deleted")
        self.assertFalse(Trial.objects.filter(pk=other.pk).exists())

    def test_only_who_plans_does_it(self) -> None:
        self.client.force_login(world.person("evaluator"))
        for name in ("archive", "delete"):
            self.assertEqual(self.client.post(reverse(f"trials:{name}", args=[self.made.slug])).status_code, 403)
