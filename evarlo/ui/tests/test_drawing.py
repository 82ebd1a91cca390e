"""Drawings are plain geometry: to scale, within their frame, and without anything the policy forbids."""

import itertools
import re
from datetime import date, timedelta
from xml.etree import ElementTree

from django.test import SimpleTestCase
from django.utils.safestring import SafeString
from hypothesis import given
from hypothesis import strategies as st

from evarlo.ui.draw.advisor import Step, advisor
from evarlo.ui.draw.biplot import LETTER, SIZE, biplot
from evarlo.ui.draw.comparison import EntryBar, axis_for, axis_labels, row
from evarlo.ui.draw.follows import FollowLine, follows
from evarlo.ui.draw.occupancy import Box, occupancy
from evarlo.ui.draw.plan import Outline, Tag, plan, small_plan
from evarlo.ui.draw.rail import CHAR, Chip, Frost, Mark, rail
from evarlo.ui.draw.scale import SHADES, Scale, bounds, shade_of, tick_text
from evarlo.ui.draw.steps import DOT, WIDE, interval, span_of, tag
from evarlo.ui.draw.steps import Step as SignStep
from evarlo.ui.draw.weather import Drawn, weather_year

NUMBERS = st.floats(-1e4, 1e4)


class Drawing(SimpleTestCase):
    def parsed(self, drawing: SafeString) -> ElementTree.Element:
        """The drawing as XML: it is well formed and holds no style, script or handler."""
        text = str(drawing)
        self.assertNotRegex(text, r'\sstyle="|<script|\son[a-z]+="|javascript:')
        self.assertNotIn("nan", text)
        return ElementTree.fromstring(text)  # noqa: S314


class Scales(SimpleTestCase):
    @given(NUMBERS, st.floats(1e-3, 1e4))
    def test_ticks_are_round_and_within(self, low: float, span: float) -> None:
        scale = Scale(low, low + span, 0, 100)
        ticks = scale.ticks(5)
        self.assertTrue(all(low - 1e-6 <= t <= low + span + 1e-6 for t in ticks))
        self.assertLessEqual(len(ticks), 7)
        self.assertAlmostEqual(scale(low), 0)
        self.assertAlmostEqual(scale(low + span), 100)

    def test_no_tick_lies_beside_the_scale(self) -> None:
        self.assertEqual(Scale(1.15e-6, 5001 + 1.15e-6, 0, 100).ticks(5), [2000.0, 4000.0])
        self.assertEqual(Scale(0.1, 0.3, 0, 100).ticks(2)[0], 0.1)

    @given(st.lists(NUMBERS, min_size=1, max_size=20))
    def test_shades_rise_with_the_value(self, values: list[float]) -> None:
        low, high = bounds(values)
        shades = [shade_of(v, low, high) for v in sorted(values)]
        self.assertEqual(shades, sorted(shades))
        self.assertTrue(all(0 <= s < len(SHADES) for s in shades))

    def test_tick_texts(self) -> None:
        self.assertEqual([tick_text(v, 0.25) for v in (-0.25, 0.5)], ["−0.25", "0.50"])
        self.assertEqual(tick_text(20, 5), "20")
        self.assertEqual(Scale(3, 3).ticks(), [3])


