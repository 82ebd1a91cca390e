"""Crop profiles: shipped whole, changed with care, nothing lost on a slip."""

from typing import Any

from django.test import SimpleTestCase
from django.urls import reverse
from hypothesis import given
from hypothesis import strategies as st

from evarlo.catalogue.models import Crop
from evarlo.catalogue.profile import FIELDS, read_value, shipped_crops, shown
from evarlo.catalogue.services import put_in_shipped_crops
from evarlo.testing import world
from evarlo.testing.pages import TestCase


class Shipped(TestCase):
    def test_every_shipped_crop_has_what_a_trial_needs(self) -> None:
        crops = shipped_crops()
        self.assertGreaterEqual(len(crops), 40)
        self.assertEqual(len({c.name for c in crops}), len(crops))
        for crop in crops:
            p: dict[str, Any] = crop.profile
            with self.subTest(crop=crop.name):
                for key in (
                    "species",
                    "family",
                    "frost",
                    "base_c",
                    "soil_c",
                    "ph",
                    "emergence_days",
                    "edible_days",
                    "edible_rule",
                    "picking",
                    "pollination",
                    "rotation_years",
                    "height_cm",
                    "vulnerable",
                ):
                    self.assertIn(key, p)
                self.assertLess(p["base_c"], p["upper_c"])
                self.assertLessEqual(p["emergence_days"][1], p["edible_days"][0])
                self.assertTrue(4.5 < p["ph"][0] < p["ph"][1] < 8.5)
        toxic = {c.name for c in crops if "poisonous" in str(c.profile.get("cautions"))}
        self.assertEqual(toxic, {"French bean", "Lima bean", "Runner bean", "Potato", "Rhubarb"})

    def test_a_crop_that_was_there_keeps_its_own_figures(self) -> None:
        Crop.objects.filter(name="Carrot").update(between_rows_cm=22, profile={"species": "mine"}, source="Set by me")
        put_in_shipped_crops(Crop)
        carrot = Crop.objects.get(name="Carrot")
        self.assertEqual((carrot.between_rows_cm, carrot.profile, carrot.source), (22, {"species": "mine"}, "Set by me"))


class Reading(SimpleTestCase):
    @given(st.sampled_from(sorted(FIELDS)), st.floats(3, 9), st.floats(0, 1))
    def test_what_is_shown_can_be_read_again(self, key: str, low: float, more: float) -> None:
        field = FIELDS[key]
        value: object = "words" if field.kind == "words" else field.choices[0] if field.kind == "choice" else round(low, 1)
        if field.kind == "range":
            value = [round(low, 1), round(low + more, 1)]
        self.assertEqual(read_value(field, shown(field, value)), value)
        self.assertEqual(read_value(field, shown(field, value, unit=False)), value)


class Profiles(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.client.force_login(self.by, backend="django.contrib.auth.backends.ModelBackend")
        self.crop = Crop.objects.get(name="Carrot")

    def typed(self, **changes: str) -> dict[str, str]:
        known = {key: shown(field, self.crop.profile.get(key), unit=False) for key, field in FIELDS.items()}
        return {"name": "Carrot", "between_rows_cm": "30", "in_row_cm": "3", "cv_percent": "15", **known, **changes}

    def post(self, **changes: str) -> Any:
        return self.client.post(reverse("catalogue:crop", args=[self.crop.pk]), self.typed(**changes))

    def test_a_change_is_kept_with_who_made_it(self) -> None:
        self.assertEqual(self.post(edible_days="65 to 110 days", chilling_c="−3,5 °C").status_code, 302)
        self.crop.refresh_from_db()
        self.assertEqual((self.crop.profile["edible_days"], self.crop.profile["chilling_c"]), ([65.0, 110.0], -3.5))
        self.assertIn("Set by Manager Tester", self.crop.source)
        page = self.client.get(reverse("catalogue:crop", args=[self.crop.pk]))
        self.assertContains(page, "65–110 days")
        self.assertContains(page, "Sap can burn skin in sun.")

    def test_the_source_speaks_of_what_stands_there(self) -> None:
        shipped = self.crop.source
        same = {name: f"{getattr(self.crop, name):g}" for name in ("between_rows_cm", "in_row_cm", "cv_percent")}
        self.post(**same)
        self.crop.refresh_from_db()
        self.assertEqual(self.crop.source, shipped)
        self.post(**same | {"in_row_cm": "6"})
        self.crop.refresh_from_db()
        self.assertIn("Set by Manager Tester", self.crop.source)

    def test_bad_figures_are_said_beside_their_field_and_nothing_is_kept(self) -> None:
        before = dict(self.crop.profile)
        for key, text, said in (
            ("edible_days", "soon", "Found “soon”. Expected one or two numbers, such as 18–25 days."),
            ("edible_days", "110-65", "Expected the lower number first."),
            ("base_c", "4-5", "Expected a number, such as 12 °C."),
            ("ph", "12", "Expected 3 to 10."),
            ("frost", "very", "Select a valid choice"),
            ("vulnerable", "x" * 201, "Found 201 characters"),
            ("name", "Potato", "Potato is on record already."),
            ("between_rows_cm", "-1", "Expected a number from 1 to 500 cm."),
        ):
            with self.subTest(key=key, text=text):
                answer = self.post(**{key: text})
                self.assertContains(answer, said, status_code=422)
                if key != "frost":
                    self.assertContains(answer, text, status_code=422)
        self.crop.refresh_from_db()
        self.assertEqual(self.crop.profile, before)

    def test_an_own_crop_and_who_may_make_one(self) -> None:
        url = reverse("catalogue:new-crop")
        answer = self.client.post(
            url, {"name": "Sea kale", "between_rows_cm": "60", "in_row_cm": "50", "cv_percent": "20", "frost": "hardy"}
        )
        made = Crop.objects.get(name="Sea kale")
        self.assertRedirects(answer, reverse("catalogue:crop", args=[made.pk]))
        self.assertEqual(made.profile, {"frost": "hardy"})
        self.client.force_login(world.person("helper"), backend="django.contrib.auth.backends.ModelBackend")
        self.assertEqual(self.client.get(url).status_code, 403)
        self.assertNotContains(self.client.get(reverse("catalogue:crop", args=[made.pk])), "Change the profile")
        self.client.post(reverse("catalogue:crop", args=[made.pk]), {"name": "Other"})
        made.refresh_from_db()
        self.assertEqual(made.name, "Sea kale")

    def test_the_list_takes_few_statements(self) -> None:
        with self.assertNumQueries(4):  # session, person, time zone, crops
            self.assertContains(self.client.get(reverse("catalogue:crops")), "Sweet corn")
