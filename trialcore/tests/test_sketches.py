"""What a plan shows before it is drawn must be how the drawn layout lies."""

from collections import Counter
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from trialcore.layouts.bed import Bed, PlotSize
from trialcore.layouts.incomplete import alpha, alpha_shape
from trialcore.layouts.placing import lacking, place, place_in_beds
from trialcore.layouts.plan import Layout
from trialcore.layouts.whole import completely_random, latin_square, randomised_blocks, split_plot


def sizes(layout: Layout) -> list[tuple[int, tuple[int, ...]]]:
    """Plots in each block of each replicate, the largest first."""
    counted = Counter((p.rep, p.block) for p in layout.plots)
    return [
        (rep, tuple(sorted((n for (r, _), n in counted.items() if r == rep), reverse=True))) for rep in range(1, layout.reps + 1)
    ]


class Shapes(TestCase):
    def test_incomplete_blocks_are_sketched_as_they_are_drawn(self) -> None:
        for entries, replicates, size in ((24, 3, 4), (23, 2, 4), (25, 3, 5), (17, 2, 6), (100, 2, 10)):
            names = [f"E{i}" for i in range(entries)]
            drawn, sketched = alpha(names, replicates, size, 5), alpha_shape(names, replicates, size)
            with self.subTest(entries=entries, size=size):
                self.assertEqual((sketched.lines, sketched.length), (drawn.lines, drawn.length))
                self.assertEqual(sizes(sketched), sizes(drawn))
                self.assertEqual(Counter(p.entry for p in sketched.plots), Counter(p.entry for p in drawn.plots))
                uneven = [n for n in drawn.notes if "do not divide" in n]
                self.assertEqual(list(sketched.notes), uneven)

    def test_what_cannot_be_drawn_cannot_be_sketched(self) -> None:
        for names, replicates, size in ((["A", "B"], 2, 2), (list("ABCDEF"), 1, 2), (list("ABCDEF"), 2, 6), (list("ABCDEF"), 2, 1)):
            with self.subTest(size=size):
                for make in (alpha_shape, lambda n, r, s: alpha(n, r, s, 1)):
                    with self.assertRaises(ValueError):
                        make(names, replicates, size)


class Room(TestCase):
    @given(
        st.integers(2, 20),
        st.integers(1, 5),
        st.floats(0.5, 3),
        st.floats(0.5, 2),
        st.floats(0, 1),
        st.lists(st.tuples(st.floats(1, 40), st.floats(1, 12)), min_size=1, max_size=3),
    )
    def test_what_is_lacking_is_what_the_placed_layout_lacks(
        self, entries: int, blocks: int, length: float, width: float, path: float, sides: list[tuple[float, float]]
    ) -> None:
        layout = randomised_blocks([str(i) for i in range(entries)], blocks, 3)
        size, beds = PlotSize(length, width, path), [Bed(*both) for both in sides]
        short = lacking(layout, size, beds)
        placed = place_in_beds(layout, size, beds, {})
        self.assertEqual(max(short) == 0, placed.fits)
        if not placed.fits:
            self.assertEqual(short, placed.short_by)

    def test_every_design_is_placed_with_each_plot_in_a_place_of_its_own(self) -> None:
        names = list("ABCDE")
        for layout in (
            completely_random(names, 3, 1),
            latin_square(names, 2),
            split_plot(["x", "y"], names, 3, 4),
            alpha_shape([*names, "F"], 2, 3),
        ):
            for guard in (0.0, 0.4):
                placed = place(layout, PlotSize(1.2, 0.8, 0.3), Bed(60, 30), guard_m=guard)
                with self.subTest(design=layout.design, guard=guard):
                    self.assertTrue(placed.fits)
                    self.assertEqual(len({(round(s.x, 6), round(s.y, 6)) for s in placed.spots}), len(layout.plots))
                    self.assertGreaterEqual(min(min(s.x, s.y) for s in placed.spots), guard - 1e-9)
