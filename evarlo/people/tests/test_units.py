"""Units by person: shown and typed in theirs, kept metric."""

import uuid

from django.urls import reverse
from django.utils import timezone

from evarlo.catalogue.models import Crop
from evarlo.grounds.models import Bed
from evarlo.harvest.models import Picking
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial
from evarlo.ui.fields import Number
from evarlo.ui.units import measured, stop_using, use_imperial


class Conversions(TestCase):
    def setUp(self) -> None:
        token = use_imperial(True)
        self.addCleanup(stop_using, token)

    def test_amounts_are_shown_in_feet_pounds_and_fahrenheit(self) -> None:
        for value, unit, shown in (
            (2.4, "m", "7.87 ft"),
            (30, "cm", "11.8 in"),
            (100, "m²", "1076 sq ft"),
            (5, "kg", "11 lb"),
            (-5, "°C", "23 °F"),
            (3, "plants", "3 plants"),
            (40, "%", "40 %"),
        ):
            with self.subTest(value=value, unit=unit):
                self.assertEqual(measured(value, unit), shown)

    def test_a_plain_number_is_read_in_the_unit_shown_and_a_named_unit_as_it_says(self) -> None:
        length = Number(label="Length", low=0.5, high=1000, unit="m")
        self.assertAlmostEqual(length.clean("10"), 3.048)
        self.assertEqual(length.clean("3 m"), 3.0)
        self.assertAlmostEqual(length.clean("5 ft 6 in"), 1.6764)
        self.assertEqual(length.expected, "a number from 1.64 to 3281 ft")
        self.assertAlmostEqual(Number(low=-60, high=60, unit="°C").clean("50"), 10.0)

    def test_what_is_shown_is_read_back_as_it_was(self) -> None:
        length = Number(label="Length", low=0, high=1000, unit="m")
        for metres in (0.3, 1.8, 2.4, 18.5, 20.0, 133.7):
            self.assertEqual(length.clean(str(length.prepare_value(metres))), metres)


class Pages(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.made = world.trial(self.by, fixed=False)
        self.client.force_login(self.by)

    def test_a_person_chooses_and_nobody_else_is_touched(self) -> None:
        other = world.person("reader")
        self.client.post(reverse("people:me"), {"units": "imperial"})
        self.by.refresh_from_db()
        other.refresh_from_db()
        self.assertEqual((self.by.imperial, other.imperial), (True, False))
        self.assertContains(self.client.get(self.made.get_absolute_url()), "North strip, 65.6 × 32.8 ft")
        self.client.force_login(other)
        self.assertContains(self.client.get(self.made.get_absolute_url()), "North strip, 20 × 10 m")
        self.assertContains(self.client.get(reverse("grounds:list")), "Length, m")

    def test_a_plan_shown_in_feet_and_sent_back_is_the_same_plan(self) -> None:
        self.client.post(reverse("people:me"), {"units": "imperial"})
        url = reverse("trials:change", args=[self.made.slug])
        form = self.client.get(url).context["form"]
        # the form was filled while the person's units held; here they are read as the browser got them
        page = self.client.get(url).content.decode()
        typed = {name: form[name].value() for name in form.fields if form[name].value() not in (None, False)}
        for name in ("bed_length_m", "bed_width_m", "plot_length_m", "plot_width_m", "path_m", "between_rows_cm", "in_row_cm"):
            typed[name] = page.split(f'name="{name}" value="')[1].split('"')[0]
        self.assertEqual((typed["plot_length_m"], typed["between_rows_cm"]), ("6.562", "15.748"))
        self.assertRedirects(self.client.post(url, typed), self.made.get_absolute_url())
        made = Trial.objects.get(pk=self.made.pk)
        for name in ("plot_length_m", "plot_width_m", "path_m", "between_rows_cm", "in_row_cm"):
            self.assertEqual(getattr(made, name), getattr(self.made, name), name)
        self.assertEqual(Bed.objects.count(), 1)

    def test_a_weight_in_pounds_is_kept_in_kilograms(self) -> None:
        made = world.trial(self.by, name="Weighed")
        self.client.post(reverse("people:me"), {"units": "imperial"})
        url = reverse("harvest:pick", args=[made.slug])
        typed = {"key": str(uuid.uuid4()), "on": timezone.localdate().isoformat(), "plot": "101", "marketable_kg": "10"}
        self.assertContains(self.client.post(url, typed, follow=True), "Plot 101: 10 lb saved.")
        self.assertAlmostEqual(Picking.objects.get(plot__trial=made).marketable_kg, 4.536)

    def test_a_crop_s_spacing_is_typed_in_inches(self) -> None:
        self.client.post(reverse("people:me"), {"units": "imperial"})
        crop = Crop.objects.get(name="Carrot")
        page = self.client.get(reverse("catalogue:crop", args=[crop.pk]))
        self.assertContains(page, " in in the row")


class Looks(TestCase):
    def test_times_in_12_hours_and_the_look_for_the_sun_are_each_persons_own(self) -> None:
        by = world.person()
        self.client.post("/people/log-in/", {"username": "manager", "password": world.PASSWORD})
        page = self.client.get("/people/me/")
        self.assertNotContains(page, 'class="sun"')
        self.assertRegex(page.content.decode(), r"last seen \d+ \w+, \d\d:\d\d<")
        self.client.post("/people/me/", {"units": "metric", "clock": "12", "sunlight": "on"})
        by.refresh_from_db()
        self.assertEqual((by.imperial, by.clock12, by.sunlight), (False, True, True))
        page = self.client.get("/people/me/")
        self.assertContains(page, '<html lang="en" class="sun">')
        self.assertRegex(page.content.decode(), r"last seen \d+ \w+, \d{1,2}:\d\d (a|p)\.m\.<")
        self.client.logout()
        self.assertNotContains(self.client.get("/people/log-in/"), 'class="sun"')
