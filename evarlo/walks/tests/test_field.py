"""What a phone brings in from a round without a signal: kept once, in any order, and two answers for one plot both kept."""

import json
import uuid
from datetime import datetime, timedelta
from typing import Any
from unittest import mock

from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse
from django.utils import timezone

from evarlo.catalogue.models import Trait
from evarlo.people.models import Role, User
from evarlo.practice.agreement import pairs_of
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Plot
from evarlo.ui.refused import Refused
from evarlo.walks.field import Answer, Brought, bring_in, settle, taken_along, unsettled
from evarlo.walks.models import Observation, Rival, Round
from evarlo.walks.queries import course, current, shown, walked_traits, within
from evarlo.walks.services import Seen, close_round, open_round, plan_round, show_earlier


class Phone(TestCase):
    """A round for damage of a fennel trial, and records as a phone makes them."""

    def setUp(self) -> None:
        self.by, self.other = world.person(), world.person(Role.HELPER)
        self.made = world.trial(self.by)
        world.sow(self.made, self.by)
        self.now = timezone.now()
        self.walk = open_round(self.made, world.trait("damage"), timezone.localdate(), self.by)
        self.plots = list(self.made.plots.all())

    def record(self, plot: Plot, number: float | None, **more: Any) -> Brought:
        given: dict[str, Any] = {"key": uuid.uuid4(), "seen": Seen(number=number), "made_at": self.now} | more
        return Brought(plot=plot.pk, **given)

    def along(self, user: User) -> dict[str, Any]:
        """What this person's phone knows of the round."""
        told: dict[str, Any] = taken_along([self.walk], user, timezone.localdate())["asks"][0]
        return told

    def bring(self, *records: Brought, by: User | None = None, clock: datetime | None = None) -> list[Answer]:
        return bring_in(self.walk, records, by or self.by, self.now, clock or self.now)

    def values(self) -> dict[str, float | None]:
        return {o.plot.number: o.number for o in current(self.walk).select_related("plot")}


