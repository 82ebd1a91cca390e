"""The second factor: chosen with proof, asked for after the password, each code once, guessing stopped, lost and begun anew."""

import json
import time
from datetime import timedelta
from typing import Any
from unittest import mock

import pyotp
from django.test import SimpleTestCase, override_settings
from django.urls import reverse
from django.utils import timezone

from evarlo.people.joining import offer_reset, reset
from evarlo.people.models import AuditLine, User
from evarlo.people.second import MOST_WRONG, check, choose
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial
from evarlo.ui.refused import Refused

KEY = "GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ"  # of the published test values: 12345678901234567890 in base 32
PUBLISHED = {59: "287082", 1111111109: "081804", 1111111111: "050471", 1234567890: "005924", 2000000000: "279037"}


class Published(SimpleTestCase):
    def test_codes_are_those_of_the_standard(self) -> None:
        for at, code in PUBLISHED.items():  # RFC 6238, appendix B, the last six of eight digits
            self.assertEqual(pyotp.TOTP(KEY).at(at), code)


class Asked(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        choose(self.by, KEY, self.code(-1))

    def code(self, later: int = 0) -> str:
        return pyotp.TOTP(KEY).at(int(time.time()) + 30 * later)

    def password(self, then: str = "/trials/") -> Any:
        return self.client.post(reverse("people:log-in"), {"username": "manager", "password": world.PASSWORD, "next": then})

    def test_the_password_alone_lets_nobody_in(self) -> None:
        answer = self.password()
        self.assertRedirects(answer, f"{reverse('people:code')}?next=%2Ftrials%2F")
        self.assertNotIn("_auth_user_id", self.client.session)
        self.assertEqual(self.client.get("/trials/").status_code, 302)
        wrong = self.client.post(answer["Location"], {"code": "000000"})
        self.assertContains(wrong, "does not hold now", status_code=422)
        self.assertRedirects(self.client.post(answer["Location"], {"code": f" {self.code()[:3]} {self.code()[3:]}"}), "/trials/")
        self.assertEqual(self.client.get("/trials/").status_code, 200)

    def test_no_code_holds_twice_and_an_older_one_not_after_a_newer(self) -> None:
        check(self.by.pk, self.code())
        self.assertRaisesRegex(Refused, "does not hold", check, self.by.pk, self.code())
        self.assertRaisesRegex(Refused, "does not hold", check, self.by.pk, self.code(-1))
        check(self.by.pk, self.code(1))
        self.assertRaises(Refused, check, self.by.pk, self.code(3))

    def test_guessing_is_stopped_for_a_while_and_the_right_code_with_it(self) -> None:
        for _ in range(MOST_WRONG):
            self.assertRaisesRegex(Refused, "does not hold", check, self.by.pk, "123")
        self.assertRaisesRegex(Refused, "Too many wrong codes", check, self.by.pk, self.code())
        self.password()  # begun anew it is the same
        self.assertContains(self.client.post(reverse("people:code"), {"code": self.code()}), "Too many", status_code=422)
        User.objects.update(second_wrong_at=timezone.now() - timedelta(minutes=16))
        check(self.by.pk, self.code())
        self.assertEqual(AuditLine.objects.filter(what="gave a wrong code").count(), MOST_WRONG + 2)

    def test_half_way_lasts_some_minutes_and_leads_nowhere_else(self) -> None:
        self.assertRedirects(self.client.get(reverse("people:code")), reverse("people:log-in"))
        self.password()
        with mock.patch("evarlo.people.second_views.time.time", return_value=time.time() + 400):
            late = self.client.post(reverse("people:code"), {"code": self.code()})
        self.assertRedirects(late, reverse("people:log-in"))
        self.password()
        away = self.client.post(f"{reverse('people:code')}?next=https://elsewhere.example/", {"code": self.code()})
        self.assertRedirects(away, "/")

    def test_a_link_for_a_new_password_gives_it_up(self) -> None:
        reset(offer_reset(self.by, self.by), "another-password")
        self.assertEqual(User.objects.get().second_key, "")
        self.assertRaises(Refused, check, self.by.pk, pyotp.TOTP("").now())  # whoever was half way is not in by no key
        self.assertTrue(AuditLine.objects.filter(what__contains="let in anew").exists())


class Choosing(TestCase):
    def test_it_is_chosen_with_a_code_of_the_key_and_given_up_with_another(self) -> None:
        by = world.person("helper")
        self.client.force_login(by, backend="django.contrib.auth.backends.ModelBackend")
        page = self.client.get(reverse("people:second"))
        key = page.context["key"]
        self.assertContains(page, key)
        self.assertContains(page, "<svg")
        self.assertContains(self.client.post(reverse("people:second"), {"code": "1"}), "not the code", status_code=422)
        self.assertContains(self.client.post(reverse("people:second"), {"code": ""}), "Nothing was typed", status_code=422)
        self.assertEqual(User.objects.get().second_key, "")
        now = int(time.time())
        self.client.post(reverse("people:second"), {"code": pyotp.TOTP(key).at(now)})
        self.assertEqual(User.objects.get().second_key, key)
        self.assertNotContains(self.client.get(reverse("people:second")), key)  # it is shown no more
        self.client.post(reverse("people:second"), {"code": pyotp.TOTP(key).at(now)})
        self.assertEqual(User.objects.get().second_key, key)  # that code was used
        self.client.post(reverse("people:second"), {"code": pyotp.TOTP(key).at(now + 30)})
        self.assertEqual(User.objects.get().second_key, "")
        self.assertNotIn(key, json.dumps([line.typed for line in AuditLine.objects.all()]))


@override_settings(SECOND_FACTOR=frozenset({"manager"}))
class Demanded(TestCase):
    """Where a role has to have one, nothing opens before it is chosen, and it is not given up."""

    def setUp(self) -> None:
        self.by, self.url = world.person(), reverse("people:second")
        self.client.force_login(self.by, backend="django.contrib.auth.backends.ModelBackend")

    def code(self) -> str:
        return pyotp.TOTP(self.client.session["new-second"]).now()

    def test_every_page_leads_to_it_and_no_act_is_done(self) -> None:
        self.assertRedirects(self.client.get("/trials/"), self.url)
        self.assertContains(self.client.get(self.url), "has to have a second factor")
        sent = self.client.post(reverse("trials:new"), {"name": "Fennel"})
        self.assertEqual((sent.status_code, Trial.objects.count()), (401, 0))
        self.assertContains(self.client.get("/trials/", headers={"HX-Request": "true"}), "choose it", status_code=401)
        self.assertEqual(self.client.get(reverse("people:me")).status_code, 200)
        self.assertRedirects(self.client.post(self.url, {"code": self.code()}), reverse("people:me"))
        self.assertEqual(self.client.get("/trials/").status_code, 200)

    def test_it_is_not_given_up(self) -> None:
        choose(self.by, KEY, pyotp.TOTP(KEY).now())
        self.client.force_login(self.by, backend="django.contrib.auth.backends.ModelBackend")
        page = self.client.get(self.url)
        self.assertContains(page, "Your role has to have it")
        self.assertNotContains(page, "Ask for none any more")
        later = pyotp.TOTP(KEY).at(int(time.time()) + 30)
        self.assertContains(self.client.post(self.url, {"code": later}), "has to have a second factor", status_code=422)
        self.assertTrue(User.objects.get(pk=self.by.pk).second_key)

    def test_other_roles_choose_for_themselves(self) -> None:
        self.client.force_login(world.person("helper"), backend="django.contrib.auth.backends.ModelBackend")
        self.assertEqual(self.client.get("/trials/").status_code, 200)
