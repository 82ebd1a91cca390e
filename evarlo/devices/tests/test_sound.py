"""Each stand-in with each of its faults: what is said of it, and what of its readings is kept."""

from datetime import UTC, date, datetime, timedelta
from unittest import mock

from django.urls import reverse

from evarlo.devices.faults import Fault, FaultyProbe, FaultyScale, FaultyScanner, FaultySoilProbe, FaultyStation
from evarlo.devices.probe import SimulatedProbe
from evarlo.devices.scale import SimulatedScale
from evarlo.devices.scanner import SimulatedScanner, typed_by
from evarlo.devices.soil import SimulatedSoilProbe
from evarlo.devices.sound import Health, of_probe, of_scale, of_scanner, of_soil_probe, of_station, sound_days
from evarlo.devices.station import SimulatedStation
from evarlo.grounds import weather_views
from evarlo.grounds.models import Site, WeatherDay
from evarlo.grounds.weather import read_station
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from trialcore.field.weather import Day

TODAY, NOW = date(2026, 7, 14), datetime(2026, 7, 14, 12, 0, tzinfo=UTC)
SAID = {Fault.SILENT: "Silent", Fault.DRIFT: "Drift", Fault.NONSENSE: "Nonsense", Fault.CLOCK: "Clock"}


class EachFault(TestCase):
    def held(self, health: Health, fault: Fault | None) -> None:
        self.assertEqual(health.fine, fault is None, health.said)
        if fault:
            self.assertTrue(health.said.startswith(SAID[fault]), health.said)

    def test_a_station(self) -> None:
        station = SimulatedStation("Here", -41.0)
        beside = station.days(TODAY - timedelta(days=40), TODAY)
        self.held(of_station(station, TODAY, beside), None)
        for fault in Fault:
            self.held(of_station(FaultyStation(station, fault), TODAY, beside), fault)
        self.assertIn("another station", of_station(station, TODAY).said)
        ended = mock.Mock(days=lambda since, until: [d for d in station.days(since, until) if d.day < TODAY - timedelta(days=9)])
        self.assertEqual(of_station(ended, TODAY).said, "Silent since 4 Jul.")

    def test_a_scale(self) -> None:
        empty = SimulatedScale(lambda: 1.0)
        self.held(of_scale(empty), None)
        for fault in (Fault.SILENT, Fault.DRIFT, Fault.NONSENSE):
            self.held(of_scale(FaultyScale(empty, fault)), fault)
        self.held(of_scale(FaultyScale(empty, Fault.CLOCK)), None)  # it has none

    def test_a_probe(self) -> None:
        warm = SimulatedProbe("Bench", 22.0)
        self.held(of_probe(warm, NOW, 22.0), None)
        for fault in (Fault.SILENT, Fault.DRIFT, Fault.NONSENSE):
            self.held(of_probe(FaultyProbe(warm, fault), NOW, 22.0), fault)

    def test_a_soil_probe(self) -> None:
        for latitude in (51.0, -41.0):
            probe = SimulatedSoilProbe("Tide bed", latitude)
            self.held(of_soil_probe(probe, NOW), None)
            for fault in Fault:
                self.held(of_soil_probe(FaultySoilProbe(probe, fault), NOW), fault)
        north, south = (SimulatedSoilProbe("Tide bed", latitude).read(NOW).celsius for latitude in (51.0, -41.0))
        self.assertGreater(north, south + 8)  # July

    def test_a_scanner(self) -> None:
        scanner = SimulatedScanner()
        self.held(of_scanner(scanner, "T1-101"), None)
        self.assertEqual(typed_by(scanner.keys("T1-101")), "T1-101")
        for fault, said in (
            (Fault.SILENT, "Silent"),
            (Fault.CLOCK, "Silent"),
            (Fault.DRIFT, "Nonsense"),
            (Fault.NONSENSE, "Nonsense"),
        ):
            self.assertTrue(of_scanner(FaultyScanner(scanner, fault), "T1-101").said.startswith(said))


class WhatIsKept(TestCase):
    def test_days_that_cannot_be_are_dropped_with_the_reason(self) -> None:
        day, since = date(2026, 7, 1), date(2026, 6, 1)
        good = Day(day, 8.0, 20.0, 3.0)
        for wrong, said in (
            (Day(day, -127.0, 20.0), "-127 °C cannot be"),
            (Day(day, 21.0, 20.0), "lowest is above"),
            (Day(day, 8.0, 20.0, -1.0), "-1 mm of rain"),
            (Day(day, 8.0, 20.0, None, 90.0), "90 °C cannot be"),
            (Day(date(2026, 5, 1), 8.0, 20.0), "not asked for"),
            (good, "came twice"),
        ):
            kept, why = sound_days([good, wrong], since, TODAY)
            self.assertEqual(kept, [good])
            self.assertEqual(len(why), 1)
            self.assertIn(said, why[0])

    def test_nonsense_never_comes_into_the_record_and_is_asked_for_again(self) -> None:
        site = Site.objects.create(name="Here", latitude=51.0)
        station = SimulatedStation("Here", 51.0)
        read_station(site, date(2026, 7, 3), FaultyStation(station, Fault.NONSENSE), years=1)
        self.assertFalse(WeatherDay.objects.filter(tmax__lt=-60).exists())
        self.assertFalse(WeatherDay.objects.filter(tmin__gt=60).exists())
        self.assertGreater(WeatherDay.objects.count(), 200)
        read_station(site, date(2026, 7, 20), FaultyStation(station, Fault.CLOCK))
        self.assertLessEqual(WeatherDay.objects.order_by("-day")[0].day, date(2026, 7, 20))

    def test_a_station_that_does_not_answer_is_said_and_breaks_nothing(self) -> None:
        self.client.force_login(world.person())
        site = Site.objects.create(name="Here", latitude=51.0)
        with mock.patch.object(weather_views, "read_station", side_effect=OSError("the station does not answer")):
            page = self.client.post(reverse("grounds:read-station", args=[site.pk]), follow=True)
        self.assertContains(page, "Nothing was read: the station does not answer.")


class ThePage(TestCase):
    def test_all_devices_are_listed_and_fail_as_asked(self) -> None:
        by = world.person()
        made = world.trial(by)
        Site.objects.update(latitude=51.0)
        self.client.force_login(by)
        with self.settings(SCALE="simulated"):
            page = self.client.get(reverse("devices"))
            for kind in ("Weather station", "Bench scale", "Soil probe", "Code scanner"):
                self.assertContains(page, kind)
            for fault, said in SAID.items():
                self.assertContains(self.client.get(reverse("devices"), {"fault": fault}), f"{said}")
        plot = made.plots.all()[0]
        read = self.client.get(reverse("devices"), {"code": f"T{made.pk}-{plot.number}"})
        self.assertContains(read, f"is plot {plot.number} of {made.name}")
        self.assertContains(self.client.get(reverse("devices"), {"code": "T9999-1"}), "no plot here has it")
        self.assertContains(self.client.get(reverse("devices"), {"code": "]C1"}), "is no code of a stake")
        self.assertContains(self.client.get(reverse("devices"), {"fault": "moon"}), "What measures here")
