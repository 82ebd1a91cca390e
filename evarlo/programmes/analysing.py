"""Reckoning a programme, a trial at a time so that it can be watched and left; what was found is kept and the page only reads
it."""

from __future__ import annotations

from datetime import date
from typing import Any

import numpy as np
from django.db import transaction
from django.utils import timezone

from evarlo.catalogue.models import Cultivar, Trait
from evarlo.compare.analysis import digits_for
from evarlo.grounds.models import WeatherDay
from evarlo.programmes.evidence import means_of, newest_boards, read_trial, site_of, stamp_of, trials_of, verdicts_now
from evarlo.programmes.models import Analysis, Programme
from evarlo.trials.models import Criterion, Trial
from evarlo.verdicts.learning import Programme as Learning
from evarlo.verdicts.learning import newest_signature, prior_for
from trialcore.analyses.programme import Along, Lead, Whole, analyse_plots, analyse_programme, leads_along
from trialcore.analyses.programme import Programme as Found
from trialcore.inference.season_means import SeasonMeans, own_variances, where_it_matters
from trialcore.inference.shrunken import Shrunken, shrink
from trialcore.reckoning.schedule import years_later

SHAPE = 2  # of what is kept: another version of the program that shows more counts it up, and all is reckoned anew
MOST_PLOTS = 800  # that are also fitted in one stage
AT_ONCE = 4  # trials that are read in one step
FEWEST_DAYS = 20  # of weather, below which a season's warmth is not known


def traits_of(programme: Programme) -> list[Trait]:
    """The traits by which trials of a programme decide, those that lead first."""
    criteria = (
        Criterion.objects.filter(trial__membership__programme=programme).select_related("trait").order_by("rank", "-trial__season")
    )
    return list({c.trait_id: c.trait for c in criteria if c.trait.compared}.values())


@transaction.atomic
def begin(programme: Programme, trait: Trait, anew: bool = False) -> Analysis:
    """The analysis of a trait: as it stands where it still goes by the same boards, else an empty one to be reckoned step by
    step."""
    members = trials_of(programme)
    stamp = stamp_of(members, newest_boards([t for t, _ in members]))
    kept = Analysis.objects.filter(programme=programme, trait=trait).defer("read").first()
    same = kept if kept and kept.stamp == stamp and kept.found.get("shape", SHAPE) == SHAPE and not anew else None
    if same and same.found.get("learnt") == newest_signature():
        return same
    found = kept.found if kept and kept.found.get("shape") == SHAPE else {}  # shown until the new one is there
    made, _ = Analysis.objects.update_or_create(
        programme=programme,
        trait=trait,
        defaults={"stamp": stamp, "read": same.read if same else [], "found": found | {"old": True}, "at": timezone.now()},
    )
    return made


def step(analysis: Analysis) -> Analysis:
    """Read some more trials, or fit them once all are read."""
    members = trials_of(analysis.programme)
    wanted = members[len(analysis.read) : len(analysis.read) + AT_ONCE]
    if wanted:
        analysis.read += [
            {"left_out": left, "pk": t.pk, "read": read_trial(t, analysis.trait), "warmth": warmth_of(t)} for t, left in wanted
        ]
    if len(analysis.read) >= len(members):
        analysis.found = fitted(analysis.programme, analysis.trait, analysis.read) | {"shape": SHAPE}
        analysis.at = timezone.now()
    analysis.save(update_fields=["read", "found", "at"])
    return analysis


def is_done(analysis: Analysis) -> bool:
    """Whether what was found goes by what is there now."""
    return bool(analysis.found) and not analysis.found.get("old")


def reckon(programme: Programme, trait: Trait) -> Analysis:
    """All steps at once."""
    analysis = begin(programme, trait)
    while not is_done(analysis):
        analysis = step(analysis)
    return analysis


def warmth_of(trial: Trial) -> float | None:
    """The mean temperature from sowing to the first pick planned, °C; None where too few days are on record."""
    if trial.bed is None or trial.sow_on is None:
        return None
    until: date = trial.pick_on or years_later(trial.sow_on, 1)
    days = WeatherDay.objects.filter(site=trial.bed.site, day__gte=trial.sow_on, day__lte=until).values_list("tmin", "tmax")
    known = [(low + high) / 2 for low, high in days if low is not None and high is not None]
    return sum(known) / len(known) if len(known) >= FEWEST_DAYS else None


