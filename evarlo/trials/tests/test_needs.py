"""What a trial needs: seed with its working, what is short, trays, materials, orders."""

import csv
import io
from datetime import timedelta
from typing import Any

from django.urls import reverse
from django.utils import timezone

from evarlo.catalogue.models import Crop, Cultivar
from evarlo.people.models import Role
from evarlo.seeds.models import Lot
from evarlo.seeds.services import keep_lot, move_stock
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.forecast import seeds_in_all
from evarlo.trials.models import NeedPlan, Trial
from evarlo.trials.needs import Needs, needs_of
from evarlo.trials.services import add_material, keep_need_plan
from trialcore.tests.surely import surely


class NeedsOfATrial(TestCase):
    """4 entries × 3 blocks, 18 stations a plot: 54 stations an entry."""

    def setUp(self) -> None:
        self.by = world.person()
        self.today = timezone.localdate()
        self.made = world.trial(self.by, sow_on=self.today + timedelta(days=60))
        self.client.force_login(self.by)
        self.reckon(per_station=2, germination=82, field_percent=90, spare_percent=0, spare=5, transplant=False)

    def reckon(self, **changes: Any) -> None:
        keep_need_plan(self.made, changes)

    def lot(self, name: str, seeds: int = 0, **known: Any) -> Lot:
        lot = keep_lot(None, Cultivar.objects.get(name=name), {"name": f"{name}-1", "material": "seed", **known}, self.by)
        if seeds:
            move_stock(lot, "received", seeds, self.today, self.by, self.today)
        return lot

    def needs(self) -> Needs:
        made = Trial.objects.get(pk=self.made.pk)
        return needs_of(made, {e.pk: e.code for e in made.entries.all()}, self.today)

    def row(self, name: str) -> Any:
        return next(r for r in self.needs().rows if r.entry.cultivar.name == name)

    def test_the_working_is_shown_and_right(self) -> None:
        """(1 − 0.82 × 0.9)² = 6.86 % stay empty; 54 × 2 ÷ 0.9314 = 115.96, so 116, and 5."""
        row = self.row("Quillet")
        self.assertEqual((row.stations, row.seeds), (54, 121))
        self.assertEqual(
            row.working, "54 stations × 2 + 7.37 % for the 6.9 % that stay empty + 5 spare = 121 seeds (germination assumed)"
        )

    def test_what_a_lot_states_takes_the_place_of_what_is_assumed(self) -> None:
        self.lot("Quillet", 100, germination=60, packet=40, price=2.5, supplier="SUP-04")
        row = self.row("Quillet")
        self.assertEqual(row.seeds, 142)  # 0.46² = 21.16 % stay empty: 108 ÷ 0.7884 = 136.99, so 137, and 5
        self.assertEqual((row.in_stock, row.short, row.packets, row.cost), (100, 42, 2, 5.0))
        self.assertEqual(row.order_by, surely(self.made.sow_on) - timedelta(days=21))

    def test_planning_ordering_and_sowing_show_one_figure(self) -> None:
        """Two a cell at 85 × 90 %: 54 × 2 × 1.1 = 118.8, so 119 an entry and 60 cells, as New trial says for the same plan."""
        self.reckon(per_station=2, germination=85, field_percent=90, spare_percent=10, spare=0, transplant=True)
        self.assertEqual([r.seeds for r in self.needs().rows], [119] * 4)
        self.assertEqual({r.cells for r in self.needs().rows}, {60})
        plan = NeedPlan(per_station=2, germination=85, field_percent=90, spare_percent=10)
        self.assertEqual(seeds_in_all([54] * 4, plan)[0], 4 * 119)
        page = self.client.get(reverse("nursery:sow", args=[self.made.slug]))
        self.assertEqual([p.seeds for p in page.context["packets"]], [119] * 4)

    def test_an_entry_with_enough_is_not_ordered(self) -> None:
        self.lot("Quillet", 500)
        row = self.row("Quillet")
        self.assertEqual((row.short, row.order_by), (0, None))
        self.assertEqual(len(self.needs().short), 3)

    def test_old_seed_is_doubted_and_fresh_seed_goes_first(self) -> None:
        self.lot("Quillet", 500, year=self.today.year - 9)
        fresh = keep_lot(
            None, Cultivar.objects.get(name="Quillet"), {"name": "N", "year": self.today.year, "germination": 90}, self.by
        )
        row = self.row("Quillet")
        self.assertEqual(row.lots[0].lot, fresh)
        self.assertIn("Expect it to fail", " ".join(row.doubts))

    def test_tubers_and_plants_need_no_germination(self) -> None:
        self.lot("Quillet", material="plants")
        self.reckon(per_station=1, spare=0, field_percent=100)
        self.assertEqual(self.row("Quillet").seeds, 54)

    def test_trays_and_medium_follow_the_cells(self) -> None:
        self.reckon(per_station=1, spare=0, transplant=True, tray_cells=60, cell_ml=50)
        needs = self.needs()
        cells = -(-54 * 10000 // (82 * 90))  # 73.2, so 74 an entry
        self.assertEqual((cells, needs.rows[0].cells), (74, 74))
        self.assertEqual(needs.trays, 5)  # 296 cells
        self.assertAlmostEqual(needs.medium_l, 5 * 60 * 0.05 * 1.1)

    def test_materials_by_each_way_of_reckoning(self) -> None:
        """A plot is 2.0 × 1.5 m with 3 rows of 6."""
        for typed in (
            {"name": "Net feed", "kind": "rate", "amount": 50, "unit": "kg/ha", "pack": 100, "price": 4},
            {"name": "Nitrogen", "kind": "nutrient", "amount": 12, "grade": 21, "soil": 15},
            {"name": "Straw", "kind": "layer", "amount": 5, "pack": 70},
            {"name": "Stakes", "kind": "plant", "amount": 1},
            {"name": "String", "kind": "row", "amount": 2},
        ):
            add_material(self.made, typed)
        found = {m.material.name: m for m in self.needs().materials}
        self.assertAlmostEqual(found["Net feed"].a_plot, 15.0)
        self.assertEqual((found["Net feed"].packs, found["Net feed"].cost), (2, 8.0))
        self.assertAlmostEqual(found["Nitrogen"].a_plot, 8.1 * 3 / 0.21)
        self.assertAlmostEqual(found["Straw"].a_plot, 150.0)
        self.assertEqual(found["Straw"].packs, 26)
        self.assertEqual((found["Stakes"].in_all, found["Stakes"].unit), (216, "pieces"))
        self.assertAlmostEqual(found["String"].a_plot, 2 * 3 * 2.0)

    def test_a_material_for_some_plots_is_reckoned_for_these_and_said_to_be_unequal(self) -> None:
        url = reverse("trials:new-material", args=[self.made.slug])
        typed = {"name": "Fleece", "kind": "layer", "amount": "1"}
        wrong = self.client.post(url, typed | {"plots": "101-999"})
        self.assertContains(wrong, "Found “999”. Expected plot numbers of this trial", status_code=422)
        self.assertNotContains(wrong, "Not every plot gets the same", status_code=422)
        self.client.post(url, typed | {"plots": "101-103"})
        self.assertAlmostEqual(self.needs().materials[0].in_all, 3 * 30.0)
        page = self.client.get(reverse("trials:needs", args=[self.made.slug]))
        self.assertContains(page, "only plots 101-103")
        self.assertContains(page, "Not every plot gets the same")

    def test_the_page_says_what_is_short_and_takes_changes_at_once(self) -> None:
        self.lot("Quillet", 500)
        page = self.client.get(reverse("trials:needs", args=[self.made.slug]))
        self.assertContains(page, "<strong>3 of 4</strong> entries are short of seed")
        self.assertContains(page, "121 short")
        typed = {
            "per_station": "3",
            "germination": "82",
            "field_percent": "90",
            "spare_percent": "0",
            "spare": "0",
            "tray_cells": "60",
            "cell_ml": "50",
            "lead_days": "21",
        }
        url = reverse("trials:keep-needs", args=[self.made.slug])
        answer = self.client.post(url, typed, headers={"hx-request": "true"})
        self.assertContains(answer, "54 stations × 3")
        self.assertEqual(self.client.post(url, typed | {"germination": "0"}, headers={"hx-request": "true"}).status_code, 204)
        wrong = self.client.post(url, typed | {"germination": "0"})
        self.assertContains(wrong, "Found “0”. Expected a number from 1 to 100 %.", status_code=422)
        self.assertEqual(NeedPlan.objects.get(trial=self.made).per_station, 3)

    def test_a_nutrient_without_its_grade_is_asked_for_and_a_material_comes_off_again(self) -> None:
        url = reverse("trials:new-material", args=[self.made.slug])
        wrong = self.client.post(url, {"name": "Nitrogen", "kind": "nutrient", "amount": "12"})
        self.assertContains(wrong, "how much of the nutrient the material holds", status_code=422)
        self.assertContains(wrong, 'value="Nitrogen"', status_code=422)
        self.client.post(url, {"name": "Nitrogen", "kind": "nutrient", "amount": "12", "grade": "21 %"})
        made = self.made.materials.get()
        self.client.post(reverse("trials:drop-material", args=[self.made.slug, made.pk]))
        self.assertEqual((self.made.materials.in_force().count(), self.made.materials.count()), (0, 1))

    def test_the_order_list_has_units_packs_and_a_day(self) -> None:
        self.lot("Quillet", 100, packet=40, price=2.5, supplier="SUP-04")
        add_material(self.made, {"name": "Straw", "kind": "layer", "amount": 5, "pack": 70, "price": 6})
        sent = self.client.get(reverse("trials:orders", args=[self.made.slug])).content.decode()
        rows = list(csv.DictReader(io.StringIO(sent)))
        self.assertEqual(len(rows), 5)
        quillet = next(r for r in rows if r["item"] == "Quillet")
        order_by = (surely(self.made.sow_on) - timedelta(days=21)).isoformat()
        wanted = {
            "supplier": "SUP-04",
            "amount": "21",
            "unit": "seeds",
            "packs": "1",
            "pack_size": "40",
            "order_by": order_by,
            "cost": "2.5",
        }
        self.assertEqual({k: quillet[k] for k in wanted}, wanted)
        self.assertEqual(rows[-1]["cost"], str(26 * 6))

    def test_the_kit_list_tells_no_name(self) -> None:
        self.client.force_login(world.person(Role.HELPER))
        page = self.client.get(reverse("trials:kit", args=[self.made.slug]))
        self.assertContains(page, "12 plots of 18 stations")
        self.assertNotContains(page, "Quillet")
        self.assertEqual(self.client.get(reverse("trials:needs", args=[self.made.slug])).status_code, 403)

    def test_pieces_are_not_seeds(self) -> None:
        Crop.objects.filter(pk=self.made.crop_id).update(profile={"germination": "tuber"})
        NeedPlan.objects.all().delete()
        page = self.client.get(reverse("trials:needs", args=[self.made.slug]))
        self.assertContains(page, "54 stations ÷ (1.00 × 0.90) + 10 % = 66 pieces")
        self.assertContains(page, "entries are short of pieces")
        self.assertContains(page, "264 pieces in all")
        self.assertNotContains(page, "With 1 seed")

    def test_dear_seed_says_what_so_few_can_do(self) -> None:
        """25 seeds of 0.82 × 0.9: 18.45 on average; by the binomial at least 16 in 90.7 % of cases. 16 ÷ 3 plots: 5 in each."""
        self.lot("Quillet", 25, germination=82)
        self.lot("OF-17", 2, germination=82)
        page = self.client.get(reverse("trials:needs", args=[self.made.slug]))
        self.assertContains(page, "Sown one a station, 25 seeds give at least 16 plants 9 times in 10, 18 on average.")
        self.assertContains(page, "That is 5 in each of its 3 plots. As few in every entry", 1)
        self.assertContains(page, "Keep 6 back until the first are up", 1)
        self.assertContains(page, "That is not one in each of its plots: grow it for seed this year", 1)
        self.assertContains(page, "If no more can be had", 2)  # nothing is said where nothing is in stock
