"""Bad input on every form of planning, sowing and raising: a message beside the field that says what was found and expected, what was typed kept,
and nothing written."""

import re
from datetime import date, timedelta
from html import escape
from typing import Any

from django.apps import apps
from django.urls import reverse
from django.utils import timezone

from evarlo.catalogue.models import Crop, Problem
from evarlo.grounds.history import keep_use
from evarlo.grounds.models import Bed
from evarlo.nursery.models import Sowing, Tray
from evarlo.nursery.sowing import Put, new_tray, session_of, sow_cells
from evarlo.people.models import Role, User
from evarlo.seeds.models import Lot
from evarlo.seeds.services import keep_lot
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial
from trialcore.tests.surely import surely

ABSURD = ("twelve", "1e9", "−", "0x10", "NaN", "inf", "1,2,3", "½", "12 parsecs", "9" * 40, "; drop table", "٣")
DAYS = ("some day", "31 Feb 2026", "2026-13-01", "0000-00-00", "99999-01-01", "tomorrow")


class Forms(TestCase):
    by: User
    helper: User
    made: Trial
    raised: Trial
    lot: Lot
    bed: Bed
    tray: Tray
    sowing: Sowing
    forms: dict[str, tuple[str, dict[str, str]]]

    @classmethod
    def setUpTestData(cls) -> None:
        cls.by = world.person()
        cls.helper = world.person(Role.HELPER)
        cls.made = world.trial(cls.by, fixed=False, sow_on=timezone.localdate() + timedelta(days=30))
        cls.lot = keep_lot(None, cls.made.entries.all()[0].cultivar, {"name": "17"}, cls.by)
        cls.bed = surely(cls.made.bed)
        keep_use(cls.bed, "crop", "Carrot", Crop.objects.get(name="Carrot"), (0, 5), date(2024, 4, 1), None, "")
        cls.tray = new_tray("T8", 6, 10, 40, None, timezone.localdate(), cls.by)
        cls.raised = world.trial(cls.by, name="Raised")
        entry = cls.raised.entries.select_related("trial")[0]
        session = session_of(timezone.localdate(), cls.by, {})
        cls.sowing = sow_cells(Put(entry, None, 1), cls.tray, list(range(10)), session, timezone.localdate())
        cls.forms = cls.all_forms()

    @classmethod
    def all_forms(cls) -> dict[str, tuple[str, dict[str, str]]]:
        """Each form's address and something it would take."""
        trial, raised, lot, bed = cls.made.slug, cls.raised.slug, cls.lot.pk, cls.bed.pk
        day = timezone.localdate().isoformat()
        return {
            "needs": (
                reverse("trials:keep-needs", args=[trial]),
                {
                    "per_station": "1",
                    "germination": "85",
                    "field_percent": "90",
                    "spare_percent": "10",
                    "spare": "0",
                    "tray_cells": "60",
                    "cell_ml": "50",
                    "lead_days": "21",
                },
            ),
            "material": (reverse("trials:new-material", args=[trial]), {"name": "Straw", "kind": "layer", "amount": "5"}),
            "task": (reverse("trials:add-task", args=[trial]), {"what": "Earth up", "on": day, "days": "3"}),
            "protocol": (reverse("trials:keep-protocol", args=[trial]), {"since": day, "sow": "Two seeds a cell"}),
            "deviation": (reverse("trials:deviate", args=[trial]), {"plots": "101", "on": day, "said": "No water"}),
            "lot": (
                reverse("seeds:list"),
                {
                    "cultivar": "Corvane",
                    "name": "18",
                    "year": "2024",
                    "germination": "80",
                    "packet": "100",
                    "price": "3",
                    "thousand_g": "4",
                    "diameter_mm": "3",
                },
            ),
            "ledger": (reverse("seeds:move", args=[lot]), {"why": "received", "seeds": "10", "on": day}),
            "use": (
                reverse("grounds:add-use", args=[bed]),
                {"kind": "crop", "what": "Leek", "from_m": "0", "to_m": "3", "since": day, "yield_kg": "2"},
            ),
            "soil": (reverse("grounds:add-soil", args=[bed]), {"on": day, "ph": "6", "nitrogen": "10"}),
            "obstacle": (
                reverse("grounds:add-obstacle", args=[bed]),
                {"what": "Mast", "x": "1", "y": "1", "length": "1", "width": "1"},
            ),
            "bed": (reverse("grounds:keep-bed", args=[bed]), {"environment": "open", "shade_hours": "2"}),
            "site": (reverse("grounds:site", args=[cls.bed.site_id]), {"latitude": "50", "longitude": "4", "last_frost": "18 Apr"}),
            "cultivar": (reverse("catalogue:keep-cultivar", args=[cls.lot.cultivar_id]), {"height_cm": "60"}),
            "claim": (
                reverse("catalogue:new-claim", args=[cls.lot.cultivar_id]),
                {"says": "Early", "trait": "height", "value": "60"},
            ),
            "test": (
                reverse("seeds:begin-test", args=[lot]),
                {"began_on": day, "replicates": "2", "seeds": "3", "celsius": "20", "sure": "on"},
            ),
            "tray": (reverse("nursery:put-tray", args=[raised]), {"tray_name": "T9", "rows": "6", "cols": "10", "cell_ml": "40"}),
            "sowing": (
                reverse("nursery:put-seeds", args=[raised, cls.tray.pk]),
                {"entry": cls.sowing.entry.code, "cells": "B", "per_cell": "1", "on": day, "lot": "none", "depth_mm": "8"},
            ),
            "in plots": (reverse("nursery:put-in-plots", args=[raised]), {"plots": "101", "seeds": "9", "on": day, "sure": "on"}),
            "act": (
                reverse("nursery:act", args=[raised]),
                {"sowing": str(cls.sowing.pk), "plants": "1", "kind": "lost", "cause": "slugs", "on": day},
            ),
            "pricked out": (
                reverse("nursery:prick", args=[raised]),
                {"sowing": str(cls.sowing.pk), "plants": "2", "tray": "T8", "cells": "F1-F2", "on": day},
            ),
            "care": (reverse("nursery:tend", args=[raised]), {"trays": "T8", "what": "fed", "on": day}),
            "rule": (reverse("nursery:rule", args=[raised]), {"surplus": "cut", "reserve": "3"}),
            "planted": (reverse("nursery:plant", args=[raised]), {"on": day, "plots": "101"}),
            "stand rule": (reverse("nursery:stand", args=[raised]), {"least_stand": "50"}),
            "trait": (
                reverse("catalogue:new-trait"),
                {
                    "name": "Leaf length",
                    "kind": "measure",
                    "unit": "cm",
                    "samples": "5",
                    "low": "0",
                    "high": "90",
                    "matters": "1",
                    "direction": "higher",
                    "method": "Of the largest leaf",
                    "repeated": "on",
                },
            ),
            "event": (
                reverse("events:new-event", args=[raised]),
                {"kind": "hail", "on": day, "plots": "101-103", "recover_days": "10", "pull_over": "50", "unless_over": "20"},
            ),
            "treatment": (
                reverse("events:new-care", args=[raised]),
                {
                    "kind": "feed",
                    "what": "Seaweed",
                    "plots": "101",
                    "on": day,
                    "amount": "5",
                    "unit": "ml",
                    "entry_hours": "2",
                    "pick_days": "1",
                    "every_days": "9",
                },
            ),
            "watch": (
                reverse("pests:new-watch", args=[raised]),
                {"problem": str(Problem.objects.get(name="Aphids").pk), "since": day},
            ),
            "problem": (
                reverse("pests:new-problem", args=[raised]),
                {"name": "Gall midge", "kind": "pest", "threshold": "10", "threshold_of": "plants"},
            ),
            "place": (reverse("raising:add-place"), {"name": "Bench", "capacity": "8", "shelter": "glass", "celsius": "20"}),
        }

    NUMBERS = {
        "needs": ("per_station", "germination", "field_percent", "spare_percent", "spare", "tray_cells", "cell_ml", "lead_days"),
        "material": ("amount", "grade", "soil", "pack", "price"),
        "task": ("days",),
        "lot": ("year", "germination", "packet", "price", "thousand_g", "diameter_mm"),
        "ledger": ("seeds",),
        "use": ("from_m", "to_m", "yield_kg"),
        "soil": ("ph", "organic", "nitrogen"),
        "obstacle": ("x", "y", "length", "width"),
        "bed": ("shade_hours",),
        "site": ("latitude", "longitude"),
        "cultivar": ("height_cm",),
        "claim": ("value",),
        "test": ("replicates", "seeds", "celsius"),
        "tray": ("rows", "cols", "cell_ml"),
        "sowing": ("per_cell", "depth_mm", "soak_h", "warmth_c"),
        "in plots": ("seeds",),
        "act": ("plants",),
        "pricked out": ("plants",),
        "rule": ("reserve",),
        "stand rule": ("least_stand",),
        "trait": ("samples", "low", "high", "matters"),
        "event": ("recover_days", "pull_over", "unless_over"),
        "treatment": ("amount", "entry_hours", "pick_days", "every_days"),
        "problem": ("threshold",),
        "place": ("capacity", "celsius", "light_h"),
    }
    DATES = {
        "task": "on",
        "protocol": "since",
        "deviation": "on",
        "ledger": "on",
        "use": "since",
        "soil": "on",
        "test": "began_on",
        "sowing": "on",
        "in plots": "on",
        "act": "on",
        "pricked out": "on",
        "care": "on",
        "planted": "on",
        "event": "on",
        "treatment": "on",
        "watch": "since",
    }
    HELPERS = (
        "deviation",
        "test",
        "tray",
        "sowing",
        "in plots",
        "act",
        "pricked out",
        "care",
        "planted",
        "event",
        "treatment",
        "watch",
    )

    def setUp(self) -> None:
        self.client.force_login(self.by)

    def rows(self) -> dict[str, int]:
        """How many rows every table of the application has."""
        return {m._meta.label: m._base_manager.count() for m in apps.get_models() if m.__module__.startswith("evarlo.")}

    def refused(self, form: str, field: str, text: str) -> Any:
        url, good = self.forms[form]
        answer = self.client.post(url, good | {field: text})
        page = answer.content.decode()
        self.assertEqual(answer.status_code, 422, (form, field, text))
        beside = re.search(rf'id="[a-z0-9]+_{field}-wrong">([^<]*)<', page)
        assert beside, "no message beside the field"
        self.assertIn(f'value="{escape(text)}"', page, "what was typed is gone")
        return beside[1]

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
            if form not in self.HELPERS:
                with self.subTest(form=form):
                    self.assertEqual(self.client.post(url, good).status_code, 403)
        self.assertEqual(self.rows(), before)

    def test_markup_in_words_is_shown_as_it_was_typed(self) -> None:
        nasty = "<script>x</script>"
        for form, field in (
            ("material", "name"),
            ("task", "what"),
            ("use", "what"),
            ("obstacle", "what"),
            ("claim", "says"),
            ("trait", "name"),
            ("treatment", "what"),
            ("event", "note"),
        ):
            url, good = self.forms[form]
            with self.subTest(form=form):
                answer = self.client.post(url, good | {field: nasty}, follow=True)
                self.assertNotContains(answer, nasty)
                self.assertContains(answer, escape(nasty))