def fitted(programme: Programme, trait: Trait, read: list[dict[str, Any]]) -> dict[str, Any]:
    """Everything the page shows, from the trials as they were read."""
    there = [r for r in read if r["read"]]
    used = [r["read"] for r in there if not r["left_out"]]
    trials = [_trial_shown(r) for r in read]
    if not used:
        return {"trials": trials, "rows": [], "why": "No trial has a mean of this trait yet."}
    sign = used[-1]["sign"]
    used = [u for u in used if u["sign"] == sign]
    check = _standing_check(used)
    means = [means_of(u, sign) for u in used]
    try:
        found = analyse_programme(means, check)
    except ValueError as reason:
        return {"trials": trials, "rows": [], "why": f"Nothing can be put together yet: {reason}."}
    seasons = [s for u in used if check and (s := _season(u, sign, check))]
    prior = prior_for(Learning(programme.crop_id, trait.key, int(check or 0)), good_check=programme.good_check)
    kept = shrink(seasons, prior)
    warmth = {r["read"]["slug"]: r["warmth"] for r in there if r["warmth"] is not None and not r["left_out"]}
    along = {a.entry: a for a in leads_along(found.steps, warmth)}
    names = dict(Cultivar.objects.filter(crop=programme.crop_id).values_list("pk", "name"))
    criterion = Criterion.objects.filter(trial__membership__programme=programme, trait=trait).order_by("-trial__season").first()
    typical = [lead.se for lead in found.leads] or found.ses.tolist()
    return {
        "unit": trait.shown_unit,
        "sign": sign,
        "matters": criterion.matters if criterion else None,
        "digits": digits_for(sum(typical) / len(typical), trait.decimals),
        "check": names.get(int(check), "") if check else "",
        "trials": [t | {"level": found.levels.get(t["slug"])} for t in trials],
        "rows": _rows(found, kept, along, names, [t["slug"] for t in trials], verdicts_now(programme)),
        "shares": found.shares,
        "variances": dict(found.fit.variances),
        "warmth": warmth,
        "warm_is_good": _together(found.levels, warmth),
        "whole": _whole_shown(found.whole, names),
        "one_stage": _one_stage(used, sign, check),
        "spread": float(np.sqrt(kept.entry_variance)) if kept else None,
        "learnt": newest_signature(),
        "learnt_from": prior.programmes,
    }


def _trial_shown(r: dict[str, Any]) -> dict[str, Any]:
    own = r["read"]
    trial = Trial.objects.select_related("bed__site").get(pk=r["pk"]) if own is None else None
    if own is None and trial is not None:
        marks = ["no figure of this trait"]
        return {
            "slug": trial.slug,
            "name": trial.name,
            "season": trial.season,
            "site": site_of(trial),
            "left_out": r["left_out"],
            "marks": marks,
            "signed": False,
        }
    return {k: own[k] for k in ("slug", "name", "season", "site", "marks", "signed")} | {"left_out": r["left_out"]}


def _standing_check(used: list[dict[str, Any]]) -> str | None:
    """The check that stood in most trials, the newest first among equals."""
    count: dict[str, int] = {}
    for u in reversed(used):
        for c in u["checks"]:
            count[c] = count.get(c, 0) + 1
    return max(count, key=lambda c: count[c]) if count else None


def _season(own: dict[str, Any], sign: int, check: str) -> SeasonMeans | None:
    """A trial as the shrunken fit takes it; None where the check or an error is missing."""
    names, covariance = own["entries"], np.array(own["covariance"], dtype=float)
    if check not in names or len(names) < 3 or not own["df"] or own["df"] < 1:
        return None
    others = [i for i, e in enumerate(names) if e not in own["checks"]]
    if not others:
        return None
    order = [*others, names.index(check)]
    joint = covariance[np.ix_(order, order)]
    alone = own_variances(joint)
    if (alone <= 0).any():
        return None
    means = [sign * own["means"][i] for i in order]
    plot = float(np.median(alone[:-1])) * max(1, round((own["df"] + len(names)) / max(1, len(names) - 1)))
    return SeasonMeans(
        tuple(names[i] for i in others),
        tuple(means[:-1]),
        tuple(alone[:-1].tolist()),
        means[-1],
        float(alone[-1]),
        plot,
        float(own["df"]),
        where_it_matters(joint, alone),
    )