class BroughtIn(Phone):
    def test_records_sent_twice_and_out_of_order_are_kept_once(self) -> None:
        first = self.record(self.plots[0], 10)
        second = self.record(self.plots[0], 20, before=str(first.key))
        self.assertEqual([a.state for a in self.bring(first, second)], ["kept", "kept"])
        self.assertEqual([a.state for a in self.bring(second, first)], ["same", "same"])
        self.assertEqual((self.values(), Observation.objects.count()), ({self.plots[0].number: 20}, 2))

    def test_one_that_cannot_be_holds_none_of_the_others_up(self) -> None:
        answers = self.bring(
            self.record(self.plots[0], 120),
            self.record(self.plots[1], 30),
            self.record(self.plots[2], None),
            self.record(Plot(pk=10**6), 5),
        )
        self.assertEqual([a.state for a in answers], ["refused", "kept", "refused", "refused"])
        self.assertIn("Expected damage from 0 to 100 %", answers[0].said)
        self.assertEqual(self.values(), {self.plots[1].number: 30})

    def test_two_people_who_differ_are_both_kept_and_settled_by_hand(self) -> None:
        mine, theirs = self.record(self.plots[0], 10), self.record(self.plots[0], 40)
        self.bring(mine)
        answer = self.bring(theirs, by=self.other)[0]
        self.assertEqual((answer.state, answer.stands), ("rival", str(mine.key)))
        self.assertIn("has 10 %; both are kept", answer.said)
        self.assertEqual(self.bring(theirs, by=self.other)[0].state, "same")
        self.assertEqual(self.values(), {self.plots[0].number: 10})
        settle(Rival.objects.get(), True, self.by, timezone.localdate())
        self.assertEqual((self.values(), Observation.objects.count()), ({self.plots[0].number: 40}, 2))
        with self.assertRaisesMessage(Refused, "settled already"):
            settle(Rival.objects.get(), False, self.by, timezone.localdate())

    def test_the_same_answer_of_two_people_is_no_quarrel(self) -> None:
        self.bring(self.record(self.plots[0], 10))
        self.assertEqual(self.bring(self.record(self.plots[0], 10), by=self.other)[0].state, "kept")
        self.assertEqual((Rival.objects.get().beside, Observation.objects.count()), (True, 1))
        self.assertEqual(list(unsettled([self.walk])), [])

    def test_a_correction_knows_what_it_corrects_also_on_another_phone(self) -> None:
        first = self.record(self.plots[0], 10)
        self.bring(first)
        self.assertEqual(self.bring(self.record(self.plots[0], 12, before=str(first.key)), by=self.other)[0].state, "kept")
        self.assertEqual(self.values(), {self.plots[0].number: 12})

    def test_an_undo_takes_back_what_stands_and_nothing_else(self) -> None:
        first = self.record(self.plots[0], 10)
        self.bring(first)
        gone = self.record(self.plots[0], 10, before=str(first.key), undone=True)
        self.assertEqual((self.bring(gone)[0].state, self.values()), ("kept", {}))
        self.assertEqual(self.bring(gone)[0].state, "same")
        again = self.record(self.plots[0], 11)
        self.bring(again)
        self.assertEqual(self.bring(self.record(self.plots[0], 11, before=str(first.key), undone=True))[0].state, "refused")
        self.assertEqual(self.values(), {self.plots[0].number: 11})

    def test_a_clock_that_is_wrong_is_set_right_and_said(self) -> None:
        slow = self.now - timedelta(days=3)
        self.bring(self.record(self.plots[0], 10, made_at=slow - timedelta(hours=1)), clock=slow)
        kept = Observation.objects.get()
        self.assertEqual(kept.seen_on, timezone.localdate(self.now - timedelta(hours=1)))
        self.assertEqual(kept.note, "(phone clock off by 3 days)")
        old = self.bring(self.record(self.plots[1], 10, made_at=self.now - timedelta(days=90)))[0]
        self.assertEqual(old.state, "refused")
        ahead = self.record(self.plots[2], 10, made_at=self.now + timedelta(days=2))
        self.assertEqual(self.bring(ahead)[0].state, "kept")
        self.assertLessEqual(Observation.objects.get(pk=ahead.key).seen_on, timezone.localdate())

    def test_what_is_taken_along_tells_no_name_and_no_other_persons_value(self) -> None:
        self.bring(self.record(self.plots[0], 37.125))
        told = json.dumps(taken_along([self.walk], self.other, timezone.localdate()))
        for secret in ("37.125", "Corvane", self.plots[0].entry.code):
            self.assertNotIn(secret, told.replace(str(self.made), ""))
        self.assertEqual(self.along(self.by)["own"], {self.plots[0].pk: "37.12 %"})
        self.assertEqual((self.along(self.other)["own"], self.along(self.other)["taken"]), ({}, [self.plots[0].pk]))


