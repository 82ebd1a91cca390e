"""Weights from a sheet: looked at first, brought in once, taken back as a whole."""

import io
import uuid
from datetime import timedelta
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from django.utils import timezone
from openpyxl import Workbook

from evarlo.events.models import Care
from evarlo.harvest.classes import ClassPlan, Kind, keep_classes
from evarlo.harvest.models import Picking, WeightsFile
from evarlo.harvest.queries import standing, yields
from evarlo.harvest.services import Weighed, keep_picking
from evarlo.people.models import Role
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial


class Sheets(TestCase):
    def setUp(self) -> None:
        self.by, self.today = world.person(), timezone.localdate()
        self.made = world.trial(self.by)
        world.sow(self.made, self.by)
        self.client.force_login(self.by)
        self.url = reverse("harvest:weights", args=[self.made.slug])
        self.day = (self.today - timedelta(days=6)).isoformat()
        self.later = (self.today - timedelta(days=3)).isoformat()

    def test_what_is_wrong_is_said_beside_where_the_sheet_was_given(self) -> None:
        for url in (self.url, reverse("exchange:bring-in")):
            for given, field in (
                ({"text": "PK\x03\x04no workbook"}, "text"),
                ({"file": SimpleUploadedFile("w.xlsx", b"PK\x03\x04no workbook")}, "file"),
            ):
                page = self.client.post(url, given)
                self.assertEqual(page.status_code, 422)
                self.assertEqual(list(page.context["form"].errors), [field], url)

    def send(self, text: str) -> Any:
        return self.client.post(self.url, {"text": text}, follow=True)

    def bring(self) -> Any:
        file = WeightsFile.objects.latest("pk")
        return self.client.post(reverse("harvest:weights-bring", args=[self.made.slug, file.pk]), follow=True)

    def kept(self) -> dict[str, list[float]]:
        found: dict[str, list[float]] = {}
        for row in standing(self.made).select_related("plot").order_by("plot__number", "on"):
            found.setdefault(row.plot.number, []).append(row.marketable_kg)
        return found

    def test_a_column_a_day_is_shown_and_then_kept_once(self) -> None:
        page = self.send(f"plot;{self.day};{self.later}\n101;2,31;1,5\n102;0;0,8\n")
        self.assertContains(page, "4 weigh-ins of 2 plots on 2 days")
        self.assertContains(page, "4.61 kg marketable")
        self.assertFalse(Picking.objects.exists())
        self.assertContains(self.bring(), "4 weigh-ins from pasted lines are in.")
        self.assertEqual(self.kept(), {"101": [2.31, 1.5], "102": [0.0, 0.8]})
        self.assertEqual(Picking.objects.get(plot__number="102", marketable_kg=0).nought, "nothing")
        self.assertContains(self.bring(), "was brought in already")
        self.assertEqual(Picking.objects.count(), 4)

    def test_classes_by_column_and_what_is_there_stays(self) -> None:
        keep_classes(self.made, [ClassPlan("Fit"), ClassPlan("Over", Kind.CULL)], self.by)
        plot = self.made.plots.select_related("trial").get(number="101")
        on = self.today - timedelta(days=6)
        keep_picking(plot, on, Weighed(9.0), self.by, uuid.uuid4(), self.today)
        page = self.send(f"plot,date,Fit,Fit pieces,Over\n101,{self.day},2,8,0.5\n102,{self.day},3,12,1\n")
        self.assertContains(page, "1 other of a plot and day that has one already")
        self.bring()
        self.assertEqual(self.kept(), {"101": [9.0], "102": [3.0]})
        other = self.made.plots.get(number="102")
        self.assertAlmostEqual(yields(Trial.objects.get(pk=self.made.pk))[other.pk].marketable_share or 0, 0.75)
        wrong = self.send(f"plot,date,class,kg\n101,{self.day},Golden,2\n")
        self.assertContains(wrong, "Golden", status_code=422)
        self.assertContains(wrong, "Fit, Over", status_code=422)

    def test_a_workbook_is_read_like_its_cells(self) -> None:
        book = Workbook()
        sheet = book.active
        assert sheet
        sheet.append(["Plot", "Date", "Weight (g)", "Pieces"])
        sheet.append([101, self.today - timedelta(days=6), 2310, 9])
        sheet.append([102, self.today - timedelta(days=6), 1500.5, None])
        raw = io.BytesIO()
        book.save(raw)
        page = self.client.post(self.url, {"file": SimpleUploadedFile("July.xlsx", raw.getvalue())}, follow=True)
        self.assertContains(page, "2 weigh-ins of 2 plots on 1 day")
        self.assertContains(self.bring(), "from July.xlsx are in.")
        self.assertEqual(self.kept(), {"101": [2.31], "102": [1.5005]})

    def test_what_cannot_be_is_named_before_anything_is_kept(self) -> None:
        ahead = (self.today + timedelta(days=1)).isoformat()
        text = f"plot,date,kg,pieces\n999,{self.day},1,2\n101,{ahead},1,2\n101,1999-01-01,1,2\n102,{self.day},900,2\n103,{self.day},0,3\n"
        page = self.send(text)
        for said in ("a plot of this trial", "a day that is not to come", "was sown", "from 0 to 500 kg", "pieces that go with"):
            self.assertContains(page, said, status_code=422)
        self.assertContains(self.bring(), "Mend 5 cells first.", status_code=422)
        self.assertFalse(Picking.objects.exists())
        for raw in (b"PK\x03\x04 not a workbook", b"\x89PNG", b""):
            answer = self.client.post(self.url, {"file": SimpleUploadedFile("x.xlsx", raw)})
            self.assertEqual(answer.status_code, 422)

    def test_a_held_plot_needs_its_reason_first(self) -> None:
        done = timezone.now() - timedelta(days=7)
        care = Care.objects.create(
            trial=self.made, kind=Care.Kind.SPRAY, what="Soap", done_at=done, pick_days=3, by=self.by, at=timezone.now()
        )
        care.plots.set(self.made.plots.all())
        text = f"plot,date,kg\n101,{self.day},1\n101,{self.later},1\n"
        self.assertContains(self.send(text), "a day on which the plot may be picked", status_code=422)
        self.made.picked_anyway.create(on=self.day, why="Weighed only", by=self.by, at=timezone.now())
        self.assertContains(self.send(text), "2 weigh-ins of 1 plot")

    def test_all_of_it_can_be_taken_back(self) -> None:
        self.send(f"plot,date,kg\n101,{self.day},2\n102,{self.day},3\n")
        self.bring()
        file = WeightsFile.objects.get()
        plot = self.made.plots.select_related("trial").get(number="103")
        keep_picking(plot, self.today, Weighed(4.0), self.by, uuid.uuid4(), self.today)
        back = reverse("harvest:weights-back", args=[self.made.slug, file.pk])
        self.client.force_login(world.person(Role.HELPER))
        self.assertEqual(self.client.post(back).status_code, 403)
        self.client.force_login(self.by)
        self.assertContains(self.client.post(back, follow=True), "2 weigh-ins of pasted lines are taken back.")
        self.assertEqual(self.kept(), {"103": [4.0]})

    def test_one_far_off_is_pointed_at(self) -> None:
        lines = "".join(f"{n},{self.day},2.{n % 5}\n" for n in (101, 102, 103, 104, 201, 202))
        page = self.send(f"plot,date,kg\n{lines}203,{self.day},21\n")
        self.assertContains(page, "1 weigh-in far from the others")
        self.assertContains(page, "plot 203")
