"""`analyse --kind`: records that are no plain values of plots, each by its own model."""

from __future__ import annotations

import sys
from collections.abc import Callable, Mapping, Sequence
from contextvars import ContextVar
from typing import Any

from trialcore.formats.cli.files import read_file
from trialcore.formats.cli.reckoning import number_in, p_text, read_columns, whole_in
from trialcore.formats.figures.blocks import Json
from trialcore.formats.figures.shown import shown_in, shown_rows
from trialcore.formats.sheet import Problem, lines_of
from trialcore.formats.table import Table

# The columns by which a kind is known where none is given, the most telling first.
KNOWN_BY: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("panel", ("judge", "entry", "value")),
    ("keeping", ("lot", "entry", "day", "sound", "lost")),
    ("shares", ("entry", "y", "n")),
    ("dates", ("entry", "looked", "reached")),
    ("covariate", ("entry", "covariate", "value")),
    ("environments", ("entry", "environment", "value")),
)
KINDS = (*(kind for kind, _ in KNOWN_BY), "counts", "scores", "checks", "programme")


SIGN: ContextVar[int] = ContextVar("sign", default=1)
"""1 where more is better, −1 where less is: of expected advantages and chances."""


def _laid(blocks: Mapping[str, object]) -> str:
    return "rcbd" if blocks else "crd"


def kind_of(file: str) -> str | None:
    """The kind that a file's columns show; None for plain values of plots."""
    head = lines_of(read_file(file))
    if isinstance(head, Problem):
        return None
    names = {name.casefold() for name in head.header}
    found = next((kind for kind, columns in KNOWN_BY if names.issuperset(columns)), None)
    if found:
        print(f"{file}: taken as {found}, from its columns", file=sys.stderr)
    return found


def figures_of(kind: str, file: str, checks: Sequence[str]) -> Json:
    """Every figure of a file of that kind, against the last of `checks`, or all of them. Raises ValueError for what cannot be."""
    if kind == "checks":
        return several_checks(file, checks)
    return READERS[kind](file, checks[-1] if checks else None)


def panel(file: str, check: str | None) -> Json:
    """Scores of a tasting: columns judge, entry and value, and rep where a sample was tasted twice."""
    from trialcore.analyses.panel import analyse_panel
    from trialcore.formats.figures.panel import panel_figures

    table = read_columns(file, ("judge", "entry", "rep"), ("value",), optional=("rep",))
    values = [number_in(table, "value", i) for i in range(len(table.lines))]
    found = analyse_panel(table.labels["judge"], table.labels["entry"], values, table.labels.get("rep"))
    shown = shown_in(
        "rcbd", "score", {"entry": table.labels["entry"], "rep": table.labels["judge"]}, values, check, sign=SIGN.get()
    )
    return panel_figures(found, check, len(values)) | {"shown": shown}


def keeping(file: str, check: str | None) -> Json:
    """Looks at lots in store: columns lot, entry, day, sound and lost."""
    from trialcore.formats.figures.keeping import keeping_figures, keeping_shown

    rows = keeping_rows(file)
    return keeping_figures(rows, check) | {"shown": keeping_shown(rows, check)}


def keeping_rows(file: str) -> Sequence[dict[str, Any]]:
    """The lines of a keeping sheet, as `keeping_figures` takes them."""
    table = read_columns(file, ("lot", "entry"), ("day", "sound", "lost"))
    return [
        {
            "lot": lot,
            "entry": table.labels["entry"][i],
            "day": number_in(table, "day", i),
            **{n: whole_in(file, table, n, i) for n in ("sound", "lost")},
        }
        for i, lot in enumerate(table.labels["lot"])
    ]


def shares(file: str, check: str | None) -> Json:
    """Units that were counted: columns entry, y of n, and rep where the plots lie in blocks."""
    from trialcore.analyses.generalised import analyse_generalised
    from trialcore.formats.figures.generalised import generalised_figures

    table = read_columns(file, ("entry", "rep"), ("y", "n"), optional=("rep",), may_be_blank=("y", "n"))
    y, n = (_whole(file, table, name) for name in ("y", "n"))
    blocks = {"rep": table.labels["rep"]} if "rep" in table.labels else {}
    percent = [100 * a / b if a is not None and b else None for a, b in zip(y, n, strict=True)]
    shown = shown_in(_laid(blocks), "share", {"entry": table.labels["entry"], **blocks}, percent, check, among=n, sign=SIGN.get())
    figures = generalised_figures(analyse_generalised("binomial", table.labels["entry"], y, n, blocks), check, len(y))
    return figures | {"shown": shown}