class Plans(Drawing):
    def six(self) -> list[Tag]:
        return [
            Tag(i, str(101 + i), 2.0 * (i % 3), 1.5 * (i // 3), 2.0, 1.5, left="5.2", right="BF01", shade=i, ring=i == 2)
            for i in range(6)
        ]

    def test_plots_are_drawn_to_one_scale(self) -> None:
        drawn = self.parsed(plan(self.six(), [Outline("Block 1", 0, 0, 6, 3)], 75.0, True))
        links = (
            [a for a in drawn.iter() if a.tag.endswith("a")]
            or list(drawn.iter("{http://www.w3.org/2000/svg}a"))
            or list(drawn.iter("a"))
        )
        self.assertEqual([a.get("data-number") for a in links], ["101", "102", "103", "104", "105", "106"])
        starts = [tuple(map(float, re.match(r"M([0-9.]+) ([0-9.]+)", a.find("path").get("d")).groups())) for a in links]  # type: ignore[union-attr, arg-type]
        across, down = starts[1][0] - starts[0][0], starts[3][1] - starts[0][1]
        self.assertAlmostEqual(across / down, 2.0 / 1.5, places=2)
        self.assertIn("N", "".join(drawn.itertext()))

    def test_names_are_escaped(self) -> None:
        hostile = '<b onclick="x">&"'
        drawn = plan([Tag(1, hostile, 0, 0, 1, 1, said=hostile)], [Outline(hostile, 0, 0, 1, 1)], None, False, title=hostile)
        self.assertNotIn("<b ", str(drawn))
        self.parsed(drawn)
        self.parsed(small_plan(self.six()))

    def test_the_way_goes_through_every_plot_in_order(self) -> None:
        way = [(1.0, 0.75), (3.0, 0.75), (5.0, 0.75), (5.0, 2.25)]
        drawn = self.parsed(plan(self.six(), [], None, True, way=way))
        path = next(p.get("d") for p in drawn.iter() if p.get("class") == "way")
        points = [tuple(map(float, xy)) for xy in re.findall(r"([0-9.]+) ([0-9.]+)", path or "")]
        self.assertEqual(len(points), 4)
        self.assertLess(points[0][0], points[1][0])
        self.assertLess(points[2][1], points[3][1])


class Charts(Drawing):
    def test_the_rail_holds_its_stages_in_order(self) -> None:
        start = date(2026, 3, 1)
        chips = [
            Chip(name, f"/{name}", start + timedelta(days=30 * i), start + timedelta(days=30 * i + 20), current=i == 1)
            for i, name in enumerate(("Plan", "Sow", "Walk"))
        ]
        drawn = str(
            rail(chips, [Mark(start, "Hail <b>", hurts=True, label="hail")], [Frost(start, start + timedelta(days=9))], start)
        )
        places = [drawn.index(f">{name}<") for name in ("Plan", "Sow", "Walk")]
        self.assertEqual(places, sorted(places))
        self.assertNotIn("<b>", drawn)
        self.parsed(SafeString(drawn))

    def test_intervals_stand_around_their_mean_within_the_axis(self) -> None:
        axis = axis_for([3.0, 5.0], [7.0, 9.0], 6.0, 1.0)
        drawn = self.parsed(row(axis, EntryBar("", 6.5, 0.5, 5.5, 7.5, "ahead")))
        centre = float(next(c.get("cx") or "0" for c in drawn.iter() if c.tag.endswith("circle")))
        thin = next(p.get("d") for p in drawn.iter() if p.get("class") == "thin")
        low, high = map(float, re.match(r"M([0-9.]+) [0-9.]+H([0-9.]+)", thin or "").groups())  # type: ignore[union-attr]
        self.assertAlmostEqual((low + high) / 2, centre, delta=0.2)
        self.assertTrue(0 <= low < high <= 250)
        self.assertIn("kg", str(axis_labels(axis, "kg")))
        self.parsed(row(axis, EntryBar("", None, None, None, None, "luck")))

    def test_more_blocks_are_drawn_lower(self) -> None:
        steps = [Step(b, 40 / b, (str(6 * b),)) for b in range(2, 8)]
        drawn = self.parsed(advisor(steps, 4, ["plots"], "said"))
        heights = [float(c.get("cy") or 0) for c in drawn.iter() if c.tag.endswith("circle")]
        self.assertEqual(heights, sorted(heights))
        self.assertEqual(sum(c.get("class") == "chosen" for c in drawn.iter() if c.tag.endswith("circle")), 1)
        self.assertIn("10 %", "".join(drawn.itertext()))

    def test_a_year_of_weather(self) -> None:
        start = date(2026, 1, 1)
        days = [Drawn(start + timedelta(days=i), -2.0 + 0.1 * i, 5.0 + 0.1 * i, i % 7, 4.0) for i in range(120) if not 40 <= i < 44]
        gap = (start + timedelta(days=40), start + timedelta(days=43))
        drawn = self.parsed(weather_year(days, start, start + timedelta(days=119), [gap], "said"))
        classes = [e.get("class") for e in drawn.iter()]
        self.assertEqual((classes.count("frost"), classes.count("gap")), (21, 1))
        self.assertEqual(classes.count("span"), len(days) - 21)
        soil = next(e.get("d") or "" for e in drawn.iter() if e.get("class") == "soil-line")
        self.assertEqual(soil.count("M"), 2)  # the line is broken by the gap
        self.parsed(weather_year([], start, start, [], "nothing"))


class Labels(Drawing):
    def test_number_and_figure_of_a_flat_plot_do_not_lie_over_each_other(self) -> None:
        for height in (26, 28, 30, 33.9, 36, 60):
            tag = Tag(1, "101", 0, 0, 60 / 30, (height + 3) / 30, left="12.5", right="BF01", url="#")
            drawn = self.parsed(plan([tag], [], 90.0, False, 90, 2000))
            texts = {
                t.text: (float(t.attrib["y"]), float(t.attrib["font-size"]))
                for t in drawn.iter("text")
                if t.text in ("101", "12.5")
            }
            number, figure = texts["101"], texts.get("12.5")
            if figure:
                self.assertLessEqual(number[0], figure[0] - figure[1] * 0.75, height)

    def test_labels_of_the_rail_keep_clear_of_each_other_and_of_today(self) -> None:
        day = date(2026, 6, 1)
        chips = [Chip("Plan", "#", day, day + timedelta(100))]
        marks = [Mark(day + timedelta(n), f"note {n}", n % 2 == 0, f"lost {100 + n}") for n in (40, 41, 42, 60, 99)]
        drawn = self.parsed(rail(chips, marks, [], day + timedelta(61)))
        pins = [pin for pin in drawn.iter("svg") if "pin" in pin.attrib.get("class", "")]
        at = [float(pin.attrib["x"].rstrip("%")) for pin in pins]
        lines: dict[str, list[tuple[float, float]]] = {"-3": [], "13": []}
        for x, text in ((x, t) for x, pin in zip(at, pins, strict=True) for t in pin.iter("text") if t.text):
            wide = CHAR * len(text.text or "")
            span = (x - wide, x) if text.attrib["text-anchor"] == "end" else (x, x + wide)
            lines[text.attrib["y"]].append(span)
            if text.attrib["y"] == "-3":  # pins stand in this line
                self.assertFalse([pin for pin in at if span[0] < pin < span[1]], text.text)
            self.assertNotEqual((text.text, text.attrib["y"], text.attrib["text-anchor"]), ("lost 160", "-3", "start"))  # today
        for spans in lines.values():
            for (_, end), (start, _) in itertools.pairwise(sorted(spans)):
                self.assertLessEqual(end, start)
        self.assertGreater(sum(map(len, lines.values())), 3)

    def test_a_block_too_close_to_the_one_above_keeps_its_number(self) -> None:
        blocks = [Outline(f"Block {n}", 0, 4.2 * (n - 1), 10, 4) for n in (1, 2, 3)]
        drawn = self.parsed(plan([], blocks, None, False, 400, 300))
        self.assertEqual([t.text for t in drawn.iter("text")], ["Block 1", "2", "3"])

    def test_a_use_too_short_for_its_name_has_it_beside(self) -> None:
        day = date(2026, 6, 1)
        short = Box(0, 5, day - timedelta(60), day - timedelta(50), "Garden pea", "crop")
        under = Box(0, 10, day - timedelta(55), day + timedelta(30), "Leek", "crop")
        drawn = self.parsed(occupancy([short], 20, day))
        text = next(t for t in drawn.iter("text") if t.text == "Garden pea")
        box = next(r for r in drawn.iter("rect") if r.attrib.get("class") == "use")
        self.assertGreater(float(text.attrib["x"]), float(box.attrib["x"]) + float(box.attrib["width"]))
        crowded = self.parsed(occupancy([short, under], 20, day))
        self.assertNotIn("Garden pea", [t.text for t in crowded.iter("text")])  # it would lie on the leek; its title has it
        self.assertIn("Garden pea", "".join(t.text or "" for t in crowded.iter("title")))


class Years(SimpleTestCase):
    """The drawings of a board and of a programme: on one scale, within their frame, no label over another."""

    def test_a_step_stands_where_its_figures_say_and_far_ones_end_in_an_arrow(self) -> None:
        steps = [SignStep(1.0, 0.5, 1.5, "recommend"), SignStep(-3.0, 0.5, -3.2, "drop"), SignStep(None, None, None, "check")]
        span = span_of(steps)
        self.assertEqual(span, 4)  # three steps behind, and nearly one more for the interval
        one = ElementTree.fromstring(str(interval(steps[0], span)))  # noqa: S314
        middle, unit = WIDE / 2, (WIDE - 2 * DOT - 2) / (2 * span)
        circle = one.find("circle")
        assert circle is not None
        self.assertAlmostEqual(float(circle.attrib["cx"]), middle + 1.5 * unit, places=1)
        far = ElementTree.fromstring(str(interval(SignStep(20.0, 1.0, 20.0, "recommend"), span)))  # noqa: S314
        self.assertTrue(any(p.attrib.get("class") == "beyond" for p in far.iter("path")))
        for mark in far.iter("circle"):
            self.assertLessEqual(float(mark.attrib["cx"]), WIDE)
        self.assertEqual(list(ElementTree.fromstring(str(interval(steps[2], span))).iter("circle")), [])  # noqa: S314

    def test_labels_of_places_lie_over_no_other_and_inside(self) -> None:
        near = [(f"Cultivar {i}", 0.1 * (i % 3), 0.02 * i) for i in range(9)]
        drawn = ElementTree.fromstring(str(biplot(near, [("2025 Ostrel Hill", 1.0, 0.1), ("2026 Flats", 0.9, 0.1)], "where")))  # noqa: S314
        boxes = []
        for text in drawn.iter("text"):
            x, wide = float(text.attrib["x"]), LETTER * len(text.text or "")
            left = x - wide if text.attrib["text-anchor"] == "end" else x
            self.assertGreaterEqual(left, 0)
            self.assertLessEqual(left + wide, SIZE)
            boxes.append((left, float(text.attrib["y"]), wide))
        same_side = [b for b, t in zip(boxes, drawn.iter("text"), strict=True) if t.attrib["text-anchor"] == "start"]
        for (a, y, wide), (b, z, other) in itertools.combinations(same_side, 2):
            self.assertFalse(abs(y - z) < 12 and a < b + other and b < a + wide)
        self.assertEqual(biplot([], [], ""), "")

    def test_lines_from_the_poorest_trial_to_the_best_keep_their_names_apart(self) -> None:
        lines = [FollowLine(f"C{i}", 1.0, 2.0 + 0.001 * i, "ahead") for i in range(5)]
        drawn = ElementTree.fromstring(str(follows(lines, [("poor", -1.0), ("good", 1.0)], "kg", "said")))  # noqa: S314
        at = sorted(float(t.attrib["y"]) for g in drawn.iter("g") for t in g.iter("text"))
        self.assertTrue(all(b - a >= 12 for a, b in itertools.pairwise(at)))
        self.assertEqual(follows(lines, [("one", 1.0)], "kg", "said"), "")

    def test_a_tag_says_what_it_is(self) -> None:
        for kind in ("", "check", "drop"):
            drawn = ElementTree.fromstring(str(tag(kind, "2025 Hill: drop", 0.01)))  # noqa: S314
            self.assertEqual(drawn.attrib["aria-label"], "2025 Hill: drop")
