"""When what stands in a plot may not be what was sown: the doubt, what could tell, and what settling it does."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date

from django.db import transaction
from django.db.models import Q, QuerySet
from django.urls import reverse
from django.utils import timezone

from evarlo.catalogue.models import Cultivar
from evarlo.identity.models import Doubt
from evarlo.people.models import User
from evarlo.trials.leaving_out import as_it_stands, exclude_plot, is_left_out, lift_exclusion
from evarlo.trials.models import IDENTITY, Entry, Plot
from evarlo.trials.registry import DiaryLine, Due
from evarlo.ui.refused import Refused

IDENTITIES = (Doubt.Outcome.OWN, Doubt.Outcome.OTHER, Doubt.Outcome.OUTSIDE, Doubt.Outcome.UNKNOWN)


@transaction.atomic
def raise_doubt(
    plot: Plot, why: str, candidates: Sequence[Entry], tells: str, on: date, by: User, outside: Cultivar | None = None
) -> Doubt:
    """Doubt that a plot is what was sown; `outside` is a candidate that is no entry. It is left out of every comparison until that
    is settled. Raises Refused without a reason, or while another doubt is open."""
    if not why.strip():
        raise Refused("Say what looks wrong about the plot.", "why")
    undoubted_or_refused(plot)
    exclusion = None if is_left_out(plot) else exclude_plot(plot, IDENTITY, f"Identity in doubt: {why.strip()}"[:200], on, by)
    made = Doubt.objects.create(
        plot=plot,
        why=why.strip(),
        tells=tells.strip(),
        raised_on=on,
        by=by,
        at=timezone.now(),
        exclusion=exclusion,
        outside=outside,
    )
    made.candidates.set(e for e in candidates if e.trial_id == plot.trial_id)
    return made


def undoubted_or_refused(plot: Plot) -> None:
    """Raises Refused while a doubt about the plot is open."""
    if open_doubt(plot):
        raise Refused(f"Plot {plot.number} is in doubt already; settle that first.", "why")


def open_doubt(plot: Plot) -> Doubt | None:
    """The doubt about a plot that is not settled: what stands in it, or where it ends."""
    asked = Doubt.objects.filter(Q(plot=plot) | Q(neighbour=plot), outcome="").select_related("by", "plot", "neighbour", "outside")
    return asked.prefetch_related("candidates").first()


def past_of(plot: Plot) -> QuerySet[Doubt]:
    """The doubts about a plot that are settled."""
    known = Doubt.objects.filter(Q(plot=plot) | Q(neighbour=plot)).exclude(outcome="")
    return known.select_related("settled_by", "entry", "plot", "neighbour", "outside")


@transaction.atomic
def settle_doubt(doubt: Doubt, outcome: str, entry: Entry | None, how: str, on: date, by: User) -> None:
    """Say what the plot is. As sown: it counts again. Another entry: its records count for that one from now on, and what was
    sown by the plan stays beside it. No entry of the trial, or nobody can tell: it stays left out. Raises Refused without saying
    how, for an entry of another trial or the plot's own, or when it was settled already."""
    doubt = Doubt.objects.select_for_update().select_related("plot__entry", "plot__trial", "exclusion").get(pk=doubt.pk)
    if doubt.outcome:
        raise Refused("It was settled already.")
    if doubt.neighbour_id or outcome not in IDENTITIES:
        raise Refused("Say what it turned out to be.", "outcome")
    if not how.strip():
        raise Refused("Say how it was settled: it stands in the plot's diary.", "how")
    if outcome == Doubt.Outcome.OTHER:
        if entry is None or entry.trial_id != doubt.plot.trial_id:
            raise Refused("Choose the entry that it turned out to be.", "entry")
        if entry.pk == doubt.plot.entry_id:
            raise Refused("That is what was sown here. Choose “it is what was sown”.", "entry")
        as_it_stands(doubt.plot, entry, how.strip(), by)
    if outcome in (Doubt.Outcome.OWN, Doubt.Outcome.OTHER) and doubt.exclusion:
        lift_exclusion(doubt.exclusion, by)
    doubt.outcome, doubt.entry, doubt.how = outcome, entry if outcome == Doubt.Outcome.OTHER else None, how.strip()
    doubt.settled_on, doubt.settled_by = on, by
    doubt.save(update_fields=["outcome", "entry", "how", "settled_on", "settled_by"])


def diary(plot: Plot, names: bool) -> Iterable[DiaryLine]:
    about_it = Doubt.objects.filter(Q(plot=plot) | Q(neighbour=plot))
    for doubt in about_it.select_related("by", "settled_by", "entry__cultivar", "plot", "neighbour", "outside"):
        other = doubt.neighbour if doubt.plot_id == plot.pk else doubt.plot
        about = f"Boundary to {other.number} lost" if other and doubt.neighbour else "Identity in doubt"
        yield DiaryLine(doubt.raised_on, f"{about}: {doubt.why}. {doubt.tells}".strip(), str(doubt.by), 6)
        if doubt.outcome and doubt.settled_on:
            which = f" ({doubt.entry.cultivar.name if names else doubt.entry.code})" if doubt.entry else ""
            if doubt.outcome == Doubt.Outcome.OUTSIDE and doubt.outside and names:
                which = f" ({doubt.outside.name})"
            text = f"Settled: {doubt.get_outcome_display()}{which}. {doubt.how}"
            yield DiaryLine(doubt.settled_on, text, str(doubt.settled_by), 7)


def due(today: date) -> Iterable[Due]:
    open_doubts = Doubt.objects.filter(outcome="", plot__trial__decided_at__isnull=True).select_related("plot__trial", "neighbour")
    for doubt in open_doubts:
        trial = doubt.plot.trial
        url = reverse("identity:identity", args=[trial.slug, doubt.plot_id])
        what, amount = f"What stands in plot {doubt.plot.number}", "1 plot"
        if doubt.neighbour:
            what, amount = f"Where plot {doubt.plot.number} ends and {doubt.neighbour.number} begins", "2 plots"
        yield Due("Settle", what, trial, amount, max(today, doubt.raised_on), url)


def ways(plot: Plot) -> Iterable[tuple[str, str]]:
    """The page about what stands in a plot."""
    yield reverse("identity:identity", args=[plot.trial.slug, plot.pk]), "What stands here?"
