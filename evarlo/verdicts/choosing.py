"""The line-up of a trial: the small set worth growing, from what the board knows of the entries and the catalogue of their
classes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from evarlo.compare.analysis import cultivar_key
from evarlo.verdicts.board import Board
from trialcore.inference.lineup import Candidate, LineUp, judge, line_ups, season_draws
from trialcore.inference.verdict import Verdict

SEED = 20_262
KINDS = ("maturity", "use", "habit")  # of a cultivar, which a line-up covers


@dataclass(frozen=True)
class Choice:
    """A set that may be grown: names, what it gives, and the classes it leaves out."""

    said: str
    names: tuple[str, ...]
    found: LineUp
    missing: tuple[str, ...]
    own: bool = False


@dataclass(frozen=True)
class Choices:
    sets: tuple[Choice, ...]
    candidates: tuple[tuple[str, str, tuple[str, ...]], ...]  # name, verdict, classes
    unit: str
    digits: int


def choices_of(board: Board, several: bool, wanted: Sequence[str] = (), also_retests: bool = False) -> Choices | None:
    """The best sets of one to four of the recommended, one best and all of them beside; `wanted` by code is judged too. None where
    chances are not shrunken or nothing is recommended."""
    leading = board.leading
    if leading is None or leading.honest is None:
        return None
    good = (Verdict.RECOMMEND, Verdict.RETEST) if also_retests else (Verdict.RECOMMEND,)
    lines = [x for x in board.lines if x.verdict in good]
    results = {r.entry.pk: r for r in leading.results if leading.honest.prospect(r)}
    lines = [x for x in lines if x.entry.pk in results]
    if not lines:
        return None
    keys = [cultivar_key(results[x.entry.pk]) for x in lines]
    names = {k: x.name for k, x in zip(keys, lines, strict=True)}
    candidates = [Candidate(k, classes_of(x.entry.cultivar)) for k, x in zip(keys, lines, strict=True)]
    drawn = season_draws(leading.honest.worked, keys, SEED)
    every = frozenset().union(*(c.classes for c in candidates))

    def made(said: str, found: LineUp, own: bool = False) -> Choice:
        missing = tuple(sorted(every - found.covered))
        return Choice(said, tuple(names[e] for e in found.entries), found, missing, own)

    best = line_ups(candidates, drawn)
    sets = [made("one best" if len(s.entries) == 1 else f"{len(s.entries)} as insurance", s) for s in best]
    plain = line_ups(candidates, drawn, covering=False)
    sets += [
        made(f"{len(s.entries)}, classes left aside", s)
        for s, b in zip(plain, best, strict=True)
        if set(s.entries) != set(b.entries)
    ]
    if len(candidates) > len(best):
        sets.append(made("all of them", judge(keys, range(len(keys)), drawn, candidates)))
    codes = {x.entry.code: i for i, x in enumerate(lines)}
    own = [codes[c] for c in wanted if c in codes]
    if own:
        sets.append(made("as you chose", judge(keys, own, drawn, candidates), own=True))
    told = tuple((x.entry.code, x.name, tuple(sorted(c.classes))) for x, c in zip(lines, candidates, strict=True))
    chosen = sets if several else [s for s in sets if len(s.names) == 1 or s.own]
    return Choices(tuple(chosen), told, leading.trait.shown_unit, leading.digits)


def classes_of(cultivar: object) -> frozenset[str]:
    """What a cultivar is, of the kinds that a line-up covers: `maturity: early`."""
    return frozenset(f"{kind}: {value}" for kind in KINDS if (value := getattr(cultivar, kind, "")))
