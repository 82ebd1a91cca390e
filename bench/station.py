"""The pages of a station after ten years: 200 trials of 100 plots with 5,000 values each, against the sample world. `make bench`.

Server time of every main page, the middle of some answers, with the number of its statements; a page over 50 ms, or over 1.3 times
its time in the sample world, is marked. Once as it is given again while nothing it rests on has changed, and once made anew, which
whoever opens it first after such a change waits for.
"""

from __future__ import annotations

import statistics
import time
from datetime import date, timedelta
from typing import Any

from bench.timing import empty_garden

TRIALS, ENTRIES, BLOCKS, ROUNDS = 200, 25, 4, 50
YEARS = 10
MOST_MS, MOST_RATIO = 50.0, 1.3
PAGES = ("/", "/trials/", "/cultivars/", "/seed/", "/ground/", "/programmes/", "/people/")
OF_A_TRIAL = ("", "needs/", "calendar/", "sow/", "walk/", "pick/", "compare/", "decide/")


def grow_old(today: date) -> None:
    """Ten years of finished trials beside what there is, written as rows."""
    from django.utils import timezone

    from evarlo.catalogue.models import Crop, Cultivar, Trait
    from evarlo.grounds.models import Bed, Site
    from evarlo.people.models import User
    from evarlo.trials.models import Criterion, Entry, Plot, Trial
    from evarlo.walks.models import Observation, Round

    by, site = User.objects.all()[0], Site.objects.all()[0]
    crops, traits = list(Crop.objects.all()), list(Trait.objects.filter(source="walk", kind="measure")[:5])
    beds = Bed.objects.bulk_create(Bed(site=site, name=f"Old bed {n}", length_m=40, width_m=12) for n in range(20))
    cultivars = Cultivar.objects.bulk_create(
        Cultivar(crop=crops[n % len(crops)], name=f"Old {chr(97 + n % 26)}{chr(97 + n // 26 % 26)} line {n}") for n in range(1350)
    )
    of_crop: dict[int, list[Any]] = {c.pk: [x for x in cultivars if x.crop_id == c.pk] for c in crops}
    for n in range(TRIALS):
        year = today.year - 1 - n * YEARS // TRIALS
        crop = crops[n % len(crops)]
        sown, now = date(year, 4, 1) + timedelta(days=n % 40), timezone.now()
        trial = Trial.objects.create(
            slug=f"old-{n}", name=f"Old trial {n}", season=str(year), crop=crop, bed=beds[n % 20], blocks=BLOCKS, made_by=by,
            made_at=now, layout_fixed_at=now, plot_length_m=2, plot_width_m=1.5, sow_on=sown, pick_on=sown + timedelta(days=90),
            decided_at=now, between_rows_cm=40, in_row_cm=30, layout_seed=n,
        )  # fmt: skip
        some = of_crop[crop.pk][:ENTRIES]
        entries = Entry.objects.bulk_create(
            Entry(trial=trial, code=f"E{i}", cultivar=c, is_check=not i) for i, c in enumerate(some)
        )
        plots = Plot.objects.bulk_create(
            Plot(
                trial=trial, entry=e, number=f"{b + 1}{i:02d}", block=str(b + 1), bed=beds[n % 20], place=b * ENTRIES + i, row=b, col=i,
                x=i * 1.6, y=b * 3.0, length=1.5, width=2.0,
            )
            for b in range(BLOCKS) for i, e in enumerate(entries)
        )  # fmt: skip
        Criterion.objects.bulk_create(
            Criterion(trial=trial, trait=t, rank=r, direction="higher", matters=1) for r, t in enumerate(traits, 1)
        )
        rounds = Round.objects.bulk_create(
            Round(trial=trial, trait=traits[r % 5], number=r // 5 + 1, opened_on=sown, closed_at=now, opened_by=by)
            for r in range(ROUNDS)
        )
        Observation.objects.bulk_create(
            Observation(round=r, plot=p, number=float((p.place * 7 + k) % 11), by=by, seen_on=sown, at=now)
            for k, r in enumerate(rounds)
            for p in plots
        )


def timed(client: Any, path: str, times: int = 7) -> tuple[float, float, int]:
    """Milliseconds of an answer, the middle of some, as given again and as made anew, and the statements of one made anew."""
    from django.db import connection

    from evarlo.ui.unchanged import forget

    statements = 0

    def counted(execute: Any, *args: Any) -> Any:
        nonlocal statements
        statements += 1
        return execute(*args)

    with connection.execute_wrapper(counted):
        assert client.get(path).status_code == 200, path
    again: list[float] = []
    anew: list[float] = []
    for taken in (again, anew):
        for _ in range(times):
            if taken is anew:
                forget()
            start = time.perf_counter()
            client.get(path)
            taken.append(1000 * (time.perf_counter() - start))
    return statistics.median(again), statistics.median(anew), statements


def main() -> None:
    with empty_garden():
        from django.core.cache import cache
        from django.test import Client
        from django.utils import timezone

        from evarlo.demo.services import build
        from evarlo.people.models import User
        from evarlo.trials.models import Trial

        today = timezone.localdate()
        build(today)
        client = Client(HTTP_HOST="localhost")
        client.force_login(User.objects.get(username="ines"))
        running = Trial.objects.filter(name="Bulb fennel, main season").order_by("season").last()
        assert running is not None
        paths = [*PAGES, *(f"/trials/{running.slug}/{page}" for page in OF_A_TRIAL)]
        before = {path: timed(client, path) for path in paths}
        grow_old(today)
        cache.clear()
        print(f"{'page':44} {'sample':>9} {'ten years':>10} {'ratio':>6} {'made anew':>19} {'ratio':>6}  statements")
        for path in paths:
            (again, anew, few), (now, now_anew, statements) = before[path], timed(client, path)
            ratio, of_anew = now / again, now_anew / anew
            over = " over" if now > MOST_MS or ratio > MOST_RATIO else ""
            over += " over anew" if now_anew > MOST_MS or of_anew > MOST_RATIO else ""
            said = f"{again:6.0f} ms {now:7.0f} ms {ratio:6.2f} {anew:7.0f} → {now_anew:6.0f} ms {of_anew:6.2f}"
            print(f"{path:44} {said}  {few} → {statements}{over}")


if __name__ == "__main__":
    main()
