"""How long the server takes to keep a batch of a hundred records, and to answer the pages of a walk, on a young station and on
one with a million observations."""

from __future__ import annotations

import json
import uuid
from collections.abc import Callable
from datetime import timedelta
from functools import partial
from itertools import count
from typing import Any

from bench.timing import best_of, empty_garden

SIZES = (10_000, 1_000_000)  # observations
PLOTS = 100  # of a trial
BATCH = 100


def grow(by: Any, observations: int) -> Any:
    """Fill the station up to so many observations, in trials of a hundred plots and some hundred rounds; the newest trial."""
    from django.db import connection, transaction
    from django.utils import timezone

    from evarlo.testing import world
    from evarlo.walks.models import Observation, Round

    now = timezone.now()
    stamp = now.strftime("%Y-%m-%d %H:%M:%S")
    vigour = world.trait("vigour")
    made = None
    while (have := Observation.objects.count()) < observations:
        n = have // PLOTS
        names = [f"N{n}-{i}" for i in range(PLOTS // 2)]
        made = world.trial(by, name=f"Trial {n}", entries=names, check=names[0], blocks=2, plot_length_m=0.5, plot_width_m=0.5)
        plots = list(made.plots.values_list("pk", flat=True))
        rounds = min(400, (observations - have) // PLOTS)
        Round.objects.bulk_create(
            Round(trial=made, trait=vigour, number=i + 1, opened_on=now.date(), closed_at=now) for i in range(rounds)
        )
        rows = [
            (uuid.uuid4().hex, float(1 + (i + p) % 9), "", "", 0, now.date().isoformat(), stamp, by.pk, p, r)
            for i, r in enumerate(made.rounds.values_list("pk", flat=True))
            for p in plots
        ]
        with transaction.atomic(), connection.cursor() as cursor:
            cursor.executemany(
                "insert into walks_observation (id, number, cause, note, withdrawn, seen_on, at, by_id, plot_id, round_id) "
                "values (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s)",
                rows,
            )
    assert made
    return made


def main() -> None:
    with empty_garden():
        from django.test import Client
        from django.utils import timezone

        from evarlo.testing import world
        from evarlo.walks.services import open_round

        by = world.person()
        client = Client(HTTP_HOST="127.0.0.1")
        client.force_login(by, backend="django.contrib.auth.backends.ModelBackend")
        print(f"A batch of {BATCH} records, and the pages of a walk, server time")
        before: dict[str, float] = {}
        values = count(1)
        for size in SIZES:
            made = grow(by, size)
            walk = open_round(made, world.trait("damage"), timezone.localdate(), by)
            plots = list(made.plots.values_list("pk", flat=True))[:BATCH]
            url = f"/trials/{made.slug}/walk/{walk.pk}/"

            def bring(stands: dict[int, str], url: str = url, plots: list[int] = plots) -> None:
                """Each time another value, so that every record is a correction to be written."""
                value = next(values)
                now = timezone.now()
                at = (now - timedelta(minutes=5)).timestamp() * 1000
                records = [
                    {"key": str(uuid.uuid4()), "plot": p, "number": value, "made": at, "before": stands.get(p, "")} for p in plots
                ]
                body = {"who": by.pk, "clock": now.timestamp() * 1000, "records": records}
                answer = client.post(f"{url}bring-in/", json.dumps(body), content_type="application/json").json()
                assert all(a["state"] == "kept" for a in answer["answers"]), answer["answers"][0]
                stands.update({p: a["stands"] for p, a in zip(plots, answer["answers"], strict=True)})

            stands: dict[int, str] = {}
            acts: dict[str, Callable[[], object]] = {
                "a batch of 100": partial(bring, stands),
                "what a phone takes along": partial(client.get, f"{url}field.json"),
                "the page of a round": partial(client.get, url),
                "a plot's diary": partial(client.get, f"/trials/{made.slug}/plot/{plots[0]}/"),
                "the list of rounds": partial(client.get, f"/trials/{made.slug}/walk/"),
            }
            for name, act in acts.items():
                taken = best_of(act, 5)
                grew = f"; {taken / before[name]:.1f} times the one before" if name in before else ""
                print(f"  {name:26s} {size:9,d} observations: {1000 * taken:6.0f} ms{grew}")
                before[name] = taken


if __name__ == "__main__":
    main()
