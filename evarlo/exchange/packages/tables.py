"""What a package is made of: a table for each kind of record, its columns with type and unit, and the form that a value has."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from datetime import UTC, date, datetime
from functools import cache
from graphlib import TopologicalSorter
from itertools import islice
from typing import Any, TypeVar, cast
from uuid import UUID

from django.apps import apps
from django.core.exceptions import ValidationError
from django.core.validators import MaxLengthValidator
from django.db import models
from django.utils import timezone

from evarlo.exchange.packages.insides import INSIDES, name_of_column, shape_of, shaped_or_refused

FORMAT = 1  # of the package; one of a higher number is of a newer version
MANY = 500  # records that are read or written at once
Model = type[models.Model]
T = TypeVar("T")

# What stays where it is, and why.
NOT_TAKEN = {
    "databases.Mark": "it says whether a table has changed, and nothing of what is recorded",
    "people.Place": "the place that a package comes to has its own name",
    "people.Invitation": "a link lets somebody into this place only",
    "people.Visit": "log-ins are of this place only",
    "people.Sent": "a phone's sendings were answered here",
    "people.AuditLine": "a chain of what was done here, exported as it is",
    "people.User_groups": "roles say what people may do",
    "people.User_user_permissions": "roles say what people may do",
    "api.Token": "a program is let into this place only",
    "exchange.Sheet": "a sheet that is being looked at is no record yet",
    "exchange.Shape": "how this place reads its sheets",
    "exchange.Brought": "written as `origins.csv`",
    "programmes.Analysis": "reckoned anew from the records",
    "programmes.Frontier": "reckoned anew from the records",
}
# Columns that are not written: secrets, and what is only of this place.
LEFT_OUT = {
    "partners.Partner": {"code"},
    "people.User": {"password", "last_login", "is_superuser", "is_staff", "calendar_key", "groups", "user_permissions"}
    | {"second_key", "second_step", "second_wrong", "second_wrong_at"},
}
UNITS = {
    "_m": "m",
    "_cm": "cm",
    "_mm": "mm",
    "_kg": "kg",
    "_g": "g",
    "_ml": "mL",
    "_h": "h",
    "_hours": "h",
    "_days": "d",
    "_s": "s",
    "_c": "°C",
    "_percent": "%",
}
UNIT_OF = {
    "celsius": "°C",
    "tmin": "°C",
    "tmax": "°C",
    "minutes": "min",
    "hours": "h",
    "germination": "%",
    "bearing": "°",
    "latitude": "°",
    "longitude": "°",
    "shade_hours": "h",
    "grade": "",
}
PLOT_METRES = {"x", "y", "length", "width"}
KINDS: tuple[tuple[type[models.Field[Any, Any]], str], ...] = (
    (models.BooleanField, "boolean"),
    (models.DateTimeField, "datetime"),
    (models.DateField, "date"),
    (models.FloatField, "number"),
    (models.JSONField, "any"),
    (models.BinaryField, "string"),
    (models.IntegerField, "integer"),
)
LIKE_FORMULAS = ("=", "+", "-", "@", "\t", "\r", "'")


def label_of(model: Model) -> str:
    return model._meta.label


def name_of(model: Model) -> str:
    """Of a table in a package, such as `trials-plot`."""
    return model._meta.label_lower.replace(".", "-").replace("_", "-")


def called(model: Model) -> str:
    """Records of a table in words, such as `entries`."""
    one = str(model._meta.verbose_name)
    if one == "criterion":
        return "criteria"
    return f"{one[:-1]}ies" if one.endswith("y") else f"{one}es" if one.endswith(("s", "sh", "ch")) else f"{one}s"


def batched(things: Iterable[T], most: int = MANY) -> Iterator[list[T]]:
    """The things, so many at a time."""
    left = iter(things)
    while some := list(islice(left, most)):
        yield some


@cache
def all_models() -> list[Model]:
    """Every kind of record, each after those it refers to."""
    every = [m for m in apps.get_models(include_auto_created=True) if m.__module__.startswith("evarlo.")]
    taken = [m for m in every if label_of(m) not in NOT_TAKEN]
    before = {m: {f.related_model for f in m._meta.concrete_fields if f.is_relation} - {m} for m in taken}
    return [m for m in TopologicalSorter(before).static_order() if m in before]


def columns_of(model: Model) -> list[models.Field[Any, Any]]:
    left_out = LEFT_OUT.get(label_of(model), set())
    return [f for f in model._meta.concrete_fields if f.name not in left_out]


def refers_to(field: models.Field[Any, Any]) -> Model:
    """The table that a reference leads to."""
    return cast(Model, field.related_model)


def _kept_as(field: models.Field[Any, Any]) -> models.Field[Any, Any]:
    """The field that a reference goes by."""
    return refers_to(field)._meta.pk if field.is_relation else field


def kind_of(field: models.Field[Any, Any]) -> str:
    """The type of a column as a table schema names it."""
    return next((kind for of, kind in KINDS if isinstance(_kept_as(field), of)), "string")


def unit_of(field: models.Field[Any, Any]) -> str:
    """The unit of a column; empty for what has none or whose unit stands beside it."""
    if kind_of(field) not in ("number", "integer") or field.is_relation:
        return ""
    if field.name in UNIT_OF:
        return UNIT_OF[field.name]
    if field.name in PLOT_METRES and field.model._meta.app_label in ("trials", "grounds"):
        return "m"
    ends = [e for e in UNITS if field.name.endswith(e)]
    return UNITS[max(ends, key=len)] if ends else ""


def schema_of(model: Model) -> dict[str, Any]:
    """The table schema: every column with type, unit and what it may hold; what refers to which table."""
    fields = []
    for f in columns_of(model):
        told: dict[str, Any] = {"name": f.name, "type": kind_of(f)}
        if unit_of(f):
            told["unit"] = unit_of(f)
        may: dict[str, Any] = {}
        if not f.null and kind_of(f) not in ("string", "any"):
            may["required"] = True
        if f.choices:
            told["categories"] = [{"value": v, "label": str(said)} for v, said in f.flatchoices if v != ""]
        if may:
            told["constraints"] = may
        if isinstance(f, models.BinaryField):
            told["description"] = "The name of a file in this package."
        if isinstance(f, models.JSONField):
            told |= {"description": "JSON.", "jsonSchema": shape_of(f)}
        fields.append(told)
    refers = [
        {
            "fields": [f.name],
            "reference": {"resource": name_of(f.related_model) if f.related_model is not model else "", "fields": ["id"]},
        }
        for f in columns_of(model)
        if isinstance(f, models.ForeignKey)
    ]
    return {"fields": fields, "primaryKey": ["id"], "foreignKeys": refers, "missingValues": [""]}


def written(field: models.Field[Any, Any], value: Any) -> str:
    """A value as it stands in a CSV file. A text that a spreadsheet would take for a formula gets an apostrophe in front, which
    `taken` takes off again."""
    if value is None:
        return ""
    kind = kind_of(field)
    if kind == "boolean":
        return "true" if value else "false"
    if kind in ("datetime", "date"):
        return str(value.isoformat())
    if kind == "number":
        return repr(float(value))
    if kind == "any":
        return json.dumps(value, ensure_ascii=False, separators=(",", ":"))
    text = str(value)
    return "'" + text if kind == "string" and text.startswith(LIKE_FORMULAS) else text


def taken(field: models.Field[Any, Any], text: str) -> Any:
    """The value that a cell of a CSV file stands for. Raises ValidationError with what is wrong."""
    kind = kind_of(field)
    if text == "" and (field.null or kind != "string"):
        if not field.null:
            raise ValidationError("Nothing stands there.")
        return None
    if isinstance(_kept_as(field), models.UUIDField):
        try:
            return UUID(text)
        except ValueError:
            raise ValidationError(f"“{text[:40]}” is no UUID.") from None
    if kind == "string":
        return _text(field, text.removeprefix("'"))
    try:
        return _read(kind, field, text)
    except (ValueError, OverflowError, RecursionError):
        raise ValidationError(f"“{text[:40]}” is no {kind}.") from None


def _text(field: models.Field[Any, Any], plain: str) -> str:
    if "\x00" in plain:
        raise ValidationError("A character that no text has.")
    held = field.validators if plain else ()  # names are as a place has them; what stands in an address has to be able to
    for check in held:
        if isinstance(field, models.SlugField) or isinstance(check, MaxLengthValidator):
            check(plain)
    if name_of_column(field) in INSIDES:
        shaped_or_refused(field, plain)
    return plain


def _read(kind: str, field: models.Field[Any, Any], text: str) -> Any:
    if kind == "boolean":
        return {"true": True, "false": False}[text.lower()] if text.lower() in ("true", "false") else _refuse(text)
    if kind == "datetime":
        at = datetime.fromisoformat(text)
        return (at if at.tzinfo else timezone.make_aware(at)).astimezone(UTC)
    if kind == "date":
        return date.fromisoformat(text)
    if kind == "any":
        found = json.loads(text, parse_constant=_refuse)
        shaped_or_refused(field, found)
        return found
    number = float(text) if kind == "number" else int(text)
    if number != number or abs(number) > 2**63 - 1:
        _refuse(text)
    for check in field.validators if not field.is_relation else ():
        check(number)
    return number


def _refuse(text: str) -> Any:
    raise ValueError(text)


def chosen_or_refused(field: models.Field[Any, Any], value: Any) -> None:
    """Raises ValidationError for a value that is none of those its column may hold."""
    if field.choices and value not in ("", None) and value not in {v for v, _ in field.flatchoices}:
        raise ValidationError(f"“{str(value)[:40]}” is none of {', '.join(str(v) for v, _ in field.flatchoices)}.")


def plain_columns(model: Model) -> list[models.Field[Any, Any]]:
    """What a record says: every column but its id and its pictures, which never change."""
    return [f for f in columns_of(model) if not isinstance(f, models.BinaryField) and f.name != "id"]


def pictures_of(model: Model) -> Iterator[models.Field[Any, Any]]:
    return (f for f in columns_of(model) if isinstance(f, models.BinaryField))
