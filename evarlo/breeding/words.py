"""The sentences of the selection nursery."""

from __future__ import annotations

from evarlo.breeding.models import Generation
from evarlo.breeding.ranking import Sisters
from evarlo.ui.words import counted
from trialcore.reckoning.fixation import Fixation
from trialcore.reckoning.segregation import Segregation

CAUTION = (
    "Keep crossing groups apart, and mind protected cultivars and plant health rules: whether a cross, its seed or a name may be "
    "grown, kept, given away or sold is for local law and licensed people to say."
)


def fixed_in_words(expected: Fixation) -> str:
    """How fixed plants are to be expected."""
    said = f"{100 * expected.fixed:.4g} % of the loci in which the parents differ are expected to be fixed in a plant"
    if abs(expected.first_parent - 0.5) > 1e-9:
        said += f", and {100 * expected.first_parent:.4g} % of its genes to be the first parent's"
    return f"{said}."


def standing_in_words(made: Generation, found: Sisters) -> str:
    """How far a generation was looked at, and what the checks say of its ground."""
    said = f"{counted(len(found.plants), 'plant')} of {made}, {found.looked_at} looked at, {found.checks} checks among them."
    if not found.grounds or found.looked_at == 0:
        return f"{said} Walk them, and the index runs along."
    lead, ground = found.criteria[0].trait.name.lower(), found.grounds[0]
    if ground.by == "sisters":
        return f"{said} Too few checks were looked at to tell the ground of {lead}: the sisters around a plant stand in for them."
    if ground.heritability is None:
        return said
    if ground.heritability == 0:
        return f"{said} In {lead} sisters differ no more than the check's plants do: no lead can be trusted yet."
    share = f"{100 * ground.heritability:.0f} %"
    return f"{said} Of a lead in {lead}, the ground taken out, about {share} is the plant's own and may be seen in its offspring."


def ratio_in_words(found: Segregation, ratio: list[float]) -> str:
    """Whether counts go with a ratio."""
    told = ":".join(f"{x:g}" for x in ratio)
    counts = ", ".join(str(n) for n in found.observed)
    expected = ", ".join(f"{x:.4g}" for x in found.expected)
    how = "exact" if found.p_exact is not None else "chi-square"
    beside = f"expected {expected}; p = {found.p:.2g}, {how}"
    if found.p < 0.05:
        return f"{counts} do not go with {told} ({beside}): look for another ratio, or for lost plants."
    return f"{counts} go with {told} ({beside}). Other ratios may fit as well."
