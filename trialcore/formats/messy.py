"""A trial read from a sheet as people keep it: what each column means is proposed, what is doubtful is asked, and what comes out is
a plain table of plots.

A sheet is a grid of text cells. `understand` proposes, or takes what a person has chosen; nothing is dropped or turned without
being said, and a number that can be read in two ways is asked about instead of read.
"""

from __future__ import annotations

import csv
import io
import re
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from statistics import fmean

from trialcore.formats.headers import Grid, header_line, is_number, names_of
from trialcore.formats.meanings import SUMMED, meaning_of, replicate_of, told_unit
from trialcore.formats.numerals import DECIMALS, Numerals, numerals_of
from trialcore.formats.plots import LABELS
from trialcore.formats.sheet import MISSING
from trialcore.reckoning.names import folded, near_duplicates

MOST_TWINS = 12
MASS = {"kg": 1.0, "g": 0.001, "t": 1000.0, "lb": 0.45359237, "lbs": 0.45359237, "oz": 0.028349523125}


@dataclass(frozen=True)
class Choice:
    """One way to take a doubtful thing: its key and the words for it."""

    key: str
    said: str


@dataclass(frozen=True)
class Question:
    """What the sheet leaves open. `chosen` is empty until a person has said; `proposed` is what looks likelier, if anything."""

    key: str
    text: str
    choices: tuple[Choice, ...]
    proposed: str = ""
    chosen: str = ""


@dataclass(frozen=True)
class Column:
    """A column of the sheet: its header, what it is taken for (a key of `MEANINGS`, or `rep:2`, `day:2026-07-01`), the trait and
    unit of its values, and some of its cells."""

    at: int
    name: str
    meaning: str
    trait: str = ""
    unit: str = ""
    sample: tuple[str, ...] = ()


@dataclass(frozen=True)
class Understood:
    """A sheet as it was understood. `tidy` is the plain table (tab-separated, header first), empty while a question is open;
    `lines` the line of the sheet that each of its lines came from; `left_out` lines that are no plots, and why."""

    header: int
    columns: tuple[Column, ...]
    left_out: Mapping[int, str]
    questions: tuple[Question, ...]
    notes: tuple[str, ...]
    tidy: str
    lines: tuple[int, ...] = ()
    title: str = ""  # what stands above the names of the columns
    plain: bool = False  # whether it needed nothing: one line a plot under names that are known

    @property
    def open(self) -> tuple[Question, ...]:
        """The questions that nobody has answered yet."""
        return tuple(q for q in self.questions if not q.chosen)


@dataclass
class _Work:
    grid: Grid
    chosen: Mapping[str, str]
    read_day: Callable[[str], date | None]
    questions: list[Question] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)

    def ask(self, key: str, text: str, choices: Sequence[Choice], proposed: str = "") -> str:
        """Ask, and what was answered; empty while nobody has."""
        answer = self.chosen.get(key, "")
        answer = answer if answer in {c.key for c in choices} else ""
        self.questions.append(Question(key, text, tuple(choices), proposed, answer))
        return answer

    def say(self, note: str) -> None:
        if note not in self.notes:
            self.notes.append(note)


def understand(grid: Grid, chosen: Mapping[str, str], read_day: Callable[[str], date | None]) -> Understood:
    """Read a grid of cells. `chosen` holds what a person said: `header` (line from nought), `mean:3` (a column's meaning), `keep:7`
    (a line is a plot after all, or not: yes, no), and the answers to questions by their keys. `read_day` reads a date.

    An empty grid, or one without a header, is understood as no columns.
    """
    wide = max((len(row) for row in grid), default=0)
    rows = [[" ".join(str(c).split()) for c in row] + [""] * (wide - len(row)) for row in grid]
    work = _Work(rows, chosen, read_day)
    said = chosen.get("header", "")
    header = int(said) if said.isdecimal() and int(said) < len(rows) else header_line(rows, read_day)
    if header is None:
        return Understood(0, (), {}, (), (), "")
    names, top, first = names_of(rows, header)
    if first - top > 1:
        work.say(f"The names of the columns take {first - top} lines and are put together.")
    columns = _columns(work, names, first)
    body = _filled(work, columns, [(i, list(rows[i])) for i in range(first, len(rows)) if any(rows[i])])
    left_out = _no_plots(work, columns, names, body)
    kept = [(i, row) for i, row in body if i not in left_out]
    columns = _without_totals(work, columns, kept)
    title = " ".join(c for i in range(top) for c in rows[i] if c)[:200]
    if title:
        work.say(f"Above the names of the columns stands “{title[:80]}”; it is left out.")
    figures = {c.at: _figures(work, c, kept) for c in columns if _holds_values(c)}
    entries = _one_name(work, columns, kept)
    simple = not any(":" in c.meaning or c.meaning in ("date", "leave") for c in columns)
    plain = simple and not (left_out or work.questions or work.notes)
    if any(not q.chosen for q in work.questions):
        return Understood(header, columns, left_out, tuple(work.questions), tuple(work.notes), "")
    tidy, lines = _tidy(work, columns, kept, figures, entries)
    return Understood(header, columns, left_out, tuple(work.questions), tuple(work.notes), tidy, lines, title, plain)


