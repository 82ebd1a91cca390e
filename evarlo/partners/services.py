"""Making a partner's trial, taking in what comes back, changing its weight, ending its link."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime

from django.db import transaction
from django.utils import timezone

from evarlo.catalogue.models import Trait
from evarlo.grounds.models import Bed, Site
from evarlo.partners.models import Partner
from evarlo.people.models import User
from evarlo.programmes.models import Membership
from evarlo.programmes.services import take_in
from evarlo.trials.deeds import record
from evarlo.trials.laying import fix_layout
from evarlo.trials.models import Cause, Entry, Trial
from evarlo.trials.plan import CriterionPlan, TrialPlan
from evarlo.trials.planning import plan_trial
from evarlo.ui.refused import Refused
from evarlo.walks.field import Brought, bring_in
from evarlo.walks.models import Observation, Round
from evarlo.walks.queries import current
from evarlo.walks.services import Seen, clear, open_round

MOST_TRAITS, MOST_BLOCKS, MOST_ENTRIES = 4, 4, 12
ASKED = (Trait.Kind.MEASURE, Trait.Kind.COUNT, Trait.Kind.SCORE, Trait.Kind.PERCENT)
USUAL = ("plot-yield", "stand", "vigour")
LOST = "lost"  # typed where an accident took a plot
SPACE = uuid.UUID("6d1a5d0e-6a54-4c3e-9a52-9a0c7f3f2b11")


def traits_to_ask(main: Trial) -> list[Trait]:
    """What a grower can record on one page: what the main trial decides by where it is a number seen in the plot, and the usual."""
    own = [c.trait for c in main.criteria.select_related("trait").order_by("rank")]
    usual = {t.key: t for t in Trait.objects.filter(key__in=USUAL)}
    wanted = [*own, *(usual[k] for k in USUAL if k in usual)]
    fit = [t for t in wanted if t.source == Trait.Source.WALK and t.kind in ASKED and t.samples <= 1]
    return list({t.pk: t for t in fit}.values())


@transaction.atomic
def make_partner(
    main: Trial,
    name: str,
    where: str,
    entries: Sequence[Entry],
    blocks: int,
    traits: Sequence[Trait],
    ends_on: date,
    by: User,
) -> Partner:
    """A small trial at a partner's place: the main trial's check and some of its entries in complete blocks, under new codes and
    blind. Raises Refused."""
    check = next((e for e in main.entries.select_related("cultivar") if e.is_check), None)
    today = timezone.localdate()
    if check is None:
        raise Refused("The main trial has no check, so nothing at another place could be set against it.", "entries")
    others = [e for e in entries if e.pk != check.pk]
    if not 1 <= len(others) < MOST_ENTRIES:
        raise Refused(f"Expected 1 to {MOST_ENTRIES - 1} entries beside the check.", "entries")
    if not 1 <= blocks <= MOST_BLOCKS:
        raise Refused(f"Expected 1 to {MOST_BLOCKS} blocks.", "blocks")
    if not 1 <= len(traits) <= MOST_TRAITS:
        raise Refused(f"Expected 1 to {MOST_TRAITS} traits: more are not kept up elsewhere.", "traits")
    if ends_on < today:
        raise Refused("Expected a day from today on.", "ends_on")
    site, _ = Site.objects.get_or_create(name=where)
    trial = plan_trial(_plan(main, name, _bed(site, main, len(others) + 1, blocks), [check, *others], blocks, traits), by)
    fix_layout(trial, by)
    trial.refresh_from_db()
    for trait in traits:
        open_round(trial, trait, today, by)
    person = User(username=f"partner-{trial.slug}"[:150], first_name=name[:60], is_active=False)
    person.set_unusable_password()
    person.save()
    membership = Membership.objects.filter(trial=main).select_related("programme").first()
    if membership is not None:
        take_in(membership.programme, trial, by)
    record(main, by, f"A small trial with the same check goes to {name}."[:300])
    return Partner.objects.create(trial=trial, main=main, name=name, person=person, ends_on=ends_on, by=by, at=timezone.now())


def _bed(site: Site, main: Trial, entries: int, blocks: int) -> Bed:
    """Ground that holds it, with room around. Raises Refused for a trial whose plots have no size."""
    if not (main.plot_length_m and main.plot_width_m and main.between_rows_cm and main.in_row_cm):
        raise Refused("The main trial's plots have no size here, so none can be laid out elsewhere.", "entries")
    length = 1.5 * entries * (main.plot_length_m + main.path_m) + 2
    width = 1.5 * blocks * (main.plot_width_m + main.path_m) + 2
    n = site.beds.count() + 1
    return Bed.objects.create(site=site, name=f"Plots {n}", length_m=round(length, 1), width_m=round(width, 1))


def _plan(main: Trial, name: str, bed: Bed, entries: Sequence[Entry], blocks: int, traits: Sequence[Trait]) -> TrialPlan:
    known = {c.trait_id: c for c in main.criteria.all()}
    criteria = [
        CriterionPlan(t, known[t.pk].direction, known[t.pk].matters)
        if t.pk in known
        else CriterionPlan(t, t.direction or Trait.Direction.HIGHER, t.matters or 0.0)
        for t in traits
    ]
    return TrialPlan(
        name=f"{main.name}, {name}"[:80],
        question=main.question,
        crop=main.crop,
        season=main.season,
        bed=bed,
        entries=[e.cultivar.name for e in entries],
        check=entries[0].cultivar.name,
        blocks=blocks,
        plot_length_m=main.plot_length_m or 0.0,
        plot_width_m=main.plot_width_m or 0.0,
        path_m=main.path_m,
        between_rows_cm=main.between_rows_cm or 0.0,
        in_row_cm=main.in_row_cm or 0.0,
        cv_percent=main.cv_percent,
        criteria=criteria,
        sow_on=main.sow_on,
        plant_on=main.plant_on,
        pick_on=main.pick_on,
    )


def partner_of(code: str, today: date) -> Partner:
    """Whose link this is. Raises Refused for one that does not work, without telling whether it ever did."""
    found = Partner.objects.select_related("trial", "person").filter(code=code.strip().lower()).first()
    if found is None or not found.works_on(today):
        raise Refused("This link does not work, or not any more. Ask whoever gave it to you for another.")
    return found


def rounds_of(partner: Partner) -> list[Round]:
    """What is asked, in the order of the trial's criteria."""
    rank = {c.trait_id: c.rank for c in partner.trial.criteria.all()}
    found = partner.trial.rounds.filter(closed_at=None).select_related("trait", "trial")
    return sorted(found, key=lambda r: (rank.get(r.trait_id, 99), r.pk))