def counts(file: str, check: str | None) -> Json:
    """Counts of plots: columns entry and value, and rep where the plots lie in blocks."""
    from trialcore.analyses.generalised import analyse_generalised
    from trialcore.formats.figures.generalised import generalised_figures

    table = read_columns(file, ("entry", "rep"), ("value",), optional=("rep",), may_be_blank=("value",))
    y = _whole(file, table, "value")
    blocks = {"rep": table.labels["rep"]} if "rep" in table.labels else {}
    counted = [None if v is None else float(v) for v in y]
    shown = shown_in(_laid(blocks), "count", {"entry": table.labels["entry"], **blocks}, counted, check, sign=SIGN.get())
    figures = generalised_figures(analyse_generalised("poisson", table.labels["entry"], y, None, blocks), check, len(y))
    return figures | {"shown": shown}


def scores(file: str, check: str | None) -> Json:
    """Scores on a short scale: columns entry and value, and judge or rep for the blocks."""
    from trialcore.analyses.ordinal import analyse_ordinal
    from trialcore.formats.figures.scores import scores_figures

    table = read_columns(file, ("entry", "judge", "rep"), ("value",), optional=("judge", "rep"), may_be_blank=("value",))
    entry, values = table.labels["entry"], table.numbers["value"]
    name = next((n for n in ("judge", "rep") if n in table.labels), None)
    block = table.labels[name] if name else None
    try:
        found = analyse_ordinal(entry, values, {name: block} if name and block else {})
    except ValueError as reason:
        print(f"{file}: no ordinal model, {reason}", file=sys.stderr)
        found = None
    blocks = {"rep": list(block)} if block else {}
    shown = shown_in(_laid(blocks), "score", {"entry": entry, **blocks}, values, check, sign=SIGN.get())
    return scores_figures(found, entry, values, block, check) | {"shown": shown}


def dates(file: str, check: str | None) -> Json:
    """Days between two walks: columns entry, looked and reached, and rep where the plots lie in blocks."""
    from trialcore.formats.figures.dates import dates_figures

    blank = ("looked", "reached")
    table = read_columns(file, ("entry", "rep"), blank, optional=("rep",), may_be_blank=blank)
    looked, reached = (table.numbers[n] for n in blank)
    blocks = {"rep": table.labels["rep"]} if "rep" in table.labels else {}
    labels = {"entry": table.labels["entry"], **blocks}
    shown = shown_in(_laid(blocks), "days", labels, reached, check, after=looked, sign=SIGN.get())
    return dates_figures(table.labels["entry"], looked, reached, table.labels.get("rep"), check) | {"shown": shown}


def covariate(file: str, check: str | None) -> Json:
    """A value with a second measure of the plot: columns entry, covariate and value, and rep where the plots lie in blocks."""
    from trialcore.analyses.covariance import analyse_covariance
    from trialcore.formats.figures.covariance import covariance_figures

    both = ("covariate", "value")
    table = read_columns(file, ("entry", "rep"), both, optional=("rep",), may_be_blank=both)
    blocks = {"rep": table.labels["rep"]} if "rep" in table.labels else {}
    found = analyse_covariance(table.labels["entry"], table.numbers["value"], table.numbers["covariate"], blocks)
    means = {m.entry: (m.n, m.lsmean, m.lower95, m.upper95) for m in found.means}
    return covariance_figures(found, check) | {"shown": shown_rows(means, found.versus(check) if check else None, check)}


def environments(file: str, check: str | None) -> Json:
    """One trial in several environments: columns environment, entry and value, and rep for the blocks within each."""
    from trialcore.analyses.places import analyse_places
    from trialcore.formats.figures.places import places_figures, places_shown

    labels = ("entry", "environment", "rep")
    table = read_columns(file, labels, ("value",), optional=("rep",), may_be_blank=("value",))
    columns = {n: list(table.labels[n]) for n in labels if n in table.labels}
    value = list(table.numbers["value"])
    found = analyse_places(columns["entry"], value, columns["environment"], columns.get("rep"))
    return places_figures(found, check, columns, value) | {"shown": places_shown(found, check)}


def programme(file: str, check: str | None) -> Json:
    """Trials over years and places: columns season, site, rep, entry and value."""
    from trialcore.formats.figures.programme import programme_figures, programme_shown

    labels = ("entry", "season", "site", "rep")
    table = read_columns(file, labels, ("value",), may_be_blank=("value",))
    figures = programme_figures({n: list(table.labels[n]) for n in labels}, list(table.numbers["value"]), check)
    return figures | {"shown": programme_shown({n: list(table.labels[n]) for n in labels}, list(table.numbers["value"]), check)}


def several_checks(file: str, checks: Sequence[str]) -> Json:
    """Plain values set against several checks at once: columns entry and value, and rep where the plots lie in blocks."""
    from trialcore.analyses.blocks import analyse_blocks
    from trialcore.formats.figures.checks import checks_figures
    from trialcore.inference.checks import against_checks
    from trialcore.inference.comparisons import against_check

    table = read_columns(file, ("entry", "rep"), ("value",), optional=("rep",), may_be_blank=("value",))
    absent = [c for c in checks if c not in table.labels["entry"]]
    if absent:
        raise ValueError(f"no line has the entry “{absent[0]}”")
    blocks = {"rep": table.labels["rep"]} if "rep" in table.labels else {}
    analysis = analyse_blocks(table.labels["entry"], table.numbers["value"], blocks)
    found = against_checks(analysis, checks)
    if found is None:
        raise ValueError("too little is left to set entries against these checks")
    last = against_check(analysis, checks[-1])
    means = {m.entry: (m.n, m.lsmean, m.lower95, m.upper95) for m in analysis.means}
    return checks_figures(analysis, found) | {"shown": shown_rows(means, last, checks[-1])}


