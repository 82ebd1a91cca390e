"""What stands inside the columns that hold more than a figure or any word: the shape that pages rely on, held when it comes in."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from functools import cache
from typing import Annotated, Any, Literal, NotRequired

from django.core.exceptions import ValidationError
from django.db import models
from pydantic import AfterValidator, Field, TypeAdapter
from pydantic import ValidationError as Unlike
from typing_extensions import TypedDict

from evarlo.catalogue.profile import FIELDS
from evarlo.catalogue.profile import Field as ProfileField
from evarlo.grounds.zones import known_zones

Figure = Annotated[float, Field(allow_inf_nan=False)]
Figures = list[Figure]
Place = Annotated[int, Field(ge=0)]
Words = list[str]


def _month_and_day(value: str) -> str:
    date.fromisoformat(f"2024-{value}")
    return value


def _lower_first(value: Figures) -> Figures:
    if len(value) != 2 or value[0] > value[1]:
        raise ValueError("expected two figures, the lower first")
    return value


def _known_zone(value: str) -> str:
    if value and value not in known_zones():
        raise ValueError("expected an area and city, such as Pacific/Chatham")
    return value


Zone = Annotated[str, AfterValidator(_known_zone)]
DayOfYear = Annotated[str, Field(pattern=r"^\d\d-\d\d$"), AfterValidator(_month_and_day)]
Risk = Annotated[str, Field(pattern=r"^0\.\d+$")]
Range = Annotated[Figures, AfterValidator(_lower_first)]
Judged = Literal["recommend", "retest", "drop"]
Mated = Literal["selfed", "open", "sibbed", "backcrossed", "cloned"]


class LookAlike(TypedDict):
    what: str
    tell: str


class Anchor(TypedDict):
    at: Figure
    words: str
    drawing: str


class Frosts(TypedDict, total=False):
    last: dict[Risk, DayOfYear]
    first: dict[Risk, DayOfYear]
    years: Place


class ForSome(TypedDict):
    whom: str
    verdict: Judged
    reason: str


class SignedLine(TypedDict):
    code: str
    name: str
    check: bool
    verdict: Literal["", "recommend", "retest", "drop"]
    suggested: Literal["", "recommend", "retest", "drop"]
    reasons: Words
    own_reason: NotRequired[str]
    remembered: NotRequired[str]
    besides: NotRequired[Words]
    whom: NotRequired[list[ForSome]]
    cultivar: NotRequired[int]
    means: list[Figure | None]
    variances: NotRequired[list[Figure | None]]
    chances: NotRequired[list[Figure | None]]
    kept: NotRequired[list[Figure | None]]
    digits: list[Place]


class SignedFigures(TypedDict):
    trait: str
    unit: str
    n: Place
    of: NotRequired[Place]
    left_out: Words
    key: NotRequired[str]
    sign: NotRequired[Literal[1, -1]]
    df: Figure | None
    df_of_check: NotRequired[Figure | None]
    mse: Figure | None
    cv_percent: Figure | None
    band: Figure | None
    guard: NotRequired[str]


class Covariance(TypedDict):
    codes: Words
    matrix: list[Figures]


class Preferred(TypedDict):
    entry: str
    over: str
    whom: str
    reason: str


class Done(TypedDict, total=False):
    """Figures with which it can be done again, and the board that was signed by it."""

    board: int


class Asked(TypedDict):
    asked: str
    found: str
    enough: bool


def _of_profile(field: ProfileField) -> Any:
    if field.kind == "choice":
        return Literal[*field.choices]
    return {"words": str, "number": Figure, "range": Range}[field.kind]


Profile = TypedDict("Profile", {key: NotRequired[_of_profile(field)] for key, field in FIELDS.items()})  # type: ignore[misc]

INSIDES: dict[str, Any] = {
    "grounds.Site.time_zone": Zone,
    "grounds.Site.last_frost": DayOfYear | Literal[""],
    "grounds.Site.first_frost": DayOfYear | Literal[""],
    "catalogue.Crop.profile": Profile,
    "catalogue.Trait.choices": Words,
    "catalogue.Trait.fits": Words,
    "catalogue.Guide.anchors": list[Anchor],
    "catalogue.Guide.alike": list[LookAlike],
    "catalogue.Problem.alike": list[LookAlike],
    "catalogue.Problem.fits": Words,
    "grounds.Site.frost_record": Frosts | None,
    "trials.Trial.levels": Words,
    "trials.Protocol.steps": dict[str, str],
    "trials.Deed.detail": Done,
    "nursery.Sowing.cells": list[Place],
    "nursery.RaisingRule.released": dict[str, str],
    "nursery.RaisingRule.ways": dict[str, str],
    "walks.Round.only": list[Place],
    "walks.Observation.parts": Figures | None,
    "walks.Rival.parts": Figures | None,
    "practice.Practice.said": list[Figure | None],
    "practice.Practice.truth": Figures,
    "harvest.TestedSample.parts": list[Annotated[Figures, Field(min_length=1, max_length=2)]],
    "verdicts.SignedBoard.rule": dict[str, Any],
    "verdicts.SignedBoard.lines": list[SignedLine],
    "verdicts.SignedBoard.figures": list[SignedFigures],
    "verdicts.SignedBoard.covariances": list[Covariance | None],
    "verdicts.SignedBoard.preferences": list[Preferred],
    "verdicts.SignedBoard.stood_on": dict[str, dict[str, Figure | str | None]],
    "breeding.Generation.path": list[Mated],
    "breeding.Named.found": list[Asked],
    "rehearsal.PlayedSeason.truth": dict[str, Figure],
}


def name_of_column(field: models.Field[Any, Any]) -> str:
    return f"{field.model._meta.label}.{field.name}"


@cache
def _shape(name: str) -> TypeAdapter[Any]:
    return TypeAdapter(INSIDES[name])


def shape_of(field: models.Field[Any, Any]) -> dict[str, Any]:
    """The shape of a column as a JSON schema."""
    return _shape(name_of_column(field)).json_schema()


def shaped_or_refused(field: models.Field[Any, Any], value: Any) -> None:
    """Raises ValidationError, with where and what was expected, for a value that is not of its column's shape."""
    try:
        _shape(name_of_column(field)).validate_python(value, strict=True)
    except Unlike as unlike:
        first = unlike.errors(include_url=False, include_context=False)[0]
        where = " › ".join(str(part) for part in first["loc"])
        raise ValidationError(f"{f'At {where}: ' if where else ''}{first['msg']}. Found “{str(first['input'])[:40]}”.") from None


def apart(label: str, row: Mapping[str, Any]) -> list[tuple[str, str]]:
    """The columns of a record that do not go with each other, and why: of a signed board every entry has a figure for each
    criterion, and a covariance is one of its own codes."""
    if label != "verdicts.SignedBoard":
        return []
    many, wrong = len(row["figures"]), []
    for line in row["lines"]:
        lengths = {len(line[name]) for name in ("means", "variances", "chances", "kept", "digits") if name in line}
        if lengths != {many}:
            wrong.append(("lines", f"{line['code'][:40]} has not one figure for each of {many} criteria."))
    square = all({len(c["codes"])} == {len(c["matrix"]), *map(len, c["matrix"])} for c in row["covariances"] if c)
    if not square:
        wrong.append(("covariances", "A matrix is not of as many rows and columns as it has codes."))
    return wrong[:1]
