"""The sentences of the nursery: how a sowing comes up, what to sow again, how far planting is."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from evarlo.nursery.coming_up import Coming
from evarlo.ui.templatetags.ui import chance, day
from evarlo.ui.words import counted

NAMED = 3  # entries behind the others that the first sentence names
HOW = {"failed": "has failed", "fewer": "has fewer seedlings"}


def coming_in_words(told: int, behind: Sequence[tuple[Coming, str]], early: int = 0) -> SafeString:
    """How the sowings come up, for the top of the page. `told` entries were counted; of `early` ones nothing can be said yet."""
    if not told:
        return SafeString("Not counted yet. Type how many plants stand there now.")
    if early == told:
        return SafeString("More is still coming: it is too early to hold the entries against each other. Count again.")
    if not behind:
        return format_html("All {} entries come up alike: what differs is no more than chance.", told)
    first = ((name, HOW.get(str(r.emergence.coming) if r.emergence else "", "comes up later")) for r, name in behind[:NAMED])
    named = format_html_join(", ", "<strong>{}</strong> {}", first)
    more = f" and {len(behind) - NAMED} more" if len(behind) > NAMED else ""
    return format_html("{}{}; the others come as they should.", named, more)


def resow_in_words(r: Coming, last: date | None) -> SafeString:
    """What to do about an entry of which too few have come up; `last` is the last day on which sowing again is in time."""
    advice = r.resow
    if advice is None:
        return SafeString("")
    within = (
        "" if advice.days_left is None else " today" if advice.days_left == 0 else f" within {counted(advice.days_left, 'day')}"
    )
    match advice.advice:
        case "sow again":
            then = f"with them it is {chance(advice.chance_resown)}. {r.stock} are in stock."
            return format_html("<b>Sow {} seeds again</b>{}: {}", advice.seeds, within, then)
        case "sow what is left":
            then = f"even so it is only {chance(advice.chance_resown)}. Think of the shortage bench."
            return format_html("<b>Sow the {} seeds that are left</b>{}: {}", advice.seeds, within, then)
        case "too late":
            until = f": the last day was {day(last)}" if last else ""
            return SafeString(f"It is too late to sow again{until}. See the shortage bench.")
    return SafeString("There is no seed of it left. See the shortage bench or order at once.")


def planted_in_words(done: int, total: int, short: int, planned: date | None) -> SafeString:
    """How far planting is, for the top of the page."""
    opening = f"{done} of {total} plots are planted." if done else "No plot is planted yet."
    if done and done == total:
        opening = f"All {total} plots are planted."
    lacking = format_html(" <strong>{}</strong> short of plants.", counted(short, "entry")) if short else ""
    then = f" It was planned for {day(planned)}." if planned else ""
    return format_html("{}{}{}", opening, lacking, then)


def root_bound_in_words(trays: Sequence[str], since: date | None) -> str:
    """What root-bound plants mean for planting; empty where there are none."""
    if not trays or since is None:
        return ""
    which = f"Tray {trays[0]} is" if len(trays) == 1 else f"Trays {', '.join(trays)} are"
    return (
        f"{which} root-bound since {day(since)}: those plants stand still after planting. They are planted last; potted on, they "
        "are as the others again."
    )


def units_in_words(units: Sequence[int], plants: int, agreed: bool) -> str:
    """What goes into a plot: plants one by one, or plugs of several."""
    *fewer, most = units or (0,)
    few = f"{fewer[0]} to " if fewer else ""
    what = f"{few}{counted(most, 'plug')} of {plants} plants" if plants > 1 else f"{few}{counted(most, 'plant')}"
    return f"{what} a plot" + (", as agreed" if agreed else "")
