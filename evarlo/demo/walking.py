"""What befell the running fennels and was done to them: when they came up, aphids and leaf spot, hail, netting and a spray, a
plot that nobody is sure of, a picture, and two people's practice."""

from __future__ import annotations

import io
import uuid
from collections.abc import Callable
from datetime import date, datetime, time, timedelta

import numpy as np
from django.utils import timezone

from evarlo.catalogue.models import Problem, Trait
from evarlo.catalogue.problems import area_trait, plants_trait
from evarlo.demo.seasons import Season
from evarlo.events.care import Done, keep_care
from evarlo.events.events import call, keep_event
from evarlo.events.models import Care
from evarlo.events.photos import keep_photo
from evarlo.events.rules import Rule
from evarlo.identity.doubts import raise_doubt
from evarlo.people.models import User
from evarlo.pests.watches import begin_watch, confirm
from evarlo.practice.models import Practice
from evarlo.practice.trainer import answer, begin, item_of
from evarlo.trials.models import Cause, Plot
from evarlo.walks.services import Seen, begin_round, close_round, keep_observation, open_round

UP = {"Corvane": 9.4, "Quillet": 8.0, "Brakewater": 10.1, "Dunnick Late": 12.2}  # days to half of the plants up; others 10.5
SPOTTED = {"Thornfen 9": 2.4, "Weir Street": 1.9, "Lintock 3": 0.4, "OF-17": 0.5}  # how much leaf spot takes an entry; others 1


def befall(season: Season, today: date) -> None:
    """Put it all on record, through the services that a person's acts go through."""
    plots = [p for p in season.plots if not p.exclusions.exists()]
    come_up(season, plots)
    hail(season, plots, today)
    care(season, plots, today)
    aphids(season, plots, today)
    leaf_spot(season, plots, today)
    odd = season.plot("OF-17", 2)
    raise_doubt(
        odd,
        "Stake washed out; the leaves are broader than on the other plots of its block",
        [season.plot("Harl Quoin", 2).entry],
        "Leaf width, and the colour of the stalks",
        today - timedelta(days=9),
        season.people.evaluator,
    )
    keep_photo(odd, uuid.UUID(int=71), _picture(), "Broad leaves", today - timedelta(days=9), False, season.people.evaluator, today)
    for person, lean in ((season.people.evaluator, 1.06), (season.people.helper, 1.35)):
        practised(person, lean, today)


def come_up(season: Season, plots: list[Plot]) -> None:
    """Walked on three days; a plot that was not up yet was looked at again."""
    walked = open_round(season.trial, Trait.objects.get(key="emerged"), season.day(8), season.people.helper)
    up = {p.pk: UP.get(p.entry.cultivar.name, 10.5) + season.rng.normal(0, 0.8) for p in plots}
    came: set[int] = set()
    for after in (8, 10, 12, 14):
        on = season.day(after)
        for p in plots:
            if p.pk in came:
                continue
            seen = Seen(day=on) if up[p.pk] <= after else Seen(cause=Cause.NOT_REACHED)
            if seen.day:
                came.add(p.pk)
            keep_observation(walked, p, seen, season.people.helper, on, uuid.uuid4(), on)


def _score(season: Season, trait: Trait, on: date, plots: list[Plot], seen: Callable[[Plot], Seen]) -> None:
    walked = open_round(season.trial, trait, on, season.people.evaluator)
    for p in plots:
        keep_observation(walked, p, seen(p), season.people.evaluator, on, uuid.uuid4(), on)
    close_round(walked)


def aphids(season: Season, plots: list[Plot], today: date) -> None:
    """On few plants, and no more after the net went on."""
    watch = begin_watch(season.trial, Problem.objects.get(name="Aphids"), season.day(50), season.people.evaluator, today)
    for after, share in ((50, 0.12), (64, 0.19), (78, 0.05)):

        def seen(_p: Plot, share: float = share) -> Seen:
            return Seen(number=10.0 * int(season.rng.binomial(10, share)), looked=10)

        _score(season, plants_trait(watch.problem), season.day(after), plots, seen)
    confirm(watch, "Living aphids under a hand lens", season.day(50), season.people.evaluator, today)


