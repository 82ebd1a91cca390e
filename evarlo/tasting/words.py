"""Sentences of a tasting."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from evarlo.catalogue.models import Crop
from evarlo.tasting.models import Panel
from evarlo.tasting.results import Ballot, Found
from evarlo.ui.templatetags.ui import p_value
from evarlo.ui.words import counted, fixed

SURE = 0.05
CAUTIONS = (
    "Ask every judge about allergies first. Wash hands, knives and samples; keep what must be cold cold.",
    "Serve nothing whose label still asks to wait, and nothing that is unsafe raw, green or bitter out of kind.",
    "Water and a pause between samples; the first dish is a warm-up in everybody's mind, so the orders differ.",
)


TO_JUDGES = (
    "Tell whoever set the table about allergies before you taste. Leave what smells wrong, spit out what is bitter out of kind.",
    "Rinse with water before the first dish and between all of them. Taste in the order given, and do not go back.",
    "Score what you taste, not what you see. The ballot bears no name, and no other judge sees it.",
)


def cautions_of(crop: Crop, before: tuple[str, ...]) -> tuple[str, ...]:
    """What to mind before serving or tasting, with what the crop itself asks for."""
    own = str(crop.profile.get("cautions") or "").strip()
    return (*before, f"{crop.name}: {own[0].lower()}{own[1:]}.") if own else before


def table_in_words(panel: Panel, ballots: Sequence[Ballot]) -> str:
    """How many ballots are in."""
    full = sum(b.is_full for b in ballots)
    served = counted(len(ballots[0].dishes), "sample") if ballots else "no sample"
    return f"{counted(panel.judges, 'judge')}, {served} each; {counted(full, 'ballot')} in."


def found_in_words(found: Found, names: Mapping[str, str]) -> SafeString:
    """Which entries surely differ from the check, and whether ranks say so too."""
    differs = [d for d in found.versus.held if d.p_family is not None and d.p_family < SURE] if found.versus else []
    told = format_html_join(
        " ",
        "<strong>{}</strong> scored {} {} than {}.",
        ((names[d.a], fixed(abs(d.estimate), 1), "higher" if d.estimate > 0 else "lower", names[d.b]) for d in differs),
    )
    if not differs:
        told = format_html("No entry surely scored higher or lower than {}.", names[found.check] if found.check else "another")
    ranks = found.panel.ranks
    if ranks is None:
        return told
    agree = "also differ" if ranks.p < SURE else "do not surely differ"
    return format_html("{} By ranks within judges the entries {} (p {}).", told, agree, p_value(ranks.p))


def judges_in_words(found: Found) -> str:
    """How far judges agree with each other, and with themselves on a sample tasted twice."""
    said = []
    if found.panel.concordance:
        said.append(f"Judges agree with W {fixed(found.panel.concordance.w, 2)}, where 0 is not at all and 1 wholly.")
    if found.panel.sd_within is not None:
        said.append(f"Two tastings of one sample by one judge differ by {fixed(found.panel.sd_within, 1)} (SD within).")
    return " ".join(said)
