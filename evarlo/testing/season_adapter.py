"""A random season, entered act by act through the services that pages call, and its figures read back under their ids.

The seasons and what each figure must be come from the folder `seasons`, which shares no code with this. Acts are entered in the
order in which they were typed; an undo and a correction go the way a person goes: take back, enter again.
"""

from __future__ import annotations

import sys
import uuid
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import date
from pathlib import Path
from typing import Any

from evarlo.catalogue.models import Crop, Problem, Trait
from evarlo.catalogue.problems import area_trait, plants_trait
from evarlo.compare.queries import compare
from evarlo.harvest.models import Picking
from evarlo.harvest.queries import yields
from evarlo.harvest.services import Weighed, keep_picking, withdraw_picking
from evarlo.harvest.stand import stands_over
from evarlo.harvest.store import LaidIn, curves_of, lay_in, look_at, stored_in, undo_look
from evarlo.harvest.store import Seen as SeenInStore
from evarlo.nursery.models import Step
from evarlo.nursery.queries import sown_on
from evarlo.nursery.services import keep_step
from evarlo.people.models import User
from evarlo.pests.watches import begin_watch, course_of
from evarlo.trials.leaving_out import exclude_plot, lift_exclusion
from evarlo.trials.models import Cause, Exclusion, Plot, Trial
from evarlo.trials.queries import plots_of
from evarlo.trials.taking_in import FinishedDesign, FinishedPlot, arrived, take_in_entries, take_in_plots, take_in_trial
from evarlo.walks.models import Observation
from evarlo.walks.services import Seen, clear, close_round, keep_observation, open_round, plan_round
from evarlo.walks.stages import stage_of, windows
from trialcore.analyses.keeping import lost_between, median_lost, share_sound
from trialcore.field.picks import PlotYield
from trialcore.reckoning.fixation import Mating, along
from trialcore.reckoning.segregation import against_ratio, share_of_all
from trialcore.reckoning.selection import plants_to_grow

SEASONS = Path(__file__).resolve().parents[2] / "seasons"
KINDS = ("stages", "store", "pests", "picks", "nursery")
"""The kinds of season that this adapter enters; the others (raised, sown, events, calendar) wait for plants that are kept by
station and days that follow until they are set by hand."""

TODAY = date(2026, 3, 1)
STAGES = {"flower": "first-flower", "head": "heads-visible", "maturity": "first-edible", "silk": "silked", "bolting": "bolted"}
Figures = dict[str, Any]


def made(kind: str, seed: int) -> dict[str, Any]:
    """A season of the generator."""
    return dict(_tool("make_season").make(seed, kind))


def expected(season: Mapping[str, Any]) -> Figures:
    """What its figures must be, by the independent calculator."""
    return dict(_tool("calculate").calculate(season))


def holding(season: Mapping[str, Any]) -> list[dict[str, Any]]:
    """The acts that hold in the end, corrected, in the order of their days."""
    return list(_tool("acts").that_hold(season))


def agrees(shown: Any, wanted: Any, slack: float = 1e-6) -> bool:
    """Whether a figure is what it must be: a number within two ends also where these are all that is known."""
    return bool(_tool("compare").agrees(shown, wanted, slack))


def _tool(name: str) -> Any:
    if str(SEASONS) not in sys.path:
        sys.path.insert(0, str(SEASONS))
    return __import__(name)


