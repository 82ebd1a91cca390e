"""What happened to every record in one view, and a person's last acts taken back: what stood before stands again."""

from __future__ import annotations

import uuid
from datetime import datetime, timedelta
from unittest import mock

from django.urls import reverse
from django.utils import timezone

from evarlo.exchange import taking_back
from evarlo.exchange.happened import happened, kinds
from evarlo.exchange.taking_back import UNDO, acts_of_person, take_back_all
from evarlo.harvest.models import Picking
from evarlo.harvest.store import LaidIn, lay_in, look_at
from evarlo.harvest.store import Seen as StoreSeen
from evarlo.nursery.models import Sowing, StationMark, StepDate
from evarlo.nursery.sowing import session_of, sow_plots
from evarlo.nursery.stand import mark_station
from evarlo.people.audit import first_gap
from evarlo.people.models import AuditLine, Role, User
from evarlo.seeds.germination import begin_test, keep_counts, tests_of
from evarlo.seeds.services import keep_lot, move_stock, stock_of, write_by_hand
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.leaving_out import exclude_plot
from evarlo.trials.models import Exclusion
from evarlo.ui.refused import Refused
from evarlo.verdicts.lessons import keep_lesson
from evarlo.walks.models import Observation
from evarlo.walks.services import withdraw

LOGIN = "django.contrib.auth.backends.ModelBackend"


