"""Who gets in, and to what."""

import uuid

from axes.models import AccessAttempt
from django.conf import settings
from django.core.management import call_command
from django.urls import reverse

from evarlo.people.models import Role
from evarlo.people.permissions import ACTS, allowed
from evarlo.testing import world
from evarlo.testing.pages import TestCase


class LogIn(TestCase):
    def test_without_a_log_in_every_page_leads_to_the_door(self) -> None:
        made = world.trial(world.person())
        for path in (
            "/",
            "/trials/",
            "/trials/new/",
            f"/trials/{made.slug}/",
            f"/trials/{made.slug}/compare/figures.json",
            "/bring-in/",
        ):
            with self.subTest(path=path):
                self.assertRedirects(self.client.get(path), f"/people/log-in/?next={path}", fetch_redirect_response=False)

    def test_in_and_out(self) -> None:
        world.person()
        answer = self.client.post("/people/log-in/", {"username": "manager", "password": world.PASSWORD})
        self.assertRedirects(answer, "/")
        self.assertRedirects(self.client.post("/people/log-out/"), "/people/log-in/")

    def test_a_wrong_password_is_said_and_the_name_kept(self) -> None:
        world.person()
        answer = self.client.post("/people/log-in/", {"username": "manager", "password": "wrong"})
        self.assertContains(answer, "do not match")
        self.assertContains(answer, 'value="manager"')

    def test_guessing_is_stopped(self) -> None:
        world.person()
        for _ in range(8):
            self.client.post("/people/log-in/", {"username": "manager", "password": "wrong"})
        answer = self.client.post("/people/log-in/", {"username": "manager", "password": world.PASSWORD})
        self.assertContains(answer, "Too many tries", status_code=429)
        call_command("axes_reset", verbosity=0)
        self.assertRedirects(self.client.post("/people/log-in/", {"username": "manager", "password": world.PASSWORD}), "/")

    def test_who_finds_a_phone_open_may_not_guess_its_owners_password_either(self) -> None:
        by = world.person()
        made = world.trial(by)
        changed = {"password": "another-one-9", "old": "wrong", "act-key": str(uuid.uuid4())}
        for url, typed in (
            (reverse("trials:open-names", args=[made.slug]), {"password": "wrong", "why": "?"}),
            (reverse("verdicts:sign", args=[made.slug]), {"password": "wrong"}),
            (reverse("people:password"), changed),
        ):
            call_command("axes_reset", verbosity=0)
            self.client.force_login(by, backend=settings.AUTHENTICATION_BACKENDS[-1])
            with self.subTest(url=url):
                for _ in range(7):
                    self.assertIn(self.client.post(url, typed).status_code, (302, 422))
                self.assertContains(self.client.post(url, typed), "Too many tries", status_code=429)
                right = {k: world.PASSWORD if k in ("password", "old") and v == "wrong" else v for k, v in typed.items()}
                self.assertEqual(self.client.post(url, right).status_code, 429)
                self.client.post("/people/log-out/")
                answer = self.client.post("/people/log-in/", {"username": "manager", "password": world.PASSWORD})
                self.assertEqual(answer.status_code, 429)
        made.refresh_from_db()
        self.assertIsNone(made.opened_at)
        by.refresh_from_db()
        self.assertTrue(by.check_password(world.PASSWORD))
        call_command("axes_reset", verbosity=0)
        self.client.force_login(by, backend=settings.AUTHENTICATION_BACKENDS[-1])
        self.client.post(reverse("trials:open-names", args=[made.slug]), {"password": "", "why": "?"})
        self.assertEqual(AccessAttempt.objects.count(), 0)  # nothing typed is no guess
        self.client.post(reverse("trials:open-names", args=[made.slug]), {"password": world.PASSWORD, "why": "it is over"})
        made.refresh_from_db()
        self.assertIsNotNone(made.opened_at)

    def test_the_policy_lets_nothing_foreign_run(self) -> None:
        policy = self.client.get("/people/log-in/")["Content-Security-Policy"]
        self.assertIn("script-src 'self'", policy)
        self.assertIn("default-src 'none'", policy)
        self.assertNotIn("unsafe", policy)


class Roles(TestCase):
    def test_each_act_is_refused_to_those_not_in_the_table(self) -> None:
        manager = world.person()
        made = world.trial(manager)
        plot, entry = made.plots.first(), made.entries.last()
        assert plot and entry
        walked = world.walk(made, "vigour", manager)
        doors = {
            "plan": [reverse("trials:new"), reverse("trials:shuffle", args=[made.slug]), reverse("trials:fix", args=[made.slug])],
            "compare": [reverse("compare:compare", args=[made.slug]), reverse("verdicts:report", args=[made.slug])],
            "observe": [
                reverse("walks:round", args=[made.slug, walked.pk]),
                reverse("walks:bring-in", args=[made.slug, walked.pk]),
            ],
            "exclude": [reverse("trials:leave-out", args=[made.slug, plot.pk])],
            "decide": [reverse("verdicts:give", args=[made.slug, entry.pk]), reverse("verdicts:sign", args=[made.slug])],
            "bring_in": [reverse("exchange:bring-in")],
        }
        for role in Role.values:
            user = manager if role == "manager" else world.person(role)
            self.client.force_login(user, backend="django.contrib.auth.backends.ModelBackend")
            for act, paths in doors.items():
                for path in paths:
                    with self.subTest(role=role, path=path):
                        refused = 403 in (self.client.get(path).status_code, self.client.post(path).status_code)
                        self.assertEqual(refused, role not in ACTS[act])

    def test_a_reader_cannot_write_where_reading_is_open(self) -> None:
        made = world.trial(world.person())
        self.client.force_login(world.person(Role.READER), backend="django.contrib.auth.backends.ModelBackend")
        self.client.post(reverse("nursery:sow", args=[made.slug]), {"on": "2026-03-01"})
        self.client.post(reverse("harvest:pick", args=[made.slug]), {"on": "2026-03-01", "plot": "101", "marketable_kg": "1"})
        self.client.post(reverse("catalogue:list"), {"crop": "Leek", "name": "Nobody"})
        plot = made.plots.get(number="101")
        self.assertEqual((plot.step_dates.count(), plot.pickings.count()), (0, 0))
        self.assertFalse(allowed(world.person(Role.HELPER), "decide"))
