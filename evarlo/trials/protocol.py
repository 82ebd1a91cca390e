"""What every plot should get at each stage: the protocol with its versions, and the plots that got something else."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from django.db import transaction
from django.utils import timezone

from evarlo.people.models import User
from evarlo.trials.deeds import record
from evarlo.trials.models import Deviation, Plot, Protocol, Trial
from evarlo.trials.registry import DiaryLine
from evarlo.trials.tasks import begun_in
from evarlo.ui.refused import Refused, only_done

PARTS = (
    ("sow", "At sowing"),
    ("plant", "At planting"),
    ("grow", "While it grows"),
    ("walk", "When plots are scored"),
    ("pick", "When it is picked"),
)
LONGEST = 2000


@dataclass(frozen=True)
class Marks:
    """What has to be kept in mind wherever the trial's plots are compared."""

    changes: tuple[str, ...]
    deviations: tuple[str, ...]


@transaction.atomic
def keep_protocol(trial: Trial, steps: Mapping[str, str], since: date, why: str, by: User) -> Protocol | None:
    """Keep a new version of the protocol, valid from a day; None when nothing changed.

    Raises Refused for a change without its reason once the trial is sown, for a day before the version ahead of it, or for
    words too long.
    """
    trial = Trial.objects.select_for_update().get(pk=trial.pk)
    last = trial.protocols.last()
    said = {key: str(steps.get(key, "")).strip() for key, _ in PARTS}
    if last and last.steps == said:
        return None
    long = next((name for key, name in PARTS if len(said[key]) > LONGEST), None)
    if long:
        raise Refused(f"“{long}” is longer than {LONGEST} characters.", next(k for k, n in PARTS if n == long))
    if last and since < last.since:
        raise Refused(f"Version {last.number} is valid from {last.since:%-d %b %Y}. Expected that day or a later one.", "since")
    if last and (trial.pk, "sow") in begun_in([trial.pk]) and not why.strip():
        raise Refused("The trial is sown, so the change is marked on every comparison. Say why it is made.", "why")
    number = last.number + 1 if last else 1
    made = Protocol.objects.create(trial=trial, number=number, since=since, why=why.strip(), steps=said, by=by, at=timezone.now())
    record(trial, by, f"Protocol, version {number}, from {since:%-d %b %Y}{': ' + why.strip() if why.strip() else ''}."[:300])
    return made


@transaction.atomic
def keep_deviation(plots: Sequence[Plot], on: date, said: str, by: User, today: date) -> int:
    """Write down that some plots got something else; how many. Raises Refused without plots or words, or for a day to come."""
    if not plots:
        raise Refused("Nothing was typed. Expected the plots that got something else.", "plots")
    if not said.strip():
        raise Refused("Nothing was typed. Expected what was done otherwise.", "said")
    only_done(on, today)
    now = timezone.now()
    Deviation.objects.bulk_create(Deviation(plot=p, on=on, said=said.strip(), by=by, at=now) for p in plots)
    return len(plots)


def marks_of(trial: Trial) -> Marks:
    """Changes of the protocol after sowing, and deviations, in words."""
    sown = begun_in([trial.pk]).get((trial.pk, "sow"))
    changes = [
        f"The protocol changed on {p.since:%-d %b %Y} (version {p.number}){': ' + p.why if p.why else ''}."
        for p in trial.protocols.all()
        if p.number > 1 and sown and p.since >= sown
    ]
    groups: dict[tuple[date, str], list[str]] = {}
    for d in Deviation.objects.filter(plot__trial=trial).select_related("plot"):
        groups.setdefault((d.on, d.said), []).append(d.plot.number)
    deviations = []
    for (on, said), numbers in sorted(groups.items()):
        many = (
            f"Plots {', '.join(numbers[:8])}{' and more' if len(numbers) > 8 else ''}" if len(numbers) > 1 else f"Plot {numbers[0]}"
        )
        deviations.append(f"{many} got something else on {on:%-d %b %Y}: {said}.")
    return Marks(tuple(changes), tuple(deviations))


def diary(plot: Plot, _names: bool) -> Iterable[DiaryLine]:
    for d in plot.deviations.select_related("by"):
        yield DiaryLine(d.on, f"Other than the protocol: {d.said}.", str(d.by), 2)
