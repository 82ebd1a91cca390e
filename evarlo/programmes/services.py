"""Making a programme, taking trials into it, and setting its school."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from django.db import transaction
from django.utils import timezone

from evarlo.catalogue.models import Crop
from evarlo.people.models import User
from evarlo.programmes.models import Membership, Programme
from evarlo.trials.deeds import record
from evarlo.trials.models import Trial
from evarlo.trials.planning import free_slug_among
from evarlo.ui.refused import Refused

SETTINGS = ("flat", "bar", "dropping", "fresh", "good_check", "second_signature", "several")


@transaction.atomic
def make_programme(name: str, crop: Crop, trials: Sequence[Trial], by: User) -> Programme:
    """A programme of these trials. Raises Refused for a trial of another crop or one that is in a programme already."""
    slugs = Programme.objects.values_list("slug", flat=True)
    made = Programme.objects.create(name=name, crop=crop, slug=free_slug_among(name, slugs), made_by=by, made_at=timezone.now())
    for trial in trials:
        take_in(made, trial, by)
    return made


@transaction.atomic
def take_in(programme: Programme, trial: Trial, by: User) -> Membership:
    """Take a trial into a programme. Raises Refused as `make_programme`."""
    if trial.crop_id != programme.crop_id:
        raise Refused(f"{trial.name} is a trial of {trial.crop.name.lower()}, not of {programme.crop.name.lower()}.", "trial")
    other = Membership.objects.filter(trial=trial).select_related("programme").first()
    if other and other.programme_id != programme.pk:
        raise Refused(f"{trial.name} {trial.season} stands in {other.programme.name} already.", "trial")
    if other:
        return other
    record(trial, by, f"Taken into the programme {programme.name}.")
    return Membership.objects.create(programme=programme, trial=trial)


@transaction.atomic
def leave_out(membership: Membership, why: str, by: User) -> None:
    """The season of a trial no longer counts, and why; an empty reason takes it in again."""
    membership.left_out = " ".join(why.split())[:200]
    membership.save(update_fields=["left_out"])
    said = f"left out: {membership.left_out}" if membership.left_out else "counts again"
    record(membership.trial, by, f"In the programme {membership.programme.name}: {said}.")


@transaction.atomic
def let_go(membership: Membership, by: User) -> None:
    """A trial leaves the programme."""
    record(membership.trial, by, f"Taken out of the programme {membership.programme.name}.")
    membership.delete()


@transaction.atomic
def keep_settings(programme: Programme, typed: Mapping[str, Any], by: User) -> None:
    """Set the school of a programme; every trial of it that is not signed is judged by it from now on, on record."""
    before = {name: getattr(programme, name) for name in SETTINGS}
    for name in SETTINGS:
        setattr(programme, name, typed[name])
    programme.name = typed["name"]
    programme.save()
    changed = [name.replace("_", " ") for name in SETTINGS if before[name] != getattr(programme, name)]
    if changed:
        for m in programme.memberships.filter(trial__decided_at__isnull=True).select_related("trial"):
            record(m.trial, by, f"The programme {programme.name} is judged otherwise: {', '.join(changed)}.")