@dataclass
class Entered:
    """A season that was entered: its trial, its plots by id, and what each act became."""

    season: Mapping[str, Any]
    by: User
    trial: Trial = field(init=False)
    plots: dict[str, Plot] = field(init=False)
    kept: dict[str, Any] = field(default_factory=dict)
    lots: dict[str, Any] = field(default_factory=dict)
    traits: dict[str, Trait] = field(default_factory=dict)  # of pests that are watched
    standing: dict[str, dict[str, Any]] = field(default_factory=dict)  # acts that hold, by id, as they now read
    dropped: dict[str, dict[str, Any]] = field(default_factory=dict)  # acts that were undone
    turns: dict[str, int] = field(default_factory=dict)  # how often an act was taken back
    refused: list[str] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.trial, self.plots = _grown(self.season, self.by)
        corrected: dict[str, tuple[str, dict[str, Any]]] = {}
        undone: dict[str, str] = {}
        for act in self.season["acts"]:
            match act["do"]:
                case "undo":
                    undone[act["id"]] = act["of"]
                    self._undo(act["of"], undone, corrected)
                case "correct":
                    before = self.standing.get(act["of"])
                    if before is not None:
                        corrected[act["id"]] = (act["of"], dict(before))
                        self._again(before | act["set"])
                case _:
                    self._enter(act)

    def _undo(self, of: str, undone: Mapping[str, str], corrected: Mapping[str, tuple[str, dict[str, Any]]]) -> None:
        if of in undone:  # an undo that is undone: what it took back is entered again
            target = undone[of]
            if target in self.dropped:
                self._enter(self.dropped.pop(target))
        elif of in corrected:
            target, before = corrected[of]
            if target in self.standing:
                self._again(before)
        elif of in self.standing:
            self.dropped[of] = self.standing[of]
            self._take_back(of)

    def _again(self, act: dict[str, Any]) -> None:
        self._take_back(act["id"])
        self._enter(act)

    def _enter(self, act: Mapping[str, Any]) -> None:
        self.standing[act["id"]] = dict(act)
        if act["do"] == "score" and act.get("severity", 0) > 100:
            self.refused.append("a severity above 100 %")
            return
        entering: dict[str, Callable[[Mapping[str, Any]], Any]] = {
            "sow_plot_day": self._sow,
            "set_out": self._sow,
            "plant_plot_day": self._plant,
            "walk": self._walk,
            "lay_lot": self._lay_lot,
            "look_lot": self._look_lot,
            "score": self._score,
            "weigh": self._weigh,
            "nothing_to_pick": self._nothing_to_pick,
            "stand_count": self._stand_count,
            "exclude_plot": self._exclude_plot,
        }
        if act["do"] in entering:
            self.kept[act["id"]] = entering[act["do"]](act)
        else:
            self.refused.append(act["do"])

    def _take_back(self, of: str) -> None:
        act = self.standing.pop(of)
        self.turns[of] = self.turns.get(of, 0) + 1
        if act["do"] == "look_lot":
            self._without_look(act)
            return
        match self.kept.pop(of, None):
            case Observation() as seen:
                walked = Observation.objects.newest().get(round=seen.round_id, plot=seen.plot_id)
                clear(walked, self.by)
                self._walk_again(seen)
            case Exclusion() as exclusion:
                lift_exclusion(exclusion, self.by)
            case Picking() as picked:
                withdraw_picking(Picking.objects.get(pk=picked.pk), self.by)

    def _walk_again(self, seen: Observation) -> None:
        """What else was seen in the plot in that round is entered again, in the order of its days."""
        same = [
            (act["date"], pk)
            for pk, act in self.standing.items()
            if isinstance(o := self.kept.get(pk), Observation) and o.round_id == seen.round_id and o.plot_id == seen.plot_id
        ]
        for _, pk in sorted(same):
            self.turns[pk] = self.turns.get(pk, 0) + 1
            self._enter(self.standing[pk])

    # ---- stages ----
    def _sow(self, act: Mapping[str, Any]) -> None:
        keep_step(self.trial, Step.SOWN, _day(act), [self.plots[act["plot"]]], self.by, TODAY)

    def _plant(self, act: Mapping[str, Any]) -> None:
        keep_step(self.trial, Step.PLANTED, _day(act), [self.plots[act["plot"]]], self.by, TODAY)

    def _walk(self, act: Mapping[str, Any]) -> Observation:
        trait = Trait.objects.get(key=STAGES.get(act["stage"], "first-flower"))
        walk = open_round(self.trial, trait, _day(act), self.by)
        seen = Seen(day=_day(act)) if act["seen"] else Seen(cause=Cause.NOT_REACHED)
        return keep_observation(walk, self.plots[act["plot"]], seen, self.by, _day(act), self._key(act), TODAY)

    # ---- store ----
    def _lay_lot(self, act: Mapping[str, Any]) -> None:
        plot = self.plots[act["plot"]]
        laid = LaidIn(pieces=act["pieces"], every_days=7)
        self.lots[act["lot"]] = lay_in(self.trial, plot.entry, plot, _day(act), laid, self.by, TODAY)

    def _look_lot(self, act: Mapping[str, Any]) -> Any:
        """Looks are entered in the order of their days: later ones are taken back first and follow again."""
        later = [(on, pk) for on, pk in self._looks(act["lot"]) if on > act["date"] and pk in self.kept]
        for _, pk in reversed(later):
            undo_look(self.kept.pop(pk))
        self.kept[act["id"]] = self._look(act)
        for _, pk in later:
            self.kept[pk] = self._look(self.standing[pk])
        return self.kept[act["id"]]

    def _looks(self, lot: str) -> list[tuple[str, str]]:
        """The looks at a lot that hold, by their days."""
        return sorted((a["date"], pk) for pk, a in self.standing.items() if a["do"] == "look_lot" and a["lot"] == lot)

    def _look(self, act: Mapping[str, Any]) -> Any:
        return look_at(self.lots[act["lot"]], _day(act), SeenInStore(sound=act["sound"], taken=act["taken"]), self.by, TODAY)

    def _without_look(self, act: Mapping[str, Any]) -> None:
        later = [(on, pk) for on, pk in self._looks(act["lot"]) if on > act["date"] and pk in self.kept]
        for _, pk in reversed(later):
            undo_look(self.kept.pop(pk))
        undo_look(self.kept.pop(act["id"]))
        for _, pk in later:
            self.kept[pk] = self._look(self.standing[pk])

    # ---- pests ----
    def _score(self, act: Mapping[str, Any]) -> Observation | None:
        kind, plot, on = self.season["pests"][act["pest"]], self.plots[act["plot"]], _day(act)
        if kind == "share" and not act["looked"]:
            return None  # nothing was looked at: there is nothing to enter
        trait = self.pest_trait(act["pest"])
        walks = {w.opened_on: w for w in self.trial.rounds.filter(trait=trait)}
        walk = walks.get(on)
        if walk is None:
            walk = plan_round(self.trial, trait, on)
            walk.opened_on, walk.opened_by = on, self.by
            walk.save()
            close_round(walk)
        if kind == "share":
            seen = Seen(number=100 * act["y"] / act["looked"], looked=act["looked"])
        else:
            seen = Seen(number=float(act["severity"] if kind == "severity" else act["count"]))
        return keep_observation(walk, plot, seen, self.by, on, self._key(act), TODAY)

    def pest_trait(self, pest: str) -> Trait:
        """The trait by which a pest of the season is scored."""
        if pest not in self.traits:
            self.traits[pest] = self._pest_trait(pest)
        return self.traits[pest]

    def _pest_trait(self, pest: str) -> Trait:
        kind = self.season["pests"][pest]
        if kind == "count":
            return Trait.objects.get_or_create(
                key=f"season-{pest}", defaults={"name": pest, "kind": Trait.Kind.COUNT, "unit": "", "repeated": True}
            )[0]
        problem = Problem.objects.order_by("pk")[list(self.season["pests"]).index(pest)]
        begin_watch(self.trial, problem, date(2025, 4, 1), self.by, TODAY)
        return plants_trait(problem) if kind == "share" else area_trait(problem)

    # ---- picks ----
    def _weigh(self, act: Mapping[str, Any]) -> Picking:
        cull = act["fate"] == "cull"
        weight, pieces = act["kg"], act["pieces"]
        weighed = Weighed(0.0, None, weight, pieces) if cull else Weighed(weight, pieces)
        return self._picked(act, weighed)

    def _nothing_to_pick(self, act: Mapping[str, Any]) -> Picking:
        return self._picked(act, Weighed(0.0, None, 0.0, None, nought=Picking.Nought.NOTHING))

    def _picked(self, act: Mapping[str, Any], weighed: Weighed) -> Picking:
        sure = Weighed(**{**vars(weighed), "sure": True, "far": True, "again": "add"})
        return keep_picking(self.plots[act["plot"]], _day(act), sure, self.by, self._key(act), TODAY)

    def _exclude_plot(self, act: Mapping[str, Any]) -> Exclusion:
        return exclude_plot(self.plots[act["plot"]], Cause.ACCIDENT, act["reason"], _day(act), self.by)

    def _key(self, act: Mapping[str, Any]) -> uuid.UUID:
        """The key of a record: the same when an act is sent twice, another when it is entered again after it was taken back."""
        season = self.season
        return uuid.uuid5(uuid.NAMESPACE_OID, f"{season['kind']} {season['seed']} {act['id']} {self.turns.get(act['id'], 0)}")

    def _stand_count(self, act: Mapping[str, Any]) -> Observation:
        trait = Trait.objects.get(key="stand")
        walk = next((w for w in self.trial.rounds.filter(trait=trait) if w.opened_on == _day(act)), None)
        if walk is None:
            walk = plan_round(self.trial, trait, _day(act))
            walk.opened_on, walk.opened_by = _day(act), self.by
            walk.save()
        seen = Seen(number=float(act["plants"]))
        return keep_observation(walk, self.plots[act["plot"]], seen, self.by, _day(act), self._key(act), TODAY)


