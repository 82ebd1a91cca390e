"""Augmented blocks: checks repeated in every block, new entries once each (Federer 1956)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from trialcore.analyses.blocks import AnovaRow, BlockAnalysis, analyse_blocks
from trialcore.analyses.incomplete import EntryBlup, anova_line
from trialcore.analyses.linear import Coded, Floats, Labels, fit
from trialcore.analyses.mixed import MixedFit, fit_reml, incidence
from trialcore.analyses.printing import page, table
from trialcore.inference.comparisons import Difference, SedRange, all_pairs, holm_adjusted

KINDS = ("check_check", "entry_entry_same_block", "entry_entry_different_block", "entry_check")


@dataclass(frozen=True, eq=False)
class RandomNewEntries:
    """Checks and the mean of the new entries fixed, new entries and blocks random (REML)."""

    fit: MixedFit
    fixed: dict[str, float]
    blups: tuple[EntryBlup, ...]


@dataclass(frozen=True, eq=False)
class Augmented:
    """What `analyse_augmented` found. `spread` and `closed_form` give standard errors of a difference by kind of pair;
    the closed forms hold when every block holds every check once. `versus` is each new entry minus `best_check`."""

    analysis: BlockAnalysis
    checks: tuple[str, ...]
    new: tuple[str, ...]
    blocks_first: tuple[AnovaRow, ...]
    entries_first: tuple[AnovaRow, ...]
    partition: tuple[AnovaRow, ...]
    block_effects: dict[str, float]
    spread: dict[str, SedRange]
    closed_form: dict[str, float]
    cv_checks_percent: float | None
    best_check: str | None
    versus: tuple[Difference, ...]
    random: RandomNewEntries | None
    cannot_say: tuple[str, ...]

    def __str__(self) -> str:
        return page(
            str(self.analysis),
            (
                self.versus
                and table(
                    f"Minus {self.best_check}", self.versus, entry="a", difference="estimate", se="se", t="t", p="p_unadjusted"
                )
            )
            or "",
        )


def analyse_augmented(entry: Labels, value: Sequence[float | None], block: Labels) -> Augmented:
    """Analyse augmented blocks: value = block + entry + error by least squares, means averaged over blocks equally.

    An entry laid out in more than one block is a check. A new entry whose only plot is missing drops out.
    Raises ValueError when there is no check or no new entry, or the lengths differ.
    """
    where: dict[str, set[str]] = {}
    for name, b in zip(entry, block, strict=True):
        where.setdefault(name, set()).add(b)
    checks = tuple(sorted(name for name, blocks in where.items() if len(blocks) > 1))
    if not checks or len(checks) == len(where):
        raise ValueError("augmented blocks need checks that are repeated and new entries that are not")
    y = np.array([np.nan if v is None else v for v in value], dtype=float)
    seen = np.flatnonzero(np.isfinite(y)).tolist()
    names, blocks, kept = [entry[i] for i in seen], [block[i] for i in seen], y[seen]
    analysis = analyse_blocks(names, kept, {"block": blocks})
    new = tuple(sorted(set(names) - set(checks)))
    judged = [m for m in analysis.means if m.entry in checks and m.lsmean is not None]
    best = max(judged, key=lambda m: m.lsmean or 0.0).entry if judged else None
    pairs = all_pairs(analysis)
    at = dict(zip(names, blocks, strict=True))
    grouped: dict[str, list[float]] = {kind: [] for kind in KINDS}
    for d in pairs:
        grouped[_kind(d, checks, at)].append(d.se)
    cannot = list(analysis.cannot_say)
    random = None
    try:
        random = _random(kept, names, blocks, checks)
    except ValueError as reason:
        cannot.append(f"No mixed model could be fitted: {reason}.")
    orders = _orders(kept, names, blocks, checks) if seen else ((), (), ())
    check_values = [v for n, v in zip(names, kept, strict=True) if n in checks]
    return Augmented(
        analysis=analysis,
        checks=checks,
        new=new,
        blocks_first=orders[0],
        entries_first=orders[1],
        partition=orders[2],
        block_effects=_block_effects(kept, names, blocks) if seen else {},
        spread={kind: _spread(np.array(ses)) for kind, ses in grouped.items() if ses},
        closed_form=_closed_form(analysis.mse, len(set(blocks)), len(checks)) if analysis.mse else {},
        cv_checks_percent=100 * float(np.sqrt(analysis.mse)) / float(np.mean(check_values)) if analysis.mse else None,
        best_check=best,
        versus=_versus(pairs, best, new) if best is not None else (),
        random=random,
        cannot_say=tuple(cannot),
    )


def _kind(d: Difference, checks: Sequence[str], at: dict[str, str]) -> str:
    in_checks = (d.a in checks) + (d.b in checks)
    if in_checks:
        return "check_check" if in_checks == 2 else "entry_check"
    return "entry_entry_same_block" if at[d.a] == at[d.b] else "entry_entry_different_block"


def _spread(se: Floats) -> SedRange:
    return SedRange(float(se.mean()), float(np.sqrt((se**2).mean())), float(se.min()), float(se.max()), len(se))


def _closed_form(mse: float, b: int, c: int) -> dict[str, float]:
    """Standard errors of a difference when no check is missing (Federer and Raghavarao 1975)."""
    variances = (2 * mse / b, 2 * mse, 2 * mse * (1 + 1 / c), mse * (1 + 1 / b + 1 / c - 1 / (b * c)))
    return dict(zip(KINDS, (float(np.sqrt(v)) for v in variances), strict=True))


def _versus(pairs: Sequence[Difference], best: str, new: Sequence[str]) -> tuple[Difference, ...]:
    rows = []
    for d in pairs:
        if best in (d.a, d.b) and (d.a in new or d.b in new):
            sign = 1 if d.b == best else -1
            rows.append((d.a if sign > 0 else d.b, sign, d))
    p = np.array([d.p_unadjusted for _, _, d in rows])
    holm, m = holm_adjusted(p) if len(p) else p, len(p)
    return tuple(
        Difference(
            name,
            best,
            sign * d.estimate,
            d.se,
            d.df,
            sign * d.t,
            d.p_unadjusted,
            min(1.0, m * d.p_unadjusted),
            float(q),
            float("nan"),
            -float(np.expm1(m * np.log1p(-min(d.p_unadjusted, 1 - 1e-16)))),
        )
        for (name, sign, d), q in zip(rows, holm, strict=True)
    )


def _orders(
    y: Floats, entry: Labels, block: Labels, checks: Sequence[str]
) -> tuple[tuple[AnovaRow, ...], tuple[AnovaRow, ...], tuple[AnovaRow, ...]]:
    group = ["check" if e in checks else "new" for e in entry]
    check = [e if e in checks else "" for e in entry]
    nothing, blocks, entries = fit(y, {}), fit(y, {"block": block}), fit(y, {"entry": entry})
    groups = fit(y, {"block": block, "group": group})
    among = fit(y, {"block": block, "group": group, "check": check})
    full = fit(y, {"block": block, "entry": entry})
    error = AnovaRow("Error", full.df_error, full.rss, full.mse)
    total = AnovaRow("Total (corrected)", len(y) - 1, nothing.rss)
    return (
        (
            anova_line("block (unadjusted)", nothing, blocks, full),
            anova_line("entry (adjusted for blocks)", blocks, full, full),
            error,
            total,
        ),
        (
            anova_line("entry (unadjusted)", nothing, entries, full),
            anova_line("block (adjusted for entries)", entries, full, full),
            error,
        ),
        (
            anova_line("checks versus new entries (adjusted for blocks)", blocks, groups, full),
            anova_line("among checks (adjusted for blocks and group)", groups, among, full),
            anova_line("among new entries (adjusted for blocks and checks)", among, full, full),
        ),
    )


def _block_effects(y: Floats, entry: Labels, block: Labels) -> dict[str, float]:
    """Each block's deviation from their plain mean, adjusted for the entries in it."""
    found = analyse_blocks(block, y, {"grown in it": entry})
    level = found.level - found.level.mean()
    return {m.entry: float(v) for m, v in zip(found.means, level, strict=True)}


def _random(y: Floats, entry: Labels, block: Labels, checks: Sequence[str]) -> RandomNewEntries:
    present = sorted(set(entry) & set(checks))
    new = sorted(set(entry) - set(checks))
    x = incidence([e if e in checks else "" for e in entry], ["", *present])
    is_new = np.array([e not in checks for e in entry])
    z = np.zeros((len(y), len(new)))
    place = {name: i for i, name in enumerate(new)}
    for i in np.flatnonzero(is_new).tolist():
        z[i, place[entry[i]]] = 1.0
    found = fit_reml(y, x, {"new_entry": z, "block": Coded.of(block)})
    vg = found.variances["new_entry"]
    spread = np.diag(found.effect_covariance["new_entry"])
    mean = float(found.beta[0])
    blups = tuple(
        EntryBlup(name, float(u), mean + float(u), float(v), 1 - float(v) / vg if vg > 0 else None)
        for name, u, v in zip(new, found.effects["new_entry"], spread, strict=True)
    )
    return RandomNewEntries(found, dict(zip(["new", *present], map(float, found.beta), strict=True)), blups)
