"""The first start, invitations, new passwords, log-ins seen and ended, leaving; and that the sample world stays apart."""

from __future__ import annotations

import io
from datetime import timedelta
from pathlib import Path
from tempfile import TemporaryDirectory

from django.core.management import CommandError, call_command
from django.test import Client, override_settings
from django.urls import reverse
from django.utils import timezone

from evarlo.people.joining import invite, offer_reset, secret_of
from evarlo.people.models import Invitation, Place, Role, User
from evarlo.people.places import SAMPLE_PASSWORD, first_key
from evarlo.testing import world
from evarlo.testing.pages import TestCase

TOLD = {"place": "Long Field", "first": "Edda", "last": "Moor", "username": "edda", "password": "a-hedge-of-nine"}
JOINS = {"first": "Odo", "last": "Sand", "username": "odo", "password": "a-hedge-of-ten"}
BACKEND = "django.contrib.auth.backends.ModelBackend"


class FirstStart(TestCase):
    def setUp(self) -> None:
        self.room = TemporaryDirectory()
        self.addCleanup(self.room.cleanup)
        self.enterContext(override_settings(DATA=Path(self.room.name)))

    def test_every_address_leads_to_the_first_start_and_that_asks_for_the_key(self) -> None:
        self.assertRedirects(self.client.get("/", follow=True), "/people/first/", fetch_redirect_response=False)
        refused = self.client.post("/people/first/", TOLD)
        self.assertContains(refused, "make start", status_code=422)
        self.assertContains(refused, 'value="Long Field"', status_code=422)
        self.assertFalse(User.objects.exists())

    def test_whoever_has_the_key_is_the_manager_and_nobody_after_them(self) -> None:
        address = f"/people/first/?key={first_key()}"
        self.assertNotContains(self.client.get(address), "Key of the first start")
        self.assertRedirects(self.client.post("/people/first/", TOLD | {"key": first_key()}), "/")
        self.assertEqual(User.objects.get().role, Role.MANAGER)
        self.assertContains(self.client.get("/"), "Long Field")
        other = Client()
        self.assertRedirects(other.get(address), "/people/log-in/")
        other.post(address, TOLD | {"key": first_key(), "username": "other"})
        self.assertEqual(User.objects.count(), 1)

    def test_the_command_prints_the_address_and_never_starts_the_sample_world(self) -> None:
        said = io.StringIO()
        call_command("open_place", address="http://127.0.0.1:8123", stdout=said)
        self.assertIn(f"http://127.0.0.1:8123/people/first/?key={first_key()}", said.getvalue())
        Place.objects.create(name="Ostrel Flats", sample=True, made_at=timezone.now())
        with self.assertRaisesMessage(CommandError, "holds the sample world"):
            call_command("open_place")

    def test_the_sample_world_is_never_put_beside_real_people(self) -> None:
        world.person()
        with self.assertRaisesMessage(CommandError, "holds a real place"):
            call_command("load_demo")


class SampleLogIns(TestCase):
    def test_they_open_nothing_in_a_real_place_even_for_who_has_that_password(self) -> None:
        User.objects.create_user("ines", password=SAMPLE_PASSWORD, role=Role.MANAGER)
        answer = self.client.post("/people/log-in/", {"username": "ines", "password": SAMPLE_PASSWORD})
        self.assertContains(answer, "password of the sample world")
        Place.objects.create(name="Ostrel Flats", sample=True, made_at=timezone.now())
        page = self.client.get("/people/log-in/")
        self.assertContains(page, "sample world")
        self.assertRedirects(self.client.post("/people/log-in/", {"username": "ines", "password": SAMPLE_PASSWORD}), "/")
        self.assertContains(self.client.get("/"), "sample world")

    def test_nobody_chooses_that_password(self) -> None:
        by = world.person()
        self.client.force_login(by, backend=BACKEND)
        answer = self.client.post("/people/me/password/", {"old": world.PASSWORD, "password": SAMPLE_PASSWORD})
        self.assertContains(answer, "which everybody can read", status_code=422)


