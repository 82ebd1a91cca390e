"""What programs read: the queries that the pages go by, held to the same permissions; a blind trial stays blind."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date
from typing import Annotated, Any, TypeVar

from django.db.models import Count, Model, OuterRef, QuerySet, Subquery
from django.http import Http404, HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Query, Router

from evarlo.api.door import asking
from evarlo.api.shapes import (
    BoardOut,
    CultivarOut,
    EntryOut,
    ObservationOut,
    Page,
    PlotOut,
    RoundOut,
    SiteOut,
    TraitOut,
    TrialOut,
    VerdictOut,
    WeatherOut,
    answers,
)
from evarlo.catalogue.models import Cultivar, Trait
from evarlo.compare.downloads import figures_of
from evarlo.compare.queries import compare
from evarlo.grounds.models import Site, WeatherDay
from evarlo.people.models import User
from evarlo.trials.models import Entry, Plot, Trial
from evarlo.trials.queries import names_shown, plots_of, scores_blind, traits_with_records, without_names
from evarlo.verdicts.models import SignedBoard
from evarlo.walks.models import Observation
from evarlo.walks.queries import standing_of

router = Router(tags=["reading"])
PER_PAGE = 100
T = TypeVar("T")
PageNumber = Annotated[int, Query(ge=1, le=1_000_000)]
PerPage = Annotated[int, Query(ge=1, le=500)]


def page_of(found: QuerySet[Any] | Sequence[Any], page: int, per_page: int, shape: Callable[[Any], T]) -> Page[T]:
    """One page of results, in an order that stays; one beyond the last is empty."""
    count = found.count() if isinstance(found, QuerySet) else len(found)
    some = found[(page - 1) * per_page : page * per_page]
    return Page[Any](count=count, page=page, pages=max(1, -(-count // per_page)), results=[shape(x) for x in some])


def trial_named(slug: str) -> Trial:
    """A trial that is there for everybody. Raises Http404."""
    return get_object_or_404(Trial.objects.select_related("crop", "bed__site"), slug=slug, arriving=False)


@router.get("/trials", response=answers(Page[TrialOut]), summary="Trials, the newest season first")
def trials(
    request: HttpRequest, season: Annotated[str, Query(max_length=20)] = "", page: PageNumber = 1, per_page: PerPage = PER_PAGE
) -> Page[TrialOut]:
    by = asking(request, "see")
    found = _with_counts().filter(practice=False).order_by("-season", "pk")
    return page_of(found.filter(season=season) if season else found, page, per_page, lambda t: _trial(t, by))


@router.get("/trials/{slug}", response=answers(TrialOut), summary="One trial")
def trial(request: HttpRequest, slug: str) -> TrialOut:
    by = asking(request, "see")
    return _trial(get_object_or_404(_with_counts(), slug=slug), by)


def _with_counts() -> QuerySet[Any]:
    """Trials that are there for everybody, with the numbers of their entries and plots, each counted by itself: joined, a trial
    would have as many rows as entries times plots."""
    own: dict[str, type[Model]] = {"n_entries": Entry, "n_plots": Plot}
    counts = {
        name: Subquery(
            kind._default_manager.filter(trial=OuterRef("pk")).order_by().values("trial").annotate(n=Count("pk")).values("n")
        )
        for name, kind in own.items()
    }
    return Trial.objects.filter(arriving=False).select_related("crop").annotate(**counts)


def _trial(t: Any, by: User) -> TrialOut:
    return TrialOut(
        slug=t.slug,
        name=t.name,
        season=t.season,
        crop=t.crop.name,
        question=without_names(t, t.question, by),
        design=t.get_design_display(),
        blocks=t.blocks,
        blind=not names_shown(t, by),
        decided_at=t.decided_at,
        entries=t.n_entries or 0,
        plots=t.n_plots or 0,
    )


@router.get("/trials/{slug}/entries", response=answers(list[EntryOut]), summary="The entries of a trial")
def entries(request: HttpRequest, slug: str) -> list[EntryOut]:
    by, t = asking(request, "see"), trial_named(slug)
    shown = names_shown(t, by)
    return [
        EntryOut(code=e.code, cultivar=e.cultivar.name if shown else None, check=e.any_check if shown else None)
        for e in t.entries.select_related("cultivar").order_by("code")
    ]


@router.get("/trials/{slug}/plots", response=answers(Page[PlotOut]), summary="The plots of a trial along their path")
def plots(request: HttpRequest, slug: str, page: PageNumber = 1, per_page: PerPage = PER_PAGE) -> Page[PlotOut]:
    by, t = asking(request, "see"), trial_named(slug)

    def shape(p: Any) -> PlotOut:
        out = p.exclusions_in_force
        bed = p.bed or t.bed
        return PlotOut(
            id=p.pk,
            number=p.number,
            entry=p.entry.code,
            block=p.block,
            row=p.row,
            column=p.col,
            bed=bed.name if bed else None,
            x_m=p.x,
            y_m=p.y,
            length_m=p.length,
            width_m=p.width,
            left_out=without_names(t, f"{out[0].get_cause_display()}: {out[0].note}", by) if out else "",
        )

    return page_of(plots_of(t), page, per_page, shape)


@router.get("/traits", response=answers(Page[TraitOut]), summary="What can be recorded")
def traits(request: HttpRequest, page: PageNumber = 1, per_page: PerPage = PER_PAGE) -> Page[TraitOut]:
    asking(request, "see")
    found = Trait.objects.order_by("key")
    return page_of(
        found, page, per_page, lambda t: TraitOut(key=t.key, name=t.name, kind=t.kind, unit=t.shown_unit, method=t.method)
    )


@router.get("/trials/{slug}/rounds", response=answers(list[RoundOut]), summary="The rounds that were walked or are planned")
def rounds(request: HttpRequest, slug: str) -> list[RoundOut]:
    asking(request, "see")
    found = trial_named(slug).rounds.select_related("trait").order_by("pk")
    return [
        RoundOut(id=r.pk, trait=r.trait.key, number=r.number, opened_on=r.opened_on, closed=r.closed_at is not None) for r in found
    ]


@router.get("/trials/{slug}/observations", response=answers(Page[ObservationOut]), summary="The values that stand")
def observations(
    request: HttpRequest,
    slug: str,
    trait: Annotated[str, Query(max_length=80)] = "",
    page: PageNumber = 1,
    per_page: PerPage = PER_PAGE,
) -> Page[ObservationOut]:
    """Whoever scores without seeing what others gave reads their own alone."""
    by, t = asking(request, "observe" if _scores(request) else "compare"), trial_named(slug)
    found = standing_of(t).select_related("round__trait", "plot", "by").order_by("round_id", "plot__place", "pk")
    if trait:
        found = found.filter(round__trait__key=trait)
    if scores_blind(by):
        found = found.filter(by=by)

    def shape(o: Observation) -> ObservationOut:
        return ObservationOut(
            key=o.pk,
            round=o.round_id,
            trait=o.round.trait.key,
            plot=o.plot.number,
            number=o.number,
            day=o.day,
            cause=o.cause,
            note=without_names(t, o.note, by),
            seen_on=o.seen_on,
            by=str(o.by),
            unit=o.round.trait.unit,
        )

    return page_of(found, page, per_page, shape)


def _scores(request: HttpRequest) -> bool:
    return scores_blind(request.auth.person)  # type: ignore[attr-defined]


@router.get(
    "/trials/{slug}/comparisons/{trait}", response=answers(dict[str, Any]), summary="Every figure of a comparison, as on its page"
)
def comparison(request: HttpRequest, slug: str, trait: str) -> dict[str, Any]:
    by, t = asking(request, "compare"), trial_named(slug)
    asked = next((x for x in traits_with_records(t) if x.compared and x.key == trait), None)
    if asked is None:
        raise Http404
    found = compare(t, asked, by)
    return {"trial": t.name, "trait": asked.key, "unit": asked.shown_unit} | figures_of(found)


@router.get("/trials/{slug}/verdicts", response=answers(list[BoardOut]), summary="Signed boards, the newest first")
def verdicts(request: HttpRequest, slug: str) -> list[BoardOut]:
    by, t = asking(request, "compare"), trial_named(slug)
    shown = names_shown(t, by)

    def line(x: dict[str, Any]) -> VerdictOut:
        return VerdictOut(
            code=x["code"],
            name=x["name"] if shown else x["code"],
            check=x["check"],
            verdict=x["verdict"],
            suggested=x["suggested"],
            reasons=[without_names(t, r, by) for r in x["reasons"]],
        )

    boards = SignedBoard.objects.filter(trial=t).select_related("by").order_by("-at")
    return [BoardOut(signed_at=b.at, signed_by=str(b.by), verdicts=[line(x) for x in b.lines]) for b in boards]


@router.get("/cultivars", response=answers(Page[CultivarOut]), summary="Cultivars by crop and name")
def cultivars(
    request: HttpRequest, crop: Annotated[str, Query(max_length=60)] = "", page: PageNumber = 1, per_page: PerPage = PER_PAGE
) -> Page[CultivarOut]:
    asking(request, "see")
    found = Cultivar.objects.select_related("crop").prefetch_related("synonyms").order_by("crop__name", "name", "pk")
    found = found.filter(crop__name__iexact=crop) if crop else found
    return page_of(
        found,
        page,
        per_page,
        lambda c: CultivarOut(id=c.pk, crop=c.crop.name, name=c.name, synonyms=[s.name for s in c.synonyms.all()]),
    )


@router.get("/sites", response=answers(list[SiteOut]), summary="The sites of the place")
def sites(request: HttpRequest) -> list[SiteOut]:
    asking(request, "see")
    return [SiteOut(id=s.pk, name=s.name, latitude=s.latitude, longitude=s.longitude) for s in Site.objects.order_by("pk")]


@router.get("/sites/{int:pk}/weather", response=answers(Page[WeatherOut]), summary="The weather record of a site, day by day")
def weather(
    request: HttpRequest,
    pk: int,
    since: date | None = None,
    until: date | None = None,
    page: PageNumber = 1,
    per_page: PerPage = PER_PAGE,
) -> Page[WeatherOut]:
    asking(request, "see")
    found = WeatherDay.objects.filter(site=site_numbered(pk)).order_by("day")
    if since:
        found = found.filter(day__gte=since)
    if until:
        found = found.filter(day__lte=until)

    def shape(w: WeatherDay) -> WeatherOut:
        return WeatherOut(day=w.day, tmin_c=w.tmin, tmax_c=w.tmax, rain_mm=w.rain_mm, soil_c=w.soil_c, source=w.source)

    return page_of(found, page, per_page, shape)


def site_numbered(pk: int) -> Site:
    """Raises Http404."""
    if pk >= 2**63:
        raise Http404
    return get_object_or_404(Site, pk=pk)