def _day(act: Mapping[str, Any]) -> date:
    return date.fromisoformat(act["date"])


def _grown(season: Mapping[str, Any], by: User) -> tuple[Trial, dict[str, Plot]]:
    """The trial with its plots as they stood."""
    crop, _ = Crop.objects.get_or_create(name="Bulb fennel")
    blocks = sorted({p["block"] for p in season["plots"]})
    blocked = season["design"] == "randomised complete block"
    design = Trial.Design.BLOCKS if blocked else Trial.Design.NO_BLOCKS
    name = f"Season {season['kind']} {season['seed']}"
    trial = take_in_trial(name, crop, "2025", FinishedDesign(design, len(blocks) if blocked else 1, placed=False), by)
    names = {e["id"]: e["id"] for e in season["entries"]}
    take_in_entries(trial, list(names.values()), season["check"])
    made_plots = []
    for n, p in enumerate(season["plots"]):
        block = str(p["block"]) if blocked else "1"
        made_plots.append(FinishedPlot(p["entry"], p["id"], block, "", n, 1, n + 1, 0.0, 0.0, p["area_m2"], 1.0))
    take_in_plots(trial, made_plots)
    arrived(trial)
    trial = Trial.objects.get(pk=trial.pk)
    return trial, {p.number: p for p in trial.plots.select_related("entry", "trial")}


