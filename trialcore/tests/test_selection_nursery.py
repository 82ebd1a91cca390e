"""Crosses, generations and lines: reference figures, textbook values, and genomes made up and followed."""

from __future__ import annotations

import json
from pathlib import Path
from unittest import TestCase

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from trialcore.analyses.relatives import Born, relationship, with_relatives
from trialcore.analyses.sisters import Sign, expected_of, ranked, without_ground
from trialcore.reckoning import fixation, response, segregation, selection
from trialcore.reckoning.fixation import Mating
from trialcore.reckoning.segregation import Linked

GIVEN = json.loads((Path(__file__).parent / "data" / "small_vectors2.json").read_text())
S, B = Mating.SELFED, Mating.BACKCROSSED
Genes = np.ndarray  # plants × 2 × loci: 1 where the allele is the first parent's


def mated(mothers: Genes, fathers: Genes, luck: np.random.Generator) -> Genes:
    """Offspring of pairs of plants, loci unlinked."""

    def gametes(plants: Genes) -> Genes:
        which = luck.integers(0, 2, (len(plants), 1, plants.shape[2]))
        return np.take_along_axis(plants, which, axis=1)[:, 0]

    return np.stack([gametes(mothers), gametes(fathers)], axis=1)


def f1(plants: int, loci: int) -> Genes:
    return np.stack([np.ones((plants, loci)), np.zeros((plants, loci))], axis=1)


def fixed_share(plants: Genes) -> float:
    return float((plants[:, 0] == plants[:, 1]).mean())


class Reference(TestCase):
    def test_ratios(self) -> None:
        for known in GIVEN["segregation"]:
            found = segregation.against_ratio(known["observed"], known["ratio"])
            for name in ("chisq", "p_chisq", "g", "p_g", "p_exact"):
                self.assertAlmostEqual(getattr(found, name), known[name], places=10, msg=f"{known['observed']} {name}")
            self.assertEqual(list(found.expected), known["expected"])
            if known["chisq_yates"] is not None:
                self.assertAlmostEqual(found.yates or 0, known["chisq_yates"], places=10)
        many = segregation.against_ratio([600, 200, 150, 50], [9, 3, 3, 1])
        self.assertIsNone(many.p_exact)
        self.assertEqual(many.p, many.p_chisq)
        for observed, ratio in (([3], [1]), ([1, 2], [3]), ([0, 0], [3, 1]), ([-1, 2], [3, 1]), ([1, 2], [3, 0])):
            with self.assertRaises(ValueError):
                segregation.against_ratio(observed, ratio)

    def test_plants_to_grow(self) -> None:
        for known in GIVEN["plants_needed"]:
            found = selection.plants_to_grow(known["frequency"], known["at_least"], known["probability"])
            self.assertEqual(found, known["plants"])

    def test_intensity_and_response(self) -> None:
        for known in GIVEN["selection"]:
            self.assertAlmostEqual(response.intensity(known["n"], known["selected"]), known["i_exact"], places=9)
        for known in GIVEN["best_of_n"]:
            self.assertAlmostEqual(response.intensity(known["n"], 1), known["i"], places=9)
        for known in GIVEN["response"]:
            found = response.response(known["n"], known["s"], known["h2"], known["sigma_g"])
            self.assertAlmostEqual(found, known["expected_response"], places=9)

    def test_fixation_of_each_mating(self) -> None:
        known = GIVEN["fixation"]
        self.assertEqual([fixation.along([S] * t).fixed for t in known["generations"]], known["selfing_F"])
        back = [fixation.along([B] * t) for t in known["generations"]]
        self.assertEqual([x.first_parent for x in back], known["backcross_recurrent_genome"])
        self.assertEqual([x.segregating for x in back], known["backcross_heterozygous"])
        self.assertEqual([fixation.full_sib_inbreeding(t) for t in known["generations"]], known["full_sib_F"])

    def test_generations_are_called_as_breeders_do(self) -> None:
        for path, name in (([], "F1"), ([S], "F2"), ([S] * 4, "F5"), ([B, B, S, S], "BC2F3"), ([S, Mating.CLONED], "F2")):
            self.assertEqual(fixation.generation(path), name)


