"""A grower up the river keeps four of this season's fennels: most of what was asked is back, one plot was lost."""

from __future__ import annotations

from datetime import date, timedelta

import numpy as np
from django.utils import timezone

from evarlo.catalogue.models import Trait
from evarlo.demo.seasons import Season
from evarlo.partners.services import LOST, Typed, keep_typed, make_partner, rounds_of

GROWER = "Alder Croft"
KEPT = ("Pale Anchor", "Harl Quoin", "Quillet")  # beside the check
BLOCKS = 3
STILL_OUT = 2  # plots of the last trait that are not written down yet


def ask_a_grower(season: Season, today: date) -> None:
    main = season.trial
    some = [e for e in main.entries.select_related("cultivar") if e.cultivar.name in KEPT]
    traits = list(Trait.objects.filter(key__in=("bolting", "vigour")).order_by("key"))
    partner = make_partner(main, GROWER, GROWER, some, BLOCKS, traits, today + timedelta(days=70), season.people.manager)
    rng = np.random.default_rng(1289)
    plots = list(partner.trial.plots.select_related("entry__cultivar").order_by("place"))
    typed: dict[tuple[int, int], Typed] = {}
    for walk in rounds_of(partner):
        for plot in plots:
            truth = season.truth(plot)
            seen = rng.normal(truth.bolting + 2, 4) if walk.trait.key == "bolting" else rng.normal(truth.vigour - 0.4, 0.9)
            most = 100 if walk.trait.key == "bolting" else 9
            typed[walk.pk, plot.pk] = Typed(str(int(np.clip(round(seen), 1, most))), "")
        typed[walk.pk, plots[4].pk] = Typed(LOST, "")
    for plot in plots[-STILL_OUT:]:
        del typed[walk.pk, plot.pk]
    keep_typed(partner, typed, timezone.now())
