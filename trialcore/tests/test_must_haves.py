"""Must-haves in the verdict: sure to fail is out, likely to fail is not recommended, unlikely to fail changes nothing."""

from unittest import TestCase

from trialcore.inference.verdict import Evidence, Ground, Verdict, suggest


def on(criterion: str, fails: float | None, better_by: float | None = 5.0) -> Evidence:
    return Evidence(criterion, better_by, 1.0, 30.0, 1.0, fails)


class MustHaves(TestCase):
    def test_by_how_likely_it_fails(self) -> None:
        for fails, verdict in (
            (None, "recommend"),
            (0.0, "recommend"),
            (0.49, "recommend"),
            (0.5, "retest"),
            (0.94, "retest"),
            (0.95, "drop"),
        ):
            with self.subTest(fails=fails):
                self.assertEqual(suggest([on("yield", None), on("bolting", fails, 0.0)]).verdict.value, verdict)

    def test_a_failed_must_have_goes_before_every_other_reason_and_each_is_named(self) -> None:
        found = suggest([on("yield", 0.99), on("bolting", 0.97, -9.0)])
        self.assertEqual(found.verdict, Verdict.DROP)
        self.assertEqual(
            [(r.ground, r.criterion) for r in found.reasons], [(Ground.KNOCKED_OUT, "yield"), (Ground.KNOCKED_OUT, "bolting")]
        )

    def test_it_holds_where_nothing_is_known_against_the_check(self) -> None:
        self.assertEqual(suggest([on("yield", 0.99, None)]).verdict, Verdict.DROP)
        self.assertEqual(suggest([on("yield", 0.2, None)]).reasons[0].ground, Ground.NO_FIGURE)

    def test_likely_failure_on_the_leading_criterion_holds_it_back_too(self) -> None:
        found = suggest([on("yield", 0.7)])
        self.assertEqual((found.verdict, found.reasons[0].ground), (Verdict.RETEST, Ground.MAY_FAIL))