class Kinds(Phone):
    """What each kind of trait keeps, and what it refuses."""

    def of(self, key: str) -> None:
        self.walk = open_round(self.made, world.trait(key), timezone.localdate(), self.by)

    def test_plants_of_a_plot_are_kept_one_by_one_and_their_mean_is_reckoned_here(self) -> None:
        self.of("width")
        sent = Seen(number=99, parts=(8.0, 9.0, 10.0), guide=2)
        self.assertEqual(self.bring(self.record(self.plots[0], None, seen=sent))[0].state, "kept")
        kept = current(self.walk).get()
        self.assertEqual((kept.number, kept.parts, kept.guide), (9.0, [8.0, 9.0, 10.0], 2))
        self.assertEqual(shown(kept, self.walk.trait), "9 cm, mean of 3")
        wrong = Seen(number=9, parts=(8.0, 900.0))
        self.assertIn("Found 900", self.bring(self.record(self.plots[1], None, seen=wrong))[0].said)
        evenness = Trait.objects.get(key="width-within")
        self.assertIn(evenness, walked_traits(self.made))
        spread = within(self.made, evenness)[self.plots[0].pk].number
        self.assertAlmostEqual(spread or 0, 100 * 1.0 / 9.0)

    def test_a_share_is_of_whole_plants(self) -> None:
        self.of("diseased-plants")
        self.bring(self.record(self.plots[0], None, seen=Seen(number=37.5, looked=8)))
        self.assertEqual(shown(current(self.walk).get(), self.walk.trait), "3 of 8 plants")
        for seen, said in (
            (Seen(number=30), "how many plants"),
            (Seen(number=33, looked=10), "whole number"),
            (Seen(number=110, looked=10), "whole number up to 10"),
            (Seen(number=0, looked=0), "how many plants"),
        ):
            with self.subTest(seen=seen):
                self.assertIn(said, self.bring(self.record(self.plots[1], None, seen=seen))[0].said)

    def test_yes_or_no_and_kinds(self) -> None:
        self.of("true-to-name")
        self.bring(self.record(self.plots[0], 0))
        self.assertEqual(shown(current(self.walk).get(), self.walk.trait), "no")
        self.assertEqual(self.bring(self.record(self.plots[1], 2))[0].said, "Expected yes or no.")
        self.of("habit")
        self.bring(self.record(self.plots[0], 2))
        self.assertEqual(shown(current(self.walk).get(), self.walk.trait), "spreading")
        self.assertIn("upright, spreading, trailing", self.bring(self.record(self.plots[1], 4))[0].said)

    def test_a_stage_not_reached_is_looked_for_again_on_the_next_day(self) -> None:
        self.of("first-flower")
        early, today = self.now - timedelta(days=6), timezone.localdate()
        self.bring(self.record(self.plots[0], None, seen=Seen(cause="not_reached"), made_at=early))
        asked = self.along(self.other)
        self.assertNotIn(self.plots[0].pk, asked["taken"])
        before = asked["stands"][self.plots[0].pk]
        again = self.record(self.plots[0], None, seen=Seen(cause="not_reached"), before=before)
        self.assertEqual(self.bring(again, by=self.other)[0].state, "kept")
        self.assertEqual(current(self.walk).get().seen_on, today)
        self.assertIn(self.plots[0].pk, self.along(self.other)["taken"])
        self.bring(self.record(self.plots[0], None, seen=Seen(day=today), before=str(again.key)), by=self.other)
        self.assertEqual((current(self.walk).get().day, Observation.objects.count()), (today, 3))

    def test_the_course_over_rounds_is_the_area_by_the_days(self) -> None:
        first = self.walk
        self.bring(self.record(self.plots[0], 10, made_at=self.now - timedelta(days=20)))
        close_round(first)
        self.of("damage")
        self.assertEqual(self.walk.number, 2)
        self.bring(self.record(self.plots[0], 30, made_at=self.now - timedelta(days=10)))
        close_round(self.walk)
        self.of("damage")
        self.bring(self.record(self.plots[0], 20), self.record(self.plots[1], 20))
        found = course(self.made, Trait.objects.get(key="damage-course"))
        self.assertEqual(list(found), [self.plots[0].pk])
        self.assertAlmostEqual(found[self.plots[0].pk].number or 0, (20 * 10 + 25 * 10) / 20)

    def test_earlier_values_go_along_only_where_the_trial_says_so(self) -> None:
        self.bring(self.record(self.plots[0], 10, seen=Seen(number=10, note="hail")))
        close_round(self.walk)
        self.of("damage")
        self.assertEqual(self.along(self.other)["earlier"], {})
        show_earlier(self.made, True, self.by)
        self.walk.refresh_from_db()
        self.assertIn("10 % on", self.along(self.other)["earlier"][self.plots[0].pk])
        self.assertIn("shown while scoring", self.made.deeds.latest("pk").said)

    def test_a_closed_round_is_corrected_by_those_who_may(self) -> None:
        self.bring(self.record(self.plots[0], 10), by=self.other)
        close_round(self.walk)
        self.walk.refresh_from_db()
        self.assertEqual(self.along(self.by)["own"], {self.plots[0].pk: f"10 % ({self.other})"})
        self.assertEqual(self.along(self.other)["own"], {self.plots[0].pk: "10 %"})
        stands = self.along(self.by)["stands"][self.plots[0].pk]
        self.assertEqual(self.bring(self.record(self.plots[0], 12, before=stands))[0].state, "kept")
        self.assertEqual((self.values(), Rival.objects.count()), ({self.plots[0].number: 12}, 0))

    def test_rounds_are_walked_together_and_over_some_plots_only(self) -> None:
        some = plan_round(self.made, world.trait("recovery"), None, [p.pk for p in self.plots[:3]])
        told = taken_along([self.walk, some], self.by, timezone.localdate())
        self.assertEqual(told["round"], f"{self.walk.pk},{some.pk}")
        self.assertEqual([len(a["plots"]) for a in told["asks"]], [12, 3])
        self.assertEqual(len(told["plots"]), 12)
        self.assertNotEqual(open_round(self.made, some.trait, timezone.localdate(), self.by), some)

    def test_what_was_undone_can_be_kept_again(self) -> None:
        first = self.record(self.plots[0], 10)
        self.bring(first, self.record(self.plots[0], None, before=str(first.key), undone=True), self.record(self.plots[0], 14))
        self.assertEqual((self.values(), Observation.objects.count()), ({self.plots[0].number: 14}, 3))

    def test_a_batch_is_written_whole_or_not_at_all(self) -> None:
        """The server dies after the observations and before the rest: nothing is there, and the phone sends all of it again."""
        self.bring(self.record(self.plots[0], 10), by=self.other)
        batch = [self.record(self.plots[0], 20), self.record(self.plots[1], 30)]
        with mock.patch.object(Rival.objects, "bulk_create", side_effect=OSError), self.assertRaises(OSError):
            self.bring(*batch)
        self.assertEqual((Observation.objects.count(), Rival.objects.count()), (1, 0))
        self.assertEqual([a.state for a in self.bring(*batch)], ["rival", "kept"])

    def test_a_batch_of_a_hundred_costs_few_statements(self) -> None:
        names = [f"N{n}" for n in range(50)]
        self.made = world.trial(self.by, name="Wide", entries=names, check="N0", blocks=2, plot_length_m=0.5, plot_width_m=0.5)
        self.of("damage")
        plots = list(self.made.plots.all())
        with CaptureQueriesContext(connection) as ten:
            self.bring(*(self.record(p, 5) for p in plots[:10]))
        with CaptureQueriesContext(connection) as ninety:
            self.bring(*(self.record(p, 5) for p in plots[10:]))
        self.assertLessEqual(len(ninety), len(ten) + 2)  # rows are written some at a time


