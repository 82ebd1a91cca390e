"""A root-bound mark has consequences until the plants are potted on, and what thinning left is said."""

from django.urls import reverse
from django.utils import timezone

from evarlo.nursery.audit import audit_of, besides_of
from evarlo.nursery.book import book_of, planted_in
from evarlo.nursery.models import Happening, Left, Tray
from evarlo.nursery.planting import plant
from evarlo.nursery.queries import root_bound
from evarlo.nursery.raising import Act, happen, rule_of, tend
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.testing.raising import Nursery
from evarlo.trials.models import Trial
from evarlo.ui.refused import Refused
from trialcore.reckoning.balance import Kind


class Bound(TestCase):
    """Four fennels of 54 plants; the first has two trays of 60, the others one."""

    def setUp(self) -> None:
        self.by, self.today = world.person(), timezone.localdate()
        self.n = Nursery(self.by, self.today, days=34)
        self.first = self.n.codes[0]
        for sowing in self.n.sow_all().values():
            self.n.count(sowing, 14, 60)
        self.n.count(self.n.sow(self.first, self.n.tray(), range(72)), 14, 60)
        self.old, self.spare = self.n.trays[0], self.n.trays[-1]
        self.client.force_login(self.by)

    def mark(self, tray: Tray, what: str = "bound") -> None:
        tend(tray, what, self.today, "", self.by, self.today)

    def plant(self, bound_too: bool = False) -> dict[str, int]:
        """How many plants each tray gave."""
        trial = Trial.objects.get(pk=self.n.trial.pk)
        plant(trial, list(trial.plots.select_related("entry")), self.today, self.by, self.today, bound_too)
        gave: dict[str, int] = {}
        for p in planted_in(trial):
            gave[p.sowing.where if p.sowing else ""] = gave.get(p.sowing.where if p.sowing else "", 0) + p.plants
        return gave

    def test_another_tray_goes_first_and_nothing_need_be_asked(self) -> None:
        self.mark(self.old)
        self.assertNotIn(str(self.old), self.plant())
        self.assertEqual({p.plants for p in planted_in(self.n.trial)}, {18})

    def test_without_another_tray_it_is_asked_and_potting_on_ends_it(self) -> None:
        last = self.n.trays[3]
        self.mark(last)
        with self.assertRaisesMessage(Refused, f"Plants of {last} would go in, and those are root-bound"):
            self.plant()
        self.assertEqual(planted_in(self.n.trial), [])
        self.mark(last, "potted_on")
        self.assertEqual(root_bound([last.pk], self.today), {})
        self.assertEqual(self.plant()[str(last)], 54)

    def test_planted_all_the_same_it_holds_the_verdict_and_the_page_says_so(self) -> None:
        last, code = self.n.trays[3], self.n.codes[3]
        self.mark(last)
        page = self.client.get(reverse("nursery:plant", args=[self.n.trial.slug]))
        self.assertContains(page, f"Tray {last} is root-bound since")
        url = reverse("nursery:plant-out", args=[self.n.trial.slug])
        typed = {"on": self.today.isoformat(), "plots": ""}
        asked = self.client.post(url, typed)
        self.assertContains(asked, "those are root-bound", status_code=422)
        self.assertContains(asked, 'name="bound"', status_code=422)
        self.client.post(url, typed | {"bound": "on"})
        self.assertEqual(sum(p.plants for p in planted_in(self.n.trial)), 216)
        found = {f.about: f for f in audit_of(self.n.trial, book_of(self.n.trial)).findings}
        self.assertIn(f"{code} root-bound; the others not root-bound", found["Roots when planted"].said)
        check = next(e.code for e in self.n.entries.values() if e.is_check)
        beside = besides_of(Trial.objects.get(pk=self.n.trial.pk))
        holding = beside[code] if code != check else next(iter(beside.values()))
        self.assertTrue(any(d.holds and "Roots when planted" in d.said for d in holding))

    def test_what_thinning_left_is_kept_and_a_difference_is_fair_game(self) -> None:
        url = reverse("nursery:rule", args=[self.n.trial.slug])
        self.client.post(url, {"surplus": "cut", "left": "middle", "reserve": "0"})
        self.assertEqual(rule_of(Trial.objects.get(pk=self.n.trial.pk)).left, "middle")
        books = [b for b in book_of(self.n.trial) if b.lines]
        for book, left in zip(books, (Left.STRONGEST, Left.MIDDLE, Left.MIDDLE, Left.MIDDLE), strict=True):
            happen(book.lines[0].sowing, Act(Kind.THINNED, 3, self.today, left=left), self.by, self.today)
        happen(books[0].lines[0].sowing, Act(Kind.LOST, 1, self.today, "slugs", left="any"), self.by, self.today)
        self.assertEqual(Happening.objects.get(kind=Kind.LOST).left, "")  # nothing was thinned by slugs
        found = {f.about: f for f in audit_of(self.n.trial, book_of(self.n.trial)).findings}
        self.assertIn(
            f"{books[0].entry.code} the strongest; the others the one nearest the middle", found["What thinning left"].said
        )
        page = self.client.get(reverse("nursery:balance", args=[self.n.trial.slug]))
        self.assertContains(page, "the strongest stayed")
