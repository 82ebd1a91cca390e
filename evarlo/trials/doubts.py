"""Planned dates held against the crop's profile and the site's frosts: what does not go together, in words."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date

from evarlo.catalogue.models import Cultivar, Different
from evarlo.grounds.models import Bed
from evarlo.trials.models import Trial
from evarlo.trials.queries import frost_of_trial
from trialcore.reckoning.frost import comes_on
from trialcore.reckoning.names import near_duplicates

OUTSIDE = (Bed.Environment.OPEN, Bed.Environment.CONTAINERS)


def date_doubts(trial: Trial) -> list[str]:
    """What about the planned dates is unlikely to work, each with the figures it rests on."""
    profile = trial.crop.profile
    said = []
    edible = profile.get("edible_days")
    if edible and trial.sow_on and trial.pick_on:
        days = (trial.pick_on - trial.sow_on).days
        if not edible[0] - 7 <= days <= edible[1] + 21:
            when = "early" if days < edible[0] else "late"
            takes = f"{trial.crop.name.lower()} takes {edible[0]:g} to {edible[1]:g} days, so that looks {when}."
            said.append(f"The first pick is planned {days} days after sowing; {takes}")
    age = profile.get("transplant_days")
    if age and trial.sow_on and trial.plant_on and trial.plant_on != trial.sow_on:
        days = (trial.plant_on - trial.sow_on).days
        if not age[0] - 5 <= days <= age[1] + 10:
            said.append(f"Plants would go out {days} days old; {age[0]:g} to {age[1]:g} days are usual.")
    out = trial.plant_on or trial.sow_on
    if profile.get("frost") == "tender" and out and (frost := _frost_after(trial, out)):
        where = (
            "outside" if trial.bed is None or trial.bed.environment in OUTSIDE else f"under {trial.bed.get_environment_display()}"
        )
        tender = f"{trial.crop.name} is tender and would stand {where} from {out:%-d %b}"
        said.append(f"{tender}; frost comes until {frost} in half of the years.")
    return said


def _frost_after(trial: Trial, out: date) -> str:
    """The day of the last frost when `out` lies before it in the cold half of the year; empty otherwise."""
    frost = frost_of_trial(trial)
    return frost.last_text if frost and comes_on(frost, out) else ""


def name_doubts(trial: Trial) -> list[str]:
    """Entries that may be one cultivar under two names, or of which one is a selection of the other."""
    entries = {e.cultivar.name: e for e in trial.entries.select_related("cultivar__related")}
    apart = Different.objects.filter(one__in=[e.cultivar_id for e in entries.values()]).select_related("one", "other")
    if trial.treatments:
        return []
    said = [f"“{x.a}” and “{x.b}” may be one cultivar: {x.why}." for x in near_duplicates(list(entries), _pairs(apart))]
    for e in entries.values():
        kin = e.cultivar.related
        if kin and kin.name in entries:
            selected = e.cultivar.relation == Cultivar.Relation.SELECTION and not (e.cultivar.segregates or kin.segregates)
            what = "expect them to be alike" if selected else "expect them to share a part of what they show"
            if e.cultivar.segregates:
                what = "its plants differ from each other, so judge it by more of them"
            said.append(f"{e.cultivar.name} is {e.cultivar.get_relation_display()} {kin.name}; {what}.")
    return said


def _pairs(apart: Iterable[Different]) -> list[tuple[str, str]]:
    return [(d.one.name, d.other.name) for d in apart]
