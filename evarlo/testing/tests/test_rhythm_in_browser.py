"""A number and Enter, as fast as a hand can: whatever the answers do, every value is on its line."""

import time
import uuid
from datetime import timedelta
from typing import Any

from django.utils import timezone
from playwright.sync_api import Page, Route, ViewportSize, expect

from evarlo.harvest.models import Picking
from evarlo.harvest.services import Weighed, keep_picking
from evarlo.nursery.models import Happening, StationMark
from evarlo.testing import world
from evarlo.testing.browser import PHONE, BrowserTest
from evarlo.testing.raising import Nursery

NAMES = tuple(f"N{n}" for n in range(13))


class Weighing(BrowserTest):
    forgiven = ("ERR_INTERNET_DISCONNECTED", "ERR_FAILED", "error occurred when fetching the script")

    def setUp(self) -> None:
        super().setUp()
        self.by = world.person("helper")
        self.trial = world.trial(self.by, entries=NAMES, check="N0", blocks=4, plot_length_m=0.6, plot_width_m=0.6)
        self.path = list(self.trial.plots.order_by("place").values_list("number", flat=True))

    def bench(self, size: ViewportSize | None = None) -> Page:
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

    def test_the_bench_opens_without_a_signal_until_its_person_leaves(self) -> None:
        page = self.bench(PHONE)
        page.evaluate("() => navigator.serviceWorker.ready")
        page.reload()
        page.context.set_offline(True)
        page.reload()
        expect(page.locator("#notices")).to_contain_text("No signal: this page is as it was on")
        page.get_by_label("Marketable").focus()
        page.keyboard.type("5.1\n5.2\n", delay=30)
        expect(page.locator("[data-link]")).to_contain_text("2 kept on this phone")
        page.context.set_offline(False)
        expect(page.locator("[data-link]")).to_contain_text("All saved")
        self.assertEqual(self.kept(), dict(zip(self.path, (5.1, 5.2), strict=False)))
        page.get_by_role("button", name="Log out").click()
        expect(page.get_by_role("button", name="Log in")).to_be_visible()
        held = page.evaluate(
            """async () => (await Promise.all((await caches.keys()).map(async (n) => (await (await caches.open(n)).keys()))))
                .flat().map((r) => new URL(r.url).pathname)"""
        )
        self.assertNotIn(f"/trials/{self.trial.slug}/pick/", held)

    def test_a_second_weight_of_a_day_and_one_far_off_are_asked_about_beside(self) -> None:
        today = timezone.localdate()
        for n, number in enumerate(self.path[:8]):
            keep_picking(self.trial.plots.get(number=number), today, Weighed(4.0 + n / 10), self.by, uuid.uuid4(), today)
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
        expect(asked).to_contain_text("Found 45 kg; the 8 weigh-ins of")
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
            keep_picking(plot, long_ago, Weighed(4.0), self.by, uuid.uuid4(), long_ago)
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
    forgiven = ("ERR_INTERNET_DISCONNECTED", "error occurred when fetching the script", "status of 401")

    def raised(self) -> Nursery:
        n = Nursery(world.person(), timezone.localdate(), days=12)
        n.sow_all(24)
        return n

    def test_cells_counted_without_a_signal_go_in_by_themselves(self) -> None:
        n = self.raised()
        page = self.open("manager")
        page.goto(self.at(f"/trials/{n.trial.slug}/coming/"))
        page.get_by_role("link", name="by cell").first.click()
        page.evaluate("() => navigator.serviceWorker.ready")
        page.reload()
        page.context.set_offline(True)
        page.reload()
        for cell in range(3):
            page.locator("[data-cell].held").nth(cell).click()
        page.get_by_role("button", name="Save the count").click()
        expect(page.locator("#notices")).to_contain_text("it is kept on this phone")
        expect(page.locator("[data-link]")).to_contain_text("1 kept on this phone")
        page.context.set_offline(False)
        expect(page.locator("[data-link]")).to_contain_text("All saved")
        self.assertEqual(list(Happening.objects.filter(kind="counted").values_list("plants", flat=True)), [3])

    def test_a_kept_form_that_is_refused_is_said_until_it_is_seen_to(self) -> None:
        n = self.raised()
        page = self.open("manager")
        page.goto(self.at(f"/trials/{n.trial.slug}/coming/"))
        page.get_by_role("link", name="by cell").first.click()
        page.evaluate("() => navigator.serviceWorker.ready")
        page.locator("[name=on]").fill("2020-01-01")
        page.context.set_offline(True)
        page.get_by_role("button", name="Save the count").click()
        expect(page.locator("[data-link]")).to_contain_text("1 kept on this phone")
        page.context.set_offline(False)
        page.goto(self.at("/"))
        expect(page.locator("#notices [data-refused]")).to_contain_text("was not taken")
        page.get_by_role("button", name="Leave it out").click()
        expect(page.locator("#notices [data-refused]")).to_have_count(0)
        page.reload()
        expect(page.locator("[data-link]")).to_contain_text("All saved")
        self.assertEqual(Happening.objects.filter(kind="counted").count(), 0)

    def test_stations_touched_faster_than_answers_come_are_all_marked(self) -> None:
        n = self.raised()
        plot = n.trial.plots.order_by("place")[0]
        page = self.open("manager")
        page.goto(self.at(f"/trials/{n.trial.slug}/stand/?plot={plot.number}"))
        page.route("**/mark/", lambda route: Weighing.late(route))
        stations = page.locator(".stations [data-station]")
        for at in range(4):
            stations.nth(at).dispatch_event("click")
        expect(page.locator(".stations [data-mark=gap]")).to_have_count(4)
        self.assertEqual(sorted(StationMark.objects.values_list("station", flat=True)), [0, 1, 2, 3])

    def test_counts_at_30_ms_a_key_with_answers_a_second_late(self) -> None:
        n = self.raised()
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