def _holds_values(column: Column) -> bool:
    return column.meaning == "value" or ":" in column.meaning


def _columns(work: _Work, names: Sequence[str], first: int) -> tuple[Column, ...]:
    """What each column is taken for, as a person chose or as its name and cells speak for it."""
    body = [row for row in work.grid[first:] if any(row)]
    made: list[Column] = []
    roles: set[str] = set()
    for k, name in enumerate(names):
        cells = [row[k] for row in body]
        sample = tuple(c for c in cells if c)[:3]
        if not name and not sample:
            continue
        trait, unit = told_unit(name)
        given = work.chosen.get(f"mean:{k}", "")
        meaning = given or _meaning(work, name, cells, roles)
        if meaning in LABELS:
            roles.add(meaning)
        if meaning.startswith("rep:"):
            trait, unit = told_unit(_stem(name))
            trait = trait or "value"
        if meaning.startswith("day:"):
            trait, unit = "value", ""
        made.append(Column(k, name or f"column {k + 1}", meaning, trait or f"column {k + 1}", unit, sample))
    return _entry_found(work, _wide(made, "rep" in roles), body)


def _stem(name: str) -> str:
    """What is left of “Yield R1” without its replicate."""
    found = re.match(
        r"(.*?)[\s_,-]*(?:rep|replicate|block|blk|r|b|wdh|wiederholung|bloc|bloque|repetition)?[.\s_-]*(?:[0-9]{1,2}|[IVX]+)$",
        name,
        re.I,
    )
    return found[1].strip() if found else ""


def _meaning(work: _Work, name: str, cells: Sequence[str], roles: set[str]) -> str:
    known = meaning_of(name)
    present = [c for c in cells if c.casefold() not in MISSING]
    if known in LABELS and known not in roles:
        return known
    if known in ("date", "note", "leave"):
        return known
    if day := work.read_day(name):
        return f"day:{day.isoformat()}"
    numbers = sum(is_number(c) for c in present)
    if present and numbers < 0.5 * len(present):
        return "note"
    if rep := replicate_of(name):
        return f"rep:{rep}"
    return "value" if numbers else "note"


def _wide(columns: list[Column], has_rep: bool) -> list[Column]:
    """A column a replicate is one of several, and only where no column tells the replicate already."""
    of_rep: dict[str, int] = Counter(c.trait for c in columns if c.meaning.startswith("rep:"))
    made = []
    for c in columns:
        alone = c.meaning.startswith("rep:") and (has_rep or of_rep[c.trait] < 2)
        made.append(Column(c.at, c.name, "value", *told_unit(c.name), c.sample) if alone else c)
    return made


def _entry_found(work: _Work, columns: list[Column], body: Grid) -> tuple[Column, ...]:
    """Where no column is named as the entries, the first of words that repeat or differ may be it."""
    if any(c.meaning == "entry" for c in columns):
        return tuple(columns)
    free = [c for c in columns if f"mean:{c.at}" not in work.chosen]
    words = [c for c in free if c.meaning == "note" and sum(bool(row[c.at]) for row in body) >= len(body) / 3]
    if not words:
        return tuple(columns)
    first = words[0]
    work.say(f"“{first.name}” is taken as the entries, since no column is named so.")
    return tuple(Column(c.at, c.name, "entry", c.trait, c.unit, c.sample) if c is first else c for c in columns)


def _filled(work: _Work, columns: Sequence[Column], body: list[tuple[int, list[str]]]) -> list[tuple[int, list[str]]]:
    """Labels written once for the lines below them, filled in."""
    for c in columns:
        if c.meaning not in ("entry", "rep", "site", "season", "block", "factor2"):
            continue
        others = [o.at for o in columns if _holds_values(o)]
        told = [(i, row) for i, row in body if any(row[k] for k in others)]
        if not told or not told[0][1][c.at] or not _written_once(bool(row[c.at]) for _, row in told):
            continue
        work.say(f"Where “{c.name}” is blank it is taken as on the line above.")
        before = ""
        for _, row in body:
            before = row[c.at] = row[c.at] or before
    return body