def _rows(
    found: Found,
    kept: Shrunken | None,
    along: dict[str, Along],
    names: dict[int, str],
    slugs: list[str],
    now: dict[int, tuple[str, str]],
) -> list[dict[str, Any]]:
    leads = {lead.entry: lead for lead in found.leads}
    steps = {(s.entry, s.trial): s for s in found.steps}
    follows = {f.entry: f for f in found.follows}
    advantage = {a.entry: a for a in kept.advantages} if kept else {}
    rows = []
    for i, e in enumerate(found.entries):
        lead, a, f = leads.get(e), advantage.get(e), follows.get(e)
        cells = [steps.get((e, slug)) for slug in slugs]
        rows.append(
            {
                "id": int(e),
                "name": names.get(int(e), e),
                "check": e == found.check,
                "now": now.get(int(e), ("", "")),
                "mean": float(found.means[i]),
                "steps": [{"estimate": s.estimate, "se": s.se} if s else None for s in cells],
                "lead": _lead_shown(lead, found) if lead else None,
                "kept": a.kept if a else None,
                "chance": a.chance if a else None,
                "follows": {"slope": f.slope, "se": f.se, "p": f.p, "said": f.said, "trials": f.trials} if f else None,
                "along": {"slope": along[e].slope, "se": along[e].se, "p": along[e].p} if e in along else None,
            }
        )
    return sorted(rows, key=lambda r: -_worth(r))


def _worth(row: dict[str, Any]) -> float:
    if row["check"]:
        return 0.0
    if row["kept"] is not None:
        return float(row["kept"])
    return float(row["lead"]["estimate"]) if row["lead"] else float("-inf")


def _lead_shown(lead: Lead, found: Found) -> dict[str, Any]:
    base = float(found.means[found.entries.index(found.check)]) if found.check else 0.0
    return {
        "estimate": lead.estimate,
        "se": lead.se,
        "df": None if lead.df == float("inf") else lead.df,
        "lower": lead.lower95,
        "upper": lead.upper95,
        "trials": lead.trials,
        "seasons": lead.seasons,
        "percent": 100 * (1 + lead.estimate / abs(base)) if base > 0 else None,
    }


def _one_stage(used: list[dict[str, Any]], sign: int, check: str | None) -> dict[str, dict[str, float]] | None:
    """The leads from the plots of all trials in one model, by cultivar; None where there are too many, or a trial of another
    design."""
    if check is None or any(u["plots"] is None for u in used):
        return None
    rows = [(e, sign * v, u["season"], u["site"], f"{u['slug']} {b}") for u in used for e, b, v in u["plots"]]
    if not rows or len(rows) > MOST_PLOTS:
        return None
    entry, value, season, site, block = (list(column) for column in zip(*rows, strict=True))
    try:
        one = analyse_plots(entry, value, season, site, block)
    except ValueError:
        return None
    if check not in one.entries:
        return None
    base, told = one.entries.index(check), {}
    for i, e in enumerate(one.entries):
        if i != base:
            row = np.zeros(len(one.entries))
            row[i], row[base] = 1.0, -1.0
            c = one.fixed.contrast(row)
            told[e] = {"estimate": c.estimate, "se": c.se_kr, "df": min(c.df_kr, 1e6)}
    return told


def _together(levels: Any, warmth: dict[str, float]) -> float | None:
    """How far the better trials were the warmer ones, as a correlation; None in fewer than four."""
    both = [(levels[t], warmth[t]) for t in warmth if t in levels]
    if len(both) < 4 or np.ptp([w for _, w in both]) == 0 or np.ptp([x for x, _ in both]) == 0:
        return None
    return float(np.corrcoef(np.array(both).T)[0, 1])


def _whole_shown(whole: Whole | None, names: dict[int, str]) -> dict[str, Any] | None:
    if whole is None:
        return None
    return {
        "entries": [names.get(int(e), e) for e in whole.entries],
        "trials": list(whole.trials),
        "stability": [
            {
                "name": names.get(int(s.entry), s.entry),
                "mean": s.mean,
                "slope": s.slope,
                "shukla": s.shukla,
                "ecovalence": s.ecovalence,
                "superiority": s.superiority,
                "rank": s.mean_rank,
            }
            for s in whole.stability
        ],
        "axes": [a.percent for a in whole.ammi.axes[:2]],
        "asv": whole.ammi.asv.tolist(),
        "biplot": {
            "entries": whole.biplot.entries.tolist(),
            "trials": whole.biplot.environments.tolist(),
            "percent": list(whole.biplot.percent),
            "best": [names.get(int(whole.entries[b]), whole.entries[b]) for b in whole.biplot.best],
        },
    }