class Agreement(Phone):
    """Twelve plots; the helper scores five percent more than the manager everywhere, the manager repeats to a point."""

    def score_all(self) -> None:
        for n, plot in enumerate(self.plots):
            self.bring(self.record(plot, 10.0 + 5 * n))
            self.bring(self.record(plot, 15.0 + 5 * n), by=self.other)
        for plot_id in self.along(self.by)["again"]:
            n = [p.pk for p in self.plots].index(plot_id)
            self.bring(self.record(self.plots[n], 10.0 + 5 * n, again=True))

    def test_raters_are_set_against_each_other_and_against_themselves(self) -> None:
        self.score_all()
        self.assertEqual(len(list(unsettled([self.walk]))), 12)
        both, twice = sorted(pairs_of(self.made), key=lambda p: p.with_self)
        assert both.agreement and twice.agreement
        helper_first = both.one == str(self.other)
        self.assertAlmostEqual(both.agreement.mean_difference, 5.0 if helper_first else -5.0)
        self.assertLess(both.agreement.concordance, 1)
        self.assertIn(f"{self.other} scores 5.0 % higher", both.said)
        self.assertEqual((twice.agreement.concordance, twice.said, len(twice.first)), (1.0, "Agree well.", 3))
        self.assertEqual(self.values()[self.plots[0].number], 10.0)
        self.assertEqual(self.along(self.by)["again"], [])
        self.client.force_login(self.by)
        self.assertContains(self.client.get(reverse("practice:agreement", args=[self.made.slug])), "scores 5.0 % higher")

    def test_the_same_plots_are_asked_again_for_a_person_and_none_of_what_is_counted(self) -> None:
        first = self.along(self.by)["again"]
        self.assertEqual((len(first), first), (3, self.along(self.by)["again"]))
        stand = open_round(self.made, world.trait("stand"), timezone.localdate(), self.by)
        self.assertEqual(taken_along([stand], self.by, timezone.localdate())["asks"][0]["again"], [])


