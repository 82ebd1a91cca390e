"""A partner's page on a phone: no account, no signal for a while, a reload, and all of it comes in once."""

from django.utils import timezone
from playwright.sync_api import expect

from evarlo.partners.services import make_partner, rounds_of
from evarlo.testing import world
from evarlo.testing.browser import PHONE, BrowserTest
from evarlo.walks.models import Observation
from evarlo.walks.queries import current


class PartnerOnAPhone(BrowserTest):
    forgiven = ("ERR_INTERNET_DISCONNECTED", "Failed to load resource")

    def test_what_is_typed_without_a_signal_is_kept_and_comes_in_once(self) -> None:
        by = world.person()
        main = world.trial(by)
        trait = world.trait("plot-yield")
        partner = make_partner(main, "School", "School yard", list(main.entries.all()), 1, [trait], timezone.localdate(), by)
        [asked] = rounds_of(partner)
        page = self.open(size=PHONE)
        page.goto(self.at(f"/partner/{partner.code}/"))
        page.evaluate("() => navigator.serviceWorker.ready")
        page.reload()
        self.accessible(page, "partner")
        self.no_sideways(page, "partner")
        fields = page.locator("[name^=v_]")
        state = page.locator("[data-state]")
        fields.nth(0).type("4,2", delay=30)
        expect(state).to_have_text("All is with the trial.")
        page.context.set_offline(True)
        fields.nth(1).type("5.5", delay=30)
        fields.nth(2).type("lots")
        expect(state).to_have_text("2 values on this phone, not sent yet.")
        page.reload()
        expect(fields.nth(1)).to_have_value("5.5")
        expect(state).to_have_text("2 values on this phone, not sent yet.")
        page.context.set_offline(False)
        expect(page.locator(".error:visible")).to_have_text(
            "Found “lots”. Expected a number, or “lost” where an accident took the plot."
        )
        fields.nth(2).fill("lost")
        expect(state).to_have_text("All is with the trial.")
        kept = {o.plot.number: o.number or o.cause for o in current(asked).select_related("plot")}
        numbers = list(partner.trial.plots.values_list("number", flat=True))
        self.assertEqual(kept, dict(zip(numbers, (4.2, 5.5, "accident"), strict=False)))
        self.assertEqual(Observation.objects.filter(round=asked).count(), 3)
        page.reload()
        expect(fields.nth(0)).to_have_value("4.2")
        expect(state).to_have_text("All is with the trial.")
