"""Days begin in the time of the site at hand."""

from datetime import UTC, datetime
from unittest import mock

from django.urls import reverse
from django.utils import timezone

from evarlo.grounds.models import Bed, Site
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.clock import zone_of

EVENING = datetime(2026, 6, 30, 13, 30, tzinfo=UTC)  # past midnight on Chatham, which is 12¾ hours ahead in its winter


class Zones(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.client.force_login(self.by)
        self.made = world.trial(self.by)

    def seen_on(self, path: str) -> str:
        """The day that a form of the page proposes as today."""
        with mock.patch("django.utils.timezone.now", return_value=EVENING):
            page = self.client.get(path).content.decode()
        return next((day for day in ("2026-06-30", "2026-07-01") if f'value="{day}"' in page), "")

    def test_a_trials_pages_go_by_its_site_and_others_by_the_first_that_has_one(self) -> None:
        events = reverse("nursery:sow", args=[self.made.slug])
        self.assertEqual(self.seen_on(events), "2026-06-30")
        far = Site.objects.create(name="Far shore", time_zone="Pacific/Chatham")
        self.assertEqual((zone_of(""), zone_of(self.made.slug)), ("Pacific/Chatham", "Pacific/Chatham"))
        self.assertEqual(self.seen_on(events), "2026-07-01")
        Site.objects.filter(name="Ostrel Flats").update(time_zone="Europe/Lisbon")
        self.assertEqual(self.seen_on(events), "2026-06-30")
        Bed.objects.filter(name="North strip").update(site=far)
        self.assertEqual(self.seen_on(events), "2026-07-01")
        Site.objects.filter(name="Ostrel Flats").update(time_zone="Mars/Base")  # a name that this machine's list does not have
        self.assertEqual(zone_of(""), "Pacific/Chatham")
        self.assertEqual(self.client.get("/").status_code, 200)
        self.assertEqual(timezone.get_current_timezone_name(), "UTC")  # nothing is left behind for the next request

    def test_it_is_said_on_the_sites_page(self) -> None:
        site = Site.objects.get(name="Ostrel Flats")
        url = reverse("grounds:site", args=[site.pk])
        page = self.client.post(url, {"time_zone": "Nowhere/Here", "latitude": "53"})
        self.assertContains(page, "Expected an area and city from the list.", status_code=422)
        self.client.post(url, {"time_zone": "pacific/chatham", "latitude": "-44"})
        site.refresh_from_db()
        self.assertEqual((site.time_zone, site.latitude), ("Pacific/Chatham", -44))