class MadeGenomes(TestCase):
    """Forty thousand plants of a genome of forty loci: what comes out is what is expected."""

    def setUp(self) -> None:
        self.luck = np.random.default_rng(11)

    def test_selfing_sibbing_and_backcrossing_fix_as_reckoned(self) -> None:
        plants = f1(4000, 40)
        recurrent = np.ones_like(plants)
        selfed, back = plants, plants
        for t in range(1, 5):
            selfed, back = mated(selfed, selfed, self.luck), mated(back, recurrent, self.luck)
            self.assertAlmostEqual(fixed_share(selfed), fixation.along([S] * t).fixed, delta=0.006)
            self.assertAlmostEqual(fixed_share(back), fixation.along([B] * t).fixed, delta=0.006)
            self.assertAlmostEqual(float(back.mean()), fixation.along([B] * t).first_parent, delta=0.006)
        then = mated(mated(plants, recurrent, self.luck), recurrent, self.luck)
        then = mated(then, then, self.luck)
        self.assertAlmostEqual(fixed_share(then), fixation.along([B, B, S]).fixed, delta=0.006)

    def test_pairs_of_sisters(self) -> None:
        pairs = f1(6000, 20).reshape(3000, 2, 2, 20)  # families of two
        path = []
        for _ in range(4):
            path.append(Mating.SIBBED)
            pairs = np.stack([mated(pairs[:, 0], pairs[:, 1], self.luck) for _ in range(2)], axis=1)
            self.assertAlmostEqual(fixed_share(pairs.reshape(-1, 2, 20)), fixation.along(path).fixed, delta=0.012)

    def test_the_wanted_plant_is_as_frequent_as_reckoned(self) -> None:
        f2 = mated(f1(40_000, 3), f1(40_000, 3), self.luck)
        dose = f2.sum(axis=1)
        found = ((dose[:, 0] > 0) & (dose[:, 1] == 0) & (dose[:, 2] == 2)).mean()
        share = segregation.share_of_all(["dominant", "recessive", "fixed"])
        self.assertAlmostEqual(share, 3 / 64)
        self.assertAlmostEqual(float(found), share, delta=0.004)
        enough = selection.plants_to_grow(share, 1, 0.95)
        hit = [bool((self.luck.random(enough) < share).any()) for _ in range(4000)]
        self.assertAlmostEqual(float(np.mean(hit)), 0.95, delta=0.012)

    def test_linked_genes(self) -> None:
        r, n = 0.2, 60_000
        for coupled in (True, False):
            # Alleles wanted of each gene by haplotype of the F1: both on one where coupled, else one on each.
            haplotypes = np.array([[1, 1], [0, 0]] if coupled else [[1, 0], [0, 1]])

            def gamete(haplotypes: np.ndarray = haplotypes) -> np.ndarray:
                first = self.luck.integers(0, 2, n)
                second = np.where(self.luck.random(n) < r, 1 - first, first)
                return np.column_stack([haplotypes[first, 0], haplotypes[second, 1]])

            dose = gamete() + gamete()
            linked = Linked(r, coupled)
            for first, second, seen in (
                ("recessive", "recessive", (dose == 2).all(axis=1)),
                ("dominant", "dominant", (dose > 0).all(axis=1)),
                ("dominant", "recessive", (dose[:, 0] > 0) & (dose[:, 1] == 2)),
            ):
                share = segregation.share_of_pair(first, second, linked)  # type: ignore[arg-type]
                self.assertAlmostEqual(float(seen.mean()), share, delta=0.006, msg=f"{coupled} {first} {second}")
        theta = 0.8**2
        self.assertAlmostEqual(segregation.share_of_pair("dominant", "dominant", Linked(0.2, True)), (2 + theta) / 4)
        self.assertAlmostEqual(segregation.share_of_pair("dominant", "recessive", Linked(0.5, True)), 3 / 16)
        with self.assertRaises(ValueError):
            segregation.share_of_all(["dominant"], Linked(0.2, True))

    def test_response_comes_as_expected(self) -> None:
        """The best of 30 F2 plants at a heritability of a half, forty loci of like effect: the mean of its selfed offspring."""
        plants, loci, worlds = 30, 40, 1500
        effect = np.sqrt(2 / loci)  # so that the F2's genetic variance is one
        gains = []
        for _ in range(worlds):
            f2 = mated(f1(plants, loci), f1(plants, loci), self.luck)
            value = effect * f2.sum(axis=(1, 2))
            seen = value + self.luck.normal(0, 1, plants)
            best = f2[[int(seen.argmax())]]
            gains.append(effect * float(best.sum()) - effect * loci)
        self.assertAlmostEqual(float(np.mean(gains)), response.response(plants, 1, 0.5, 1.0), delta=0.06)

    def test_a_split_into_families_brings_what_is_said(self) -> None:
        """F3 families from single F2 plants: choose the best family by its mean, then its best plant."""
        loci, h2, worlds = 40, 0.3, 1200
        effect, error = np.sqrt(2 / loci), np.sqrt(1 / h2 - 1)
        for split in [s for s in response.splits(60, h2, 0.5) if s.plants in (5, 10)]:
            gains = []
            for _ in range(worlds):
                mothers = mated(f1(split.families, loci), f1(split.families, loci), self.luck)
                f3 = np.repeat(mothers, split.plants, axis=0)
                f3 = mated(f3, f3, self.luck)
                value = effect * f3.sum(axis=(1, 2))
                seen = (value + self.luck.normal(0, error, len(value))).reshape(split.families, split.plants)
                family = int(seen.mean(axis=1).argmax())
                plant = int(seen[family].argmax())
                gains.append(value.reshape(seen.shape)[family, plant] - effect * loci)
            self.assertAlmostEqual(float(np.mean(gains)), split.response, delta=0.12, msg=str(split))
        with self.assertRaises(ValueError):
            response.splits(1, 0.3, 0.0)

    @given(st.integers(2, 60), st.floats(0.05, 1.0), st.floats(0, 0.99))
    def test_a_split_never_needs_more_plants(self, total: int, h2: float, fixed: float) -> None:
        found = response.splits(total, h2, fixed)
        self.assertTrue(all(s.families * s.plants <= total for s in found))
        self.assertEqual([s.response for s in found], sorted((s.response for s in found), reverse=True))


