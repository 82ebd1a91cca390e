"""A number and Enter, as fast as a hand can: whatever the answers do, every value is on its line."""

import time
from datetime import timedelta
from typing import Any

from django.utils import timezone
from playwright.sync_api import Page, Route, expect

from evarlo.harvest.models import Picking
from evarlo.harvest.services import Weighed, keep_picking
from evarlo.nursery.models import Happening
from evarlo.testing import world
from evarlo.testing.browser import PHONE, BrowserTest
from evarlo.testing.raising import Nursery

NAMES = tuple(f"N{n}" for n in range(13))


class Weighing(BrowserTest):
    forgiven = ("ERR_INTERNET_DISCONNECTED", "error occurred when fetching the script")

    def setUp(self) -> None:
        super().setUp()
        self.by = world.person("helper")
        self.trial = world.trial(self.by, entries=NAMES, check="N0", blocks=4, plot_length_m=0.6, plot_width_m=0.6)
        self.path = list(self.trial.plots.order_by("place").values_list("number", flat=True))

    def bench(self, size: dict[str, int] | None = None) -> Page:
        page = self.open("helper", size)
        page.goto(self.at(f"/trials/{self.trial.slug}/pick/"))
        page.get_by_label("Marketable").focus()
        return page

    def kept(self) -> dict[str, float]:
        return dict(Picking.objects.in_force().values_list("plot__number", "marketable_kg"))

    def test_fifty_weights_at_30_ms_a_key_with_answers_a_second_late(self) -> None:
        page = self.bench()
        page.route("**/pick/", lambda route: self.late(route))
        weights = [f"{5 + n / 50:.2f}" for n in range(50)]
        for weight in weights:
            page.keyboard.type(f"{weight}\n", delay=30)
        expect(page.get_by_label("Plot", exact=True)).to_have_value(self.path[50])
        expect(page.locator("[data-link]")).to_contain_text("All saved", timeout=120_000)
        self.assertEqual(self.kept(), {n: float(w) for n, w in zip(self.path, weights, strict=False)})
        self.assertEqual(Picking.objects.count(), 50)

    @staticmethod
    def late(route: Route) -> None:
        if route.request.method == "POST":
            time.sleep(1)
        route.continue_()

    def test_without_a_signal_and_over_a_reload_nothing_is_lost(self) -> None:
        page = self.bench(PHONE)
        page.context.set_offline(True)
        page.keyboard.type("5.1\n5.2\n5.3\n", delay=30)
        expect(page.locator("[data-link]")).to_contain_text("3 kept on this phone")
        expect(page.locator("[data-line-answers] li.waiting")).to_have_count(3)
        page.context.set_offline(False)
        page.goto(self.at("/"))  # any page brings them in
        expect(page.locator("[data-link]")).to_contain_text("All saved")
        self.assertEqual(self.kept(), dict(zip(self.path, (5.1, 5.2, 5.3), strict=False)))

    def test_a_second_weight_of_a_day_and_one_far_off_are_asked_about_beside(self) -> None:
        today = timezone.localdate()
        for n, number in enumerate(self.path[:8]):
            keep_picking(self.trial.plots.get(number=number), today, Weighed(4.0 + n / 10), self.by, world.uuid.uuid4(), today)
        page = self.bench()
        page.get_by_label("Plot", exact=True).fill(self.path[2])
        page.get_by_label("Marketable").fill("4.4")
        page.get_by_label("Marketable").press("Enter")
        asked = page.locator("[data-line-answers] li.refused")
        expect(asked).to_contain_text(f"{self.path[2]} has 4.2 kg on")
        asked.get_by_role("button", name="Correct it").click()
        expect(page.locator("[data-line-answers] li.kept").first).to_be_visible()
        self.assertEqual(self.kept()[self.path[2]], 4.4)
        page.get_by_label("Plot", exact=True).fill(self.path[20])
        page.get_by_label("Marketable").fill("45")
        page.get_by_label("Marketable").press("Enter")
        expect(asked).to_contain_text("Found 45 kg; the other weigh-ins lead to expect")
        asked.get_by_role("button", name="Type it anew").click()
        expect(page.get_by_label("Plot", exact=True)).to_have_value(self.path[20])
        page.get_by_label("Marketable").fill("4,5")
        page.get_by_label("Marketable").press("Enter")
        expect(page.locator("[data-line-answers] li.kept").filter(has_text=f"Plot {self.path[20]}: 4,5")).to_be_visible()
        self.assertEqual(self.kept()[self.path[20]], 4.5)

    def test_any_weigh_in_is_corrected_or_taken_back(self) -> None:
        long_ago = timezone.localdate() - timedelta(days=40)
        plots = list(self.trial.plots.order_by("place")[:30])
        for plot in plots:
            keep_picking(plot, long_ago, Weighed(4.0), self.by, world.uuid.uuid4(), long_ago)
        page = self.bench()
        page.get_by_text("Last weigh-ins (30 in all)").click()
        page.get_by_role("link", name="Show all 30").click()
        page.locator(f"[aria-label^='Correct plot {plots[0].number} of']").click()
        page.get_by_label("Marketable").fill("4.6")
        page.get_by_role("button", name="Save weigh-in").click()
        expect(page.locator("#notices")).to_contain_text(f"The weigh-in of plot {plots[0].number} is corrected")
        self.assertEqual(self.kept()[plots[0].number], 4.6)
        page.goto(self.at(f"/trials/{self.trial.slug}/pick/?plot={plots[1].number}"))
        page.locator("[data-undo]:not(form)").click()
        expect(page.locator("#picked")).not_to_contain_text(f"Weigh-ins of plot {plots[1].number}")
        self.assertNotIn(plots[1].number, self.kept())


class Counting(BrowserTest):
    def test_counts_at_30_ms_a_key_with_answers_a_second_late(self) -> None:
        n = Nursery(world.person(), timezone.localdate(), days=12)
        n.sow_all(24)
        world.person("helper")
        page = self.open("helper")
        page.goto(self.at(f"/trials/{n.trial.slug}/coming/"))
        fields = page.locator("[data-count-line] input[name=plants]")
        lines: list[Any] = page.locator("[data-count-line]").all()
        page.route("**/count/", lambda route: Weighing.late(route))
        fields.first.focus()
        for many in range(len(lines)):
            page.keyboard.type(f"{11 + many}\n", delay=30)
        expect(page.locator("[data-count-line].kept")).to_have_count(len(lines))
        expect(page.locator("[data-link]")).to_contain_text("All saved")
        found = sorted(Happening.objects.filter(kind="counted").values_list("plants", flat=True))
        self.assertEqual(found, [11 + many for many in range(len(lines))])
