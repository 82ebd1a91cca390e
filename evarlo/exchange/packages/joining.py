"""Putting a package into the place: each record is found here, or is new. What is new comes with its id where that is free; what
is here stays, unless it is as it came before and has been changed where it came from. Nothing is ever deleted."""

from __future__ import annotations

import json
import re
from collections import Counter, defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, field
from hashlib import sha256
from typing import Any, cast
from uuid import UUID, uuid4

from django.core.management.color import no_style
from django.db import IntegrityError, connection, models, transaction
from django.db.models.functions import Lower

from evarlo.exchange.models import Brought
from evarlo.exchange.packages.opening import Package
from evarlo.exchange.packages.tables import (
    MANY,
    Model,
    all_models,
    batched,
    called,
    columns_of,
    label_of,
    plain_columns,
    refers_to,
    written,
)
from evarlo.people.models import Place
from evarlo.ui.refused import Refused

MOST_SAID = 60  # differences that are named
# Names by which the same thing is known everywhere. Other tables go by their own unique columns.
NAMES = {
    "catalogue.Cultivar": ("crop", "name"),
    "catalogue.Synonym": ("cultivar", "name"),
    "catalogue.Problem": ("name",),
    "people.User": ("username",),
}
# What may be called the same in two places without being the same: it gets another name.
RENAMED = {
    "trials.Trial": "slug",
    "programmes.Programme": "slug",
    "seeds.Lot": "name",
    "nursery.Tray": "name",
    "breeding.Cross": "name",
    "tasting.Seat": "code",
}


Key = int | UUID


class _DryRun(Exception):
    """Ends a dry run: all that was written is taken back."""


@dataclass(frozen=True)
class Difference:
    """A record that is here and in the package and not the same: what stays here and what the package says."""

    what: str
    column: str
    here: str
    there: str


@dataclass
class Joined:
    """What bringing in a package does: of each table how many records are new, here already, brought up to date, or here and
    otherwise (`kept`); records that got another name; the first differences."""

    new: Counter[str] = field(default_factory=Counter)
    same: Counter[str] = field(default_factory=Counter)
    newer: Counter[str] = field(default_factory=Counter)
    kept: Counter[str] = field(default_factory=Counter)
    renamed: list[str] = field(default_factory=list)
    differences: list[Difference] = field(default_factory=list)
    unknown: list[str] = field(default_factory=list)

    @property
    def lines(self) -> list[tuple[str, int, int, int, int]]:
        names = sorted({*self.new, *self.same, *self.newer, *self.kept})
        return [(n, self.new[n], self.same[n], self.newer[n], self.kept[n]) for n in names]


def dry_run(package: Package) -> Joined:
    """What bringing it in would do. Raises Refused with the cells that cannot be read."""
    found: list[Joined] = []
    try:
        with transaction.atomic():
            found.append(_join(package))
            connection.check_constraints()
            raise _DryRun
    except _DryRun:
        return found[0]
    except IntegrityError as error:
        raise Refused(f"It cannot be brought in: its records contradict each other ({error}).") from None


def bring_in(package: Package) -> Joined:
    """Bring it in, all or nothing. Raises Refused."""
    try:
        with transaction.atomic():
            return _join(package)
    except IntegrityError as error:
        raise Refused(f"Nothing is brought in: its records contradict each other ({error}).") from None


def _join(package: Package) -> Joined:
    own = Place.objects.first()
    joining = _Joining(package, own.key if own else None)
    for model in all_models():
        joining.identify(model)
        if package.wrong:
            raise Refused("Nothing is brought in. " + " ".join(package.wrong))
    for model in all_models():
        joining.settle(model)
    joining.remember()
    return joining.said