def without_plots(season: Mapping[str, Any]) -> Figures | None:
    """The figures of a season in which no plot stands, of a selection nursery; None of other kinds."""
    return dict(_nursery_figures(season)) if season["kind"] == "nursery" else None


def _nursery_figures(season: Mapping[str, Any]) -> Iterator[tuple[str, Any]]:
    """What is expected of generations that are selfed, classes against their ratio, and plants needed."""
    if season["selfing_rate"] == 1:
        for n in range(1, season["last_generation"] + 1):
            yield f"fixation[F{n}]", along([Mating.SELFED] * (n - 1)).fixed
    for act in holding(season):
        if act["do"] == "classes":
            found = against_ratio(act["counts"], act["ratio"])
            yield f"classes.chi2[{act['family']};{act['trait']}]", found.chisq
            yield f"classes.p[{act['family']};{act['trait']}]", found.p_chisq
    for wanted in season["wanted"]:
        share = share_of_all(["fixed"] * wanted["genes"])
        yield f"plants.needed[F2;{wanted['genes']};{wanted['chance']}]", plants_to_grow(share, 1, wanted["chance"])


def figures_of(entered: Entered) -> Figures:
    """Every figure that the application has of the season, under the ids of the calculator."""
    trial = Trial.objects.get(pk=entered.trial.pk)
    readers = {"stages": _stage_figures, "store": _store_figures, "pests": _pest_figures, "picks": _pick_figures}
    return dict(readers[entered.season["kind"]](entered, trial))


