"""Keeping: interval-censored times of stored lots, against figures computed with other software, and by simulation."""

import contextlib
import csv
import io
import json
import tempfile
from math import exp, log
from pathlib import Path
from typing import Any
from unittest import TestCase

import numpy as np

from trialcore.analyses.keeping import (
    SHAPES,
    Keeping,
    LotChecks,
    keeping,
    lost_between,
    lots_from,
    median_lost,
    share_sound,
    sound_curve,
)
from trialcore.formats.cli import main
from trialcore.tests.surely import surely

DATA = Path(__file__).parent / "data"


def read(name: str) -> tuple[list[LotChecks], dict[str, Any]]:
    with (DATA / f"{name}.csv").open() as file:
        return lots_from(list(csv.DictReader(file))), json.loads((DATA / f"{name}.expected.json").read_text())


class Reference(TestCase):
    def each(self, shape: str, found: Keeping, wanted: dict[str, Any]) -> None:
        by_entry = {e.entry: e for e in found.entries}
        for e in wanted[shape]["per_entry"]:
            own = by_entry[e["entry"]]
            for name, value in (
                ("location", own.location),
                ("location_se", own.location_se),
                ("scale", own.scale),
                ("log_scale_se", own.log_scale_se),
                ("logLik", own.log_likelihood),
                ("median", own.median),
                ("median_lower95", surely(own.median95)[0]),
                ("median_upper95", surely(own.median95)[1]),
                ("day_10pct", own.days_to_90),
                ("day_10pct_lower95", surely(own.days_to_90_95)[0]),
            ):
                self.assertAlmostEqual(surely(value) / e[name], 1, 5, (shape, e["entry"], name))
        common = wanted[shape]["common_scale"]
        self.assertAlmostEqual(surely(found.log_likelihood), common["logLik"], 5)
        self.assertAlmostEqual(surely(found.scale), common["scale"], 5)
        for e in common["vs_check"]:
            own_difference = next(d for d in found.vs_check if d.entry == e["entry"])
            self.assertAlmostEqual(own_difference.estimate, e["estimate"], 5)

    def test_both_distributions_as_other_software_has_them(self) -> None:
        for name in ("keeping_6x3", "keeping_taken_away"):
            lots, wanted = read(name)
            self.assertEqual(
                [(t["entry"], t["pieces"], t["lost"]) for t in wanted["totals"]],
                [(e.entry, e.pieces, e.lost) for e in keeping(lots).entries],
            )
            for shape in SHAPES:
                self.each(shape, keeping(lots, wanted["check"], shape), wanted)

    def test_the_command_line_has_the_same_keys_and_figures(self) -> None:
        for name in ("keeping_6x3", "keeping_taken_away"):
            _, wanted = read(name)
            with contextlib.redirect_stdout(io.StringIO()) as out:
                self.assertEqual(main(["keeping", str(DATA / f"{name}.csv"), "--check", wanted["check"], "--format", "json"]), 0)
            found = json.loads(out.getvalue())
            self.assertEqual(found["totals"], wanted["totals"])
            for shape in SHAPES:
                lists = [("per_entry", found[shape]["per_entry"], wanted[shape]["per_entry"])]
                lists.append(("vs_check", found[shape]["common_scale"]["vs_check"], wanted[shape]["common_scale"]["vs_check"]))
                for kind, ours, theirs in lists:
                    self.assertEqual(len(ours), len(theirs))
                    for own, other in zip(ours, theirs, strict=True):
                        for key, value in own.items():
                            with self.subTest(name=name, shape=shape, kind=kind, key=key):
                                if isinstance(value, str):
                                    self.assertEqual(value, other[key])
                                else:
                                    self.assertAlmostEqual(value, other[key], delta=2e-5 * max(abs(other[key]), 0.05))

    def test_the_command_line_names_what_it_cannot_use(self) -> None:
        for text, said in (
            ("lot,entry,day,sound,lost\nL1,A,0,20,0\nL1,A,7,30,0\n", "more than the 20"),
            ("lot,entry,day,sound,lost\nL1,A,7,30,0\n", "no line of day 0"),
            ("lot,entry,day,sound,lost\nL1,A,0,20.5,0\n", "expected a whole number"),
            ("lot,entry,day,sound,lost\n", "expected"),
        ):
            with self.subTest(said=said), tempfile.TemporaryDirectory() as folder:
                file = Path(folder) / "kept.csv"
                file.write_text(text)
                with contextlib.redirect_stderr(io.StringIO()) as err:
                    self.assertEqual(main(["keeping", str(file)]), 2)
                self.assertIn(said, err.getvalue())

    def test_the_command_line_knows_entries_whatever_the_sheet(self) -> None:
        """Semicolons and capitals, as elsewhere."""
        text = (DATA / "keeping_taken_away.csv").read_text().replace(",", ";").replace("entry", "Entry", 1)
        with tempfile.TemporaryDirectory() as folder, contextlib.redirect_stdout(io.StringIO()) as out:
            file = Path(folder) / "kept.csv"
            file.write_text(text)
            self.assertEqual(main(["keeping", str(file), "--check", "V01"]), 0)
        self.assertIn("V01: 30 of 82 lost", out.getvalue())

    def test_one_lot_an_entry_has_the_standard_errors_of_independent_pieces(self) -> None:
        """As the reference has them against the check, all pieces of an entry taken as one lot."""
        lots, wanted = read("keeping_6x3")
        joined = []
        for entry in dict.fromkeys(x.entry for x in lots):
            some = [x for x in lots if x.entry == entry]
            sound, lost = (tuple(map(sum, zip(*(getattr(x, of) for x in some), strict=True))) for of in ("sound", "lost"))
            joined.append(LotChecks(entry, entry, sum(x.pieces for x in some), some[0].days, sound, lost))
        for shape in SHAPES:
            found = keeping(joined, "V04", shape)
            self.assertIsNone(found.spread)
            for e in wanted[shape]["common_scale"]["vs_check"]:
                own = next(d for d in found.vs_check if d.entry == e["entry"])
                self.assertAlmostEqual(own.se, e["se"], 5)
                self.assertAlmostEqual(log(own.ratio95[0]), e["lower95"], 5)
                self.assertAlmostEqual(own.p, e["p_unadjusted"], 5)

    def test_the_share_sound_without_a_distribution(self) -> None:
        lots, wanted = read("keeping_6x3")
        for e in wanted["turnbull"]:
            found = sound_curve([x for x in lots if x.entry == e["entry"]])
            for interval in e["intervals"]:
                if interval["to"] is not None:
                    share = next(s.share for s in found if s.day == interval["to"])
                    self.assertAlmostEqual(1 - share, interval["cdf"], 9)

    def test_lots_of_different_ages_looked_at_on_different_days(self) -> None:
        """Two lots each with 12 of 40 sound at the last look: 30 % are left, not 9."""
        early = LotChecks("1", "A", 40, (20.0,), (12,), (28,))
        late = LotChecks("2", "A", 40, (35.0,), (12,), (28,))
        curve = sound_curve([early, late])
        self.assertAlmostEqual(curve[-1].share, 0.3, places=9)
        self.assertAlmostEqual(share_sound(curve, 20) or 0, 0.3, places=9)
        for s in curve:
            self.assertTrue(0 <= s.lower95 <= s.share <= s.upper95 <= 1)

    def test_exactly_half_lost_gives_the_median_its_interval(self) -> None:
        lot = LotChecks("1", "A", 20, (7.0, 14.0, 21.0), (15, 10, 10), (5, 5, 0))
        self.assertEqual(median_lost(lost_between([lot])), (7, 14))
        self.assertEqual(median_lost(lost_between([LotChecks("1", "A", 20, (7.0,), (11,), (9,))])), (None, None))

    def test_pieces_taken_away_sound_change_no_share_before(self) -> None:
        whole = sound_curve([LotChecks("1", "A", 20, (7.0, 14.0), (18, 9), (2, 9))])
        taken = sound_curve([LotChecks("1", "A", 20, (7.0, 14.0), (10, 5), (2, 5))])
        self.assertAlmostEqual(whole[1].share, taken[1].share, places=9)
        self.assertAlmostEqual(whole[-1].share, taken[-1].share, places=9)