def leaf_spot(season: Season, plots: list[Plot], today: date) -> None:
    """It came in at a corner and spreads; some entries take it worse."""
    watch = begin_watch(season.trial, Problem.objects.get(name="Leaf spot"), season.day(60), season.people.evaluator, today)
    far = max(p.x + p.y for p in plots)
    for after, top in ((60, 6.0), (70, 16.0), (81, 38.0)):

        def seen(p: Plot, top: float = top) -> Seen:
            near = np.exp(-2.2 * (p.x + p.y) / far)
            taken = top * near * SPOTTED.get(p.entry.cultivar.name, 1.0) * season.rng.lognormal(0, 0.3)
            return Seen(number=float(np.clip(round(taken, 0), 0, 95)), guide=1)

        _score(season, area_trait(watch.problem), season.day(after), plots, seen)


def hail(season: Season, plots: list[Plot], today: date) -> None:
    """Eighteen days ago over the first plots of a block: one that a branch fell on is an accident, the others are still open."""
    on = today - timedelta(days=18)
    hit = [p for p in plots if p.block == "3"][:6]
    event = keep_event(
        season.trial, "hail", on, "From the west, eight minutes", hit, 12, Rule(60, 30), season.people.manager, today
    )
    scored = ((event.damage, 1, (25, 70, 15, 85, 20, 30)), (event.recovery, 12, (80, 45, 90, 5, 85, 75)))
    for walk, days, values in scored:
        assert walk
        begin_round(walk, on + timedelta(days=days), season.people.evaluator)
        for p, value in zip(hit, values, strict=True):
            day = on + timedelta(days=days)
            keep_observation(walk, p, Seen(number=value), season.people.evaluator, day, uuid.uuid4(), day)
        close_round(walk)
    broken = event.hits.filter(plot=hit[3])
    call(list(broken), "accident", "A branch of the poplar fell on it in the same storm", season.people.evaluator, today)


def care(season: Season, plots: list[Plot], today: date) -> None:
    """Water and a net for every plot, and soap on one block only."""
    done = [
        (66, 8, "cover", "Insect net on", plots, {"note": "Off for scoring"}),
        (72, 18, "water", "Drip, two hours", plots, {"amount": 11.5, "unit": "l", "every_days": 7}),
    ]
    for after, hour, kind, what, some, more in done:
        at = timezone.make_aware(datetime.combine(season.day(after), time(hour)))
        given = Done(kind=kind, what=what, done_at=at, **more)  # type: ignore[arg-type]
        keep_care(season.trial, some, given, season.people.helper, timezone.now())
    block = [p for p in plots if p.block == "1"]
    at = timezone.make_aware(datetime.combine(today - timedelta(days=2), time(7, 15)))
    soap = Done(Care.Kind.SPRAY, "Potassium soap", at, 60, "ml", 12, 5, True, note="By the label, against aphids", label_read=True)
    keep_care(season.trial, block, soap, season.people.manager, timezone.now())


def practised(person: User, lean: float, today: date) -> None:
    """Two tests some weeks apart, the second a little better; `lean` is by how much a person scores too high."""
    for n, weeks in enumerate((6, 1)):
        at = timezone.make_aware(datetime.combine(today - timedelta(weeks=weeks), time(8)))
        run = begin(person, Practice.Subject.DISEASED, Practice.Mode.TEST, 4200 + person.pk * 10 + n, at)
        luck = np.random.default_rng(run.seed)
        for i in range(run.items):
            truth = item_of(run, i).truth
            said = truth * (lean - 0.03 * n) + luck.normal(0, 1 + 0.1 * truth)
            run = answer(run, i, float(np.clip(round(said), 0, 100)), at)


def _picture() -> bytes:
    """A drawn scene in the place of a photograph: rows of plants on soil."""
    from PIL import Image, ImageDraw

    picture = Image.new("RGB", (1280, 960), "#8a7a62")
    on = ImageDraw.Draw(picture)
    luck = np.random.default_rng(6)
    for row in range(5):
        for col in range(8):
            x, y = 100 + 155 * col + luck.normal(0, 9), 110 + 185 * row + luck.normal(0, 9)
            for turn in np.linspace(0, 2 * np.pi, 9, endpoint=False):
                reach = 46 + luck.uniform(0, 30)
                end = (x + reach * np.cos(turn), y + reach * np.sin(turn))
                on.line((x, y, *end), fill=(70, int(120 + luck.uniform(0, 40)), 66), width=13)
            on.ellipse((x - 15, y - 15, x + 15, y + 15), fill="#d7e3c2")
    out = io.BytesIO()
    picture.save(out, "JPEG", quality=85)
    return out.getvalue()
