"""How far a partner's records can be gone by: the mark that its trial carries into the programme."""

from __future__ import annotations

from dataclasses import dataclass
from statistics import mean

from evarlo.catalogue.models import Trait
from evarlo.compare.analysis import Comparison
from evarlo.compare.queries import compare_plots
from evarlo.partners.models import Partner
from evarlo.partners.services import rounds_of
from evarlo.trials.models import Plot, Trial
from evarlo.trials.queries import plots_of
from evarlo.walks.models import Observation
from trialcore.analyses.partners import Agreement, agreement


@dataclass(frozen=True)
class Mark:
    """Of one trait: what agreed, how much it counts, and the words for it."""

    trait: Trait
    found: Agreement
    weight: float
    said: str


def share_kept(partner: Partner) -> float:
    """The share of what is asked that came back."""
    rounds, plots = rounds_of(partner), partner.trial.plots.count()
    kept = Observation.objects.in_force().filter(round__in=rounds).count()
    return min(1.0, kept / (len(rounds) * plots)) if rounds and plots else 0.0


def mark_of(partner: Partner, trait: Trait) -> Mark:
    """The mark of a partner's trial in one trait."""
    here, there = _compared(partner.trial, trait), _compared(partner.main, trait)
    check = next((str(e.cultivar_id) for e in partner.trial.entries.all() if e.is_check), "")
    means, main = _means(here), _means(there)
    plots = (_plots_an_entry(here), _plots_an_entry(there))
    found = agreement(means, main, check, share_kept(partner), plots, (_plot_variance(here), _plot_variance(there)))
    weight = partner.weight if partner.weight is not None else found.weight
    return Mark(trait, found, weight, _said(partner, found, weight))


def _compared(trial: Trial, trait: Trait) -> Comparison:
    plots: list[Plot] = plots_of(trial)
    return compare_plots(trial, trait, plots, {p.entry_id: p.entry.code for p in plots})


def _means(found: Comparison) -> dict[str, float]:
    of = {r.entry.code: str(r.entry.cultivar_id) for r in found.results}
    return {of[m.entry]: m.lsmean for m in found.worked.means if m.lsmean is not None and m.entry in of}


def _plots_an_entry(found: Comparison) -> float:
    counts = [m.n for m in found.worked.means if m.n]
    return mean(counts) if counts else 0.0


def _plot_variance(found: Comparison) -> float:
    """As found from the plots; of plots that tell none, by the variation the trial was planned with."""
    own = found.analysis.mse if found.analysis.df_error and found.analysis.df_error >= 2 else None
    if own:
        return float(own)
    levels = [m.lsmean for m in found.worked.means if m.lsmean is not None]
    return (found.trial.cv_percent / 100 * mean(levels)) ** 2 if levels else 0.0


def _said(partner: Partner, found: Agreement, weight: float) -> str:
    parts = [f"kept by {partner.name}", f"{100 * found.complete:.0f} % of what was asked"]
    if found.apart is not None:
        parts.append(f"its check stands {found.apart:.1f} standard errors from where it stands at the main site")
    else:
        parts.append("its check cannot be set against the main site's yet")
    counts = f"counts {100 * weight:.0f} % of as many plots of the main site"
    return "; ".join([*parts, f"{counts}, as was said: {partner.weight_why}" if partner.weight is not None else counts])


def trials_of_partners() -> list[int]:
    """Of every trial that a grower elsewhere keeps, its id."""
    return list(Partner.objects.values_list("trial", flat=True))


def weight_of(trial: Trial, trait: Trait) -> tuple[float, str] | None:
    """The weight of a trial in a programme and why; None for one that is no partner's."""
    partner = Partner.objects.select_related("main", "trial").filter(trial=trial).first()
    if partner is None:
        return None
    mark = mark_of(partner, trait)
    return mark.weight, mark.said
