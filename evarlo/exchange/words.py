"""What a sheet was understood to be."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from evarlo.ui.words import counted
from trialcore.formats.messy import Understood
from trialcore.formats.sheet import Problem, TrialSheet


def at_home(problems: Sequence[Problem], told: Understood) -> list[Problem]:
    """Problems of the plain table, by the lines of the sheet that it came from."""
    return [replace(p, line=told.lines[p.line - 2] + 1) if 2 <= p.line < len(told.lines) + 2 else p for p in problems]


def understood_in_words(read: TrialSheet) -> str:
    """A sheet that could be read whole: its plots, entries and blocks."""
    said = f"{counted(len(read.plots), 'plot')}, {counted(len(read.entries), 'entry', 'entries')}"
    if read.reps[0]:
        one, many = ("replicate", "replicates") if read.has_inner_blocks else ("complete block", "complete blocks")
        said += f", {counted(len(read.reps), one, many)}" + (" of incomplete blocks" if read.has_inner_blocks else "")
    if len(read.levels) > 1:
        said += f", {counted(len(read.levels), 'level')} of a second factor"
    if read.environments:
        said += f", in {counted(len(read.environments), 'place')}"
    return said + (", with their places in the field" if read.has_positions else "") + ". Every cell could be read."