class Even(TestCase):
    def test_a_line_beside_its_check(self) -> None:
        """Variances 4 and 1 of five plants each: F = 4 on 4 and 4 df, bounds 4 ÷ 9.6045 and 4 × 9.6045 (table of F at 2.5 %)."""
        line, check = [10.0 + 4 * z for z in (-1, -0.5, 0, 0.5, 1)], [8.0 + 2 * z for z in (-1, -0.5, 0, 0.5, 1)]
        found = response.evenness(line, check, 0.125)
        self.assertAlmostEqual(found.ratio, 4.0)
        self.assertAlmostEqual(found.low, 4 / 9.6045, places=4)
        self.assertAlmostEqual(found.high, 4 * 9.6045, places=3)
        self.assertTrue(found.as_even)
        self.assertIsNone(found.genetic_share)
        for some in (([1.0, 2.0], check), (line, [3.0, 3.0, 3.0])):
            with self.assertRaises(ValueError):
                response.evenness(*some, 0.125)

    def test_what_is_left_of_the_f2_is_found_on_average(self) -> None:
        luck = np.random.default_rng(5)
        shares, told = [], []
        for _ in range(600):
            mother = mated(f1(1, 60), f1(1, 60), luck)
            for _ in range(2):
                mother = mated(mother, mother, luck)  # an F4 plant: an eighth of the loci segregate
            line, f2 = np.repeat(mother, 60, axis=0), mated(f1(60, 60), f1(60, 60), luck)
            line = mated(line, line, luck)
            effect = np.sqrt(2 / 60)
            values = [(effect * g.sum(axis=(1, 2)) + luck.normal(0, 0.3, 60)).tolist() for g in (line, f2)]
            check = luck.normal(0, 0.3, 60).tolist()
            beyond = response.variance_beyond(values[1], luck.normal(0, 0.3, 60).tolist())
            found = response.evenness(values[0], check, fixation.along([S] * 3).segregating, beyond)
            told.append(found.beside_expected)
            shares.append(found.genetic_share or 0.0)
        self.assertAlmostEqual(float(np.mean(shares)), 0.125, delta=0.02)
        self.assertLess(float(np.mean([t != 0 for t in told])), 0.25)  # families differ in how much segregates within them
        self.assertIsNone(response.variance_beyond([1.0, 1.1, 0.9], [1.0, 3.0, 5.0]))

    def test_what_a_generation_lets_one_expect_by_hand(self) -> None:
        """An F2 variance of 16 beside a check's of 1: an eighth left is a ratio of 3; with F bounds 0.104 and 9.60 round a ratio."""
        check = [8.0 + 2 * z for z in (-1, -0.5, 0, 0.5, 1)]
        for spread, said in ((0.1, -1), (2, 0), (20, 1)):
            line = [10.0 + spread * z for z in (-1, -0.5, 0, 0.5, 1)]
            found = response.evenness(line, check, 0.125, 16 * 2.5)
            self.assertAlmostEqual(found.expected_ratio or 0, 3.0)
            self.assertEqual(found.beside_expected, said)