def scores_text(figures: Json) -> str:
    """What a person reads first of scores."""
    lines = [f"scores, {figures['n_observed']} plots"]
    expected = {r["entry"]: r["mean_score"] for r in figures["clm"]["predicted"]} if figures["clm"] else {}
    for r in sorted(figures["raw"], key=lambda r: -r["mean"]):
        more = f"  expected {expected[r['entry']]:.2f}" if r["entry"] in expected else ""
        lines.append(f"  {r['entry']:<14} mean {r['mean']:.2f}  median {r['median']:g}{more}")
    if figures["clm"]:
        f = figures["clm"]["entry_lr_as_F"]
        lines.append(f"entries differ: {p_text(f['p'])} (ordinal model, likelihood ratio as F)")
    ranks = figures["rank_based"].get("friedman", figures["rank_based"]["kruskal_wallis"])
    return "\n".join([*lines, f"by ranks: {p_text(ranks['p'])}"])


def covariate_text(figures: Json) -> str:
    """What a person reads first of a value with a covariate."""
    slope = figures["slope"]
    lines = [f"covariate, {figures['n_observed']} plots: {slope['estimate']:+.4g} by one of it ({p_text(slope['p'])})"]
    known = [m for m in figures["entry_means"] if m["adjusted_mean"] is not None]
    lines += [
        f"  {m['entry']:<14} {m['adjusted_mean']:9.4g}  SE {m['se']:.3g}  without it {m['unadjusted_lsmean']:.4g}"
        for m in sorted(known, key=lambda m: -m["adjusted_mean"])
    ]
    p = figures["covariate_as_response"]["p_entry"]
    if p is not None and p < 0.05:
        lines.append(f"entries differ in the covariate itself ({p_text(p)}): adjusting may take away what they are judged by")
    return "\n".join(lines)


def environments_text(figures: Json) -> str:
    """What a person reads first of a trial in several environments."""
    lines = [f"environments, {figures['n_observed']} plots"]
    lines += [
        f"  {t['term']:<20} F {t['F']:.3g} on {t['df_num']} and {t['df_den']:.1f} df, {p_text(t['p'])}" for t in figures["tests_kr"]
    ]
    lines += [f"  {m['environment']:<12} {m['entry']:<12} {m['mean']:9.4g}  SE {m['se_kr']:.3g}" for m in figures["cell_means"]]
    lines += [f"{c['entry']} changes sides between {' and '.join(c['environments'])}" for c in figures.get("crossing", [])]
    return "\n".join(lines)


def checks_text(figures: Json) -> str:
    """What a person reads first of entries against several checks."""
    checks = ", ".join(figures["checks"])
    lines = [f"checks {checks}: a t beyond {figures['critical_value_5pct_joint']:.3g} is no luck (5 % over all)"]
    lines += [
        f"  {r['entry']:<14} against {r['check']:<10} {r['estimate']:+.4g} ± {r['se']:.3g}  {p_text(r['p_joint'])}"
        for r in figures["comparisons"]
    ]
    return "\n".join(lines)


def _whole(file: str, table: Table, name: str) -> list[int | None]:
    """A column of whole numbers, blanks as None."""
    return [None if v is None else whole_in(file, table, name, i) for i, v in enumerate(table.numbers[name])]


def counted_text(figures: Json) -> str:
    """What a person reads first of shares or counts."""
    chosen = figures[figures["chosen"]]
    name = "share" if figures["kind"] == "shares" else "mean"
    lines = [f"{figures['kind']} by {figures['chosen'].replace('_', '-')}, {figures['n_observed']} plots"]
    ordered = sorted(chosen["entry_means"], key=lambda r: -r[name])
    low, high = f"{name}_lower95", f"{name}_upper95"
    lines += [f"  {m['entry']:<14} {m[name]:9.4g}  95 % {m[low]:.3g} to {m[high]:.3g}" for m in ordered]
    bare = [r["entry"] for r in figures.get("separated_entries", [])] + figures.get("entries_all_zero", [])
    if bare:
        lines.append(f"  {', '.join(bare)}: every unit, or none, was counted; no finite figure")
    lines += [f"{r['entry']} against {r['check']}: {p_text(r['p'])} (likelihood ratio)" for r in figures["likelihood_ratio_tests"]]
    return "\n".join(lines)


READERS: dict[str, Callable[[str, str | None], Json]] = {
    "panel": panel,
    "keeping": keeping,
    "shares": shares,
    "counts": counts,
    "scores": scores,
    "dates": dates,
    "covariate": covariate,
    "environments": environments,
    "programme": programme,
}