class OverTheWeb(Phone):
    def post(self, body: Any, by: User | None = None) -> Any:
        self.client.force_login(by or self.by)
        url = reverse("walks:bring-in", args=[self.made.slug, self.walk.pk])
        return self.client.post(url, body if isinstance(body, str) else json.dumps(body), content_type="application/json")

    def body(self, *records: dict[str, Any]) -> dict[str, Any]:
        now = timezone.now().timestamp() * 1000
        return {"who": self.by.pk, "clock": now, "records": [{"key": str(uuid.uuid4()), "made": now, **r} for r in records]}

    def test_a_batch_is_answered_record_by_record(self) -> None:
        answer = self.post(self.body({"plot": self.plots[0].pk, "number": 12}, {"plot": self.plots[1].pk, "cause": "accident"}))
        self.assertEqual([a["state"] for a in answer.json()["answers"]], ["kept", "kept"])

    def test_nonsense_is_refused_and_breaks_nothing(self) -> None:
        for body in (
            "",
            "[]",
            "{}",
            "not json",
            '{"who": "x"}',
            json.dumps(self.body({"plot": 1, "key": "k"})),
            json.dumps(self.body() | {"records": ["x"]}),
            "[" * 200_000,
        ):
            with self.subTest(body=body[:30]):
                self.assertEqual(self.post(body).status_code, 400)
        nan = self.post(json.dumps(self.body({"plot": self.plots[0].pk, "number": float("nan")})))
        self.assertEqual(nan.json()["answers"][0]["state"], "refused")
        self.assertEqual(Observation.objects.count(), 0)

    def test_one_bad_record_holds_none_of_the_others_up(self) -> None:
        good, far = {"number": 3}, 10**30
        absurd: list[dict[str, Any]] = [
            {"plot": "x"},
            {"plot": far, "number": 3},
            {"plot": -1, "number": 3},
            {"number": 3, "looked": far},
            {"number": 3, "looked": -1},
            {"number": 3, "looked": 8},  # of a trait that is no share of plants
            {"number": 3, "guide": far},
            {"number": 3, "parts": ["x"]},
            {"cause": "accident", "parts": [3.0]},
            {"cause": "\ud800"},
            {"day": "9999-12-31"},
            {"number": 1e308},
        ]
        for bad in absurd:
            with self.subTest(bad=str(bad)[:60]):
                Observation.objects.all().delete()
                first, last = ({"plot": p.pk, **good} for p in self.plots[:2])
                answer = self.post(self.body(first, {"plot": self.plots[2].pk} | bad, last))
                states = sorted(a["state"] for a in answer.json()["answers"])
                self.assertEqual((states, Observation.objects.count()), (["kept", "kept", "refused"], 2))
        odd = self.body({"plot": self.plots[3].pk, "number": 4, "note": "\ud800 wet", "made": 253402300799000})
        self.assertEqual(self.post(odd).json()["answers"][0]["state"], "kept")

    def test_a_plot_that_the_round_leaves_out_is_refused(self) -> None:
        Round.objects.filter(pk=self.walk.pk).update(only=[self.plots[0].pk])
        answer = self.post(self.body(*({"plot": p.pk, "number": 3} for p in self.plots[:2])))
        self.assertEqual([a["state"] for a in answer.json()["answers"]], ["kept", "refused"])

    def test_records_are_not_brought_in_under_another_name(self) -> None:
        self.assertEqual(self.post(self.body({"plot": self.plots[0].pk, "number": 3}), by=self.other).status_code, 409)
        self.assertEqual(Observation.objects.count(), 0)

    def test_two_values_are_shown_and_settled_on_a_page(self) -> None:
        self.bring(self.record(self.plots[0], 10))
        self.bring(self.record(self.plots[0], 40), by=self.other)
        self.client.force_login(self.by)
        self.assertContains(self.client.get(reverse("walks:walk", args=[self.made.slug])), "1 plot got two different values")
        page = self.client.get(reverse("walks:settle", args=[self.made.slug]))
        self.assertContains(page, f"<b>40 %</b> by {self.other}")
        act = reverse("walks:settle-act", args=[self.made.slug, Rival.objects.get().pk])
        self.client.force_login(self.other)
        self.assertEqual(self.client.post(act, {"take": "rival"}).status_code, 403)
        self.client.force_login(self.by)
        self.client.post(act, {"take": "standing"})
        self.assertEqual((self.values(), Rival.objects.get().taken), ({self.plots[0].number: 10}, False))

    def test_the_worker_and_the_manifest_are_there_before_a_log_in(self) -> None:
        self.client.logout()
        worker = self.client.get("/worker.js")
        self.assertEqual((worker.status_code, worker["Service-Worker-Allowed"]), (200, "/"))
        self.assertRegex(worker.content.decode(), r'"/static/ui/js/walk/component\.[0-9a-f]{12}\.js"')
        self.assertEqual(self.client.get("/manifest.webmanifest").json()["start_url"], "/")


