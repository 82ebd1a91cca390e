"""What a sheet was understood to be."""

from __future__ import annotations

from evarlo.ui.words import counted
from trialcore.formats.sheet import TrialSheet


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
