"""Stakes, plan and scoring sheet: right sizes, a label for every plot, and no name where none may be."""

import re
from datetime import date
from typing import Any

from django.urls import reverse
from icalendar import Calendar

from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.queries import entry_names
from evarlo.trials.stakes import POINT, SHEETS, labels_of, labels_pdf
from evarlo.walks.services import plan_round


class Paper(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.trial = world.trial(self.by)
        self.plots = list(self.trial.plots.select_related("entry"))
        self.names = entry_names(self.trial, self.by)

    def get(self, name: str, who: Any, **asked: str) -> Any:
        self.client.force_login(who, backend="django.contrib.auth.backends.ModelBackend")
        return self.client.get(reverse(f"trials:{name}", args=[self.trial.slug]), asked)

    def test_every_plot_has_its_label_along_the_path(self) -> None:
        blind = labels_of(self.trial, self.plots, self.names, "blind")
        self.assertEqual([x.number for x in blind], [p.number for p in self.plots])
        self.assertFalse({x.entry for x in blind} & set(self.names.values()))
        both = labels_of(self.trial, self.plots, self.names, "both")
        self.assertEqual([x.number for x in both[::2]], [x.number for x in both[1::2]])
        self.assertEqual({x.entry for x in both[1::2]}, set(self.names.values()))
        self.assertEqual(len({x.code for x in blind}), len(self.plots))

    def test_pages_have_the_size_and_number_of_their_paper(self) -> None:
        labels = labels_of(self.trial, self.plots, self.names, "both")  # 24 of them
        for sheet in SHEETS:
            with self.subTest(sheet=sheet.key):
                pdf = labels_pdf(labels, sheet)
                pages = len(re.findall(rb"/Type /Page\b", pdf))
                self.assertEqual(pages, -(-len(labels) // sheet.count))
                width, height = map(float, re.findall(rb"/MediaBox \[0 0 ([0-9.]+) ([0-9.]+)\]", pdf)[0])
                self.assertAlmostEqual(width * POINT, sheet.page[0], delta=0.2)
                self.assertAlmostEqual(height * POINT, sheet.page[1], delta=0.2)
                self.assertLessEqual(sheet.left + (sheet.columns - 1) * sheet.across + sheet.label[0], sheet.page[0] + 0.01)
                self.assertLessEqual(sheet.top + (sheet.rows - 1) * sheet.down + sheet.label[1], sheet.page[1] + 0.6)
        begun = labels_pdf(labels, SHEETS[0], start=2)
        self.assertEqual(len(re.findall(rb"/Type /Page\b", begun)), 2)
        for bad in (0, 25):
            with self.assertRaises(ValueError):
                labels_pdf(labels, SHEETS[0], start=bad)

    def test_names_are_printed_only_for_those_who_may_see_them(self) -> None:
        helper = world.person("helper")
        self.assertContains(self.get("paper", self.by), "Cultivar names")
        self.assertNotContains(self.get("paper", helper), "Cultivar names")
        asked = {"sheet": "a4-24", "kind": "named", "start": "1"}
        self.assertEqual(self.get("paper", helper, **asked).status_code, 422)
        self.assertEqual(self.get("paper", self.by, **asked)["Content-Type"], "application/pdf")
        for page in ("plan-sheet", "scoring-sheet"):
            shown = self.get(page, helper).content.decode()
            self.assertFalse([n for n in self.names.values() if n in shown], page)
            self.assertIn(self.plots[0].number, shown)

    def test_bad_places_are_said_beside_the_field(self) -> None:
        for start, said in (("30", "Expected a place from 1 to 24"), ("first", "Found “first”"), ("0", "from 1 to 65")):
            answer = self.get("paper", self.by, sheet="a4-24", kind="blind", start=start)
            self.assertContains(answer, said, status_code=422)
            self.assertContains(answer, f'value="{start}"', status_code=422)

    def test_the_calendar_holds_what_is_still_to_be_done(self) -> None:
        made = world.trial(self.by, name="Later", sow_on=date(2026, 8, 1), pick_on=date(2026, 11, 1))
        plan_round(made, world.trait("vigour"), date(2026, 9, 15))
        world.walk(made, "bolting", self.by)
        self.client.force_login(self.by, backend="django.contrib.auth.backends.ModelBackend")
        answer = self.client.get(reverse("trials:calendar", args=[made.slug]))
        self.assertEqual(answer["Content-Type"], "text/calendar; charset=utf-8")
        events = Calendar.from_ical(answer.content).walk("VEVENT")
        found = [(e.decoded("dtstart"), str(e["summary"])) for e in events]
        self.assertEqual(
            found,
            [
                (date(2026, 7, 6), "Order seed: Later"),  # 21 days for the order and 5 to spare
                (date(2026, 8, 1), "Sow: Later"),
                (date(2026, 8, 12), "Count emergence: Later"),  # 8 to 14 days
                (date(2026, 8, 28), "Begin hardening off: Later"),  # a week before
                (date(2026, 9, 4), "Plant out: Later"),  # 28 to 40 days old
                (date(2026, 9, 15), "Vigour, to walk 15 Sep: Later"),
                (date(2026, 9, 18), "Count the stand: Later"),
                (date(2026, 11, 1), "First pick: Later"),  # as planned, not as reckoned
                (date(2026, 12, 16), "Compare and decide: Later"),
            ],
        )
        self.assertEqual(len({str(e["uid"]) for e in events}), 9)
        world.sow(made, self.by, date(2026, 6, 1))
        again = Calendar.from_ical(self.client.get(reverse("trials:calendar", args=[made.slug])).content).walk("VEVENT")
        after = {str(e["summary"]).split(":")[0]: e.decoded("dtstart") for e in again}
        self.assertNotIn("Sow", after)
        self.assertNotIn("Order seed", after)
        self.assertEqual(after["Count emergence"], date(2026, 6, 12))

    def test_a_scanned_code_finds_its_plot(self) -> None:
        self.client.force_login(self.by, backend="django.contrib.auth.backends.ModelBackend")
        label = labels_of(self.trial, self.plots, self.names, "blind")[3]
        answer = self.client.get(reverse("today:jump"), {"q": label.code})
        self.assertRedirects(answer, f"{self.trial.get_absolute_url()}?plot={label.number}")
        self.assertEqual(self.client.get(reverse("today:jump"), {"q": "T999-1"}).status_code, 200)
