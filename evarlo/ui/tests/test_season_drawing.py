"""The calendar, the bed over the years, and several beds on one plan, drawn without a browser."""

import itertools
import re
from datetime import date, timedelta
from unittest import TestCase
from xml.etree import ElementTree

from evarlo.ui.draw.calendar import NAMES, Row, calendar
from evarlo.ui.draw.occupancy import Box, occupancy
from evarlo.ui.draw.plan import Handle, Outline, Tag, plan, stacked
from evarlo.ui.draw.progress import ProgressLine, progress
from evarlo.ui.draw.rail import Frost

TODAY = date(2026, 5, 20)


def read(drawn: str) -> ElementTree.Element:
    """The drawing as a browser reads it; fails on anything that is no well-formed SVG."""
    return ElementTree.fromstring(drawn)  # noqa: S314


class Courses(TestCase):
    def test_every_name_is_whole_and_apart_from_the_others_and_from_the_days(self) -> None:
        for count in (1, 12, 40):
            days = (date(2026, 11, 4), date(2026, 11, 25))
            lines = [ProgressLine(f"BF{n:02} Made-up Lantern {n}", [(d, 5 + n * 0.01) for d in days], n == 3) for n in range(count)]
            root = read(progress(lines, "damage"))
            names = [t for t in root.iter("text") if t.text and t.text.startswith("BF")]
            self.assertEqual({t.text for t in names}, {line.name for line in lines})
            places = sorted(float(t.get("y", "")) for t in names)
            self.assertTrue(all(b - a >= 12.9 for a, b in itertools.pairwise(places)), places)
            day = max(float(t.get("y", "")) for t in root.iter("text") if t.text == "25 Nov")
            self.assertGreaterEqual(day - places[-1], 12)
            self.assertGreater(places[0], 0)
            width = float(root.get("viewBox", "").split()[2])
            self.assertLessEqual(max(float(t.get("x", "")) + 6.4 * len(t.text or "") for t in names), width)


class Calendars(TestCase):
    def setUp(self) -> None:
        self.rows = [
            Row("sow", "Sow", date(2026, 4, 1), date(2026, 3, 20), date(2026, 4, 20), "done", False),
            Row("plant", "Plant <out>", date(2026, 5, 5), date(2026, 4, 29), date(2026, 5, 11), "settled", True, clash=True),
            Row("pick", "First pick", date(2026, 7, 2), date(2026, 6, 20), date(2026, 7, 15), "reckoned", True),
        ]

    def test_a_mark_lies_where_its_day_says(self) -> None:
        root = read(calendar(self.rows, [], TODAY))
        first, day = date.fromisoformat(root.attrib["data-first"]), float(root.attrib["data-day"])
        marks = [g for g in root.iter("g") if g.attrib.get("class") == "mark"]
        for row, mark in zip(self.rows, marks, strict=True):
            x = float(re.findall(r"translate\(([\d.]+) ", mark.attrib["transform"])[0])
            self.assertAlmostEqual((x - NAMES) / day, (row.on - first).days, delta=0.2)

    def test_only_what_moves_can_be_taken_and_what_clashes_is_marked(self) -> None:
        groups = {
            g.attrib["data-key"]: g.attrib["class"].split()
            for g in read(calendar(self.rows, [], TODAY)).iter("g")
            if "data-key" in g.attrib
        }
        self.assertEqual({key for key, kinds in groups.items() if "moves" in kinds}, {"plant", "pick"})
        self.assertEqual({key for key, kinds in groups.items() if "clash" in kinds}, {"plant"})

    def test_what_people_write_is_escaped(self) -> None:
        self.assertIn("Plant &lt;out&gt;", calendar(self.rows, [], TODAY))

    def test_frost_is_shaded_only_within_the_season(self) -> None:
        frosts = [Frost(date(2025, 10, 20), date(2026, 4, 10)), Frost(date(2027, 10, 20), date(2028, 4, 10))]
        bands = [r for r in read(calendar(self.rows, frosts, TODAY)).iter("rect") if r.attrib.get("class") == "frost"]
        self.assertEqual(len(bands), 1)
        self.assertEqual(float(bands[0].attrib["x"]), NAMES)

    def test_a_season_of_one_day_is_drawn_too(self) -> None:
        day = date(2026, 5, 1)
        read(calendar([Row("sow", "Sow", day, day, day, "reckoned", True)], [], TODAY))


