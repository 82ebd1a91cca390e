"""The first start by hand: a key, a manager, a link on somebody else's phone, and both log-ins seen."""

from __future__ import annotations

from pathlib import Path
from tempfile import TemporaryDirectory

from django.test import override_settings
from playwright.sync_api import expect

from evarlo.people.places import first_key
from evarlo.testing.browser import PHONE, BrowserTest


class FirstDay(BrowserTest):
    def test_from_an_empty_folder_to_a_helper_on_a_phone(self) -> None:
        room = TemporaryDirectory()
        self.addCleanup(room.cleanup)
        self.enterContext(override_settings(DATA=Path(room.name)))
        page = self.open()
        page.goto(self.at("/"))
        expect(page.get_by_label("Key of the first start")).to_be_visible()
        page.goto(self.at(f"/people/first/?key={first_key()}"))
        self.accessible(page, "first start")
        told = {"Name of the trial garden": "Long Field", "First name": "Edda", "Log-in name": "edda", "Password": "short"}
        for label, text in told.items():
            page.get_by_label(label).press_sequentially(text, delay=2)
        page.get_by_role("button", name="Begin").click()
        expect(page.get_by_text("too short")).to_be_visible()
        expect(page.get_by_label("Name of the trial garden")).to_have_value("Long Field")
        page.get_by_label("Password").fill("a-hedge-of-nine")
        page.get_by_role("button", name="Show").click()
        expect(page.get_by_label("Password")).to_have_attribute("type", "text")
        page.get_by_role("button", name="Begin").click()
        expect(page.get_by_role("heading", name="Long Field")).to_be_visible()
        self.accessible(page, "empty place")
        page.get_by_role("link", name="Let others in").click()
        page.get_by_role("textbox", name="Name", exact=True).fill("Odo Sand")
        page.get_by_role("button", name="Make a link").click()
        address = page.get_by_label("Address").input_value()
        self.accessible(page, "link")
        phone = self.open(size=PHONE)
        phone.goto(address)
        self.no_sideways(phone, "join")
        phone.get_by_label("Password").fill("a-hedge-of-ten")
        phone.get_by_role("button", name="Join").click()
        expect(phone.get_by_text("When the manager has planned one")).to_be_visible()
        page.goto(self.at("/people/"))
        self.accessible(page, "people")
        page.get_by_role("link", name="Odo Sand").click()
        expect(page.get_by_role("heading", name="Odo Sand")).to_be_visible()
        page.get_by_role("main").get_by_role("button", name="Log out").click()
        expect(page.get_by_text("on Linux is logged out.")).to_be_visible()
        phone.goto(self.at("/"))
        expect(phone.get_by_role("heading", name="Log in")).to_be_visible()
