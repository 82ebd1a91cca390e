"""Bad input on every form of planning: a message beside the field that says what was found and expected, what was typed kept,
and nothing written."""

from datetime import date, timedelta
from html import escape
from typing import Any

from django.apps import apps
from django.test import TestCase
from django.urls import reverse
from django.utils import timezone

from evarlo.catalogue.models import Crop
from evarlo.grounds.history import keep_use
from evarlo.people.models import Role
from evarlo.seeds.services import keep_lot
from evarlo.testing import world

ABSURD = ("twelve", "1e9", "−", "0x10", "NaN", "inf", "1,2,3", "½", "12 parsecs", "9" * 40, "; drop table", "٣")
DAYS = ("some day", "31 Feb 2026", "2026-13-01", "0000-00-00", "99999-01-01", "tomorrow")


class Forms(TestCase):
    @classmethod
    def setUpTestData(cls) -> None:
        cls.by = world.person()
        cls.helper = world.person(Role.HELPER)
        cls.made = world.trial(cls.by, fixed=False, sow_on=timezone.localdate() + timedelta(days=30))
        cls.lot = keep_lot(None, cls.made.entries.all()[0].cultivar, {"name": "17"}, cls.by)
        cls.bed = cls.made.bed
        keep_use(cls.bed, "crop", "Carrot", Crop.objects.get(name="Carrot"), (0, 5), date(2024, 4, 1), None, "")
        cls.forms = cls.all_forms()

    @classmethod
    def all_forms(cls) -> dict[str, tuple[str, dict[str, str]]]:
        """Each form's address and something it would take."""
        trial, lot, bed = cls.made.slug, cls.lot.pk, cls.bed.pk
        day = timezone.localdate().isoformat()
        return {
            "needs": (reverse("trials:keep-needs", args=[trial]), {
                "per_station": "1", "germination": "85", "field_percent": "90", "spare_percent": "10", "spare": "0",
                "tray_cells": "60", "cell_ml": "50", "lead_days": "21"}),
            "material": (reverse("trials:new-material", args=[trial]), {"name": "Straw", "kind": "layer", "amount": "5"}),
            "task": (reverse("trials:add-task", args=[trial]), {"what": "Earth up", "on": day, "days": "3"}),
            "protocol": (reverse("trials:keep-protocol", args=[trial]), {"since": day, "sow": "Two seeds a cell"}),
            "deviation": (reverse("trials:deviate", args=[trial]), {"plots": "101", "on": day, "said": "No water"}),
            "lot": (reverse("seeds:list"), {
                "cultivar": "Corvane", "name": "18", "year": "2024", "germination": "80", "packet": "100", "price": "3",
                "thousand_g": "4", "diameter_mm": "3"}),
            "ledger": (reverse("seeds:move", args=[lot]), {"why": "received", "seeds": "10", "on": day}),
            "use": (reverse("grounds:add-use", args=[bed]), {
                "kind": "crop", "what": "Leek", "from_m": "0", "to_m": "3", "since": day, "yield_kg": "2"}),
            "soil": (reverse("grounds:add-soil", args=[bed]), {"on": day, "ph": "6", "nitrogen": "10"}),
            "obstacle": (reverse("grounds:add-obstacle", args=[bed]), {"what": "Mast", "x": "1", "y": "1", "length": "1", "width": "1"}),
            "bed": (reverse("grounds:keep-bed", args=[bed]), {"environment": "open", "shade_hours": "2"}),
            "site": (reverse("grounds:site", args=[cls.bed.site_id]), {"latitude": "50", "longitude": "4", "last_frost": "18 Apr"}),
            "cultivar": (reverse("catalogue:keep-cultivar", args=[cls.lot.cultivar_id]), {"height_cm": "60"}),
            "claim": (reverse("catalogue:new-claim", args=[cls.lot.cultivar_id]), {"says": "Early", "trait": "height", "value": "60"}),
        }  # fmt: skip

    NUMBERS = {
        "needs": ("per_station", "germination", "field_percent", "spare_percent", "spare", "tray_cells", "cell_ml", "lead_days"),
        "material": ("amount", "grade", "soil", "pack", "price"), "task": ("days",),
        "lot": ("year", "germination", "packet", "price", "thousand_g", "diameter_mm"), "ledger": ("seeds",),
        "use": ("from_m", "to_m", "yield_kg"), "soil": ("ph", "organic", "nitrogen"), "obstacle": ("x", "y", "length", "width"),
        "bed": ("shade_hours",), "site": ("latitude", "longitude"), "cultivar": ("height_cm",), "claim": ("value",),
    }  # fmt: skip
    DATES = {"task": "on", "protocol": "since", "deviation": "on", "ledger": "on", "use": "since", "soil": "on"}

    def setUp(self) -> None:
        self.client.force_login(self.by)

    def rows(self) -> dict[str, int]:
        """How many rows every table of the application has."""
        return {m._meta.label: m.objects.count() for m in apps.get_models() if m.__module__.startswith("evarlo.")}

    def refused(self, form: str, field: str, text: str) -> Any:
        url, good = self.forms[form]
        answer = self.client.post(url, good | {field: text})
        page = answer.content.decode()
        self.assertEqual(answer.status_code, 422, (form, field, text))
        self.assertIn(f'id="id_{field}-wrong"', page, "no message beside the field")
        self.assertIn(f'value="{escape(text)}"', page, "what was typed is gone")
        return page.split(f'id="id_{field}-wrong">')[1].split("<")[0]

    def test_absurd_numbers_are_said_beside_their_field_and_kept(self) -> None:
        before = self.rows()
        for form, fields in self.NUMBERS.items():
            for n, field in enumerate(fields):
                for text in (ABSURD[n % len(ABSURD)], ABSURD[(n + 5) % len(ABSURD)], "-99999999999"):
                    with self.subTest(form=form, field=field, text=text):
                        said = self.refused(form, field, text)
                        self.assertIn("Found", said)
                        self.assertIn("Expected", said)
        self.assertEqual(self.rows(), before)

    def test_absurd_days_are_said_beside_their_field_and_kept(self) -> None:
        before = self.rows()
        for form, field in self.DATES.items():
            for text in DAYS:
                with self.subTest(form=form, text=text):
                    self.assertIn("Found", self.refused(form, field, text))
        self.assertEqual(self.rows(), before)

    def test_what_every_form_would_take_is_taken_once_it_is_right(self) -> None:
        for form, (url, good) in self.forms.items():
            with self.subTest(form=form):
                self.assertEqual(self.client.post(url, good).status_code, 302)

    def test_a_helper_is_turned_away_from_what_only_managers_change(self) -> None:
        self.client.force_login(self.helper)
        before = self.rows()
        for form, (url, good) in self.forms.items():
            if form != "deviation":
                with self.subTest(form=form):
                    self.assertEqual(self.client.post(url, good).status_code, 403)
        self.assertEqual(self.rows(), before)

    def test_markup_in_words_is_shown_as_it_was_typed(self) -> None:
        nasty = "<script>x</script>"
        for form, field in (("material", "name"), ("task", "what"), ("use", "what"), ("obstacle", "what"), ("claim", "says")):
            url, good = self.forms[form]
            with self.subTest(form=form):
                answer = self.client.post(url, good | {field: nasty}, follow=True)
                self.assertNotContains(answer, nasty)
                self.assertContains(answer, escape(nasty))
