"""The sentences about a pest or disease."""

from __future__ import annotations

from evarlo.ui.templatetags.ui import places
from trialcore.field.clustering import Together

SURE = 0.05


def clustered_in_words(together: Together) -> tuple[str, str, str]:
    """Whether what was seen lies together: the sentence, its figures, and what that means for the entries."""
    figures = f"(Moran's I {places(together.moran, 2)}, p {together.p:.3f} from shuffles)"
    if together.p < SURE:
        said = "It is clustered: neighbouring plots are alike, as when it spreads from plot to plot"
        return said, figures, "An entry beside a hard-hit one may look worse than it is."
    return "It is no more clustered than chance", figures, ""