class History(TestCase):
    def setUp(self) -> None:
        self.by, self.tam = world.person(), world.person(Role.EVALUATOR, "tam")
        self.made = world.trial(self.by)
        world.sow(self.made, self.by)
        self.plots = list(self.made.plots.order_by("number"))
        self.asked = world.walk(self.made, "vigour", self.by)

    def at(self, record: Observation | Picking, hours: float) -> None:
        """Put an act into the past."""
        type(record)._default_manager.filter(pk=record.pk).update(at=timezone.now() - timedelta(hours=hours))

    def standing(self) -> dict[str, tuple[float | None, str]]:
        rows = Observation.objects.in_force().filter(round=self.asked).select_related("plot")
        return {o.plot.number: (o.number, o.by.username) for o in rows}

    def since(self, hours: float) -> tuple[datetime, datetime]:
        return timezone.now() - timedelta(hours=hours), timezone.now() + timedelta(seconds=1)

    def test_every_kind_that_can_be_taken_back_is_told(self) -> None:
        self.assertEqual({m._meta.label_lower for m, way in UNDO.items() if not way.came_with} - kinds().keys(), set())

    def test_who_did_what_to_what_the_newest_first(self) -> None:
        first = world.keep(self.asked, self.plots[0], self.by, 5)
        self.at(first, 3)
        second = world.keep(self.asked, self.plots[0], self.tam, 7)  # puts it right
        self.at(second, 2)
        withdraw(Observation.objects.get(pk=second.pk), self.by)
        told = [(h.who, h.did) for h in happened(50, None, None, None, "walks.observation")]
        self.assertEqual(told, [(str(self.by), "put right"), (str(self.tam), "put right"), (str(self.by), "kept")])
        self.assertEqual([h.who for h in happened(50, self.tam, None, None, "")], [str(self.tam)])
        since, _ = self.since(2.5)
        self.assertEqual(len(happened(50, None, since, None, "walks.observation")), 2)
        self.assertEqual(len(happened(1, None, None, None, "")), 1)
        self.assertEqual(happened(1, None, None, None, "walks.observation")[0].trial, str(self.made))

    def test_a_persons_last_acts_go_and_what_stood_before_stands_again(self) -> None:
        for plot in self.plots[:3]:
            self.at(world.keep(self.asked, plot, self.by, 5), 30)
        for n in (7, 8):  # put right twice within the time
            self.at(world.keep(self.asked, self.plots[0], self.tam, n), 2 - n / 10)
        self.at(world.keep(self.asked, self.plots[3], self.tam, 9), 1)
        earlier = world.keep(self.asked, self.plots[4], self.tam, 6)
        self.at(earlier, 30)
        self.at(world.keep(self.asked, self.plots[5], self.tam, 4), 1)
        world.keep(self.asked, self.plots[5], self.by, 3)  # another has put it right since
        world.pick(self.plots[6], self.tam, 2.5)
        since, until = self.since(5)
        acts = acts_of_person(self.tam, since, until)
        self.assertEqual(acts.counted(), {"picking": 1, "observation": 2})
        rows = Observation.objects.count()
        self.assertEqual(take_back_all(self.tam, since, until, self.by), (3, []))
        numbers = {p.number: i for i, p in enumerate(self.plots)}
        stands = {numbers[n]: v for n, v in self.standing().items()}
        self.assertEqual({i: v for i, (v, _) in stands.items()}, {0: 5, 1: 5, 2: 5, 4: 6, 5: 3})
        self.assertEqual(Observation.objects.count(), rows + 2)  # nothing is deleted
        self.assertFalse(Picking.objects.in_force().exists())
        self.assertEqual(take_back_all(self.tam, since, until, self.by), (0, []))  # twice does nothing more

    def test_sowings_marks_and_what_was_left_out_go_too(self) -> None:
        entry, today = self.made.entries.all()[1], timezone.localdate()
        lot = keep_lot(None, entry.cultivar, {"name": "K", "material": "seed", "year": 2026}, self.by)
        move_stock(lot, "received", 600, world.TODAY, self.by, today)
        second = world.trial(self.by, name="Fennel, second")
        plots = list(second.plots.filter(entry__cultivar=entry.cultivar).order_by("number"))
        sow_plots(plots, {plots[0].entry_id: lot}, 40, session_of(today, self.tam, {}), today)
        mark_station(self.plots[0], 2, "gap", today, self.by, today)
        mark_station(self.plots[0], 2, "replaced", today, self.tam, today)
        exclude_plot(self.plots[1], "animals", "geese", today, self.tam)
        keep_lesson(self.made, "Sow a week later.", "crop", self.tam)
        since, until = self.since(1)
        left_in_the_lot = stock_of(lot)
        counted = acts_of_person(self.tam, since, until).counted()
        self.assertEqual(counted, {"sowing": len(plots), "step date": len(plots), "station mark": 1, "exclusion": 1, "lesson": 1})
        done, left = take_back_all(self.tam, since, until, self.by)
        self.assertEqual((done, left), (sum(counted.values()), []))
        self.assertEqual(stock_of(lot), left_in_the_lot + 40 * len(plots))
        self.assertFalse(Sowing.objects.in_force().exists() or Exclusion.objects.in_force().exists())
        self.assertFalse(StepDate.objects.in_force().filter(plot__trial=second).exists())
        self.assertEqual([m.what for m in StationMark.objects.in_force()], ["gap"])  # what another saw stands again
        self.assertEqual(StationMark.objects.count(), 2)

    def test_what_was_written_of_seed_goes_too(self) -> None:
        today = timezone.localdate()
        lot = keep_lot(None, self.made.entries.all()[1].cultivar, {"name": "K", "material": "seed"}, self.by)
        write_by_hand(lot, "received", 600, today, self.by, today)
        theirs = begin_test(lot, "germination", today - timedelta(days=9), 4, 25, None, "", self.by, today)
        mine = begin_test(lot, "germination", today - timedelta(days=9), 2, 50, None, "", self.tam, today)
        keep_counts(theirs, today, {1: {"normal": 20}, 2: {"normal": 21}}, self.by, today)
        keep_counts(theirs, today, {1: {"normal": 2}}, self.tam, today)
        keep_counts(theirs, today, {1: {"normal": 3}}, self.tam, today)  # put right twice within the time
        keep_counts(mine, today, {1: {"normal": 40}}, self.tam, today)
        write_by_hand(lot, "discarded", 70, today, self.tam, today)
        since, until = self.since(1)
        counted = acts_of_person(self.tam, since, until).counted()
        self.assertEqual(counted, {"line of a ledger": 1, "germination count": 2, "germination test": 1})
        self.assertEqual(take_back_all(self.tam, since, until, self.by), (4, []))
        self.assertEqual(stock_of(lot), 500)  # what came in, less the test that stands
        self.assertEqual([(r.test, r.by_replicate) for r in tests_of(lot)], [(theirs, (20, 21, 0, 0))])
        self.assertEqual(acts_of_person(self.tam, since, until).counted(), {})

    def test_what_others_have_built_on_stays_and_is_said(self) -> None:
        today = timezone.localdate()
        laid = LaidIn(20, 4.0, "cellar")
        lot = lay_in(self.made, self.made.entries.all()[0], None, today - timedelta(days=20), laid, self.by, today)
        look_at(lot, today - timedelta(days=10), StoreSeen(19), self.tam, today)
        look_at(lot, today, StoreSeen(18), self.by, today)
        since, until = self.since(1)
        done, left = take_back_all(self.tam, since, until, self.by)
        self.assertEqual((done, len(left)), (0, 1))
        self.assertIn("looked at again since", left[0])
        self.assertEqual(lot.checks.in_force().count(), 2)

    def test_no_more_than_can_be_looked_at(self) -> None:
        for plot in self.plots[:3]:
            world.keep(self.asked, plot, self.tam, 7)
        with mock.patch.object(taking_back, "MOST", 2), self.assertRaisesMessage(Refused, "choose a shorter time"):
            take_back_all(self.tam, *self.since(1), self.by)
        self.assertEqual(len(self.standing()), 3)

    def test_in_the_browser_with_a_reason_by_a_manager_alone(self) -> None:
        world.keep(self.asked, self.plots[0], self.tam, 7)
        now = timezone.localtime()
        typed: dict[str, str] = {"who": str(self.tam.pk)}
        for name, at in (("since", now - timedelta(hours=1)), ("until", now + timedelta(minutes=1))):
            typed[name] = f"{at:%Y-%m-%d %H:%M:%S}"
        url, act = reverse("exchange:history"), reverse("exchange:take-back-acts")
        self.client.force_login(User.objects.get(pk=self.tam.pk), backend=LOGIN)
        self.assertEqual((self.client.get(url).status_code, self.client.post(act, typed).status_code), (403, 403))
        self.client.force_login(User.objects.get(pk=self.by.pk), backend=LOGIN)
        self.assertContains(self.client.get(url), "Evaluator Tester")
        page = self.client.get(url, {"who": typed["who"], "since": typed["since"][:16]})
        self.assertContains(page, "Take all of it back")
        self.assertContains(page, "1 observation")
        self.assertContains(self.client.get(url, {"since": "yesterday"}), "Expected a day and a time", status_code=422)
        self.assertContains(self.client.post(act, typed, follow=True), "Say why they are taken back")
        self.assertEqual(len(self.standing()), 1)
        told = self.client.post(act, typed | {"why": "typed into the wrong trial", "act-key": str(uuid.uuid4())}, follow=True)
        self.assertContains(told, "Taken back: 1.")
        self.assertEqual(self.standing(), {})
        line = AuditLine.objects.get(what="took back somebody's acts")
        self.assertEqual(line.typed, {"why": "typed into the wrong trial"})
        self.assertIn("tam, ", line.about)
        self.assertIsNone(first_gap())

    def test_records_of_many_kinds_are_told_without_asking_for_each(self) -> None:
        for plot in self.plots:
            world.keep(self.asked, plot, self.by, 5)
        with self.assertNumQueries(1):
            self.assertEqual(len(happened(200, None, None, None, "walks.observation")), len(self.plots))
