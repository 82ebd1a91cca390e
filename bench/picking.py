"""How long the server takes for the weigh-in bench, one weigh-in and the curves, with a season of 100 plots, 40 picks and 4 classes."""

from __future__ import annotations

import uuid
from datetime import timedelta
from typing import Any

from bench.timing import best_of, empty_garden

PLOTS, PICKS, CLASSES = 100, 40, 4
TARGET_MS = 60


def season(by: Any) -> Any:
    """A trial of a hundred plots, picked forty times, each weigh-in in four classes."""
    import numpy as np
    from django.utils import timezone

    from evarlo.harvest.classes import ClassPlan, Kind, Picked, Reason, keep_classes, keep_plan
    from evarlo.harvest.models import Picking, PickPart
    from evarlo.testing import world

    names = [f"E{i}" for i in range(PLOTS // 4)]
    made = world.trial(by, name="Season", entries=names, check=names[0], blocks=4, plot_length_m=0.5, plot_width_m=0.5)
    plans = [
        ClassPlan("Fit"),
        ClassPlan("Small"),
        ClassPlan("Over", Kind.CULL, reason=Reason.OVERMATURE),
        ClassPlan("Pest", Kind.CULL),
    ]
    keep_classes(made, plans, by)
    keep_plan(made, Picked(2), by)
    start = world.TODAY - timedelta(days=2 * PICKS)
    world.sow(made, by, start - timedelta(days=50))
    classes, rng, now = list(made.pick_classes.all()), np.random.default_rng(5), timezone.now()
    rows, parts = [], []
    for plot in made.plots.all():
        for n in range(PICKS):
            kg = rng.gamma(2.0, 0.5, CLASSES).round(3)
            on = start + timedelta(days=2 * n)
            good, cull = float(kg[:2].sum()), float(kg[2:].sum())
            row = Picking(plot=plot, on=on, marketable_kg=good, marketable_count=9, cull_kg=cull, cull_count=4, by=by, at=now)
            rows.append(row)
            parts += [PickPart(picking=row, pick_class=c, kg=float(k), count=3) for c, k in zip(classes, kg, strict=True)]
    Picking.objects.bulk_create(rows, batch_size=500)
    PickPart.objects.bulk_create(parts, batch_size=500)
    return made


def main() -> None:
    with empty_garden():
        from django.test import Client
        from django.utils import timezone

        from evarlo.testing import world

        by = world.person()
        client = Client(HTTP_HOST="127.0.0.1")
        client.force_login(by, backend="django.contrib.auth.backends.ModelBackend")
        made = season(by)
        number = made.plots.order_by("place").values_list("number", flat=True)[0]
        first = made.pick_classes.first()
        url = f"/trials/{made.slug}/pick/"

        def weigh() -> None:
            on = timezone.localdate().isoformat()
            typed = {
                "key": str(uuid.uuid4()),
                "on": on,
                "plot": number,
                f"kg_{first.pk}": "1.2",
                f"n_{first.pk}": "5",
                "again": "add",
            }
            answer = client.post(url, typed, headers={"HX-Request": "true"})
            assert answer.status_code == 200, answer.content[:300]

        print(f"A season of {PLOTS} plots, {PICKS} picks and {CLASSES} classes, server time")
        acts = {
            "the weigh-in bench": lambda: client.get(url),
            "the curves": lambda: client.get(f"/trials/{made.slug}/compare/flow/"),
            "one weigh-in": weigh,
        }
        for name, act in acts.items():
            act()
            took = 1000 * best_of(act, 5)
            print(f"  {name:<20} {took:6.0f} ms, {took / TARGET_MS:.1f} of the {TARGET_MS} ms asked for")


if __name__ == "__main__":
    main()
