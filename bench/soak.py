"""A storm of walkers: thousands of records sent from many phones, twice, out of order, cut off and with lost answers; afterwards
every record has to be there once. `python -m bench.soak [phones] [plots]`."""

from __future__ import annotations

import random
import sys
import uuid
from contextlib import suppress
from datetime import timedelta
from typing import Any

from bench.timing import empty_garden

LOST, CUT, AGAIN, LATE, DIES = 0.2, 0.15, 0.3, 0.2, 0.1  # shares of batches: answer lost, never arrive, twice, late, server dies


def main(phones: int = 12, plots: int = 120, seed: int = 11) -> None:
    with empty_garden():
        storm(phones, plots, random.Random(seed))  # noqa: S311


def storm(phones: int, plots: int, luck: random.Random) -> None:
    """Every phone walks every plot of one round; what is left on a phone is sent until the server has answered for it."""
    from django.db import transaction
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

    records_of: dict[uuid.UUID, Brought] = {}

    def records(who: User) -> list[Brought]:
        kept: list[Brought] = []
        for n, plot in enumerate(ids):
            key, value = uuid.uuid4(), float(luck.choice((10, 20, 30)))
            made_at = now - timedelta(minutes=len(ids) - n)
            kept.append(Brought(key, plot, Seen(number=value), made_at))
            if luck.random() < 0.1:  # thought better of
                kept.append(Brought(uuid.uuid4(), plot, Seen(number=value + 5), made_at, before=str(key)))
        records_of.update({r.key: r for r in kept})
        return kept

    waiting = {who.pk: records(who) for who in people}
    sent = {r.key for some in waiting.values() for r in some}
    answered: set[uuid.UUID] = set()  # of which the server said that they are there, or say what stands there already
    tries = 0
    while any(waiting.values()):
        who = luck.choice([p for p in people if waiting[p.pk]])
        here = waiting[who.pk]
        start = luck.randrange(len(here)) if luck.random() < LATE else 0
        batch = here[start : start + luck.randint(1, 40)]
        tries += 1
        if luck.random() < CUT:
            continue
        if luck.random() < DIES:
            with suppress(Killed), transaction.atomic():
                bring_in(walk, batch, who, now, now)
                raise Killed
            continue
        answers = bring_in(walk, batch, who, now, now)
        if luck.random() < AGAIN:
            answers = bring_in(walk, luck.sample(batch, len(batch)), who, now, now)
        if luck.random() < LOST:
            continue
        refused = [a.said for a in answers if a.state == "refused"]
        assert not refused, refused[:3]
        answered |= {uuid.UUID(a.key) for a in answers}
        waiting[who.pk] = [r for r in here if r.key not in answered]
    kept = [*Observation.objects.values_list("pk", flat=True), *Rival.objects.values_list("pk", flat=True)]
    print(f"{phones} phones over {len(ids)} plots, {tries} batches; of them lost on the way {CUT:.0%}, their answers {LOST:.0%}, ")
    print(f"sent twice {AGAIN:.0%}, out of order {LATE:.0%}, with the server dying in the middle {DIES:.0%}")
    print(f"  sent     {len(sent):6d}")
    print(f"  kept     {len(set(kept) & sent):6d}, and {len(sent - set(kept)):d} that said what stood there already")
    print(f"  doubled  {len(kept) - len(set(kept)):6d}")
    print(f"  lost     {len(sent - answered):6d}")
    assert set(kept) <= sent, "a record is there that nobody sent"
    assert len(kept) == len(set(kept)) and sent == answered, "a record is lost or doubled"
    check(walk, ids, sent - set(kept), records_of, current)


class Killed(Exception):
    """The server died before what it had taken in was written for good."""


def check(walk: Any, plots: list[int], silent: set[uuid.UUID], by_key: dict[uuid.UUID, Any], current: Any) -> None:
    """Every plot has exactly one value that stands, and a record without a row of its own says what a row of its plot says."""
    from evarlo.walks.models import Observation, Rival

    assert current(walk).count() == len(plots), "a plot has no value, or two"
    assert Observation.objects.filter(supersedes__isnull=True).count() == len(plots), "a plot was begun twice"
    said = {(o.plot_id, o.number) for kind in (Observation, Rival) for o in kind.objects.all()}
    for key in silent:
        assert (by_key[key].plot, by_key[key].seen.number) in said, "a value that was sent is nowhere"


if __name__ == "__main__":
    main(*(int(a) for a in sys.argv[1:3]))