def _written_once(filled: Iterable[bool]) -> bool:
    """Whether a label stands on the first of several lines each time, and nowhere else."""
    groups = re.findall(r"x-*", "".join("x" if there else "-" for there in filled))
    return len(groups) > 0 and all(len(g) > 1 for g in groups)


def _no_plots(
    work: _Work, columns: Sequence[Column], names: Sequence[str], body: Sequence[tuple[int, list[str]]]
) -> dict[int, str]:
    """Lines that are no plots: sums and means, the names once more, remarks."""
    labels = [c.at for c in columns if c.meaning in LABELS]
    values = [c.at for c in columns if _holds_values(c)]
    entry = next((c.at for c in columns if c.meaning == "entry"), None)
    found: dict[int, str] = {}
    for i, row in body:
        why = ""
        if any(SUMMED.fullmatch(row[k].rstrip(":").casefold()) for k in labels if row[k]):
            why = "a sum or mean"
        elif [c for c in row if c] == [n for n in names if n]:
            why = "the names once more"
        elif values and not any(row[k] for k in values) and sum(bool(c) for c in row) < max(2, len(labels)):
            why = "a remark"
        elif entry is not None and not row[entry] and len(labels) > 1:
            why = "no entry"
        given = work.chosen.get(f"keep:{i}", "")
        if given == "no" or (why and given != "yes"):
            found[i] = why or "left out by you"
    for why, n in Counter(found.values()).items():
        work.say(f"{n} {'line is' if n == 1 else 'lines are'} left out: {why}.")
    return found


def _without_totals(work: _Work, columns: tuple[Column, ...], rows: Sequence[tuple[int, list[str]]]) -> tuple[Column, ...]:
    """A column that holds the sum or the mean of the replicates or days beside it is left out."""
    parts = [c.at for c in columns if ":" in c.meaning]
    made = []
    for c in columns:
        if c.meaning == "value" and parts and f"mean:{c.at}" not in work.chosen and _sums(rows, parts, c.at):
            work.say(f"“{c.name}” is the sum or mean of the columns beside it and left out.")
            c = Column(c.at, c.name, "leave", c.trait, c.unit, c.sample)
        made.append(c)
    return tuple(made)


def _sums(rows: Sequence[tuple[int, list[str]]], parts: Sequence[int], at: int) -> bool:
    told = []
    for _, row in rows:
        some = [float(t) for k in parts if re.fullmatch(r"-?[0-9]+(\.[0-9]+)?", t := row[k].replace(",", "."))]
        total = row[at].replace(",", ".")
        if some and re.fullmatch(r"-?[0-9]+(\.[0-9]+)?", total):
            near = max(0.06, 0.005 * abs(float(total)))
            told.append(min(abs(float(total) - sum(some)), abs(float(total) - fmean(some))) <= near)
    return len(told) > 1 and all(told)


def _figures(work: _Work, column: Column, rows: Sequence[tuple[int, list[str]]]) -> dict[int, str]:
    """The numbers of a column as plain text, by line; what cannot be read stays as it stands, so that it is named later."""
    cells = {i: row[column.at] for i, row in rows if row[column.at].casefold() not in MISSING}
    told = numerals_of(list(cells.values()))
    how = told.how
    if not how:
        seen = " beside ".join(f"“{s}”" for s in told.examples)
        how = work.ask(
            f"decimal:{column.at}",
            f"{column.name}: {seen} can be read in two ways.",
            [Choice(key, DECIMALS[key].format(told.examples[0])) for key in told.ways],
            told.likelier,
        )
    units = Counter(n.unit for n in (Numerals.split(c) for c in cells.values()) if n.unit)
    usual = units.most_common(1)[0][0] if units else ""
    if len(units) > 1 and not all(u in MASS for u in units):
        work.say(f"“{column.name}” holds several units: {', '.join(units)}. Cells in another one than {usual} are named.")
    elif len(units) > 1:
        work.say(f"“{column.name}” holds {' and '.join(units)}; all are turned into {usual}.")
    elif usual:
        work.say(f"“{column.name}” is in {usual}, as its cells say.")
    return {i: _plain_figure(c, how or "point", usual) for i, c in cells.items()}


def _plain_figure(cell: str, how: str, usual: str) -> str:
    split = Numerals.split(cell)
    number = split.read(how)
    if number is None or (split.unit and split.unit != usual and not (split.unit in MASS and usual in MASS)):
        return cell
    if split.unit and split.unit != usual:
        number *= MASS[split.unit] / MASS[usual]
    return f"{number:.12g}"