class AmongSisters(TestCase):
    def setUp(self) -> None:
        self.where = [(float(x), float(y)) for y in range(8) for x in range(20)]
        self.check = [(int(x) + 3 * int(y)) % 6 == 0 for x, y in self.where]

    def test_a_good_spot_is_not_taken_for_a_good_plant(self) -> None:
        """On ground that rises by six standard deviations of a plant, checks every sixth: the best of the adjusted are truly better."""
        luck = np.random.default_rng(3)
        raw, kept = [], []
        sister = ~np.array(self.check)
        for _ in range(60):
            true = np.where(sister, luck.normal(0, 1, 160), 0.0)
            ground = np.array([0.3 * x for x, _ in self.where])
            y = true + ground + luck.normal(0, 1, 160)
            found = without_ground(y.tolist(), self.where, self.check)
            raw.append(true[np.argsort(-np.where(sister, y, -99))[:8]].mean())
            kept.append(true[np.argsort(-np.where(sister, found.adjusted, -99))[:8]].mean())
        self.assertGreater(float(np.mean(kept)), float(np.mean(raw)) + 0.25)

    def test_the_heritability_is_the_share_of_a_lead_that_is_true(self) -> None:
        luck = np.random.default_rng(4)
        sister = ~np.array(self.check)
        told, true_share = [], []
        for _ in range(150):
            true = luck.normal(0, 1, 160)
            y = np.where(sister, true, 0.0) + luck.normal(0, 1, 160)
            found = without_ground(y.tolist(), self.where, self.check)
            told.append(found.heritability or 0.0)
            slope = np.cov(true[sister], found.adjusted[sister])
            true_share.append(slope[0, 1] / slope[1, 1])
        self.assertAlmostEqual(float(np.mean(told)), float(np.mean(true_share)), delta=0.04)

    def test_without_checks_sisters_stand_for_the_ground_and_nothing_is_said_of_heritability(self) -> None:
        found = without_ground([1.0, 2.0, 3.0, None], [(0, 0), (1, 0), (2, 0), (3, 0)], [False] * 4)
        self.assertEqual((found.by, found.heritability), ("sisters", None))
        self.assertTrue(np.isnan(found.adjusted[3]))
        self.assertEqual(without_ground([1.0, None], [(0, 0), (1, 0)], [False, False]).by, "")
        with self.assertRaises(ValueError):
            without_ground([1.0], [], [False])

    def test_the_index_by_hand(self) -> None:
        """Values 1, 2, 3 (sd 1) and 30, 20, 10 where less is better (sd 10): the third leads on both; what it must have counts."""
        heavy, sick = [1.0, 2.0, 3.0, 9.0], [30.0, 20.0, 10.0, 0.0]
        sister = [True, True, True, False]
        found = ranked([Sign(heavy, heavy, 1, 3), Sign(sick, sick, -1, 1)], sister)
        self.assertEqual([round(r.index or 0, 6) for r in found[:3]], [-1.0, 0.0, 1.0])
        self.assertEqual([r.rank for r in found], [3, 2, 1, None])
        must = ranked([Sign(heavy, heavy, 1, 3, must=1.5), Sign(sick, sick, -1, 1, must=15)], sister)
        self.assertEqual([r.fails for r in must[:3]], [(0, 1), (1,), ()])
        self.assertEqual([r.rank for r in must], [None, None, 1, None])
        partly = ranked([Sign([1.0, None, 3.0, 2.0], heavy, 1)], sister)
        self.assertEqual([r.rank for r in partly], [2, None, 1, None])
        self.assertAlmostEqual(expected_of(5.0, 3.0, 0.25), 3.5)