def _by_entry(entered: Entered) -> dict[str, list[str]]:
    own: dict[str, list[str]] = {}
    for p in entered.season["plots"]:
        own.setdefault(p["entry"], []).append(p["id"])
    return own


def _stage_figures(entered: Entered, trial: Trial) -> Iterator[tuple[str, Any]]:
    sown = sown_on(trial)
    for stage in entered.season["stages"]:
        trait = Trait.objects.get(key=STAGES.get(stage, "first-flower"))
        seen = windows(trial, trait)
        ends: dict[str, list[int | None] | None] = {}
        for name, plot in entered.plots.items():
            w = seen.get(plot.pk)
            days = [(d - sown[plot.pk]).days if d else None for d in (w.after, w.by)] if w and plot.pk in sown else None
            if w and w.exact and days:
                days[0] = None  # the day was taken as typed: no walk without it is on record
            ends[name] = days
            yield f"stage.from_sowing[{stage};{name}]", days
        told = stage_of(trial, trait)
        for entry, plots in _by_entry(entered).items():
            looked = [e for p in plots if (e := ends[p]) is not None]
            yield f"stage.never[{stage};{entry}]", sum(e[1] is None for e in looked)
            yield f"stage.not_looked[{stage};{entry}]", len(plots) - len(looked)
            yield f"stage.gap[{stage};{entry}]", looked[0] if looked and all(e == looked[0] for e in looked) else None
            mean = next((m for m in told.dates.means if m.entry == entry), None) if told else None
            if mean and mean.days is not None:
                yield f"stage.bounds.sowing[{stage};{entry}]", round(mean.days, 3)
        found = compare(trial, trait, entered.by)
        for r in found.results:
            if r.mean.lsmean is not None:
                # days as typed are known to half a day
                yield f"stage.bounds.sowing[{stage};{r.entry.code}]", round(r.mean.lsmean, 3)


def _store_figures(entered: Entered, trial: Trial) -> Iterator[tuple[str, Any]]:
    stored = stored_in(trial)
    curves = curves_of(stored)
    names = {lot.pk: name for name, lot in entered.lots.items()}
    by_entry: dict[str, list[Any]] = {}
    for s in stored:
        name = names[s.lot.pk]
        taken, lost = sum(c.taken for c in s.checks), sum(s.losses)
        yield f"keep.laid[{name}]", s.lot.pieces
        yield f"keep.taken[{name}]", taken
        yield f"keep.sound_left[{name}]", s.sound
        yield f"keep.lost[{name}]", lost
        by_entry.setdefault(s.lot.entry.code, []).append(s)
    for entry, some in by_entry.items():
        if entry not in curves:
            continue
        for t in entered.season["keep_days"]:
            share = share_sound(curves[entry], t)
            if share is not None:
                yield f"keep.sound[{entry}@{t}]", share
        yield f"keep.median[{entry}]", list(median_lost(lost_between([s.as_checks for s in some if s.checks])))


