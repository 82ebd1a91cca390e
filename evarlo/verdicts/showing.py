"""A board as it is drawn: one scale of steps for all lines, the years as tags, what another season would bring."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.utils.safestring import SafeString

from evarlo.catalogue.models import Cultivar
from evarlo.trials.models import Trial
from evarlo.ui.draw.steps import Step, dot, interval, span_of, tag
from evarlo.verdicts.board import Board, BoardLine, CriterionFigure
from evarlo.verdicts.words import outlook_in_words
from trialcore.inference.verdict import Verdict

PALE = 0.45  # of the tags of earlier seasons


@dataclass(frozen=True)
class DrawnLine:
    """A line with its drawings: the leading criterion, the others, the years, and what a retest would bring."""

    line: BoardLine
    leading: SafeString
    others: tuple[SafeString, ...]
    years: tuple[SafeString, ...]
    ahead: tuple[str, str] | None


def drawn(board: Board) -> list[DrawnLine]:
    """Every line of a board, on the scale that all share."""
    spans = [span_of([step_of(line.figures[i], line.verdict) for line in board.lines]) for i in range(len(board.criteria))]
    return [drawn_line(line, spans) for line in board.lines]


def drawn_line(line: BoardLine, spans: Sequence[int]) -> DrawnLine:
    """One line, each criterion on so many steps to either side."""
    steps = [step_of(f, line.verdict, further=i > 0) for i, f in enumerate(line.figures)]
    years = tuple(
        tag(y.verdict or ("check" if y.check else ""), f"{y.trial}: {y.verdict or ('the check' if y.check else 'not grown')}", PALE)
        for y in line.years
    )
    now = (tag("check" if line.entry.any_check else line.verdict, f"now: {line.verdict or 'the check'}"),)
    open_still = line.outlook is not None and line.verdict == Verdict.RETEST
    ahead = outlook_in_words(line.outlook) if line.outlook and open_still else None
    others = tuple(dot(s, span) for s, span in zip(steps[1:], spans[1:], strict=True))
    return DrawnLine(line, interval(steps[0], spans[0]), others, years + now, ahead)


def step_of(f: CriterionFigure, verdict: str, further: bool = False) -> Step:
    """A criterion in steps of what matters; the leading one coloured by the verdict, the others by how they stand to the check."""
    kind = {"ahead": "ahead", "behind": "behind"}.get(f.word, "luck") if further else verdict or "check"
    if f.kept is None or not f.criterion.matters:
        return Step(None, None, None, kind)
    measured = None if f.better_by is None else f.better_by / f.criterion.matters
    return Step(f.kept / f.criterion.matters, (f.se or 0.0) / f.criterion.matters, measured, kind, f.critical)


def audiences(trial: Trial) -> list[str]:
    """For whom a verdict may be: the environments of the trial, the uses of its cultivars, the habits of picking."""
    places = {bed.get_environment_display() for bed in trial.beds}
    uses = set(Cultivar.objects.filter(crop=trial.crop_id).exclude(use="").values_list("use", flat=True))
    return [*sorted(places), *sorted(uses), "picked once", "picked often", "direct sale", "storage"]
