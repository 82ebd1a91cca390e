"""What pages show of a comparison, under one name for every kind of record: `shown`, a list with one line an entry."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from trialcore.analyses.choice import Columns, Kind
from trialcore.analyses.entries import EntryComparison, compare_entries
from trialcore.formats.figures.blocks import Json, plain, versus_figures
from trialcore.inference.comparisons import AgainstCheck, chance_above
from trialcore.inference.priors import Prior
from trialcore.inference.season_means import season_of
from trialcore.inference.shrunken import shrink

Values = Sequence[float | None]
COMPARED_ALONE = ("crd", "rcbd", "latin", "alpha", "augmented", "blocks", "split-plot", "strip-plot", "factorial")


def shown_of(found: EntryComparison, check: str | None, sign: int = 1, prior: Prior | None = None) -> list[Json]:
    """One line an entry, as the page that compares them has it: `mean` on the scale recorded with `mean_lower95` and
    `mean_upper95`, its `difference` from the check with `lower95` and `upper95`, the `expected_advantage` over the check and the
    `chance` (0 to 1) of beating it, and the plots `n`. `sign` is −1 where less is better. What cannot be estimated is null."""
    advantages: dict[str, tuple[float | None, float]] = {}
    if found.versus is not None:  # where there is no error of single means, each by its own plots
        advantages = {d.a: (None, chance_above(sign * d.estimate, d.se, d.df)) for d in found.versus.differences}
    if check is not None:
        names = {m.entry: m.entry for m in found.means}
        season = season_of(found, check, sign, names)
        worked = shrink([season], prior) if season else None
        advantages |= {a.entry: (a.kept, a.chance) for a in worked.advantages} if worked else {}
    means = {m.entry: (m.n, m.lsmean, m.lower95, m.upper95) for m in found.means}
    return shown_rows(means, found.versus, check, advantages)


def shown_rows(
    means: Mapping[str, tuple[int, float | None, float | None, float | None]],
    versus: AgainstCheck | None,
    check: str | None,
    advantages: Mapping[str, tuple[float | None, float]] | None = None,
) -> list[Json]:
    """The lines of `shown` from means (plots, mean, its interval), differences, and expected advantage and chance by entry."""
    ends: dict[str, tuple[float, float, float]] = {}
    if versus is not None:
        low, high = versus.interval(versus.critical_each)
        ends = {d.a: (d.estimate, float(a), float(b)) for d, a, b in zip(versus.differences, low, high, strict=True)}
    if check in means:
        ends.setdefault(str(check), (0.0, 0.0, 0.0))
    rows = []
    for entry, (n, mean, lower, upper) in means.items():
        difference = ends.get(entry) if mean is not None else None
        kept = (advantages or {}).get(entry)
        rows.append(
            {
                "entry": entry,
                "n": n,
                "mean": mean,
                "mean_lower95": lower,
                "mean_upper95": upper,
                "difference": difference[0] if difference else None,
                "lower95": difference[1] if difference and entry != check else None,
                "upper95": difference[2] if difference and entry != check else None,
                "expected_advantage": kept[0] if kept else None,
                "chance": kept[1] if kept else None,
            }
        )
    return rows


def shown_in(
    design: str,
    kind: Kind,
    labels: Columns,
    value: Values,
    check: str | None,
    entries_whole: bool = False,
    among: Sequence[int | None] | None = None,
    after: Values | None = None,
    sign: int = 1,
) -> list[Json]:
    """The same from plots, by the analysis that pages use for the design and the kind of record."""
    return shown_of(compare_entries(design, kind, labels, value, check, entries_whole, among, after), check, sign)


def shown_figures(found: EntryComparison) -> Json:
    """The model and why it is this one, the mean of each entry and every difference from the check, in the unit recorded."""
    columns = ("entry", "n", "raw_mean", "lsmean", "se", "lower95", "upper95", "why")
    made: Json = {
        "model": found.choice.model,
        "errors": found.choice.errors,
        "why": found.choice.why,
        "entry_means": [{c: getattr(m, c) for c in columns} for m in found.means],
    }
    if found.versus is not None:
        made["vs_check"] = versus_figures(found.versus)
    return dict(plain(made))