class FromNotes(OverTheWeb):
    def test_a_round_typed_from_a_notebook_counts_as_seen_on_its_day(self) -> None:
        self.client.force_login(self.by)
        today = timezone.localdate()
        before = today - timedelta(days=20)
        url = reverse("walks:open", args=[self.made.slug])
        wrong = self.client.post(url, {"trait": "width", "on": (today + timedelta(days=1)).isoformat()}, follow=True)
        self.assertContains(wrong, "is in the future")
        answer = self.client.post(url, {"trait": "width", "on": before.isoformat()})
        self.assertIn(f"?on={before}", answer["Location"])
        page = self.client.get(answer["Location"])
        self.assertContains(page, "From notes: every value typed here counts as seen on")
        self.walk = Round.objects.get(trait__key="width")
        self.assertEqual(self.walk.opened_on, before)
        along = self.client.get(reverse("walks:field-data", args=[self.made.slug, self.walk.pk]), {"on": before.isoformat()}).json()
        self.assertEqual((along["on"], along["round"]), (before.isoformat(), f"{self.walk.pk}@{before}"))
        days = [before.isoformat(), "", (today + timedelta(days=2)).isoformat(), "1999-01-01"]
        sent = [{"plot": p.pk, "number": 7, "on": on} for p, on in zip(self.plots, days, strict=False)]
        states = [a["state"] for a in self.post(self.body(*sent)).json()["answers"]]
        self.assertEqual(states, ["kept", "kept", "refused", "refused"])
        self.assertEqual([o.seen_on for o in Observation.objects.order_by("plot__place")], [before, today])
        self.assertTrue(all(timezone.localdate(o.at) == today for o in Observation.objects.all()))  # when it was typed is kept too