class Bounds(TestCase):
    def lot(
        self, name: str, entry: str, sound: tuple[int, ...], lost: tuple[int, ...], days: tuple[float, ...] = (7, 14)
    ) -> LotChecks:
        return LotChecks(name, entry, 20, days, sound, lost)

    def test_without_a_loss_nothing_is_claimed(self) -> None:
        found = keeping([self.lot("1", "A", (20, 20), (0, 0)), self.lot("2", "B", (15, 9), (5, 6))], "A")
        a, b = found.entries
        self.assertEqual((a.median, a.lost, found.vs_check), (None, 0, ()))
        self.assertTrue(0 < surely(b.median) < 40)
        self.assertEqual(keeping([self.lot("1", "A", (20, 20), (0, 0))]).scale, None)

    def test_all_lost_at_once_has_no_spread_and_is_no_error(self) -> None:
        self.assertIsNone(
            keeping([self.lot("1", "A", (20, 0), (0, 20)), self.lot("2", "B", (15, 9), (5, 6))], "B").entries[0].median
        )

    def test_what_cannot_be(self) -> None:
        for lots, said in (
            ([], "no lot"),
            ([self.lot("1", "A", (20, 21), (0, 0))], "more than the 20"),
            ([self.lot("1", "A", (20,), (0,), (0,))], "rise from above nought"),
            ([self.lot("1", "A", (20, 20), (0, 0), (7, 7))], "rise from above nought"),
            ([self.lot("1", "A", (20,), (0,))], "each check needs"),
        ):
            with self.subTest(said=said), self.assertRaisesRegex(ValueError, said):
                keeping(lots)


class Simulated(TestCase):
    days = (7.0, 14.0, 21.0, 28.0, 42.0)

    def put_away(self, rng: np.random.Generator, truth: dict[str, float], sd_lot: float) -> list[LotChecks]:
        """Three lots of 20 pieces of each entry, Weibull with shape 2 on log time; lots of one entry differ by `sd_lot`."""
        lots = []
        for entry, location in truth.items():
            for n in range(3):
                times = np.exp(location + sd_lot * rng.standard_normal() + np.log(-np.log(rng.random(20))) / 2)
                sound = tuple(int((times > d).sum()) for d in self.days)
                lost = tuple(a - b for a, b in zip((20, *sound), sound, strict=False))
                lots.append(LotChecks(f"{entry}{n}", entry, 20, self.days, sound, lost))
        return lots

    def test_intervals_hold_the_truth_as_often_as_they_say(self) -> None:
        """Four entries, with lots that are alike and that differ: a difference between entries is that of their lots too."""
        truth = {"A": log(20), "B": log(26), "C": log(20), "D": log(15)}
        for sd_lot in (0.0, 0.2):
            rng, held = np.random.default_rng(11), 0
            for _ in range(24):
                found = keeping(self.put_away(rng, truth, sd_lot), "A", "weibull")
                held += sum(d.ratio95[0] <= exp(truth[d.entry] - truth["A"]) <= d.ratio95[1] for d in found.vs_check)
            self.assertTrue(0.9 <= held / 72 <= 0.99, (sd_lot, held / 72))
