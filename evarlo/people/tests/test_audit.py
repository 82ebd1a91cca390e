"""What was done is written down, found again, and a gap shows."""

import uuid
from tempfile import TemporaryDirectory

from django.conf import settings
from django.test import override_settings
from django.urls import reverse

from evarlo.people.audit import ACTS, begin_end_anew, difference, end_cut_off, first_gap, note
from evarlo.people.models import AuditLine, Role
from evarlo.testing import world
from evarlo.testing.pages import TestCase


class WhatWasDone(TestCase):
    def told(self) -> list[tuple[str, str]]:
        return list(AuditLine.objects.order_by("pk").values_list("who", "what"))

    def test_every_act_that_is_named_is_an_address(self) -> None:
        from django.urls import get_resolver

        names = {
            f"{space}:{name}"
            for space, (_, resolver) in get_resolver().namespace_dict.items()
            for name in resolver.reverse_dict
            if isinstance(name, str)
        }
        self.assertEqual(set(ACTS) - names, set())

    def test_log_ins_roles_exports_and_openings_are_written_down_without_secrets(self) -> None:
        by = world.person()
        by.set_password("a-long-one-1")
        by.save()
        url = reverse("people:log-in")
        self.client.post(url, {"username": by.username, "password": "wrong-one-2"})
        self.client.post(url, {"username": by.username, "password": "a-long-one-1"})
        other = world.person(Role.HELPER, "pell")
        self.client.post(reverse("people:role", args=[other.pk]), {"role": "evaluator"})
        made = world.trial(by)
        typed = {"why": "the season is over", "password": "a-long-one-1"}
        self.client.post(reverse("trials:open-names", args=[made.slug]), typed)
        self.client.get(reverse("trials:calendar", args=[made.slug]))
        self.client.post(reverse("people:log-out"))
        self.assertEqual(
            [what for _, what in self.told()],
            ["gave a wrong password", "logged in", "gave a role", "opened the names of a trial", "took along a file", "logged out"],
        )
        self.assertEqual({who for who, _ in self.told()}, {by.username})
        role = AuditLine.objects.get(what="gave a role")
        self.assertEqual((role.typed, role.where), ({"role": "evaluator"}, "127.0.0.1"))
        everything = " ".join(str(line.typed) for line in AuditLine.objects.all())
        self.assertNotIn("a-long-one-1", everything)
        self.assertNotIn("wrong-one-2", everything)

    def test_what_was_refused_is_no_act(self) -> None:
        self.client.force_login(world.person(Role.HELPER, "pell"), backend="django.contrib.auth.backends.ModelBackend")
        AuditLine.objects.all().delete()
        self.client.post(reverse("people:invite"), {"name": "X", "role": "manager"})
        self.client.get(reverse("people:audit"))
        self.assertEqual(self.told(), [])

    def test_an_act_that_leads_back_undone_or_comes_twice_is_told_once(self) -> None:
        by = world.person()
        made = world.trial(by)
        world.sow(made, by)
        world.keep_yields(made, by, {"Corvane": 5.0, "Quillet": 6.4, "OF-17": 6.1, "Brakewater": 5.2})
        self.client.force_login(by, backend=settings.AUTHENTICATION_BACKENDS[-1])
        AuditLine.objects.all().delete()
        for name, args, typed in (
            ("verdicts:sign", [made.slug], {"password": "wrong-one-2"}),
            ("trials:open-names", [made.slug], {"password": "wrong-one-2", "why": "?"}),
            ("trials:delete", [made.slug], {}),
            ("people:leave", [by.pk], {}),
            ("exchange:restore", ["none.sqlite3"], {}),
        ):
            answer = self.client.post(reverse(name, args=args), typed)
            with self.subTest(name=name):
                self.assertIn(answer.status_code, (302, 404))
                self.assertEqual({what for _, what in self.told()} - {"gave a wrong password"}, set())
        key = {"act-key": str(uuid.uuid4())}
        for _ in range(2):
            self.client.post(reverse("trials:archive", args=[made.slug]), {"away": "1"} | key)
        self.assertEqual([what for _, what in self.told()].count("put a trial away or brought it back"), 1)

    def test_a_record_that_is_gone_is_told_whole(self) -> None:
        self.assertEqual(difference({"name": "WX", "on": "2026-06-20"}, {}), {"name": ["WX", ""], "on": ["2026-06-20", ""]})

    def test_a_gap_shows(self) -> None:
        for n in range(4):
            note("gave a role", "ines", "127.0.0.1", f"/people/{n}/", {"role": "reader"})
        self.assertIsNone(first_gap())
        second = AuditLine.objects.order_by("pk")[1]
        AuditLine.objects.filter(pk=second.pk).update(typed={"role": "manager"})
        self.assertEqual(getattr(first_gap(), "pk", None), second.pk)
        AuditLine.objects.filter(pk=second.pk).update(typed={"role": "reader"})
        self.assertIsNone(first_gap())
        second.delete()
        self.assertEqual(getattr(first_gap(), "about", ""), "/people/2/")
        self.client.force_login(world.person(), backend="django.contrib.auth.backends.ModelBackend")
        page = self.client.get(reverse("people:audit"), {"find": "/people/3/"})
        self.assertContains(page, "Something is missing or was changed before")
        self.assertContains(page, "/people/3/")
        self.assertNotContains(page, "/people/0/")
        self.assertEqual(self.client.get(reverse("people:audit"), {"take": "csv"}).status_code, 200)

    def test_what_was_and_what_is_stand_beside_each_other(self) -> None:
        by, other = world.person(), world.person(Role.HELPER, "pell")
        self.client.force_login(by, backend="django.contrib.auth.backends.ModelBackend")
        self.client.post(reverse("people:role", args=[other.pk]), {"role": "evaluator"})
        self.assertEqual(AuditLine.objects.get(what="gave a role").changed, {"role": ["helper", "evaluator"]})
        made = world.trial(by)
        self.client.post(reverse("trials:rename", args=[made.slug]), {"name": "Fenel", "why": "as on the stakes"})
        line = AuditLine.objects.get(what="corrected a trial's name")
        self.assertEqual(line.changed["name"], ["Fennel", "Fenel"])
        self.client.post(reverse("people:leave", args=[other.pk]))
        self.assertEqual(AuditLine.objects.get(what="let somebody leave").changed["is_active"], ["True", "False"])
        told = " ".join(str(x.changed) for x in AuditLine.objects.all())
        self.assertNotIn(other.password, told)
        self.assertIsNone(first_gap())
        AuditLine.objects.filter(pk=line.pk).update(changed={"name": ["Fennel", "Other"]})
        self.assertEqual(getattr(first_gap(), "pk", None), line.pk)
        self.assertContains(self.client.get(reverse("people:audit")), "role helper → evaluator")

    def test_an_end_that_is_cut_off_shows(self) -> None:
        with TemporaryDirectory() as folder, override_settings(DATA=folder):
            for n in range(3):
                with self.captureOnCommitCallbacks(execute=True):
                    line = note("gave a role", "ines", "127.0.0.1", f"/people/{n}/")
            self.assertFalse(end_cut_off())
            line.delete()
            self.assertIsNone(first_gap())  # what is left hangs together
            self.assertTrue(end_cut_off())
            self.client.force_login(world.person(), backend="django.contrib.auth.backends.ModelBackend")
            self.assertContains(self.client.get(reverse("people:audit")), "Lines at the end are missing")
            begin_end_anew()
            self.assertFalse(end_cut_off())
