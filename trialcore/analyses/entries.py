"""How entries compare in one trial, whatever its design: means, differences from the check, and what blocks were worth."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from trialcore.analyses.blocks import BlockAnalysis, EntryMean, analyse_blocks
from trialcore.analyses.choice import Choice, Columns, Kind, choose
from trialcore.analyses.incomplete import IncompleteBlocks, analyse_incomplete, recovered_means
from trialcore.analyses.two_factors import LayoutName, OverLevels, entries_over_levels
from trialcore.inference.comparisons import AgainstCheck, against_check, sed_of_differences

Values = Sequence[float | None]


@dataclass(frozen=True, eq=False)
class EntryComparison:
    """What the chosen analysis found: the least-squares analysis, the means and differences to show, the share of the noise that
    blocks took out, and the incomplete blocks or the second factor where there are any. With a second factor `analysis` is that
    of its combinations with the entries."""

    choice: Choice
    analysis: BlockAnalysis
    means: tuple[EntryMean, ...]
    versus: AgainstCheck | None
    noise_out: float | None
    incomplete: IncompleteBlocks | None = None
    two: OverLevels | None = None

    @property
    def recovered(self) -> bool:
        """Whether blocks were taken as drawn at random, so that the information between them is recovered."""
        return self.incomplete is not None and self.incomplete.recovered is not None

    def __str__(self) -> str:
        return f"{self.choice.model}\n{self.analysis}"


def compare_entries(
    design: str, kind: Kind, labels: Columns, value: Values, check: str | None = None, entries_whole: bool = False
) -> EntryComparison:
    """Compare the entries of one trial by the analysis that `choice` gives its design and kind of record.

    `labels` are the columns of plots (`entry`, and those that the design needs), one element a plot; a missing value is None.
    `check` is the entry that the others are set against; `entries_whole` says that a split-plot has entries on its whole plots.

    Raises ValueError as `choose` does, for a design that is not compared within one trial, and when lengths differ.
    """
    chosen = choose(design, kind, labels)
    if chosen.analysis not in COMPARED:
        raise ValueError(f"{design} is not compared within one trial; expected one of {', '.join(COMPARED)}")
    return COMPARED[chosen.analysis](chosen, labels, value, check, entries_whole)


def _least_squares(*blocking: str) -> Callable[[Choice, Columns, Values, str | None, bool], EntryComparison]:
    def compared(chosen: Choice, labels: Columns, value: Values, check: str | None, _: bool) -> EntryComparison:
        found = analyse_blocks(labels["entry"], value, {name: labels[name] for name in blocking})
        known = check is not None and any(m.entry == check for m in found.means)
        versus = against_check(found, check) if known and check is not None else None
        return EntryComparison(chosen, found, found.means, versus, found.noise_taken_out if found.blocking else None)

    return compared


def _incomplete(chosen: Choice, labels: Columns, value: Values, check: str | None, _: bool) -> EntryComparison:
    found = analyse_incomplete(labels["entry"], value, labels["block"], labels.get("rep"))
    means, versus = recovered_means(found, check)
    noise = None
    if found.recovered is not None and found.complete is not None and (plain := sed_of_differences(found.complete)):
        noise = 1 - (float(found.recovered.fit.differences(found.recovered.rows).se_kr.mean()) / plain.average) ** 2
    return EntryComparison(chosen, found.intra, means, versus, noise, found)


def _over_levels(layout: LayoutName) -> Callable[[Choice, Columns, Values, str | None, bool], EntryComparison]:
    def compared(chosen: Choice, labels: Columns, value: Values, check: str | None, entries_whole: bool) -> EntryComparison:
        """Each comparison against the error of its own stratum."""
        found = entries_over_levels(layout, labels["entry"], labels["factor2"], value, labels["rep"], entries_whole, check)
        return EntryComparison(chosen, found.cells, found.means, found.versus, None, two=found)

    return compared


COMPARED: dict[str, Callable[[Choice, Columns, Values, str | None, bool], EntryComparison]] = {
    "crd": _least_squares(),
    "rcbd": _least_squares("rep"),
    "latin": _least_squares("row", "col"),
    "augmented": _least_squares("block"),
    "alpha": _incomplete,
    "blocks": _incomplete,
    "split-plot": _over_levels("split-plot"),
    "strip-plot": _over_levels("strip-plot"),
    "factorial": _over_levels("factorial"),
}
