"""What the years say, in sentences."""

from __future__ import annotations

from typing import Any

from django.utils.html import format_html
from django.utils.safestring import SafeString

from evarlo.ui.words import counted, fixed, number_word

SURE, HALF = 0.05, 0.5
WARM = 0.6  # correlation from which on the better trials are called the warmer ones


def lead_in_words(found: dict[str, Any]) -> SafeString:
    """Who has beaten the check and by how much, and who only where."""
    rows = [r for r in found.get("rows", ()) if not r["check"] and r["lead"]]
    if not rows:
        return format_html("{}", found.get("why") or "No entry stood beside the check yet.")
    top = next((r for r in rows if r["now"][0] == "recommend"), rows[0])
    parts = [_best(top, found)]
    parts += [_where(r) for r in rows if where_of(r) != "steady"][:2]
    return listed_sentences(parts)


def listed_sentences(parts: list[SafeString]) -> SafeString:
    """Sentences one after the other."""
    return SafeString(" ".join(p for p in parts if p))


def _best(top: dict[str, Any], found: dict[str, Any]) -> SafeString:
    lead, check, unit = top["lead"], found["check"], found["unit"]
    shown = f"{fixed(abs(lead['estimate']), found['digits'])} {unit}".strip()
    ends = (fixed(lead["lower"], found["digits"]), fixed(lead["upper"], found["digits"]))
    won = sum(1 for s in top["steps"] if s and s["estimate"] > 0)
    stood = sum(1 for s in top["steps"] if s)
    if lead["estimate"] <= 0:
        return format_html("No entry has stood above {} over its trials.", check)
    said = format_html(
        "<strong>{}</strong> has beaten {} in {} of {}, by <strong>{}</strong> ({} to {})",
        top["name"],
        check,
        counted_word(won, "trial"),
        number_word(stood).lower(),
        shown,
        *ends,
    )
    if top["kept"] is None or lead["estimate"] <= 0:
        return format_html("{}.", said)
    share = top["kept"] / lead["estimate"]
    kept = "nearly all" if share >= 0.9 else "most" if share >= HALF else "some" if share > 0.1 else "little"
    return format_html("{}; it would keep {} of that in another trial.", said, kept)


def counted_word(n: int, noun: str) -> str:
    """“three trials”, “one trial”."""
    return f"{number_word(n).lower()} {noun}{'' if n == 1 else 's'}"


def where_of(row: dict[str, Any]) -> str:
    """How an entry follows its trials: steady, gains, keeps, warm or cool places; or too few trials."""
    along, follows = row.get("along"), row.get("follows")
    if along and along["p"] < SURE:
        return "warm" if along["slope"] > 0 else "cool"
    if follows is None:
        return ""
    return str(follows["said"])


WHERE = {
    "steady": "steady",
    "gains": "gains in good trials",
    "keeps": "keeps in poor ones",
    "warm": "warm places",
    "cool": "cool places",
    "": "too few trials",
}


def _where(row: dict[str, Any]) -> SafeString:
    said = {
        "gains": "<strong>{}</strong> gains where a trial is good.",
        "keeps": "<strong>{}</strong> keeps where a trial is poor.",
        "warm": "<strong>{}</strong> does well where it is warm.",
        "cool": "<strong>{}</strong> does well where it is cool.",
    }.get(where_of(row), "")
    return format_html(said, row["name"]) if said else SafeString("")


def shares_in_words(shares: dict[str, float]) -> str:
    """What differs between entries from trial to trial, by season, site and neither."""
    names = {"entry:season": "cultivar × year", "entry:site": "× site", "entry:season:site": "× single trial"}
    told = [f"{names[k]} {100 * v:.0f} %" for k, v in shares.items() if k in names]
    return ", ".join(told) + " of what differs" if told else ""


def marked_in_words(trials: list[dict[str, Any]]) -> list[SafeString]:
    """The trials that are marked, and those that are left out."""
    said = []
    for t in trials:
        where = f"{t['season']} {t['site']}".strip()
        if t["left_out"]:
            said.append(format_html("<b>{}</b> is left out: {}.", where, t["left_out"]))
        elif t["marks"]:
            said.append(format_html("<b>{}</b>: {}.", where, "; ".join(m.rstrip(".") for m in t["marks"])))
    return said


def never_together(trials: list[dict[str, Any]]) -> str:
    """How much is there: seasons, sites."""
    seasons, sites = len({t["season"] for t in trials}), len({t["site"] for t in trials if t["site"]})
    return f"{counted(seasons, 'season')}, {counted(sites, 'site')}"


def warmth_in_words(found: dict[str, Any]) -> str:
    """Whether the better trials were the warmer ones."""
    r = found.get("warm_is_good")
    if r is None or abs(r) < WARM:
        return ""
    return f"The better trials were the {'warmer' if r > 0 else 'cooler'} ones."
