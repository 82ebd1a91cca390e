"""What was typed wrongly is put right on record: a bed, a tray, a trial's name."""

from django.urls import reverse
from django.utils import timezone

from evarlo.grounds.models import Bed
from evarlo.nursery.models import Tray
from evarlo.people.models import Correction, Role
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.testing.raising import Nursery
from evarlo.trials.models import Trial


class PutRight(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.n = Nursery(self.by, timezone.localdate())
        self.client.force_login(self.by)

    def bed(self, **typed: object) -> tuple[int, str, Bed]:
        bed = self.n.trial.bed
        assert bed
        given = {"name": bed.name, "length_m": bed.length_m, "width_m": bed.width_m, "why": "measured anew"} | typed
        answer = self.client.post(reverse("grounds:correct-bed", args=[bed.pk]), given)
        return answer.status_code, answer.content.decode(), Bed.objects.get(pk=bed.pk)

    def tray(self, tray: Tray, **typed: object) -> tuple[int, str, Tray]:
        given = {"tray_name": tray.name, "rows": tray.rows, "cols": tray.cols, "cell_ml": "", "why": "counted anew"} | typed
        answer = self.client.post(reverse("nursery:correct-tray", args=[self.n.trial.slug, tray.pk]), given)
        return answer.status_code, answer.content.decode(), Tray.objects.get(pk=tray.pk)

    def test_a_beds_size_with_what_it_was_and_why(self) -> None:
        status, _, bed = self.bed(length_m="21.5", name="North bed")
        self.assertEqual((status, bed.length_m, bed.name), (302, 21.5, "North bed"))
        page = self.client.get(reverse("grounds:bed", args=[bed.pk]))
        self.assertContains(page, "name “North strip” → “North bed”; length, m, 20 → 21.5. measured anew")

    def test_a_bed_holds_what_is_in_it(self) -> None:
        reach = max(p.x + p.length for p in self.n.trial.plots.all())
        status, said, bed = self.bed(length_m=reach - 0.1)
        self.assertEqual((status, bed.length_m), (422, 20))
        self.assertIn(f"reaches to {reach:g} m along", said)
        self.assertEqual(self.bed(length_m=reach)[0], 302)

    def test_a_reason_and_a_difference_are_asked_and_what_was_typed_stays(self) -> None:
        status, said, bed = self.bed(length_m="30", why=" ")
        self.assertEqual((status, bed.length_m, Correction.objects.count()), (422, 20, 0))
        self.assertIn("Expected why it is corrected", said)
        self.assertInHTML('<span class="unit">m</span>', said)
        self.assertIn('value="30"', said)
        self.assertIn("Nothing differs", self.bed()[1])

    def test_a_sown_tray_keeps_its_seeds_where_they_lie(self) -> None:
        tray = self.n.tray()
        self.n.sow(self.n.codes[0], tray, range(24))
        status, said, now = self.tray(tray, cols=tray.cols + 2)
        self.assertEqual((status, now.cols), (422, tray.cols))
        self.assertIn("they would lie elsewhere", said)
        row = 23 // tray.cols + 1
        self.assertIn(f"Seeds lie in row {row}", self.tray(tray, rows=row - 1)[1])
        status, _, now = self.tray(tray, rows=row, tray_name="Left bench 2")
        self.assertEqual((status, now.rows, now.name), (302, row, "Left bench 2"))
        page = self.client.get(reverse("nursery:sow", args=[self.n.trial.slug]), {"way": "trays", "tray": str(tray.pk)})
        self.assertContains(page, "counted anew")

    def test_a_trials_name_is_corrected_and_its_address_stays(self) -> None:
        url = reverse("trials:rename", args=[self.n.trial.slug])
        self.assertContains(self.client.post(url, {"name": "Fennel, late", "why": ""}), "Expected why", status_code=422)
        self.client.post(url, {"name": "Fennel, late", "why": "it is the late one"})
        trial = Trial.objects.get(pk=self.n.trial.pk)
        self.assertEqual((trial.name, trial.slug), ("Fennel, late", self.n.trial.slug))
        self.assertContains(self.client.get(trial.get_absolute_url()), "Name corrected from")

    def test_only_who_may_plan_corrects_a_bed_or_a_name(self) -> None:
        self.client.force_login(world.person(Role.HELPER))
        self.assertEqual(self.bed(length_m=40)[0], 403)
        url = reverse("trials:rename", args=[self.n.trial.slug])
        self.assertEqual(self.client.post(url, {"name": "Other", "why": "x"}).status_code, 403)
