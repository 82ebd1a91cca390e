"""The years as they are drawn: a tag a trial, paler where the trial could tell less, and the line over all."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.utils.safestring import SafeString

from evarlo.catalogue.models import Crop, Trait
from evarlo.programmes.words import WHERE, where_of
from evarlo.trials.models import Trial
from evarlo.ui.draw.biplot import biplot
from evarlo.ui.draw.follows import FollowLine, follows
from evarlo.ui.draw.steps import Step, interval, span_of, tag

SHOWN = 5  # lines of the drawing
MOST_ROWS = 40  # cultivars that are shown unasked
MOST_COLUMNS = 8  # trials that have a column unasked, the newest; all count
CLEAR = 2.0  # standard errors from which on a step is drawn at full strength


@dataclass(frozen=True)
class DrawnRow:
    """A cultivar's line: its tags, its lead over all, how it follows its trials, and what was last said of it."""

    row: dict[str, Any]
    tags: tuple[SafeString, ...]
    bar: SafeString
    where: str
    now: str
    whom: str


def telling_of(found: dict[str, Any]) -> list[int]:
    """The trials that tell of a cultivar beside the check, by their place among all, the earliest first."""
    rows = [r for r in found.get("rows", ()) if not r["check"]]
    return [i for i, _ in enumerate(found.get("trials", ())) if any(r["steps"][i] is not None for r in rows)]


def drawn_rows(found: dict[str, Any], columns: Sequence[int], most: int | None = MOST_ROWS) -> list[DrawnRow]:
    """The lines of the most promising cultivars, the check among them, with a tag for each of some trials."""
    shown = [r for i, r in enumerate(found["rows"]) if most is None or i < most or r["check"]]
    unit = found["matters"] or _usual(found)
    steps = {r["id"]: _step(r, unit, r["now"][0]) for r in shown}
    span = span_of(list(steps.values()))
    made = []
    for r in shown:
        tags = tuple(_tag(r, r["steps"][i], found["trials"][i]) for i in columns)
        verdict, whom = r["now"]
        where = "" if r["check"] else WHERE[where_of(r)]
        made.append(DrawnRow(r, tags, interval(steps[r["id"]], span), where, verdict, whom))
    return made


def _usual(found: dict[str, Any]) -> float:
    ses = [r["lead"]["se"] for r in found["rows"] if r["lead"]]
    return sum(ses) / len(ses) if ses else 1.0


def _step(r: dict[str, Any], unit: float, verdict: str) -> Step:
    if r["check"] or not r["lead"]:
        return Step(None, None, None, "check")
    lead = r["lead"]
    half = (lead["upper"] - lead["lower"]) / 2
    critical = half / lead["se"] if lead["se"] else 1.96
    return Step(lead["estimate"] / unit, lead["se"] / unit, lead["estimate"] / unit, verdict, critical)


def _tag(r: dict[str, Any], s: dict[str, float] | None, trial: dict[str, Any]) -> SafeString:
    where = f"{trial['season']} {trial['site']}".strip()
    if r["check"]:
        return tag("check", f"{where}: the check")
    if s is None:
        return tag("", f"{where}: not grown beside the check")
    sure = abs(s["estimate"]) / s["se"] / CLEAR if s["se"] else 1.0
    above = s["estimate"] > 0
    return tag("recommend" if above else "drop", f"{where}: {s['estimate']:+.3g} ± {s['se']:.2g}", sure)


def lines_drawn(found: dict[str, Any], trait: Trait) -> SafeString:
    """How the first, the check, the last and those that are not steady follow poor and good trials."""
    rows = [r for r in found["rows"] if r["follows"]]
    check = next((r for r in rows if r["check"]), None)
    others = [r for r in rows if not r["check"]]
    odd = [r for r in others if where_of(r) not in ("steady", "")]
    some = list({r["id"]: r for r in (*others[:1], *odd, *others[1:2], *others[-1:])}.values())[: SHOWN - 1]
    levels = {t["slug"]: t["level"] for t in found["trials"] if t["level"] is not None}
    names = {t["slug"]: f"{t['season']} {t['site']}".strip() for t in found["trials"]}
    if not levels:
        return SafeString("")
    low, high = min(levels.values()), max(levels.values())
    sign = found["sign"]

    def line(r: dict[str, Any], kind: str) -> FollowLine:
        ends = [sign * (r["mean"] + r["follows"]["slope"] * x) for x in (low, high)]
        return FollowLine(r["name"], ends[0], ends[1], kind)

    kinds = {r["id"]: "ahead" if r["lead"] and r["lead"]["estimate"] > 0 else "behind" for r in some}
    drawn = [line(r, kinds[r["id"]]) for r in some] + ([line(check, "check")] if check else [])
    said = f"{trait.name} of {len(drawn)} cultivars from the poorest trial to the best"
    return follows(drawn, [(names[k], v) for k, v in levels.items()], trait.shown_unit, said)


def where_drawn(found: dict[str, Any], trait: Trait) -> SafeString:
    """Which cultivar does well where, of those and the trials in which nothing is missing."""
    whole = found.get("whole")
    if not whole:
        return SafeString("")
    names = {t["slug"]: f"{t['season']} {t['site']}".strip() for t in found["trials"]}
    entries = [(name, x, y) for name, (x, y) in zip(whole["entries"], whole["biplot"]["entries"], strict=True)]
    trials = [(names.get(slug, slug), x, y) for slug, (x, y) in zip(whole["trials"], whole["biplot"]["trials"], strict=True)]
    return biplot(entries, trials, f"{trait.name}: which of {len(entries)} cultivars does well in which of {len(trials)} trials")


MOST_OFFERS = 8  # crops whose trials could be joined, those with most first


def offers() -> list[tuple[Crop, str, list[Trial]]]:
    """Crops with two trials or more that stand in no programme, a name for one, and the trials."""
    loose = (
        Trial.objects.filter(membership__isnull=True, arriving=False, practice=False)
        .select_related("crop")
        .order_by("season", "name")
    )
    by_crop: dict[Crop, list[Trial]] = defaultdict(list)
    for trial in loose:
        by_crop[trial.crop].append(trial)
    several = sorted((some for some in by_crop.values() if len(some) > 1), key=len, reverse=True)
    return [(some[-1].crop, some[-1].name, some) for some in several[:MOST_OFFERS]]
