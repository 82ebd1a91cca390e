"""`germination`, `sowing`, `degree-days`, `audpc` and `agreement`: small files in, figures out."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from dataclasses import asdict
from typing import Any

from trialcore.formats.cli.files import Unusable, guarded, read_file, refusing, show
from trialcore.formats.sheet import Problem
from trialcore.formats.table import Table, read_table

METHODS = ("average", "clipped", "mean-clipped", "sine", "sine-cutoff")


def add_reckonings(verbs: Any) -> None:
    """Put the verbs of this module on the command line."""
    add_verb(
        verbs,
        "germination",
        "tests of seed lots: share, speed, comparison",
        "columns lot, rep (optional), day, count, sown",
        _germination,
    )
    add_verb(
        verbs,
        "sowing",
        "seeds, packets and empty stations",
        "columns entry, stations, seeds, germination; field_factor, spare, packet",
        _sowing,
    )
    heat = add_verb(
        verbs, "degree-days", "degree days from daily temperatures", "columns tmin and tmax, one line a day", _degree_days
    )
    heat.add_argument("--base", type=float, required=True, help="base temperature, °C")
    heat.add_argument("--upper", type=float, help="upper temperature, °C")
    heat.add_argument("--method", choices=METHODS, default="sine-cutoff")
    add_verb(verbs, "audpc", "areas under progress curves", "columns unit, day, severity (percent)", _audpc)
    add_verb(verbs, "agreement", "agreement of raters on the same items", "columns item, rater, score", _agreement)


def add_verb(verbs: Any, name: str, said: str, columns: str, run: Callable[[argparse.Namespace], int]) -> argparse.ArgumentParser:
    """A verb that reads one file with these columns."""
    parser: argparse.ArgumentParser = verbs.add_parser(name, help=said)
    parser.add_argument("file", help=columns)
    parser.add_argument("--format", choices=("json", "text"), default="text")
    parser.set_defaults(run=guarded(run))
    return parser


def read_columns(
    file: str,
    labels: tuple[str, ...],
    numbers: tuple[str, ...],
    optional: tuple[str, ...] = (),
    may_be_blank: tuple[str, ...] = (),
) -> Table:
    """The columns of a file, of which the `optional` ones may be absent or blank, and cells of those that `may_be_blank`. Raises
    Unusable with every bad cell."""
    needed = [n for n in (*labels, *numbers) if n not in optional]
    blank = [n for n in numbers if n in optional or n in may_be_blank]
    table = read_table(read_file(file), labels, numbers, needed, may_be_blank=blank)
    if table.problems:
        raise Unusable(file, table.problems)
    return table


def number_in(table: Table, name: str, i: int, otherwise: float = 0.0) -> float:
    """A number of a line; `otherwise` where the column or the cell is empty."""
    value = table.numbers[name][i] if name in table.numbers else None
    return otherwise if value is None else value


def whole_in(file: str, table: Table, name: str, i: int, otherwise: int = 0) -> int:
    """A whole number of a line. Raises Unusable for any other."""
    value = number_in(table, name, i, otherwise)
    if value != int(value):
        raise Unusable(file, [Problem(table.lines[i], name, f"{value:g}", "a whole number")])
    return int(value)


def _germination(given: argparse.Namespace) -> int:
    from trialcore.reckoning import germination as g

    table = read_columns(given.file, ("lot", "rep"), ("day", "count", "sown"), optional=("rep",))
    lots: dict[str, dict[str, Any]] = {}
    for i, lot in enumerate(table.labels["lot"]):
        rep = table.labels["rep"][i] if "rep" in table.labels else "1"
        of = lots.setdefault(lot, {"days": {}, "sown": {}, "counts": {}})
        day, count = number_in(table, "day", i), whole_in(given.file, table, "count", i)
        of["days"][day] = of["days"].get(day, 0) + count
        of["counts"][rep] = of["counts"].get(rep, 0) + count
        sown = whole_in(given.file, table, "sown", i)
        if of["sown"].setdefault(rep, sown) != sown:
            raise Unusable(given.file, [Problem(table.lines[i], "sown", str(sown), f"{of['sown'][rep]}, as before for this test")])

    def reckon() -> dict[str, Any]:
        rows, totals = [], {}
        for lot, of in lots.items():
            days = sorted(of["days"])
            sown, count = sum(of["sown"].values()), sum(of["counts"].values())
            speed = g.germination_speed(days, [of["days"][d] for d in days])
            low, high = g.wilson_interval(count, sown)
            exact = g.exact_interval(count, sown)
            reps = g.compare_replicates(list(of["counts"].values()), [of["sown"][r] for r in of["counts"]])
            advice = g.judge_lot(count, sown)
            totals[lot] = (count, sown)
            rows.append(
                {
                    "lot": lot,
                    "germinated": count,
                    "sown": sown,
                    "germination_percent": 100 * count / sown,
                    "wilson_lower": low,
                    "wilson_upper": high,
                    "clopper_pearson_lower": exact[0],
                    "clopper_pearson_upper": exact[1],
                    "speed": asdict(speed) if speed else None,
                    "replicates": asdict(reps) if reps else None,
                    "verdict": advice.verdict.value,
                    "sow_thicker_by": advice.factor,
                }
            )
        names = list(totals)
        pairs = [
            {"lot_1": a, "lot_2": b, **asdict(g.compare_lots(*totals[a], *totals[b]))}
            for i, a in enumerate(names)
            for b in names[i + 1 :]
        ]
        return {"lots": rows, "comparisons": pairs}

    return show(refusing(given.file, reckon, "counts of newly germinated seeds by day"), given.format, _germination_text)


def _germination_text(figures: dict[str, Any]) -> str:
    lines = []
    for r in figures["lots"]:
        speed = f", half of them by day {r['speed']['t50']:.1f}" if r["speed"] and r["speed"]["t50"] is not None else ""
        interval = f"{100 * r['wilson_lower']:.0f}–{100 * r['wilson_upper']:.0f} %"
        lines.append(f"{r['lot']}: {r['germination_percent']:.0f} % ({interval}) of {r['sown']}{speed}: {r['verdict']}")
    for p in figures["comparisons"]:
        low, high = 100 * p["lower95"], 100 * p["upper95"]
        gap = f"{100 * p['difference']:+.0f} points, likely {low:.0f} to {high:.0f} ({p_text(p['fisher_p'])})"
        lines.append(f"{p['lot_2']} minus {p['lot_1']}: {gap}")
    return "\n".join(lines)


def p_text(p: float) -> str:
    """A probability as people write it."""
    return "p < 0.001" if p < 0.001 else f"p = {p:.3f}"


def _sowing(given: argparse.Namespace) -> int:
    from trialcore.reckoning.sowing import seeds_for_stations

    optional = ("field_factor", "spare", "packet")
    table = read_columns(given.file, ("entry",), ("stations", "seeds", "germination", *optional), optional)

    def reckon() -> list[dict[str, Any]]:
        rows = []
        for i, entry in enumerate(table.labels["entry"]):
            packet = whole_in(given.file, table, "packet", i) or None
            counts = [whole_in(given.file, table, name, i) for name in ("stations", "seeds", "spare")]
            shares = number_in(table, "germination", i), number_in(table, "field_factor", i, 1.0)
            try:
                need = seeds_for_stations(counts[0], counts[1], *shares, counts[2], packet)
            except ValueError as error:
                expected = "shares above nought and up to one, counts of at least one"
                raise Unusable(given.file, [Problem(table.lines[i], "", str(error), expected)]) from None
            rows.append({"entry": entry, **asdict(need)})
        return rows

    return show({"entries": reckon()}, given.format, _sowing_text)


def _sowing_text(figures: dict[str, Any]) -> str:
    return "\n".join(
        f"{r['entry']}: {r['stations']} stations × {r['seeds_per_station']} + {r['spare']} spare = {r['seeds']} seeds"
        + (f" = {r['packets']} packet{'s' if r['packets'] > 1 else ''}" if r["packets"] else "")
        + f"; {r['expected_empty']:.1f} stations stay empty on average"
        for r in figures["entries"]
    )


def _degree_days(given: argparse.Namespace) -> int:
    from trialcore.field.degree_days import degree_days

    table = read_columns(given.file, (), ("tmin", "tmax"))
    low, high = ([float(v or 0.0) for v in table.numbers[n]] for n in ("tmin", "tmax"))
    for i, (a, b) in enumerate(zip(low, high, strict=True)):
        if a > b:
            raise Unusable(given.file, [Problem(table.lines[i], "tmin", f"{a:g}", f"at most the maximum, {b:g} °C")])
    daily = refusing(
        given.file, lambda: degree_days(low, high, given.base, given.upper, given.method), "temperatures that go together"
    )
    figures = {
        "method": given.method,
        "base": given.base,
        "upper": given.upper,
        "daily": daily.tolist(),
        "total": float(daily.sum()),
    }
    return show(figures, given.format, lambda f: f"{f['total']:.1f} °C·days over {len(f['daily'])} days above {f['base']:g} °C")


def _audpc(given: argparse.Namespace) -> int:
    from trialcore.field.progress import progress_area

    table = read_columns(given.file, ("unit",), ("day", "severity"))
    units: dict[str, list[tuple[float, float]]] = {}
    for i, unit in enumerate(table.labels["unit"]):
        units.setdefault(unit, []).append((number_in(table, "day", i), number_in(table, "severity", i)))
    rows = []
    for unit, readings in units.items():
        readings.sort()
        try:
            found = progress_area([d for d, _ in readings], [x for _, x in readings])
        except ValueError as error:
            raise Unusable(given.file, [Problem(0, unit, str(error), "two or more readings, each day once")]) from None
        rows.append(
            {
                "unit": unit,
                "audpc": found.area,
                "relative_audpc": found.relative,
                "standardised_audpc": found.standardised,
                "audps": found.stairs,
                "days": found.days,
            }
        )
    return show({"units": rows}, given.format, _audpc_text)


def _audpc_text(figures: dict[str, Any]) -> str:
    return "\n".join(
        f"{r['unit']}: {r['audpc']:.1f} %·days over {r['days']:g} days, mean severity {r['standardised_audpc']:.1f} %"
        for r in figures["units"]
    )


def _agreement(given: argparse.Namespace) -> int:
    from trialcore.analyses.ranks import kendall_w
    from trialcore.field.raters import lin_concordance, weighted_kappa

    table = read_columns(given.file, ("item", "rater"), ("score",))
    scores: dict[str, dict[str, float]] = {}
    for i, (item, rater) in enumerate(zip(table.labels["item"], table.labels["rater"], strict=True)):
        if item in scores.setdefault(rater, {}):
            raise Unusable(given.file, [Problem(table.lines[i], "item", item, f"each item once for {rater}")])
        scores[rater][item] = number_in(table, "score", i)
    raters = list(scores)
    if len(raters) < 2:
        raise Unusable(given.file, [Problem(0, "rater", f"{len(raters)} rater", "at least two raters")])
    common = [item for item in scores[raters[0]] if all(item in scores[r] for r in raters)]

    def reckon() -> dict[str, Any]:
        pairs = []
        for i, a in enumerate(raters):
            for b in raters[i + 1 :]:
                both = [item for item in scores[a] if item in scores[b]]
                x, y = [scores[a][k] for k in both], [scores[b][k] for k in both]
                whole = all(v == int(v) for v in (*x, *y)) and max(*x, *y) - min(*x, *y) <= 1000
                kappa = weighted_kappa([int(v) for v in x], [int(v) for v in y]) if whole else None
                pairs.append({"rater_1": a, "rater_2": b, **asdict(lin_concordance(x, y)), "weighted_kappa": kappa})
        made: dict[str, Any] = {"items": len(common), "pairs": pairs}
        if len(common) >= 2:
            w = kendall_w([[scores[r][k] for k in common] for r in raters])
            made["kendall_w"] = {
                "w": w.w,
                "chi_square": w.chi_square,
                "df": w.df,
                "p": w.p,
                "mean_pairwise_spearman": w.mean_spearman,
            }
        return made

    return show(refusing(given.file, reckon, "scores of the same items by each rater"), given.format, _agreement_text)


def _agreement_text(figures: dict[str, Any]) -> str:
    lines = [
        f"{p['rater_1']} and {p['rater_2']}: concordance {p['concordance']:.2f} on {p['n']} items; the first scores "
        f"{p['mean_difference']:+.2f} on average"
        for p in figures["pairs"]
    ]
    if "kendall_w" in figures:
        lines.append(f"all together: Kendall's W {figures['kendall_w']['w']:.2f}")
    return "\n".join(lines)
