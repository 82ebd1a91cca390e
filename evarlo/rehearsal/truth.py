"""The truth of a played season beside what was decided: who was wrong, the rule, the raw ranking or the person."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from evarlo.programmes.frontier import figures_for
from evarlo.rehearsal.models import PlayedSeason
from evarlo.verdicts.models import SignedBoard
from trialcore.inference.simulated_programme import Station
from trialcore.inference.verdict import Rule, Verdict

BLOCKS = (2, 3, 4, 6, 8)  # what more of them buy
GOOD = 0.6


@dataclass(frozen=True)
class TrueLine:
    """An entry: its true lead over the check, the measured one, what the rule suggested, what the person said, and whether the raw
    ranking would have named it."""

    code: str
    name: str
    true: float
    measured: float | None
    suggested: str
    verdict: str
    ranked: bool

    def wrong(self, verdict: str) -> bool:
        """Whether a verdict was wrong: a recommendation that is no better, or a better one dropped."""
        return (verdict == Verdict.RECOMMEND and self.true <= 0) or (verdict == Verdict.DROP and self.true > 0)

    @property
    def you_wrong(self) -> bool:
        return self.wrong(self.verdict)

    @property
    def rule_wrong(self) -> bool:
        return self.wrong(self.suggested)


@dataclass(frozen=True)
class Truth:
    lines: tuple[TrueLine, ...]
    best: str
    ranked_best: str
    ranked_wrong: bool
    you_wrong: int
    rule_wrong: int


def truth_of(season: PlayedSeason) -> Truth | None:
    """The truth beside the signed board; None before it is signed."""
    board = SignedBoard.objects.filter(trial=season.trial).order_by("at", "id").last()
    if board is None:
        return None
    base = next(x for x in board.lines if x["check"])
    check = season.truth[base["code"]]
    others = [x for x in board.lines if not x["check"] and x["means"][0] is not None]
    top = max(others, key=lambda x: x["means"][0])["code"] if others else ""
    ahead = {x["code"]: x["means"][0] - base["means"][0] for x in others}
    lines = tuple(
        TrueLine(
            x["code"],
            x["name"],
            season.truth[x["code"]] - check,
            ahead.get(x["code"]),
            x["suggested"],
            x["verdict"],
            x["code"] == top and ahead[top] > 0,
        )
        for x in board.lines
        if not x["check"]
    )
    ordered = tuple(sorted(lines, key=lambda line: -line.true))
    ranked = next((x for x in ordered if x.ranked), None)
    best = ordered[0].name if ordered and ordered[0].true > 0 else base["name"]
    return Truth(
        ordered,
        best,
        ranked.name if ranked else base["name"],
        bool(ranked and ranked.true <= 0),
        sum(x.you_wrong for x in ordered),
        sum(x.rule_wrong for x in ordered),
    )


def station_of(season: PlayedSeason) -> Station:
    """The played season as the engine of the rule has it: one season, its entries and blocks."""
    trial = season.trial
    entries = trial.entries.filter(is_check=False).count()
    return Station(places=entries, blocks=trial.blocks, check_plots=1, seasons=1)


def often(season: PlayedSeason, reckon: bool = False) -> list[tuple[int, list[dict[str, Any] | None]]]:
    """By blocks what ranking and the rule would come to over many such seasons, against a check like the entries and a good one;
    with `reckon` the next figures that are missing are reckoned."""
    at = station_of(season)
    table = []
    for blocks in sorted({*BLOCKS, at.blocks}):
        row = []
        for check in (None, GOOD):
            found, reckoned = figures_for(replace(at, blocks=blocks, check=check), Rule(), reckon)
            reckon = reckon and not reckoned
            row.append(found)
        table.append((blocks, row))
    return table