class Occupancy(TestCase):
    def test_boxes_lie_along_the_bed_and_in_time_order(self) -> None:
        boxes = [
            Box(0, 5, date(2025, 3, 1), date(2025, 8, 1), "Broad bean", "legume"),
            Box(5, 10, date(2025, 4, 1), None, "Kale & co", "crop", "/x/"),
            Box(0, 10, date(2026, 6, 1), date(2026, 9, 1), "A trial with a very long name indeed", "trial", "/t/"),
        ]
        root = read(occupancy(boxes, 10, TODAY))
        drawn = [r for r in root.iter("rect") if r.attrib.get("class") == "use"]
        (bean, kale, trial) = ({k: float(v) for k, v in r.attrib.items() if k in ("x", "y", "width", "height")} for r in drawn)
        self.assertLess(bean["x"], kale["x"])
        self.assertGreater(kale["y"], bean["y"] + bean["height"] - 2)
        self.assertGreater(trial["x"], bean["x"] + bean["width"])
        self.assertEqual({a.attrib["href"] for a in root.iter("a")}, {"/x/", "/t/"})

    def test_what_is_long_past_is_left_out(self) -> None:
        old = Box(0, 10, date(1999, 1, 1), date(1999, 6, 1), "Old", "crop")
        root = read(occupancy([old], 10, TODAY))
        self.assertEqual([r for r in root.iter("rect") if r.attrib.get("class") == "use"], [])


class SeveralBeds(TestCase):
    def test_beds_are_drawn_below_each_other_and_apart(self) -> None:
        corners = stacked([(18, 5), (23, 6.2), (4, 2)])
        self.assertEqual([x for x, _ in corners], [0.0, 0.0, 0.0])
        tops = [y for _, y in corners]
        self.assertGreater(tops[1], 5)
        self.assertGreater(tops[2], tops[1] + 6.2)

    def test_handles_tell_block_and_bed_and_plants_are_one_path(self) -> None:
        tags = [Tag(i, f"10{i}", 2.0 * i, 0, 2, 1, said="<b>", url="#") for i in range(3)]
        plants = [(0.5 + 0.1 * n, 0.5) for n in range(40)]
        drawn = plan(
            tags,
            [Outline("Bank", 0, 0, 10, 3, 7)],
            75,
            True,
            handles=[Handle(1, 7, 0, 0, 6, 1)],
            obstacles=[Outline("Mast", 8, 1, 0.5, 0.5)],
            plants=(plants, []),
            sun=180,
        )
        root = read(drawn)
        (handle,) = (g for g in root.iter("g") if g.attrib.get("class") == "handle")
        self.assertEqual((handle.attrib["data-block"], handle.attrib["data-bed"]), ("1", "7"))
        dots = [p for p in root.iter("path") if p.attrib.get("class") == "plants"]
        self.assertEqual([p.attrib["d"].count("h0") for p in dots], [40])
        self.assertNotIn("<b>", drawn)
        scale = float(root.attrib["data-scale"])
        soil = next(r for r in root.iter("rect") if r.attrib.get("class") == "soil")
        self.assertAlmostEqual(float(soil.attrib["width"]) - 2 * float(soil.attrib["data-pad"]), 10 * scale, delta=0.2)

    def test_a_plan_of_thousands_is_drawn_with_every_plot_once(self) -> None:
        tags = [Tag(i, str(1001 + i), 2.2 * (i % 50), 1.1 * (i // 50), 2, 1, url="#") for i in range(2000)]
        keys = [a.attrib["data-plot"] for a in read(plan(tags, [], None, True)).iter("a")]
        self.assertEqual(keys, [str(i) for i in range(2000)])


class Today(TestCase):
    def test_a_day_beyond_the_season_draws_no_line(self) -> None:
        rows = [Row("sow", "Sow", TODAY, TODAY, TODAY, "reckoned", True)]
        far = calendar(rows, [], TODAY + timedelta(days=400))
        self.assertNotIn('class="today"', far)
        self.assertIn('class="today"', calendar(rows, [], TODAY))
