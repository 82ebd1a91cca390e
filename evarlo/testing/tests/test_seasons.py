"""Random untidy seasons, entered through the services that pages call: every figure is what the independent calculator says.

`make seasons COUNT=200` runs new seasons beside the fixed ones and prints what differs, the smallest season first.
"""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator, Mapping
from typing import Any

from django.db import transaction
from django.test import TestCase

from evarlo.people.models import Role, User
from evarlo.testing.season_adapter import KINDS, Entered, agrees, expected, figures_of, holding, made, without_plots
from evarlo.testing.world import person
from evarlo.ui.refused import Refused

FIXED = 5  # seasons of each kind in every run
FIRST_NEW = int(os.environ.get("EVARLO_FIRST_SEASON", "1001"))
MOST_TRIES = 60  # in making a season that differs smaller


class _Undone(Exception):
    """Everything that a season put into the database is taken out again."""


def differences(season: Mapping[str, Any], by: User) -> list[str]:
    """What the application shows otherwise than the calculator, one line a figure."""
    found: list[str] = []
    wanted = expected(season)
    try:
        with transaction.atomic():
            try:
                shown = without_plots(season) or figures_of(_entered(season, by))
            except Refused:
                if any(name.startswith("keep.conflicts") and value for name, value in wanted.items()):
                    return []  # looks that do not add up are refused, as they must be
                raise
            found = [line for name, value in shown.items() if (line := _differs(name, value, wanted))]
            raise _Undone
    except _Undone:
        return found


def _entered(season: Mapping[str, Any], by: User) -> Entered:
    """The season, act by act; where a correction is refused because a later look does not go with it yet, what holds in the end."""
    try:
        with transaction.atomic():
            return Entered(season, by)
    except Refused:
        return Entered({**season, "acts": holding(season)}, by)


def _differs(name: str, value: Any, wanted: Mapping[str, Any]) -> str:
    if name.startswith("pest.compared["):
        return _compared(name, value, wanted)
    if name.startswith("stand.counted["):
        name = name.replace("stand.counted", "stand.plants")
    if name not in wanted or _of_conflicts(name, wanted):
        return ""
    return "" if agrees(value, wanted[name]) else f"{name}: shown {value}, expected {wanted[name]}"


def _of_conflicts(name: str, wanted: Mapping[str, Any]) -> bool:
    """Whether a figure of keeping belongs to a season with looks that do not add up: what was lost there is a question, no figure."""
    return name.startswith("keep.") and any(n.startswith("keep.conflicts") and v for n, v in wanted.items())


def _compared(name: str, value: tuple[float, int], wanted: Mapping[str, Any]) -> str:
    """The mean that a model gives lies in the range of the entry's plots, but for a tenth of it where blocks are set level."""
    span = wanted.get(name.replace("pest.compared", "pest.range"))
    mean, _ = value
    if span is None:
        return ""
    room = 0.1 * (span[1] - span[0]) + 1e-9
    inside = span[0] - room <= mean <= span[1] + room
    return "" if inside else f"{name}: shown {mean}, plots from {span[0]} to {span[1]}"


def smaller(season: dict[str, Any], by: User) -> dict[str, Any]:
    """The season with acts left out as long as something still differs."""
    acts, step, tries = season["acts"], max(1, len(season["acts"]) // 2), 0
    while step and tries < MOST_TRIES:
        at = 0
        while at < len(acts) and tries < MOST_TRIES:
            fewer = _without(acts, at, step)
            tries += 1
            try:
                differ = bool(differences(season | {"acts": fewer}, by))
            except Exception:  # a season that no longer hangs together is no smaller case of the same fault
                differ = False
            if differ:
                acts = fewer
            else:
                at += step
        step //= 2
    return season | {"acts": acts}


def _without(acts: list[dict[str, Any]], at: int, step: int) -> list[dict[str, Any]]:
    gone = {a["id"] for a in acts[at : at + step] if a["do"] not in ("set_out", "sow_plot_day", "lay_lot")}
    for a in acts:
        if a.get("of") in gone:
            gone.add(a["id"])
    return [a for a in acts if a["id"] not in gone]


def _new() -> Iterator[tuple[str, int]]:
    count = int(os.environ.get("EVARLO_SEASONS", "0"))
    for n in range(count):
        yield KINDS[n % len(KINDS)], FIRST_NEW + n


class Seasons(TestCase):
    def test_every_figure_is_what_the_calculator_says(self) -> None:
        by = person(Role.MANAGER)
        for kind in KINDS:
            for seed in range(1, FIXED + 1):
                with self.subTest(kind=kind, seed=seed):
                    self.assertEqual(differences(made(kind, seed), by), [])

    def test_new_seasons(self) -> None:
        by = person(Role.MANAGER)
        wrong: list[tuple[int, str, int, list[str], list[str]]] = []
        for kind, seed in _new():
            season = made(kind, seed)
            if differences(season, by):
                least = smaller(season, by)
                lines = differences(least, by)
                wrong.append((len(least["acts"]), kind, seed, lines, [str(a) for a in least["acts"]][:12]))
        for acts, kind, seed, lines, told in sorted(wrong):
            print(f"\n{kind} {seed}, {acts} acts:", *lines[:5], "acts:", *told, sep="\n    ", file=sys.stderr)
        self.assertEqual([(kind, seed) for _, kind, seed, _, _ in wrong], [])