def _pest_figures(entered: Entered, trial: Trial) -> Iterator[tuple[str, Any]]:
    plots = plots_of(trial)
    number = {p.pk: p.number for p in plots}
    for pest, kind in entered.season["pests"].items():
        trait = entered.pest_trait(pest)
        scale = 100.0 if kind == "share" else 1.0
        if kind != "count":
            watch = trial.watches.get(problem__in=Problem.objects.filter(pk__in=[_problem_of(trait)]))
            course = course_of(watch, trait, plots)
            for look in course.looks if course else ():
                for pk, value in look.by_plot.items():
                    yield f"pest.value[{pest};{number[pk]}@{look.on}]", value / scale
            for e in course.entries if course else ():
                if e.season is not None:
                    yield f"pest.audpc.relative[{pest};{e.code}]", e.season
                for on, value in e.points:
                    yield f"pest.range[{pest};{e.code}@{on}]", value / scale
        found = compare(trial, trait, entered.by)
        last = max((w.opened_on for w in trial.rounds.filter(trait=trait, observations__isnull=False) if w.opened_on), default=None)
        for r in found.results:
            if r.mean.lsmean is not None and last and len(found.not_recorded) == 0 and len({v.among for v in found.plots}) == 1:
                yield f"pest.compared[{pest};{r.entry.code}@{last}]", (r.mean.lsmean / scale, r.mean.n)


def _problem_of(trait: Trait) -> int:
    return next(p.pk for p in Problem.objects.all() if trait.key in (plants_trait(p).key, area_trait(p).key))


def _pick_figures(entered: Entered, trial: Trial) -> Iterator[tuple[str, Any]]:
    seasons, stands = yields(trial), stands_over(trial)
    unsupported = {a["plot"] for a in entered.standing.values() if a["do"] in ("weigh_graded", "weigh_dry", "lose_plants")}
    uncounted = {a["plot"] for a in entered.standing.values() if a["do"] == "weigh" and a["pieces"] is None}
    side = {a["plot"] for a in entered.standing.values() if a.get("part") == "side"}
    for name, plot in entered.plots.items():
        found = seasons.get(plot.pk)
        if name in unsupported or name in side or found is None:
            continue
        yield from _plot_figures(name, found, in_kg=entered.season["yield_is"]["measure"] == "kg", counted=name not in uncounted)
        for act in entered.season["acts"]:
            if act["do"] == "stand_count" and act["id"] in entered.standing and act["plot"] == name:
                yield f"stand.counted[{name}@{act['date']}]", stands[plot.pk].on(_day(act))
    if not unsupported and not side and entered.season["yield_is"]["measure"] == "kg":
        yield from _compared_yields(entered, trial)


def _plot_figures(name: str, found: PlotYield, *, in_kg: bool, counted: bool) -> Iterator[tuple[str, Any]]:
    yield f"kg.marketable[{name}]", found.marketable_kg
    yield f"kg.cull[{name}]", found.cull_kg
    if counted:
        yield f"pieces.marketable[{name}]", found.pieces or 0
    if found.kg_per_m2 is not None and in_kg:
        yield f"yield.per_m2[{name}]", found.kg_per_m2
    if found.days_to_first_pick is not None and in_kg:
        yield f"pick.first_days[{name}]", found.days_to_first_pick
    if found.marketable_share is not None:
        yield f"share.marketable.kg[{name}]", found.marketable_share
    if found.flow and in_kg:
        yield f"pick.first[{name}]", found.flow.first.isoformat()
        yield f"pick.last[{name}]", found.flow.last.isoformat()
        yield f"pick.span[{name}]", found.flow.span
        if found.flow.to_half is not None:
            yield f"pick.half.between[{name}]", found.flow.to_half


def _compared_yields(entered: Entered, trial: Trial) -> Iterator[tuple[str, Any]]:
    """Least squares over plots, by the page that compares."""
    compared = compare(trial, Trait.objects.get(key="marketable-yield"), entered.by)
    if compared.worked.rescaled is not None or compared.analysis.mse is None:
        return
    yield "ls.df", compared.analysis.df_error
    for r in compared.results:
        if r.mean.lsmean is not None:
            yield f"ls.mean[{r.entry.code}]", r.mean.lsmean
        if r.difference is not None and not r.entry.is_check:
            yield f"ls.difference[{r.entry.code}]", r.difference.estimate
            yield f"ls.sed[{r.entry.code}]", r.difference.se
            yield f"ls.interval95[{r.entry.code}]", [r.lower, r.upper]
