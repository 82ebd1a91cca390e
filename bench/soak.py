"""A storm of walkers: thousands of records sent from many phones, twice, out of order, cut off and with lost answers; afterwards
every record has to be there once. `python -m bench.soak [phones] [plots]`."""

from __future__ import annotations

import os
import random
import sys
import tempfile
import uuid
from datetime import timedelta
from typing import Any

LOST, CUT, AGAIN, LATE = 0.2, 0.15, 0.3, 0.2  # shares of batches whose answer is lost, that never arrive, come twice, come late


def main(phones: int = 12, plots: int = 120, seed: int = 11) -> None:
    with tempfile.TemporaryDirectory() as data:
        os.environ["EVARLO_DATA"] = data
        os.environ.setdefault("DJANGO_SETTINGS_MODULE", "evarlo.settings")
        import django
        from django.core.management import call_command

        django.setup()
        call_command("migrate", verbosity=0)
        storm(phones, plots, random.Random(seed))  # noqa: S311


def storm(phones: int, plots: int, luck: random.Random) -> None:
    """Every phone walks every plot of one round; what is left on a phone is sent until the server has answered for it."""
    from django.utils import timezone

    from evarlo.people.models import User
    from evarlo.testing import world
    from evarlo.walks.field import Brought, bring_in
    from evarlo.walks.models import Observation, Rival
    from evarlo.walks.queries import current
    from evarlo.walks.services import Seen, open_round

    people = [world.person("manager", "walker0"), *(world.person("helper", f"walker{n}") for n in range(1, phones))]
    names = [f"N{n}" for n in range(plots // 2)]
    made = world.trial(people[0], entries=names, check=names[0], blocks=2, plot_length_m=0.5, plot_width_m=0.5)
    walk = open_round(made, world.trait("damage"), timezone.localdate(), people[0])
    ids = list(made.plots.values_list("pk", flat=True))
    now = timezone.now()

    def records(who: User) -> list[Brought]:
        kept: list[Brought] = []
        for n, plot in enumerate(ids):
            key, value = uuid.uuid4(), float(luck.choice((10, 20, 30)))
            made_at = now - timedelta(minutes=len(ids) - n)
            kept.append(Brought(key, plot, Seen(number=value), made_at))
            if luck.random() < 0.1:  # thought better of
                kept.append(Brought(uuid.uuid4(), plot, Seen(number=value + 5), made_at, before=str(key)))
        return kept

    waiting = {who.pk: records(who) for who in people}
    sent = {r.key for some in waiting.values() for r in some}
    tries = 0
    while any(waiting.values()):
        who = luck.choice([p for p in people if waiting[p.pk]])
        here = waiting[who.pk]
        start = luck.randrange(len(here)) if luck.random() < LATE else 0
        batch = here[start : start + luck.randint(1, 40)]
        tries += 1
        if luck.random() < CUT:
            continue
        answers = bring_in(walk, batch, who, now, now)
        if luck.random() < AGAIN:
            answers = bring_in(walk, luck.sample(batch, len(batch)), who, now, now)
        if luck.random() < LOST:
            continue
        done = {a.key for a in answers if a.state != "refused"}
        refused = [a.said for a in answers if a.state == "refused"]
        assert not refused, refused[:3]
        waiting[who.pk] = [r for r in here if str(r.key) not in done]
    check(sent, len(ids), walk, Observation, Rival, current)
    print(f"{len(sent)} records of {phones} phones in {tries} batches: every one is there once, {len(ids)} plots have a value.")


def check(sent: set[uuid.UUID], plots: int, walk: Any, observations: Any, rivals: Any, current: Any) -> None:
    """Every plot has exactly one value that stands; a record is an observation, a rival, or said what stood there already."""
    kept = list(observations.objects.values_list("pk", flat=True)) + list(rivals.objects.values_list("pk", flat=True))
    assert len(kept) == len(set(kept)), "a record is there twice"
    assert set(kept) <= sent, "a record is there that nobody sent"
    assert current(walk).count() == plots, "a plot has no value, or two"
    chains = observations.objects.filter(supersedes__isnull=True).count()
    assert chains == plots, "a plot was begun twice"


if __name__ == "__main__":
    main(*(int(a) for a in sys.argv[1:3]))
