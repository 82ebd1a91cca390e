"""What a comparison goes by, whatever its model: on the scale that was recorded, as a page shows it."""

from __future__ import annotations

from trialcore.analyses.entries import EntryComparison
from trialcore.formats.figures.blocks import Json, plain, versus_figures


def shown_figures(found: EntryComparison) -> Json:
    """The model and why it is this one, the mean of each entry and every difference from the check, in the unit recorded."""
    columns = ("entry", "n", "raw_mean", "lsmean", "se", "lower95", "upper95", "why")
    made: Json = {
        "model": found.choice.model,
        "errors": found.choice.errors,
        "why": found.choice.why,
        "entry_means": [{c: getattr(m, c) for c in columns} for m in found.means],
    }
    if found.versus is not None:
        made["vs_check"] = versus_figures(found.versus)
    return dict(plain(made))