def _one_name(work: _Work, columns: Sequence[Column], rows: Sequence[tuple[int, list[str]]]) -> dict[str, str]:
    """Names of entries that may be one, asked about; each name by what it is taken for."""
    entry = next((c.at for c in columns if c.meaning == "entry"), None)
    if entry is None:
        return {}
    counts = Counter(row[entry] for _, row in rows if row[entry])
    joined: dict[str, str] = {}
    for pair in near_duplicates(sorted(counts))[:MOST_TWINS]:
        kept, other = sorted((pair.a, pair.b), key=lambda n: (-counts[n], n))
        same = folded(pair.a) == folded(pair.b)
        answer = work.ask(
            f"one:{kept}|{other}",
            f"“{kept}” ({counts[kept]} times) and “{other}” ({counts[other]}) may be one entry: {pair.why}.",
            [Choice("one", f"They are one: {kept}"), Choice("two", "They are two")],
            "one" if same else "",
        )
        if answer == "one":
            joined[other] = joined.get(kept, kept)
    return joined


@dataclass
class _Plot:
    """A line of the plain table while it is put together."""

    line: int
    labels: dict[str, str]
    values: dict[str, list[str]] = field(default_factory=lambda: defaultdict(list))


def _tidy(
    work: _Work,
    columns: Sequence[Column],
    rows: Sequence[tuple[int, list[str]]],
    figures: Mapping[int, Mapping[int, str]],
    joined: Mapping[str, str],
) -> tuple[str, tuple[int, ...]]:
    """The plain table: one line a plot, and the line of the sheet that each came from."""
    plots: dict[tuple[str, ...], _Plot] = {}
    labels = [c for c in columns if c.meaning in LABELS]
    dated = any(c.meaning == "date" for c in columns)
    reps = sorted({c.meaning[4:] for c in columns if c.meaning.startswith("rep:")}, key=lambda r: (len(r), r))
    for i, row in rows:
        told = {c.meaning: joined.get(row[c.at], row[c.at]) if c.meaning == "entry" else row[c.at] for c in labels}
        for rep in reps or [""]:
            own = dict(told) | ({"rep": rep} if rep else {})
            key = (*(own[c.meaning] for c in labels), rep) if dated else (str(i), rep)
            plot = plots.setdefault(key, _Plot(i, own))
            for c in columns:
                if _holds_values(c) and (not c.meaning.startswith("rep:") or c.meaning[4:] == rep):
                    plot.values[_value_name(c)].append(figures[c.at].get(i, ""))
    return _written(work, columns, list(plots.values()), dated)


def _value_name(column: Column) -> str:
    return f"{column.trait} ({column.unit})" if column.unit else column.trait


def _written(work: _Work, columns: Sequence[Column], plots: Sequence[_Plot], dated: bool) -> tuple[str, tuple[int, ...]]:
    names = list(dict.fromkeys(_value_name(c) for c in columns if _holds_values(c)))
    several = {n for n in names if any(len([v for v in p.values[n] if v]) > 1 for p in plots)}
    together = {n: _together(work, n, dated) for n in names if n in several}
    roles = [
        r for r in ("plot", "rep", "block", "row", "col", "entry", "factor2", "site", "season") if any(r in p.labels for p in plots)
    ]
    repeated = Counter(p.labels.get("plot") for p in plots)
    if "plot" in roles and any(n > 1 for n in repeated.values()) and any(c.meaning.startswith("rep:") for c in columns):
        roles.remove("plot")  # a line's number, not a plot's
    out = io.StringIO()
    writer = csv.writer(out, delimiter="\t", lineterminator="\n")
    writer.writerow([*roles, *names])
    for p in plots:
        writer.writerow([*(p.labels.get(r, "") for r in roles), *(_one_figure(p.values[n], together.get(n, "")) for n in names)])
    return out.getvalue(), tuple(p.line for p in plots)


def _together(work: _Work, name: str, dated: bool) -> str:
    """How several figures of a plot become one: weights and counts are added up, shares and scores averaged; a person may say."""
    share = "%" in name or re.search(r"score|note|index|percent", name, re.IGNORECASE)
    how = work.chosen.get(f"together:{name}", "") or ("mean" if share else "sum")
    what = "lines" if dated else "days"
    work.say(f"“{name}” stands several times for a plot: its {what} are {'averaged' if how == 'mean' else 'added up'}.")
    return how


def _one_figure(cells: Sequence[str], how: str) -> str:
    told = [c for c in cells if c]
    if len(told) < 2:
        return told[0] if told else ""
    try:
        numbers = [float(c) for c in told]
    except ValueError:
        return next(c for c in told if not re.fullmatch(r"-?[0-9.e+]+", c))
    return f"{fmean(numbers) if how == 'mean' else sum(numbers):.12g}"
