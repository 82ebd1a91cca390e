"""What goes by some words, as they are typed: things and pages, no more than a person may see."""

from __future__ import annotations

from django.urls import reverse

from evarlo.catalogue.shipped import put_in_what_ships
from evarlo.people.models import Role
from evarlo.seeds.models import Lot
from evarlo.seeds.services import keep_lot
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.today.finding import PAGES, found_by


class Finding(TestCase):
    def setUp(self) -> None:
        put_in_what_ships()
        self.by = world.person()
        self.client.force_login(self.by, backend="django.contrib.auth.backends.ModelBackend")
        self.made = world.trial(self.by, blind=True)

    def names(self, asked: str, role: str = "") -> set[tuple[str, str]]:
        who = world.person(role) if role else self.by
        return {(f.name, f.what.split(",")[0].split(" ")[0]) for f in found_by(asked, who)}

    def test_things_of_every_kind_are_found(self) -> None:
        keep_lot(
            None, self.made.entries.get(cultivar__name="Quillet").cultivar, {"name": "Q-7", "material": Lot.Material.SEED}, self.by
        )
        self.assertIn(("Fennel", "trial"), self.names("fenn"))
        self.assertIn(("Quillet", "cultivar"), self.names("quill"))
        self.assertIn(("Quillet, lot Q-7", "seed"), self.names("q-7"))
        self.assertIn(("North strip", "bed"), self.names("north"))
        self.assertIn(("Summer squash", "crop"), self.names("courg"))
        self.assertIn(("Vigour", "trait"), self.names("vigo"))
        self.assertIn(("Manager Tester", "manager"), self.names("tester"))
        self.assertIn(("People", "page"), self.names("invite"))
        self.assertIn(("Plot 101", "Fennel"), self.names("101"))

    def test_nobody_finds_what_they_may_not_open(self) -> None:
        self.assertNotIn("Quillet", {n for n, _ in self.names("quill", Role.EVALUATOR)})
        helper = world.person(Role.HELPER)
        self.client.force_login(helper, backend="django.contrib.auth.backends.ModelBackend")
        for asked in ("people", "seed", "new trial", "programmes", "today", "traits"):
            for f in found_by(asked, helper):
                self.assertEqual(self.client.get(f.url).status_code, 200, f)

    def test_every_page_that_is_named_opens(self) -> None:
        for _, name, _, _ in PAGES:
            self.assertEqual(self.client.get(reverse(name)).status_code, 200, name)

    def test_as_one_types_only_the_list_comes(self) -> None:
        part = self.client.get(reverse("today:jump"), {"q": "north"}, headers={"HX-Request": "true"})
        self.assertContains(part, "North strip")
        self.assertNotContains(part, "<html")
        none = self.client.get(reverse("today:jump"), {"q": "zzzz"}, headers={"HX-Request": "true"})
        self.assertContains(none, "Nothing goes by “zzzz”")
        here = self.client.get(reverse("today:jump"), {"q": "102", "trial": self.made.slug}, headers={"HX-Request": "true"})
        self.assertContains(here, f"{self.made.get_absolute_url()}?plot=102")

    def test_the_menu_and_today_hold_what_a_role_may_open(self) -> None:
        for role in Role.values:
            who = self.by if role == "manager" else world.person(role)
            self.client.force_login(who, backend="django.contrib.auth.backends.ModelBackend")
            page = self.client.get("/").content.decode()
            nav = page[page.index('class="places"') : page.index("</nav>")]
            self.assertEqual('href="/seed/"' in nav, role in ("manager", "reader"), role)
            for url in {u.split('"')[0] for u in page.split('href="')[1:]}:
                if url.startswith("/") and not url.startswith(("/static", "/manifest")):
                    self.assertIn(self.client.get(url).status_code, (200, 302), (role, url))

    def test_help_has_the_words_and_the_stages(self) -> None:
        page = self.client.get(reverse("today:help"))
        for said in ("LS mean", "Least significant difference", "Retest", "Who may do what", 'id="check"'):
            self.assertContains(page, said)
