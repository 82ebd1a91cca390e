"""What a comparison reads: the records of a trial, handed to the science of `analysis`."""

from __future__ import annotations

from typing import Any

from evarlo.catalogue.models import Trait
from evarlo.compare.analysis import (
    Comparison,
    Years,
    between_looks,
    between_walks,
    check_among,
    critical_of,
    digits_for,
    lasts,
    plot_values,
    results_of,
    typical_error,
    within_scale,
    worked_out,
)
from evarlo.compare.honest import honestly
from evarlo.nursery.queries import sown_on
from evarlo.trials.models import Entry, Plot, Trial
from evarlo.trials.queries import criteria_of, entry_names, plots_of, readings_of
from evarlo.trials.registry import registry
from evarlo.ui.unchanged import each_told
from evarlo.walks.queries import lasted
from evarlo.walks.stages import windows
from trialcore.inference.comparisons import Guard, sed_of_differences


def compare(trial: Trial, trait: Trait, user: Any, guard: Guard = "each", plain: bool = False, against: str = "") -> Comparison:
    """Analyse one trait of a trial and set every entry against the check, or a further one by its code, the best first."""
    plots = plots_of(trial)
    check = next((p.entry for p in plots if p.entry.any_check and p.entry.code == against), None)
    return honestly(compare_plots(trial, trait, plots, entry_names(trial, user), guard, plain, check))


def guard_of(trial: Trial) -> Guard:
    """What the comparisons of a trial are held to: each on its own, or all together."""
    return "family" if trial.family_guard else "each"


def compare_plots(
    trial: Trial,
    trait: Trait,
    plots: list[Plot],
    names: dict[int, str],
    guard: Guard = "each",
    plain: bool = False,
    check: Entry | None = None,
) -> Comparison:
    """As `compare`, for plots and names that were read already."""
    values = plot_values(trait, plots, readings_of(trial, trait))
    if trait.kind == Trait.Kind.DATE:
        values = between_walks(values, _walks_between(trial, trait))
    numbers = [v.value for v in values]
    if lasts(trait) and not plain:
        assert trait.of
        values, numbers = between_looks(values, lasted(trial, trait.of))
    check, sign = check or check_among(plots), direction_of(trial, trait)
    worked = worked_out(trial, trait, plots, numbers, check, values, plain)
    results = [within_scale(r, trait) for r in results_of(plots, names, worked, check, sign, guard)]
    against, critical = typical_error(worked), critical_of(worked.versus, guard)
    spread = None if worked.two else sed_of_differences(worked.analysis)
    base = next((r.mean.lsmean for r in results if check and r.entry.pk == check.pk), None)
    by_kind = worked.choice.errors != "normal"
    alike = not by_kind or worked.choice.errors == "censored"  # one width holds for every entry, nearly
    band = critical * against if critical and against and alike else None
    otherwise: tuple[tuple[str, str], ...] = ()
    if by_kind:
        words = {r.entry.pk: r.word for r in results}
        plain_one = worked_out(trial, trait, plots, [v.value for v in values], check, values, plain=True)
        plainly = results_of(plots, names, plain_one, check, sign, guard)
        otherwise = tuple((r.name, r.word) for r in plainly if r.word != words[r.entry.pk])
    return Comparison(
        trial,
        trait,
        sign,
        guard,
        check,
        names[check.pk] if check else "",
        worked,
        tuple(results),
        values,
        digits=digits_for(spread.average if spread else against, trait.decimals),
        band=band,
        band_percent=100 * band / base if band and base and base > 0 else None,
        plain=plain,
        otherwise=otherwise,
    )


def _walks_between(trial: Trial, trait: Trait) -> dict[int, tuple[float | None, float | None]]:
    """Days from sowing to the last walk without a stage and the first with it, by plot id."""
    sown = sown_on(trial)
    found: dict[int, tuple[float | None, float | None]] = {}
    for plot, window in windows(trial, trait).items():
        if plot in sown:
            after, by = ((day - sown[plot]).days if day else None for day in (window.after, window.by))
            found[plot] = (None if window.exact else after, by)
    return found


def over_years(trial: Trial, user: Any) -> Years:
    """Sum what each plot bore over the trial and those before it, in the declared unit, and compare the sums by the trial's own
    design. A plot left out in any year, or without a pick in it, has no sum."""
    trait = Trait.objects.get(key="marketable-yield")
    years, plots = trial.years, plots_of(trial)
    by_number: list[dict[str, float]] = []
    for year in years:
        there = plots_of(year)
        values = plot_values(trait, there, readings_of(year, trait))
        by_number.append({v.plot.number: v.value * year.output_per_kg for v in values if v.value is not None})
    sums = [sum(b[p.number] for b in by_number) if all(p.number in b for b in by_number) else None for p in plots]
    check = check_among(plots)
    worked = worked_out(trial, trait, plots, sums, check)
    rows = []
    for result in results_of(plots, entry_names(trial, user), worked, check, sign=1):
        own = [p.number for p in plots if p.entry_id == result.entry.pk]
        rows.append((result, tuple(_mean([b[n] for n in own if n in b]) for b in by_number)))
    digits, unit = digits_for(typical_error(worked), 1), f"{trial.output_unit or 'kg'}/m²"
    return Years(tuple(years), unit, digits, tuple(rows), sum(v is None for v in sums), worked.versus)


def _mean(values: list[float]) -> float | None:
    return sum(values) / len(values) if values else None


def said_of(trial: Trial) -> list[str]:
    """What events and care add to every comparison, in words."""
    return [words for told in each_told(registry.marks, trial) for words in told]


def direction_of(trial: Trial, trait: Trait) -> int:
    """+1 when higher is better in this trial, -1 when lower is."""
    return next((c.sign for c in criteria_of(trial) if c.trait_id == trait.pk), trait.sign)