@dataclass(frozen=True)
class Typed:
    """What stands in a field and what was there when the page was shown."""

    text: str
    was: str


@transaction.atomic
def keep_typed(partner: Partner, typed: Mapping[tuple[int, int], Typed], now: datetime) -> tuple[int, dict[tuple[int, int], str]]:
    """Take in what was changed on the page, by round and plot. How many values were kept, and what is wrong with the others.
    Whatever is sent twice is kept once."""
    if partner.trial.decided_at is not None:
        raise Refused("The trial is decided. What comes now no longer counts; tell whoever gave you the link.")
    kept, wrong = 0, {}
    for walk in rounds_of(partner):
        standing = {o.plot_id: o for o in current(walk)}
        records = []
        for (asked, plot), t in typed.items():
            if asked != walk.pk or t.text.strip() == t.was.strip():
                continue
            try:
                record = _record(walk, plot, t.text, standing.get(plot), now)
            except Refused as refusal:
                wrong[asked, plot] = str(refusal)
                continue
            if record is not None:
                records.append(record)
            elif not t.text.strip() and plot in standing:
                clear(standing[plot], partner.person)
                kept += 1
        of = {r.key: r.plot for r in records}
        for answer in bring_in(walk, records, partner.person, now, now):
            if answer.state == "refused":
                wrong[walk.pk, of[uuid.UUID(answer.key)]] = answer.said
            else:
                kept += 1
    return kept, wrong


def _record(walk: Round, plot: int, text: str, standing: Observation | None, now: datetime) -> Brought | None:
    """What is to be kept of a field; None where nothing is."""
    text = text.strip()
    before = str(standing.pk) if standing else ""
    if not text:
        return None
    cause = Cause.ACCIDENT if text.casefold() == LOST else ""
    number = None if cause else _number(text)
    if standing is not None and (standing.number, standing.cause) == (number, cause):
        return None
    return Brought(uuid.uuid5(SPACE, f"{walk.pk} {plot} {before} {number} {cause}"), plot, Seen(number, cause=cause), now, before)


def _number(text: str) -> float:
    try:
        found = float(text.replace(",", ".").replace("−", "-"))
    except ValueError:
        found = float("nan")
    if not abs(found) < 1e12 or "_" in text:
        raise Refused(f"Found “{text[:20]}”. Expected a number, or “{LOST}” where an accident took the plot.")
    return found


def weigh(partner: Partner, weight: float | None, why: str, by: User) -> None:
    """Let its records count as a manager says; None as reckoned. Raises Refused without a reason."""
    if weight is not None and not why.strip():
        raise Refused("Say why, so that others can follow it.", "why")
    Partner.objects.filter(pk=partner.pk).update(weight=weight, weight_why=why.strip()[:200] if weight is not None else "")
    said = f"counts {weight:g}: {why.strip()}" if weight is not None else "counts as reckoned"
    record(partner.trial, by, f"As a partner's trial it {said}."[:300])


def end_link(partner: Partner, by: User) -> None:
    """The link no longer works; what came in stays."""
    Partner.objects.filter(pk=partner.pk, ended_at=None).update(ended_at=timezone.now())
    record(partner.trial, by, f"The link of {partner.name} was ended."[:300])
