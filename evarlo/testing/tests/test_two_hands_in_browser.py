"""Two tabs, the back button, a double tap, a log-in that ended: nothing is kept twice and nothing typed is lost."""

from django.contrib.sessions.models import Session
from playwright.sync_api import Dialog, Page, expect

from evarlo.harvest.models import Picking
from evarlo.people.models import User
from evarlo.testing import world
from evarlo.testing.browser import DESK, PHONE, BrowserTest
from evarlo.trials.models import Trial
from evarlo.verdicts.models import SignedBoard
from evarlo.walks.models import Observation, Rival, Round


class LogInEnded(BrowserTest):
    forgiven = ("status of 401", "Response Status Error Code 401", "status of 409")

    def end_log_ins(self) -> None:
        Session.objects.all().delete()

    def log_in_here(self, page: Page) -> None:
        page.get_by_label("Username").fill("manager")
        page.get_by_label("Password").fill(world.PASSWORD)
        page.get_by_role("button", name="Log in").click()

    def test_it_is_not_sent_in_another_name(self) -> None:
        made = world.trial(world.person())
        world.person("evaluator")
        asked = world.walk(made, "bolting", made.made_by)
        page = self.open("manager", PHONE)
        page.goto(self.at(f"/trials/{made.slug}/walk/{asked.pk}/"))
        expect(page.locator(".strip-tag.here")).to_be_visible()
        self.end_log_ins()
        page.locator("#value").fill("17")
        page.locator(".keep").tap()
        expect(page.locator("#waiting")).to_contain_text("1 kept on this phone only. You are no longer logged in")
        self.accessible(page, "walk without a log-in")
        asked_before: list[str] = []

        def accept(dialog: Dialog) -> None:
            asked_before.append(dialog.message)
            dialog.accept()

        page.on("dialog", accept)
        for who, kept, said in (("evaluator", 0, "1 kept on this phone"), ("manager", 1, "All saved")):
            page.goto(self.at("/people/log-in/"))
            page.get_by_label("Username").fill(who)
            page.get_by_label("Password").fill(world.PASSWORD)
            page.get_by_role("button", name="Log in").click()
            expect(page.locator("[data-link]")).to_contain_text(said)
            page.wait_for_load_state("networkidle")
            expect(page.locator("[data-link]")).to_contain_text(said)
            self.assertEqual(Observation.objects.count(), kept)
            page.get_by_role("button", name="Log out").click()
            expect(page.get_by_label("Username")).to_be_visible()
        self.assertEqual(len(asked_before), 1)  # only while something waited
        self.assertIn("1 record is kept on this phone only", asked_before[0])

    def test_a_weight_goes_on_after_a_log_in_in_another_tab(self) -> None:
        made = world.trial(world.person())
        world.sow(made, made.made_by)
        page = self.open("manager")
        page.goto(self.at(f"/trials/{made.slug}/pick/"))
        number = made.plots.order_by("place").first().number  # type: ignore[union-attr]
        page.get_by_label("Plot", exact=True).fill(number)
        page.get_by_label("Marketable").fill("4.25")
        self.end_log_ins()
        page.get_by_label("Marketable").press("Enter")
        expect(page.locator(".warned")).to_contain_text("no longer logged in. What you typed is kept on this phone")
        expect(page.locator("[data-line-answers] li.waiting")).to_contain_text(f"Plot {number}: 4.25")
        other = page.context.new_page()
        other.goto(self.at("/"))
        self.log_in_here(other)
        expect(other.get_by_role("button", name="Log out")).to_be_visible()
        page.bring_to_front()
        page.evaluate("() => window.dispatchEvent(new Event('focus'))")
        expect(page.locator("[data-line-answers] li.kept")).to_contain_text(f"Plot {number}: 4.25")
        self.assertEqual([float(p.marketable_kg) for p in Picking.objects.all()], [4.25])


class TwoTabs(BrowserTest):
    def both(self, path: str) -> tuple[Page, Page]:
        first = self.open("manager", DESK)
        second = first.context.new_page()
        for page in (first, second):
            page.goto(self.at(path))
        return first, second

    def test_a_layout_fixed_in_one_is_not_shuffled_in_the_other(self) -> None:
        made = world.trial(world.person(), fixed=False)
        first, second = self.both(made.get_absolute_url())
        first.get_by_role("button", name="Fix this layout").click()
        expect(first.get_by_text("The layout is fixed since")).to_be_visible()
        second.get_by_role("button", name="Shuffle again").click()
        expect(second.get_by_text("The layout is fixed since")).to_be_visible()
        self.assertEqual(Trial.objects.get().layout_seed, 7)

    def test_a_board_is_signed_once(self) -> None:
        by = world.person()
        made = world.trial(by)
        world.sow(made, by)
        world.keep_yields(made, by, {"Corvane": 5.0, "Quillet": 7.4, "OF-17": 5.2, "Brakewater": 3.1})
        first, second = self.both(f"/trials/{made.slug}/decide/")
        for page in (first, second):
            page.get_by_label("Your password, as a signature").fill(world.PASSWORD)
        first.get_by_role("button", name="Sign these verdicts").dblclick()
        expect(first.get_by_text("The data are as they were then.")).to_be_visible()
        second.get_by_role("button", name="Sign these verdicts").click()
        expect(second.get_by_text("The data are as they were then.")).to_be_visible()
        self.assertEqual(SignedBoard.objects.count(), 1)

    def test_one_round_is_opened_from_two_tabs(self) -> None:
        made = world.trial(world.person())
        first, second = self.both(f"/trials/{made.slug}/walk/")
        for page in (first, second):
            self.unfold(page)
            page.get_by_role("checkbox", name="Bolting").check()
            page.get_by_role("button", name="Start walking").click()
            expect(page.locator(".strip-tag.here")).to_be_visible()
        self.assertEqual(Round.objects.count(), 1)

    def test_both_walk_the_same_round_and_each_value_stays_on_record(self) -> None:
        by: User = world.person()
        made = world.trial(by)
        asked = world.walk(made, "bolting", by)
        first, second = self.both(f"/trials/{made.slug}/walk/{asked.pk}/")
        for page in (first, second):
            expect(page.locator(".strip-tag.here")).to_be_visible()  # what stands there was read before either has a value
        for page, value in ((first, "3"), (second, "4")):
            page.locator("#value").fill(value)
            page.locator(".keep").click()
            expect(page.locator(".foot").first).to_contain_text("1 of 12 plots")
            expect(page.locator("#waiting")).to_contain_text("Everything is on the server.")
        self.assertEqual([o.number for o in Observation.objects.all()], [3])
        self.assertEqual([(r.number, r.beside) for r in Rival.objects.all()], [(4, False)])
        second.reload()
        expect(second.get_by_text("You have 3 % here")).to_have_count(0)
        second.locator(".strip-tag").first.click()
        expect(second.get_by_text("You have 3 % here")).to_be_visible()

    def test_the_back_button_shows_what_is_on_record(self) -> None:
        made = world.trial(world.person())
        asked = world.walk(made, "bolting", made.made_by)
        page = self.open("manager", PHONE)
        page.goto(self.at(f"/trials/{made.slug}/walk/{asked.pk}/"))
        page.locator("#value").fill("3")
        page.locator(".keep").dblclick()
        expect(page.locator(".foot").first).to_contain_text("1 of 12 plots")
        page.goto(self.at("/"))
        page.go_back()
        expect(page.locator(".foot").first).to_contain_text("1 of 12 plots")
        self.assertEqual(Observation.objects.count(), 1)