class Relatives(TestCase):
    def test_the_relationship_of_a_small_pedigree_by_hand(self) -> None:
        """Two unrelated parents, two full sibs, and the selfed offspring of one: A of full sibs ½, of a selfed plant 1½."""
        born = [
            Born("selfed", "one", "one"), Born("one", "a", "b"), Born("two", "a", "b"), Born("a"), Born("b"),
        ]  # fmt: skip
        order, a = relationship(born)
        at = {n: i for i, n in enumerate(order)}
        for x, y, known in (
            ("a", "b", 0), ("a", "one", 0.5), ("one", "two", 0.5), ("one", "one", 1), ("selfed", "selfed", 1.5),
            ("selfed", "one", 1), ("selfed", "two", 0.5), ("selfed", "a", 0.5),
        ):  # fmt: skip
            self.assertAlmostEqual(a[at[x], at[y]], known, msg=f"{x} {y}")
        fixed = relationship([Born("p", inbred=True), Born("q", inbred=True), Born("x", "p", "q"), Born("y", "p", "q")])[1]
        np.testing.assert_allclose(fixed[2:, 2:], [[1, 1], [1, 1]])  # F1 plants of two fixed parents are alike
        for wrong in ([Born("a"), Born("a")], [Born("a", "nobody")], [Born("a", "b"), Born("b", "a")], [Born("a", "a")]):
            with self.assertRaises(ValueError):
                relationship(wrong)

    def test_predictions_agree_with_henderson_s_equations(self) -> None:
        """The mixed model equations with the inverse of A, solved on their own at the variances that were found."""
        luck = np.random.default_rng(8)
        born = [Born("p", inbred=True), Born("q", inbred=True), Born("r", inbred=True)]
        born += [Born(f"f{i}", "p", "q" if i < 4 else "r") for i in range(8)]
        lines = [f"l{i}{k}" for i in range(8) for k in range(3)]
        born += [Born(name, f"f{name[1]}", f"f{name[1]}") for name in lines]
        names, a = relationship(born)
        at = [names.index(n) for n in sorted(lines)]
        true = np.linalg.cholesky(a[np.ix_(at, at)] + 1e-9 * np.eye(24)) @ luck.normal(0, 1, 24)
        entry, block, value = [], [], []
        for b in "1234":
            for n in ("check", *sorted(lines)[6 * (int(b) - 1) : 6 * int(b)]):
                level = 0.0 if n == "check" else true[sorted(lines).index(n)]
                entry.append(n)
                block.append(b)
                value.append(10 + level + float(luck.normal(0, 0.7)))
        found = with_relatives(entry, value, block, ["check"], names, a)
        v = found.fit.variances
        z = np.array([[e == n for n in sorted(lines)] for e in entry], dtype=float)
        w = np.array([[b == c for c in "1234"] for b in block], dtype=float)
        x = np.array([[e == "check", e != "check"] for e in entry], dtype=float)
        design = np.hstack([x, w, z])
        left = design.T @ design
        left[2:6, 2:6] += np.eye(4) * v["residual"] / max(v["block"], 1e-12)
        left[6:, 6:] += np.linalg.inv(a[np.ix_(at, at)] + 1e-9 * np.eye(24)) * v["residual"] / v["lines"]
        solved = np.linalg.solve(left, design.T @ np.array(value))
        centre = np.eye(24) - 1 / 24
        np.testing.assert_allclose([p.effect for p in found.lines], centre @ solved[6:], atol=1e-5)
        error = centre @ np.linalg.inv(left)[6:, 6:] @ centre * v["residual"]
        np.testing.assert_allclose([p.se for p in found.lines], np.sqrt(np.diag(error)), rtol=1e-4)
        self.assertGreater(found.gain, 0.0)

    def test_relatives_tell_more_of_what_is_true(self) -> None:
        luck = np.random.default_rng(9)
        born = [Born("p", inbred=True), Born("q", inbred=True), *(Born(f"f{i}", "p", "q") for i in range(6))]
        lines = [f"l{i}{k}" for i in range(6) for k in range(5)]
        born += [Born(f"m{i}", f"f{i}", f"f{i}") for i in range(6)] + [Born(n, f"m{n[1]}", f"m{n[1]}") for n in lines]
        names, a = relationship(born)
        at = [names.index(n) for n in sorted(lines)]
        half = np.linalg.cholesky(a[np.ix_(at, at)] + 1e-9 * np.eye(30))
        with_them: list[float] = []
        alone: list[float] = []
        for _ in range(40):
            true = half @ luck.normal(0, 1, 30)
            entry, block, value = [], [], []
            for b in range(5):
                for n in ("check", "check", *sorted(lines)[b::5]):
                    entry.append(n)
                    block.append(str(b))
                    value.append((0.0 if n == "check" else true[sorted(lines).index(n)]) + float(luck.normal(0, 1.2)))
            found = with_relatives(entry, value, block, ["check"], names, a)
            apart = with_relatives(entry, value, block, ["check"], sorted(lines), np.eye(30))
            plain = [p.effect for p in apart.lines]
            for told, effects in ((with_them, [p.effect for p in found.lines]), (alone, plain)):
                told.append(np.corrcoef(true, effects)[0, 1] if np.ptp(effects) > 1e-9 else 0.0)
        self.assertGreater(float(np.mean(with_them)), float(np.mean(alone)) + 0.03)
        with self.assertRaises(ValueError):
            with_relatives(["a", "b"], [1.0, 2.0], ["1", "1"], [], names, a)
