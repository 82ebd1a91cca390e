"""Trials over years and places: what the two stages do where the answer is known without them."""

from unittest import TestCase

import numpy as np

from trialcore.analyses.parts import fit_parts, groups_of
from trialcore.analyses.programme import TrialMeans, analyse_programme, crossed_terms


def trials(table: np.ndarray, seasons: str, sites: str, error: float = 0.04) -> list[TrialMeans]:
    """Entries A, B, … by trials; NaN where one did not stand."""
    made = []
    for j, (season, site) in enumerate(zip(seasons, sites, strict=True)):
        here = np.flatnonzero(~np.isnan(table[:, j]))
        names = tuple("ABCDEFGHIJ"[i] for i in here)
        made.append(TrialMeans(f"{season}{site}", season, site, names, table[here, j], error * np.eye(len(here))))
    return made


class Programmes(TestCase):
    def test_where_nothing_is_missing_leads_are_plain_differences_of_averages(self) -> None:
        rng = np.random.default_rng(2)
        table = rng.normal(10, 1, (5, 4)) + np.array([0, 2, -1, 3])
        found = analyse_programme(trials(table, "1122", "xyxy"), "A")
        for i, lead in enumerate(found.leads, start=1):
            self.assertAlmostEqual(lead.estimate, table[i].mean() - table[0].mean(), places=8)
            self.assertEqual((lead.trials, lead.seasons), (4, 2))
            self.assertLess(lead.lower95, lead.estimate)

    def test_an_entry_that_only_stood_in_a_good_year_gains_nothing_by_it(self) -> None:
        table = np.array([[5.0, 9.0, 5.2], [4.0, 8.1, 4.1], [np.nan, 9.1, np.nan], [5.1, 9.2, np.nan]])
        leads = {x.entry: x.estimate for x in analyse_programme(trials(table, "123", "xxx"), "A").leads}
        self.assertLess(abs(leads["C"] - 0.1), 0.15)  # its plain mean lies 2.7 above the check's
        self.assertLess(leads["B"], -0.8)

    def test_slopes_tell_who_keeps_in_poor_places_and_who_gains_in_good_ones(self) -> None:
        level = np.array([-2.0, -1.0, 0.0, 1.0, 2.0])
        wobble = np.random.default_rng(3).normal(0, 0.05, (3, 5))
        table = 10 + np.array([1.0, 0.3, 1.7])[:, None] * level + wobble
        found = analyse_programme(trials(table, "12345", "xxxxx"), "A")
        self.assertEqual([f.said for f in found.follows], ["steady", "keeps", "gains"])
        assert found.whole
        self.assertEqual(len(found.whole.stability), 3)
        for f, s in zip(found.follows, found.whole.stability, strict=True):
            self.assertAlmostEqual(f.slope, s.slope or 0.0, places=8)

    def test_terms_that_part_the_values_alike_are_one(self) -> None:
        one_site = crossed_terms(list("ABAB"), list("1122"), list("xxxx"))
        self.assertEqual(list(one_site), ["season", "entry:season"])
        both = crossed_terms(list("ABAB") * 2, list("11221122"), list("xxxxyyyy"))
        self.assertEqual(list(both), ["season", "site", "season:site", "entry:season", "entry:site", "entry:season:site"])

    def test_nonsense_is_refused(self) -> None:
        table = np.array([[5.0, 9.0], [4.0, 8.1]])
        for wrong in (trials(table, "12", "xx")[:1], trials(table[:1], "12", "xx")):
            with self.assertRaises(ValueError):
                analyse_programme(wrong, "A")
        y = np.array([1.0, 2.0, 3.0])
        with self.assertRaises(ValueError):
            fit_parts(y, np.eye(3), {"a": groups_of(list("aab"))}, np.eye(3))
        with self.assertRaises(ValueError):
            fit_parts(y, np.ones((3, 1)), {"a": groups_of(list("aa"))}, np.eye(3))
        with self.assertRaises(ValueError):
            fit_parts(y, np.ones((3, 1)), {"a": groups_of(list("aab"))}, np.zeros((3, 3)))

    def test_a_variance_that_the_means_do_not_ask_for_is_nought(self) -> None:
        rng = np.random.default_rng(1)
        y = rng.normal(0, 1, 60)
        labels = [str(i % 12) for i in range(60)]
        y -= np.array([y[[j for j in range(60) if labels[j] == lab]].mean() for lab in labels])
        found = fit_parts(y, np.ones((60, 1)), {"group": groups_of(labels)}, np.eye(60))
        self.assertEqual(found.variances["group"], 0.0)