class Links(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.client.force_login(self.by, backend=BACKEND)

    def address(self, invitation: Invitation) -> str:
        return reverse("people:join", args=[secret_of(invitation)])

    def test_an_invitation_lets_one_person_in_once_with_its_role(self) -> None:
        page = self.client.post("/people/invite/", {"name": "Odo Sand", "role": "evaluator"}, follow=True)
        made = Invitation.objects.get()
        self.assertContains(page, self.address(made))
        self.assertContains(page, "Opens once")
        here = self.client.get(reverse("people:link", args=[made.pk]), headers={"host": "localhost:8000"})
        self.assertContains(here, "works on this machine only")
        guest = Client()
        self.assertContains(guest.get(self.address(made)), "Welcome, Odo Sand")
        self.assertRedirects(guest.post(self.address(made), JOINS), "/")
        self.assertEqual(User.objects.get(username="odo").role, Role.EVALUATOR)
        again = Client().post(self.address(made), JOINS | {"username": "thief"})
        self.assertEqual(again.status_code, 410)
        self.assertFalse(User.objects.filter(username="thief").exists())

    def test_a_taken_name_a_short_password_and_a_blank_are_said_beside_their_fields_and_the_link_stays_good(self) -> None:
        made = invite("Odo", Role.HELPER, self.by)
        guest = Client()
        taken = guest.post(self.address(made), JOINS | {"username": "MANAGER"})
        self.assertContains(taken, "Somebody here logs in as", status_code=422)
        wrong = guest.post(self.address(made), JOINS | {"username": "odo sand", "password": "short"})
        self.assertContains(wrong, "Found a blank or a sign", status_code=422)
        self.assertContains(wrong, "too short", status_code=422)
        self.assertContains(wrong, 'value="odo sand"', status_code=422)
        self.assertRedirects(guest.post(self.address(made), JOINS), "/")

    def test_old_withdrawn_and_forged_links_let_nobody_in(self) -> None:
        old, gone = invite("Old", Role.HELPER, self.by), invite("Gone", Role.HELPER, self.by)
        Invitation.objects.filter(pk=old.pk).update(ends_at=timezone.now() - timedelta(seconds=1))
        self.client.post(reverse("people:withdraw", args=[gone.pk]))
        forged = reverse("people:join", args=[secret_of(gone).replace(str(gone.pk), str(gone.pk + 1), 1)])
        for address in (self.address(old), self.address(gone), forged):
            self.assertEqual(Client().post(address, JOINS).status_code, 410)
        self.assertEqual(User.objects.count(), 1)

    def test_a_reset_sets_a_new_password_once_and_ends_what_the_old_one_opened(self) -> None:
        tam = world.person(Role.EVALUATOR)
        on_phone = Client()
        on_phone.post("/people/log-in/", {"username": "evaluator", "password": world.PASSWORD})
        self.assertEqual(on_phone.get("/").status_code, 200)
        first, made = offer_reset(tam, self.by), offer_reset(tam, self.by)
        self.assertEqual(Client().get(self.address(first)).status_code, 410)
        self.assertRedirects(Client().post(self.address(made), {"password": "a-hedge-of-six"}), "/")
        self.assertEqual(on_phone.get("/").status_code, 302)
        self.assertEqual(Client().get(self.address(made)).status_code, 410)
        tam.refresh_from_db()
        self.assertTrue(tam.check_password("a-hedge-of-six"))


class WhoIsHere(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.client.post("/people/log-in/", {"username": "manager", "password": world.PASSWORD})
        self.tam = world.person(Role.EVALUATOR)
        self.phone = Client(headers={"user-agent": "Mozilla/5.0 (Android 14; Mobile; rv:132.0) Gecko/132.0 Firefox/132.0"})
        self.phone.post("/people/log-in/", {"username": "evaluator", "password": world.PASSWORD})

    def test_log_ins_are_seen_by_device_and_ended_from_afar(self) -> None:
        page = self.client.get(reverse("people:person", args=[self.tam.pk]))
        self.assertContains(page, "Firefox Mobile on Android")
        visit = self.tam.visits.get()
        self.assertEqual(self.phone.post(reverse("people:end-visit", args=[self.by.visits.get().pk])).status_code, 403)
        self.client.post(reverse("people:end-visit", args=[visit.pk]))
        self.assertEqual(self.phone.get("/").status_code, 302)
        self.client.get("/")  # which says that it was done
        self.assertNotContains(self.client.get(reverse("people:person", args=[self.tam.pk])), "Firefox Mobile")

    def test_ones_own_password_keeps_this_device_and_ends_the_others(self) -> None:
        tablet = Client()
        tablet.post("/people/log-in/", {"username": "evaluator", "password": world.PASSWORD})
        wrong = self.phone.post("/people/me/password/", {"old": "no", "password": "a-hedge-of-six"})
        self.assertContains(wrong, "not your present password", status_code=422)
        self.phone.post("/people/me/password/", {"old": world.PASSWORD, "password": "a-hedge-of-six"})
        self.assertEqual((self.phone.get("/").status_code, tablet.get("/").status_code), (200, 302))

    def test_leaving_and_returning(self) -> None:
        self.client.post(reverse("people:leave", args=[self.tam.pk]))
        self.assertEqual(self.phone.get("/").status_code, 302)
        answer = self.phone.post("/people/log-in/", {"username": "evaluator", "password": world.PASSWORD})
        self.assertContains(answer, "do not match")
        self.client.post(reverse("people:return", args=[self.tam.pk]))
        self.assertRedirects(self.phone.post("/people/log-in/", {"username": "evaluator", "password": world.PASSWORD}), "/")

    def test_the_last_manager_stays(self) -> None:
        for act, sent in (("leave", {}), ("role", {"role": "reader"})):
            answer = self.client.post(reverse(f"people:{act}", args=[self.by.pk]), sent, follow=True)
            self.assertContains(answer, "is the only manager here")
        self.by.refresh_from_db()
        self.assertEqual((self.by.role, self.by.is_active), (Role.MANAGER, True))
        self.client.post(reverse("people:role", args=[self.tam.pk]), {"role": "manager"})
        self.client.post(reverse("people:role", args=[self.by.pk]), {"role": "reader"})
        self.by.refresh_from_db()
        self.assertEqual(self.by.role, Role.READER)

    def test_without_a_role_one_is_told_whom_to_ask(self) -> None:
        User.objects.create_user("nobody", password=world.PASSWORD)
        nobody = Client()
        nobody.post("/people/log-in/", {"username": "nobody", "password": world.PASSWORD})
        for path in ("/", "/trials/", "/people/"):
            self.assertContains(nobody.get(path), "Ask Manager Tester", status_code=403)
        self.assertEqual(nobody.get("/people/me/").status_code, 200)

    def test_only_a_manager_lets_people_in(self) -> None:
        for path in (reverse("people:list"), reverse("people:person", args=[self.by.pk])):
            self.assertEqual(self.phone.get(path).status_code, 403)
        for name in ("role", "reset", "leave", "return"):
            self.assertEqual(self.phone.post(reverse(f"people:{name}", args=[self.by.pk])).status_code, 403)
        self.assertEqual(self.phone.post(reverse("people:invite"), {"name": "x", "role": "manager"}).status_code, 403)
