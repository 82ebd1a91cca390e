"""Sowing: cells, stock, days and taking it back; trays of several trials; plots where they stand."""

from datetime import timedelta
from typing import Any
from unittest import mock

from django.urls import reverse
from django.utils import timezone

from evarlo.catalogue.models import Crop
from evarlo.grounds.history import keep_use
from evarlo.nursery.audit import audit_of
from evarlo.nursery.book import book_of
from evarlo.nursery.models import Session, Sowing, Step, Tray
from evarlo.nursery.queries import plot_sown_on, step_rows
from evarlo.nursery.services import keep_step
from evarlo.nursery.sowing import Put, new_tray, session_of, sow_cells, sow_plots, undo_sowing
from evarlo.people.models import Role
from evarlo.seeds.models import Lot
from evarlo.seeds.services import stock_of
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.testing.raising import Nursery
from evarlo.trials.models import NeedPlan, Trial
from evarlo.trials.needs import by_machine, inoculation
from evarlo.ui.refused import Refused


class Cells(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.today = timezone.localdate()
        self.n = Nursery(self.by, self.today)
        self.code = self.n.codes[0]

    def test_seeds_leave_the_lot_and_the_entrys_plots_get_their_day(self) -> None:
        sowing = self.n.sow(self.code, self.n.tray(), range(24))
        self.assertEqual((stock_of(self.n.lots[self.code]), sowing.seeds), (276, 24))
        plots = set(self.n.trial.plots.filter(entry__code=self.code).values_list("pk", flat=True))
        self.assertEqual({r.plot_id for r in step_rows(self.n.trial, Step.SOWN)}, plots)

    def test_a_cell_holds_one_entry_and_a_tray_several_trials(self) -> None:
        tray = self.n.tray()
        self.n.sow(self.code, tray, range(24))
        with self.assertRaisesMessage(Refused, f"A3 holds {self.code} already"):
            self.n.sow(self.n.codes[1], tray, range(2, 5))
        other = world.trial(self.by, name="Other", sow_on=self.n.sown)
        entry = other.entries.first()
        assert entry
        sow_cells(Put(entry, None, 1), tray, range(24, 30), session_of(self.n.sown, self.by, {}), self.today)
        self.assertEqual(tray.sowings.count(), 2)
        self.client.force_login(self.by)
        page = self.client.get(reverse("nursery:sow", args=[self.n.trial.slug]), {"way": "trays", "tray": str(tray.pk)})
        self.assertContains(page, f"{entry.code}, another trial")
        self.assertContains(page, "42 free")

    def test_what_cannot_be_is_refused(self) -> None:
        tray = self.n.tray()
        with self.assertRaisesMessage(Refused, "Nothing was chosen"):
            self.n.sow(self.code, tray, range(0))
        with self.assertRaisesMessage(Refused, "is no cell of tray T1"):
            self.n.sow(self.code, tray, range(70, 75))
        with self.assertRaisesMessage(Refused, "in the future"):
            self.n.sow(self.code, tray, range(5), days=40)
        big = self.n.tray(20, 20)
        with self.assertRaisesMessage(Refused, "The ledger has 300 seeds; 400 is 100 too many"):
            self.n.sow(self.code, big, range(400))
        self.assertEqual((Sowing.objects.count(), stock_of(self.n.lots[self.code])), (0, 300))
        with self.assertRaisesMessage(Refused, "There is a tray t1 already"):
            new_tray("t1", 6, 10, None, None, self.today, self.by)
        with mock.patch("evarlo.nursery.sowing.MOST_TRAYS", 1), self.assertRaisesMessage(Refused, "There are 1 trays already"):
            new_tray("t99", 6, 10, None, None, self.today, self.by)
        loose = world.trial(self.by, name="Loose", fixed=False)
        with self.assertRaisesMessage(Refused, "Fix the layout first"):
            sow_cells(Put(loose.entries.all()[0], None, 1), tray, [1], session_of(self.n.sown, self.by, {}), self.today)

    def test_taken_back_it_frees_cells_seeds_and_days_and_can_be_done_again(self) -> None:
        tray = self.n.tray()
        sowing = self.n.sow(self.code, tray, range(24))
        undo_sowing(sowing, self.by, self.today)
        undo_sowing(sowing, self.by, self.today)
        self.assertEqual(stock_of(self.n.lots[self.code]), 300)
        self.assertEqual(step_rows(self.n.trial, Step.SOWN), [])
        plot = self.n.trial.plots.filter(entry__code=self.code)[0]
        self.assertIsNone(plot_sown_on(plot))
        again = self.n.sow(self.code, tray, range(24), days=2)
        self.assertEqual(plot_sown_on(plot), self.n.sown + timedelta(days=2))
        self.n.count(again, 9, 12)
        with self.assertRaisesMessage(Refused, "Something was recorded of its plants since"):
            undo_sowing(again, self.by, self.today)

    def test_a_sitting_is_one_as_long_as_nothing_differs(self) -> None:
        one = session_of(self.today, self.by, {"medium": "sterile", "depth_mm": 8.0})
        self.assertEqual(one, session_of(self.today, self.by, {"medium": "sterile", "depth_mm": 8.0}))
        self.assertNotEqual(one, session_of(self.today, self.by, {"medium": "sterile", "depth_mm": 12.0}))

    def test_what_differs_between_entries_is_said_with_how_it_could_mislead(self) -> None:
        tray = self.n.tray(10, 12)
        for k, code in enumerate(self.n.codes):
            odd = k == 3
            self.n.sow(code, tray, range(24 * k, 24 * k + 24), medium="compost" if odd else "sterile", days=3 if odd else 0)
        found = {f.about: f for f in audit_of(self.n.trial, book_of(self.n.trial)).findings}
        self.assertEqual(set(found), {"Day of sowing", "Medium"})
        self.assertEqual(found["Medium"].said, f"Medium: {self.n.codes[3]} compost; the others sterile.")
        self.assertTrue(found["Medium"].apart)
        self.assertIn("food, salts", found["Medium"].misleads)

    def test_nothing_of_the_seed_store_is_told_to_whoever_must_not_know_names(self) -> None:
        Lot.objects.filter(pk=self.n.lots[self.code].pk).update(supplier="SUP-99", treatment="dressed")
        self.n.sow_all()
        told = audit_of(self.n.trial, book_of(self.n.trial))
        hidden = audit_of(self.n.trial, book_of(self.n.trial), lots=False)
        self.assertIn("SUP-99", " ".join(f.said for f in told.findings))
        self.assertNotIn("SUP-99", " ".join(f.said for f in hidden.findings))
        self.client.force_login(world.person(Role.HELPER))
        for name in ("sow", "coming", "balance", "plant", "stand", "fairness"):
            page = self.client.get(reverse(f"nursery:{name}", args=[self.n.trial.slug])).content.decode()
            for secret in ("SUP-99", "K17-", *(e.cultivar.name for e in self.n.entries.values())):
                self.assertNotIn(secret, page, f"{name} tells {secret}")


class Bench(TestCase):
    """The page at which packets go into cells."""

    def setUp(self) -> None:
        self.by = world.person()
        self.n = Nursery(self.by, timezone.localdate(), days=0)
        self.page = reverse("nursery:sow", args=[self.n.trial.slug])
        self.client.force_login(self.by)

    def post(self, tray: Tray, **typed: object):  # type: ignore[no-untyped-def]
        given = {"entry": self.n.codes[0], "cells": "A1-A12, B", "per_cell": 1, "on": self.n.today.isoformat(), "lot": ""} | typed
        return self.client.post(reverse("nursery:put-seeds", args=[self.n.trial.slug, tray.pk]), given)

    def test_the_next_packet_and_its_cells_are_proposed_in_the_order_of_the_bench(self) -> None:
        self.client.post(reverse("nursery:put-tray", args=[self.n.trial.slug]), {"tray_name": "T1", "rows": "8", "cols": "12"})
        tray = Tray.objects.get()
        first, second = self.n.codes[2], self.n.codes[0]
        page = self.client.get(self.page, {"way": "trays", "order": f"{first} {second}"})
        self.assertContains(page, f'<option value="{first}" selected>')
        self.assertContains(page, 'value="A1-G2"')  # 54 stations ÷ (0.90 × 0.90) + 10 % = 74
        page = self.client.get(self.post(tray, entry=first, cells="A1-G2").url)
        self.assertContains(page, f'<option value="{second}" selected>')
        self.assertContains(page, 'value="G3-H12"')

    def test_what_was_said_of_the_sitting_stays_for_the_next_packet(self) -> None:
        tray = self.n.tray()
        self.post(tray, medium="sterile", depth_mm="0.5 in")
        session = Session.objects.get()
        self.assertEqual((session.medium, session.depth_mm), ("sterile", 12.7))
        self.assertContains(self.client.get(self.page, {"way": "trays"}), 'value="sterile"')
        self.post(tray, medium="sterile", depth_mm="12.7", entry=self.n.codes[1], cells="C")
        self.assertEqual(Session.objects.count(), 1)

    def test_wrong_cells_and_too_few_seeds_are_said_beside_them_and_nothing_is_lost(self) -> None:
        tray = self.n.tray()
        wrong = self.post(tray, cells="A1-Z9", medium="sterile")
        self.assertContains(wrong, "Expected cells from A1 to F12", status_code=422)
        self.assertContains(wrong, 'value="A1-Z9"', status_code=422)
        self.assertContains(wrong, 'value="sterile"', status_code=422)
        many = self.post(tray, per_cell="9", cells="A-F")
        self.assertContains(many, "The ledger has 300 seeds; 648 is 348 too many", status_code=422)
        self.assertContains(many, "Sow it, although the ledger has less", status_code=422)
        self.assertEqual(Sowing.objects.count(), 0)
        self.assertEqual(self.post(tray, per_cell="9", cells="A-F", sure="on").status_code, 302)
        self.assertEqual(stock_of(self.n.lots[self.n.codes[0]]), -348)
        self.assertContains(self.post(tray), "holds", status_code=422)

    def test_a_lot_can_be_chosen_or_none(self) -> None:
        self.post(self.n.tray(), lot="none")
        self.assertIsNone(Sowing.objects.get().lot)
        self.assertEqual(stock_of(self.n.lots[self.n.codes[0]]), 300)

    def test_labels_of_trays_are_a_pdf_without_names(self) -> None:
        url = reverse("nursery:tray-labels", args=[self.n.trial.slug])
        self.assertRedirects(self.client.get(url), self.page, fetch_redirect_response=False)
        self.post(self.n.tray())
        answer = self.client.get(url)
        self.assertEqual(answer["Content-Type"], "application/pdf")
        self.assertTrue(answer.content.startswith(b"%PDF"))


class Plots(TestCase):
    """Sown where they stand."""

    def setUp(self) -> None:
        self.by = world.person()
        self.n = Nursery(self.by, timezone.localdate(), days=0)
        self.client.force_login(self.by)

    def test_plots_are_walked_and_each_is_sown_once(self) -> None:
        url = reverse("nursery:put-in-plots", args=[self.n.trial.slug])
        page = reverse("nursery:sow", args=[self.n.trial.slug])
        first = self.n.trial.plots.all()[0]
        self.assertContains(self.client.get(page, {"way": "plots"}), f'<span class="plot-number">{first.number}</span>')
        typed = {"on": self.n.today.isoformat(), "seeds": "36", "plots": first.number}
        self.client.post(url, typed)
        self.client.post(url, typed)
        self.assertEqual(stock_of(self.n.lots[first.entry.code]), 264)
        second = self.n.trial.plots.all()[1]
        self.assertContains(self.client.get(page, {"way": "plots"}), f'<span class="plot-number">{second.number}</span>')
        self.client.post(url, typed | {"plots": ""})
        self.assertEqual(Sowing.objects.in_force().count(), 12)
        self.assertEqual(len(step_rows(self.n.trial, Step.SOWN)), 12)

    def test_only_the_day_can_be_kept_too(self) -> None:
        keep_step(self.n.trial, Step.SOWN, self.n.today, self.n.trial.plots.all(), self.by, self.n.today)
        plots = list(self.n.trial.plots.all())
        self.assertEqual(sow_plots(plots, {}, 30, session_of(self.n.today, self.by, {}), self.n.today), 12)
        self.assertEqual(sow_plots([], {}, 30, session_of(self.n.today, self.by, {}), self.n.today), 0)


class Proposals(TestCase):
    """A sitting's details are facts of that sitting: none is carried into another trial, crop or day."""

    def proposed(self, trial: Any) -> dict[str, Any]:
        page = self.client.get(reverse("nursery:sow", args=[trial.slug]))
        form = page.context["form"]
        shown = {name: form[name].value() for name in ("medium", "depth_mm", "cover", "warmth_c", "orientation")}
        return shown | {"trays": [t.name for t in page.context["trays"]]}

    def test_nothing_leaks_from_one_trial_into_the_next(self) -> None:
        by, today = world.person(), timezone.localdate()
        self.client.force_login(by)
        first = Nursery(by, today, days=0)
        tray = first.tray()
        shared = {"medium": "compost", "depth_mm": 22.0, "cover": "grit", "warmth_c": 24.0, "orientation": "tip down"}
        entry = first.entries[first.codes[0]]
        sow_cells(Put(entry, None, 1), tray, [0, 1], session_of(today, by, shared), today)
        own = self.proposed(first.trial)
        self.assertEqual((own["medium"], float(own["depth_mm"]), own["cover"]), ("compost", 22.0, "grit"))
        other = world.trial(by, name="Other", season="2031")
        Crop.objects.filter(pk=other.crop_id).update(profile={"depth_mm": 12})
        new_tray("Empty", 4, 4, 40, None, today, by)
        told = self.proposed(other)
        self.assertEqual(
            (told["medium"] or "", float(told["depth_mm"]), told["cover"] or "", told["warmth_c"]), ("", 12.0, "", None)
        )
        self.assertEqual(told["trays"], ["Empty"])
        page = self.client.get(reverse("nursery:sow", args=[other.slug]), {"way": "trays", "tray": str(tray.pk)})
        self.assertEqual((page.context["tray"], [t.pk for t in page.context["others"]]), (tray, []))


class AsTheCropWantsIt(TestCase):
    def setUp(self) -> None:
        self.by, self.today = world.person(), timezone.localdate()
        self.n = Nursery(self.by, self.today)
        Crop.objects.filter(pk=self.n.trial.crop_id).update(profile={"germination": "light", "depth_mm": 1, "soil_c": [15, 22]})
        self.client.force_login(self.by)

    def put(self, **typed: str) -> Any:
        tray = self.n.trays[0] if self.n.trays else self.n.tray()
        url = reverse("nursery:put-seeds", args=[self.n.trial.slug, tray.pk])
        usual = {"entry": self.n.codes[0], "cells": "A1-A6", "per_cell": "1", "on": self.today.isoformat(), "lot": "none"}
        return self.client.post(url, usual | typed)

    def test_a_light_germinator_is_not_buried_without_being_asked_about(self) -> None:
        page = self.put(depth_mm="8")
        self.assertContains(page, "It germinates in light, and 8 mm buries it", status_code=422)
        self.assertContains(page, 'value="8"', status_code=422)
        self.assertEqual(Sowing.objects.count(), 0)
        self.put(depth_mm="8", anyway="on")
        self.assertEqual(Sowing.objects.get().session.depth_mm, 8)

    def test_many_seeds_a_cell(self) -> None:
        self.put(cells="A1", per_cell="250")
        self.assertEqual(Sowing.objects.get().seeds, 250)

    def test_needs_say_how_a_machine_is_set_and_whether_to_inoculate(self) -> None:
        """Plants every 30 cm of which 85 × 90 % of the seeds come up: a seed every 30 × 0.765 = 22.95 cm."""
        trial = Trial.objects.get(pk=self.n.trial.pk)
        plan = NeedPlan(trial=trial, transplant=False, germination=85, field_percent=90)
        assert trial.in_row_cm and trial.bed and trial.sow_on
        self.assertIn("a seed every 23.0 cm in the row", by_machine(trial, plan))
        self.assertEqual(inoculation(trial), "")
        Crop.objects.filter(pk=trial.crop_id).update(profile={"family": "Fabaceae"})
        self.assertTrue(inoculation(Trial.objects.get(pk=trial.pk)).startswith("Inoculate: no legume is on record"))
        since = trial.sow_on - timedelta(days=500)
        keep_use(
            trial.bed, "crop", "Broad bean", Crop.objects.get(name="Broad bean"), (0, 3), since, since + timedelta(days=90), ""
        )
        self.assertIn("shares its rhizobia with Broad bean", inoculation(Trial.objects.get(pk=trial.pk)))
