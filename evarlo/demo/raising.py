"""A radicchio trial that is being raised: sown two weeks ago, counted as it came up, one entry failing, one late."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta

import numpy as np
from django.utils import timezone

from evarlo.catalogue.models import Crop, Trait
from evarlo.demo import world
from evarlo.demo.backdating import planned_at
from evarlo.demo.seasons import People
from evarlo.grounds.models import Bed
from evarlo.nursery.models import Sowing, Tray
from evarlo.nursery.raising import Act, happen, keep_rule, tend
from evarlo.nursery.room import keep_reading, move_trays, new_place
from evarlo.nursery.sowing import Put, new_tray, session_of, sow_cells
from evarlo.seeds.germination import begin_test, end_test, keep_counts
from evarlo.seeds.models import Lot, Move
from evarlo.seeds.services import keep_lot, write_by_hand
from evarlo.trials.laying import fix_layout
from evarlo.trials.models import Trial
from evarlo.trials.plan import CriterionPlan, TrialPlan
from evarlo.trials.planning import plan_trial
from trialcore.reckoning.balance import Kind

SOWN_DAYS_AGO = 17
COUNTED = (5, 7, 9, 12, 16)
CELLS = 102  # an entry
TRUTH = {  # share that comes up, median days, spread of log days
    "Cinder Rail": (0.88, 6.4, 0.22),
    "Ostrel Red": (0.86, 6.6, 0.24),
    "Vane Hollow": (0.84, 9.6, 0.22),
    "Pallister": (0.31, 7.4, 0.3),
    "Rook & Tide": (0.85, 6.3, 0.22),
    "OR-8": (0.83, 6.8, 0.25),
}


def raise_heads(crop: Crop, bed: Bed, people: People, today: date, seed: int = 3317) -> Trial:
    """Plan, sow in trays on two days, count five times, lose some, and leave it to be decided what to sow again."""
    trial = _planned(crop, bed, people, today)
    scarce = Lot.objects.get(cultivar__name="Pallister")
    write_by_hand(
        scarce, Move.Why.RECEIVED, 250, today - timedelta(days=2), people.manager, today, "a second packet, sent for at once"
    )
    rng = np.random.default_rng(seed)
    sown = today - timedelta(days=SOWN_DAYS_AGO)
    bench = new_place(bed.site, "Warm bench", 14, "glass", 21, None)
    shelf = new_place(bed.site, "Lit shelf", 6, "indoors", 19, 14)
    new_place(bed.site, "Cold frame", 24, "frame", None, None)
    sowings = _sown(trial, people, sown, today)
    trays = sorted({s.tray for s in sowings if s.tray}, key=lambda t: t.pk)
    move_trays(trays[:8], bench, sown, people.helper, today)
    move_trays(trays[8:], shelf, sown, people.helper, today)
    for hours in (30, 6):
        keep_reading(bench, None, people.helper, timezone.now() - timedelta(hours=hours))
    keep_reading(shelf, 18.4, people.helper, timezone.now() - timedelta(hours=5))
    _come_up(sowings, sown, people, today, rng)
    slugs = Act(Kind.LOST, 7, today - timedelta(days=1), "slugs", "accident", "Under the rim of the tray")
    happen(next(s for s in sowings if s.entry.cultivar.name == "Ostrel Red"), slugs, people.helper, today)
    failed = next(s for s in sowings if s.entry.cultivar.name == "Pallister")
    happen(failed, Act(Kind.NOT_UP, 6, today - timedelta(days=1), "rotted seed, dug up to look", "", ""), people.evaluator, today)
    tend(trays[0], "roots", today - timedelta(days=1), "white, not at the wall yet", people.evaluator, today)
    keep_rule(trial, today, reserve=4, release="a week after planting", least_stand=60.0)
    _test_lots(people, today, rng)
    return trial


def _planned(crop: Crop, bed: Bed, people: People, today: date) -> Trial:
    traits = {t.key: t for t in Trait.objects.all()}
    plan = TrialPlan(
        name="Radicchio, late heads",
        question="Which radicchio still closes its heads in the shortening days?",
        season=str(today.year),
        crop=crop,
        bed=bed,
        entries=world.RADICCHIO,
        check="Ostrel Red",
        blocks=4,
        plot_length_m=1.5,
        plot_width_m=1.4,
        path_m=0.5,
        between_rows_cm=35,
        in_row_cm=30,
        cv_percent=16,
        criteria=[CriterionPlan(traits["piece-weight"], "higher", 20), CriterionPlan(traits["evenness"], "higher", 1)],
        sow_on=today - timedelta(days=SOWN_DAYS_AGO),
        plant_on=today + timedelta(days=20),
        pick_on=today + timedelta(days=75),
    )
    trial = plan_trial(plan, people.manager, seed=3301)
    fix_layout(trial, people.manager)
    made = datetime.combine(today - timedelta(days=40), time(10), tzinfo=timezone.get_current_timezone())
    planned_at(trial, made)
    return trial


def _sown(trial: Trial, people: People, sown: date, today: date) -> list[Sowing]:
    """Entry after entry into trays of sixty; the last two on the next day by another pair of hands."""
    made: list[Sowing] = []
    tray, free = _tray(1, sown, people), list(range(60))
    for n, entry in enumerate(trial.entries.select_related("cultivar", "trial")):
        on, by = (sown, people.helper) if n < 4 else (sown + timedelta(days=1), people.evaluator)
        session = session_of(on, by, {"medium": "sterile seed medium", "depth_mm": 8.0, "cover": "vermiculite", "warmth_c": 21.0})
        lot = Lot.objects.filter(cultivar=entry.cultivar).first()
        left = CELLS
        while left:
            if not free:
                tray, free = _tray(int(tray.name[1:]) + 1, on, people), list(range(60))
            cells, free = free[:left], free[left:]
            made.append(sow_cells(Put(entry, lot, 1), tray, cells, session, today, sure=True))
            left -= len(cells)
    return made


def _tray(number: int, on: date, people: People) -> Tray:
    return new_tray(f"T{number}", 6, 10, 40, None, on, people.helper)


def _come_up(sowings: list[Sowing], sown: date, people: People, today: date, rng: np.random.Generator) -> None:
    for sowing in sowings:
        share, median, spread = TRUTH[sowing.entry.cultivar.name]
        times = np.where(rng.random(sowing.seeds) < share, median * np.exp(spread * rng.standard_normal(sowing.seeds)), np.inf)
        for day in COUNTED:
            on = sown + timedelta(days=day)
            came = times <= (on - sowing.session.on).days
            happen(
                sowing, Act(Kind.COUNTED, int(came.sum()), on, cells="".join("1" if c else "0" for c in came)), people.helper, today
            )


def _test_lots(people: People, today: date, rng: np.random.Generator) -> None:
    """Two lots of the check are tested side by side; the older one is worse than its packet says."""
    began = today - timedelta(days=26)
    old = Lot.objects.filter(cultivar__name="Corvane").first()
    if old is None:
        return
    write_by_hand(old, Move.Why.RECEIVED, 200, today - timedelta(days=60), people.manager, today, "a second packet")
    said = {"name": f"{today.year - 1}-207", "supplier": "SUP-09", "year": today.year - 1, "germination": 90}
    said |= {"packet": 500, "price": 3.9, "thousand_g": 3.2}
    fresh = keep_lot(None, old.cultivar, said, people.manager)
    write_by_hand(fresh, Move.Why.RECEIVED, 500, today - timedelta(days=60), people.manager, today)
    for lot, share in ((old, 0.68), (fresh, 0.89)):
        test = begin_test(lot, "germination", began, 4, 25, 20, "paper", people.evaluator, today, sure=True)
        days = np.ceil(6.5 * np.exp(0.25 * rng.standard_normal((4, 25))))
        comes = rng.random((4, 25)) < share
        for day in range(4, 15, 2):
            new = {r + 1: {"normal": int((comes[r] & (days[r] > day - 2) & (days[r] <= day)).sum())} for r in range(4)}
            keep_counts(test, began + timedelta(days=day), new, people.evaluator, today)
        dead = {r + 1: {"dead": int((~comes[r]).sum()) - 1, "abnormal": 1} for r in range(4)}
        keep_counts(test, began + timedelta(days=15), dead, people.evaluator, today)
        end_test(test, began + timedelta(days=15))
