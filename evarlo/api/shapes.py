"""The objects that go over the wire. Amounts are metric; a field's unit stands in its name or beside it."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any, Generic, TypeVar
from uuid import UUID

from ninja import Field, Schema
from pydantic import ConfigDict

T = TypeVar("T")
WRONG = frozenset({400, 401, 403, 404, 422, 429})


class Strict(Schema):
    """What is sent: anything that is not known is refused rather than lost."""

    model_config = ConfigDict(extra="forbid")


class Page(Schema, Generic[T]):
    count: int = Field(description="of all results")
    page: int
    pages: int
    results: list[T]


class Wrong(Schema):
    error: str = Field(description="what is wrong and what is expected, as on the pages")
    field: str = ""


def answers(shape: Any) -> dict[Any, Any]:
    """What an address answers: `shape` when all is well, else what is wrong."""
    return {200: shape, WRONG: Wrong}


class TrialOut(Schema):
    slug: str
    name: str
    season: str
    crop: str
    question: str
    design: str
    blocks: int
    blind: bool = Field(description="whether names are hidden from whoever asks")
    decided_at: datetime | None
    entries: int
    plots: int


class EntryOut(Schema):
    code: str
    cultivar: str | None = Field(description="null where the trial is blind for whoever asks")
    check: bool | None = Field(description="null where the trial is blind for whoever asks")


class PlotOut(Schema):
    id: int
    number: str
    entry: str
    block: str
    row: int
    column: int
    bed: str | None
    x_m: float
    y_m: float
    length_m: float
    width_m: float
    left_out: str = Field(description="why it is left out of every comparison; empty while it counts")


class TraitOut(Schema):
    key: str
    name: str
    kind: str
    unit: str
    method: str


class RoundOut(Schema):
    id: int
    trait: str
    number: int
    opened_on: date | None
    closed: bool


class ObservationOut(Schema):
    key: UUID
    round: int
    trait: str
    plot: str
    number: float | None
    day: date | None
    cause: str
    note: str
    seen_on: date
    by: str
    unit: str


class CultivarOut(Schema):
    id: int
    crop: str
    name: str
    synonyms: list[str]


class VerdictOut(Schema):
    code: str
    name: str
    check: bool
    verdict: str
    suggested: str
    reasons: list[str]


class BoardOut(Schema):
    signed_at: datetime
    signed_by: str
    verdicts: list[VerdictOut]


class WeatherOut(Schema):
    day: date
    tmin_c: float
    tmax_c: float
    rain_mm: float | None
    soil_c: float | None
    source: str


class SiteOut(Schema):
    id: int
    name: str
    latitude: float | None
    longitude: float | None


class Sighting(Strict):
    key: UUID = Field(description="made by the program; the same key sent again is kept once")
    plot: str = Field(max_length=20, description="the number on the stake")
    number: float | None = Field(None, allow_inf_nan=False)
    day: date | None = Field(None, description="of a stage: the day on which it was reached")
    cause: str = Field("", max_length=20, description="why there is no value, such as lost or failed")
    note: str = Field("", max_length=300)
    looked: int | None = Field(None, ge=1, lt=30_000, description="of counts: how many units were looked at")
    made_at: datetime = Field(description="with its offset from UTC")
    before: str = Field("", max_length=36, description="the key that the program knew to stand there")


class Batch(Strict):
    records: list[Sighting] = Field(max_length=200)
    clock: datetime | None = Field(None, description="what the program's clock says now; days are set right by it")


class AnswerOut(Schema):
    key: str
    state: str = Field(description="kept, same, rival (another stands; both are kept) or refused")
    said: str
    stands: str


class Answers(Schema):
    answers: list[AnswerOut]


class WeatherIn(Strict):
    day: date
    tmin_c: float = Field(ge=-60, le=60)
    tmax_c: float = Field(ge=-60, le=60)
    rain_mm: float | None = Field(None, ge=0, le=1000)
    soil_c: float | None = Field(None, ge=-40, le=60)


class WeatherDays(Strict):
    days: list[WeatherIn] = Field(max_length=400)


class Kept(Schema):
    kept: int