class _Joining:
    """The work of one package: for each table the ids here of the ids there."""

    def __init__(self, package: Package, own: UUID | None) -> None:
        self.package, self.own = package, own
        self.ours: dict[Model, dict[Key, Key]] = defaultdict(dict)
        self.fresh: dict[Model, set[Key]] = defaultdict(set)
        self.labels = {label_of(m).lower(): m for m in all_models()}
        self.said = Joined(unknown=package.unknown)
        self.memory: dict[tuple[UUID, str, str], Brought] = {}
        self.came: list[Brought] = []
        self.elsewhere: dict[tuple[str, str], list[tuple[UUID, str]]] = defaultdict(list)
        for table, pk, place, there in package.origins():
            self.elsewhere[table, pk].append((place, there))
        places = {package.place} | {place for them in self.elsewhere.values() for place, _ in them}
        for b in Brought.objects.filter(place__in=places):
            self.memory[b.place, b.table, b.theirs] = b

    def identify(self, model: Model) -> None:
        """Which of ours each record of a table is, or the id that it gets."""
        here: dict[Key, None] = dict.fromkeys(model._default_manager.values_list("pk", flat=True))
        had, fresh = bool(here), self.fresh[model]
        top = max((pk for pk in here if isinstance(pk, int)), default=0)
        for row in self.package.rows(model):
            theirs = row["id"]
            if theirs in self.ours[model] or (isinstance(theirs, int) and theirs < 1):
                raise Refused(f"{label_of(model)} holds the id {theirs} twice, or one that is none.")
            known = self._known(model, theirs, here)
            if known is None and had:
                known = self._by_name(model, model(**self._translated(model, row)))
            if known is None or known not in here:
                known = known or theirs
                if known in here:  # another record has that number
                    known = top + 1 if isinstance(known, int) else uuid4()
                fresh.add(known)
                here[known] = None
                top = max(top, known) if isinstance(known, int) else 0
            self.ours[model][theirs] = known

    def settle(self, model: Model) -> None:
        """Write what is new of a table, and hold what is here to what came."""
        for rows in batched(self.package.rows(model)):
            values = [self._inside(label_of(model), self._translated(model, row)) for row in rows]
            ids = [self.ours[model][row["id"]] for row in rows]
            standing = model._default_manager.in_bulk([pk for pk in ids if pk not in self.fresh[model]])
            made = []
            for row, pk, said in zip(rows, ids, values, strict=True):
                if pk in standing:
                    self._compare(model, row["id"], standing[pk], said | {"id": pk})
                    continue
                record = model(**said | {"id": pk})
                self._rename(model, record)
                self.said.new[called(model)] += 1
                self._note(model, row["id"], pk, said | {"id": pk})
                made.append(record)
            model._default_manager.bulk_create(made)

    # What a record says, with the ids of this place.
    def _translated(self, model: Model, row: Mapping[str, Any]) -> dict[str, Any]:
        values = dict(row)
        for f in columns_of(model):
            there = values.get(f.attname)
            if not f.is_relation or there is None:
                continue
            known = self.ours[refers_to(f)]
            if there not in known and f.related_model is not model:
                raise Refused(
                    f"{label_of(model)} {row['id']} refers to {label_of(refers_to(f))} {there}, which is not in the package."
                )
            values[f.attname] = known.get(there, there)
        if label_of(model) == "people.User":
            values["password"] = "!"  # noqa: S105 - nobody logs in with it: a manager offers a new password
        return values

    def _inside(self, label: str, values: dict[str, Any]) -> dict[str, Any]:
        """Ids that stand within lists and texts."""
        plots, cultivars = self._map("trials.plot"), self._map("catalogue.cultivar")
        if label == "walks.Round":
            values["only"] = [plots[p] for p in values["only"] if p in plots]
        elif label in ("catalogue.Trait", "catalogue.Problem"):
            values["fits"] = [self._problem(name) for name in values["fits"]]
        elif label == "verdicts.SignedBoard":
            values["lines"] = [{**x, "cultivar": cultivars.get(x.get("cultivar"), x.get("cultivar"))} for x in values["lines"]]
        elif label == "trials.Deed" and "board" in (values["detail"] or {}):
            boards = self._map("verdicts.signedboard")
            values["detail"] = {**values["detail"], "board": boards.get(values["detail"]["board"], values["detail"]["board"])}
        elif label == "people.Correction":
            about = self.labels.get(values["about"])
            if about is not None:
                values["thing"] = self.ours[about].get(values["thing"], values["thing"])
        return values

    def _problem(self, name: str) -> str:
        found = re.fullmatch(r"problem (\d+)", str(name))
        return f"problem {self._map('catalogue.problem').get(int(found[1]), found[1])}" if found else name

    def _map(self, label: str) -> dict[Key, Key]:
        model = self.labels.get(label)
        return self.ours[model] if model else {}

    # Which record of ours one of theirs is.
    def _known(self, model: Model, theirs: Key, here: Mapping[Key, Any]) -> Key | None:
        label = label_of(model)
        read = model._meta.pk.to_python
        for place, there in [(self.package.place, str(theirs)), *self.elsewhere[label, str(theirs)]]:
            before = self.memory.get((place, label, there))
            if place == self.own or (before is not None and read(before.ours) in here):
                return read(there if before is None else before.ours)  # type: ignore[no-any-return]
        return None

    def _by_name(self, model: Model, made: models.Model) -> Key | None:
        label = label_of(model)
        if label in NAMES:
            *exact, name = NAMES[label]
            same = model._default_manager.filter(**{n: getattr(made, f"{n}_id") for n in exact})
            found = same.annotate(low=Lower(name)).filter(low=getattr(made, name).lower())
            return cast("Key | None", found.values_list("pk", flat=True).first())
        for names, condition in _unique(model):
            if RENAMED.get(label) in names:
                continue
            columns = [model._meta.get_field(n).attname for n in names]  # type: ignore[union-attr]
            wanted = {c: getattr(made, c) for c in columns}
            if None in wanted.values():
                continue
            found = model._default_manager.filter(**wanted)
            pk = (found.filter(condition) if condition else found).values_list("pk", flat=True).first()
            if pk is not None and (condition is None or condition.check(_as_dict(made))):
                return pk  # type: ignore[no-any-return]
        return None

    def _rename(self, model: Model, made: models.Model) -> None:
        name = RENAMED.get(label_of(model))
        if name is None:
            return
        beside = next((names for names, _ in _unique(model) if name in names), (name,))
        before, n = str(getattr(made, name)), 1
        longest = model._meta.get_field(name).max_length or 80  # type: ignore[union-attr]
        while model._default_manager.filter(**{x: getattr(made, x) for x in beside}).exists():
            n += 1
            end = f"-{n}" if name == "slug" else str(n) if name == "code" else f" ({n})"
            setattr(made, name, before[: longest - len(end)] + end)
        if n > 1:
            self.said.renamed.append(f"{model._meta.verbose_name} {before} is called {getattr(made, name)} here")

    # What is here and what the package says.
    def _compare(self, model: Model, theirs: Key, ours: models.Model, values: dict[str, Any]) -> None:
        plural, pk = called(model), ours.pk
        columns = plain_columns(model)
        if label_of(model) == "people.User":
            columns = [f for f in columns if f.name == "username"]  # what a person may do is said by this place alone
        now = {f.attname: getattr(ours, f.attname) for f in columns_of(model)}
        differing = [f for f in columns if written(f, now[f.attname]) != written(f, values[f.attname])]
        if not differing:
            self.said.same[plural] += 1
            self._note(model, theirs, pk, values)
            return
        before = self.memory.get((self.package.place, label_of(model), str(theirs)))
        if before is not None and before.digest == _digest(model, now):
            model._default_manager.filter(pk=pk).update(**{f.attname: values[f.attname] for f in differing})
            self.said.newer[plural] += 1
            self._note(model, theirs, pk, values)
            return
        self.said.kept[plural] += 1
        if len(self.said.differences) < MOST_SAID:
            what = f"{model._meta.verbose_name} {ours}"
            self.said.differences += [
                Difference(what[:120], f.name, written(f, now[f.attname])[:80], written(f, values[f.attname])[:80])
                for f in differing
            ]

    def _note(self, model: Model, theirs: Key, pk: Key, values: Mapping[str, Any]) -> None:
        if self.package.place != self.own:
            digest = _digest(model, values)
            self.came.append(
                Brought(place=self.package.place, table=label_of(model), theirs=str(theirs), ours=str(pk), digest=digest)
            )
        for place, there in self.elsewhere[label_of(model), str(theirs)]:
            if place != self.own:
                self.came.append(Brought(place=place, table=label_of(model), theirs=there, ours=str(pk), digest=""))

    def remember(self) -> None:
        """Keep which record is which, for the next package; let new records be numbered after those that came."""
        Brought.objects.bulk_create(
            self.came,
            batch_size=MANY,
            update_conflicts=True,
            unique_fields=["place", "table", "theirs"],
            update_fields=["ours", "digest"],
        )
        numbers_go_on()


def numbers_go_on() -> None:
    """Let new records be numbered after those that are there, where the database does not see to it itself."""
    with connection.cursor() as cursor:
        for statement in connection.ops.sequence_reset_sql(no_style(), all_models()):
            cursor.execute(statement)


def _as_dict(made: models.Model) -> dict[str, Any]:
    return {f.name: getattr(made, f.attname) for f in made._meta.concrete_fields}


def _unique(model: Model) -> list[tuple[tuple[str, ...], models.Q | None]]:
    """The columns that tell records of a table apart."""
    alone = [((f.name,), None) for f in columns_of(model) if f.unique and not f.primary_key]
    named = [(tuple(c.fields), c.condition) for c in model._meta.constraints if isinstance(c, models.UniqueConstraint) and c.fields]
    return [*named, *alone, *((tuple(names), None) for names in model._meta.unique_together)]


def _digest(model: Model, values: Mapping[str, Any]) -> str:
    """Of what a record says."""
    text = json.dumps([written(f, values[f.attname]) for f in plain_columns(model)], ensure_ascii=False)
    return sha256(text.encode()).hexdigest()[:32]
