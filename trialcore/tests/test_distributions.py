"""Tail probabilities against other software and against simulation."""

from unittest import TestCase

import numpy as np

from trialcore.inference import distributions


class StudentizedRange(TestCase):
    def test_against_scipy(self) -> None:
        from scipy.stats import studentized_range

        for k, df in ((3, 4.0), (16, 45.0), (60, 118.0)):
            for q in (1.0, 3.5, 6.0):
                with self.subTest(k=k, df=df, q=q):
                    expected = studentized_range.sf(q, k, df)
                    self.assertAlmostEqual(float(distributions.studentized_range_above(q, k, df)), expected, delta=1e-7)

    def test_published_quantiles(self) -> None:
        for p, k, df, q in (
            (0.05, 3, 10, 3.877),
            (0.05, 10, 20, 5.008),
            (0.01, 5, 60, 4.818),
        ):  # Pearson and Hartley (1966), table 29
            self.assertAlmostEqual(distributions.studentized_range_quantile(p, k, df), q, delta=1e-3)

    def test_two_means_are_the_t_test(self) -> None:
        t = np.array([0.5, 1.7, 3.2])
        tukey = distributions.studentized_range_above(np.sqrt(2) * t, 2, 12)
        np.testing.assert_allclose(tukey, distributions.t_two_sided(t, 12), atol=1e-8)


class LargestT(TestCase):
    def test_equal_correlations_against_scipy(self) -> None:
        from scipy.stats import multivariate_t

        for m, df in ((2, 10), (5, 20), (9, 60)):
            equal = np.full((m, m), 0.5) + 0.5 * np.eye(m)
            q = distributions.largest_t_quantile(0.05, equal, df)
            within = multivariate_t(np.zeros(m), equal, df=df, seed=1).cdf(
                np.full(m, q), lower_limit=np.full(m, -q), maxpts=200_000
            )
            self.assertAlmostEqual(1 - within, 0.05, delta=1e-4)

    def test_one_comparison_is_the_t_test(self) -> None:
        found = distributions.largest_t_above(np.array([1.3, 2.4]), np.eye(1), 9)
        np.testing.assert_allclose(found, distributions.t_two_sided(np.array([1.3, 2.4]), 9), atol=1e-10)

    def test_lattice_and_quadrature_agree_where_both_apply(self) -> None:
        loading = np.array([0.9, 0.7, 0.5, 0.62, 0.71, 0.33])
        correlation = np.outer(loading, loading)
        np.fill_diagonal(correlation, 1.0)
        t = np.array([1.0, 2.0, 2.8, 4.0])
        exact = distributions._largest_by_product(t, loading, 17.0)
        lattice = distributions._largest_by_lattice(t, correlation, 17.0)
        np.testing.assert_allclose(lattice, exact, atol=2e-4)

    def test_general_correlations_against_simulation(self) -> None:
        correlation = np.array([[1, 0.8, 0.1], [0.8, 1, -0.3], [0.1, -0.3, 1]])
        rng = np.random.default_rng(5)
        draws = rng.multivariate_normal(np.zeros(3), correlation, 400_000) / np.sqrt(rng.chisquare(8, 400_000) / 8)[:, None]
        for t in (1.5, 2.5):
            simulated = (np.abs(draws).max(axis=1) > t).mean()
            self.assertAlmostEqual(float(distributions.largest_t_above(t, correlation, 8)), simulated, delta=0.003)
