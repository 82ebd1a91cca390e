"""What stands inside the columns of a package: every column has its shape, what is recorded fits it, and what does not is refused."""

from __future__ import annotations

import random
from typing import Annotated, Any, Literal, NotRequired, Union, get_args, get_origin, get_type_hints
from typing import NotRequired as LaterNotRequired

from django.core.exceptions import ValidationError
from django.db import models
from django.test import SimpleTestCase
from django.utils import timezone

from evarlo.exchange.packages.insides import (
    INSIDES,
    DayOfYear,
    Judged,
    Mated,
    Place,
    Range,
    Risk,
    apart,
    name_of_column,
    shaped_or_refused,
)
from evarlo.exchange.packages.tables import all_models, columns_of, taken, written
from evarlo.grounds.models import Site
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.verdicts.models import SignedBoard
from evarlo.verdicts.services import sign_board
from trialcore.inference.verdict import Verdict
from trialcore.reckoning.fixation import Mating

MADE_UP: dict[Any, list[Any]] = {
    DayOfYear: ["02-29", "11-03"],
    Risk: ["0.1", "0.9"],
    Range: [[1.5, 9], [-3, -3]],
    Place: [0, 7],
    Any: [{"a": [1, None]}],
}


def of_shape(shape: Any, luck: random.Random) -> Any:
    """A value at random of a shape."""
    for known, some in MADE_UP.items():
        if shape is known:
            return luck.choice(some)
    origin, inner = get_origin(shape), get_args(shape)
    if origin in (Annotated, NotRequired, LaterNotRequired):
        return of_shape(inner[0], luck)
    if origin is Literal:
        return luck.choice(inner)
    if origin is list:
        return [of_shape(inner[0], luck) for _ in range(luck.randint(1, 2))]
    if origin is dict:
        return {of_shape(inner[0], luck): of_shape(inner[1], luck) for _ in range(luck.randint(0, 2))}
    if origin is Union or (inner and origin is type(int | str)):
        return of_shape(luck.choice(inner), luck)
    if hasattr(shape, "__required_keys__"):
        hints = get_type_hints(shape, include_extras=True)
        there = [k for k in hints if k in shape.__required_keys__ or luck.random() < 0.7]
        return {k: of_shape(hints[k], luck) for k in there}
    if shape is type(None):
        return None
    return {bool: luck.random() < 0.5, int: luck.randint(0, 99), float: luck.choice([1 / 3, 0.0, 40]), str: 'ä, "x" 豆\n'}[shape]


def columns() -> dict[str, models.Field[Any, Any]]:
    return {name_of_column(f): f for m in all_models() for f in columns_of(m) if isinstance(f, models.JSONField)}


class Insides(SimpleTestCase):
    def test_every_column_that_holds_more_has_its_shape(self) -> None:
        of_words = {"grounds.Site.time_zone", "grounds.Site.last_frost", "grounds.Site.first_frost"}
        self.assertEqual(columns().keys() | of_words, INSIDES.keys())
        for field in (f for f in columns_of(Site) if name_of_column(f) in of_words):
            self.assertEqual(taken(field, ""), "")
            with self.subTest(field=field.name), self.assertRaises(ValidationError):
                taken(field, "Mars/Base" if field.name == "time_zone" else "02-30")
        self.assertEqual(taken(Site._meta.get_field("time_zone"), "Pacific/Chatham"), "Pacific/Chatham")

    def test_what_is_of_a_shape_is_read_as_it_was_written(self) -> None:
        luck = random.Random(5)  # noqa: S311
        for name, field in columns().items():
            for _ in range(30):
                value = of_shape(INSIDES[name], luck)
                if value is not None:
                    self.assertEqual(taken(field, written(field, value)), value, name)

    def test_what_is_not_is_refused_with_where_and_what_was_expected(self) -> None:
        for name, value, said in (
            ("catalogue.Trait.choices", ["keep", 3], "At 1: Input should be a valid string. Found “3”"),
            ("catalogue.Trait.choices", {"a": 1}, "valid list"),
            ("catalogue.Guide.anchors", [{"at": "low", "words": "", "drawing": ""}], "At 0 › at"),
            ("catalogue.Guide.alike", [{"what": "burn"}], "At 0 › tell: Field required"),
            ("catalogue.Crop.profile", {"seed_years": [4, 2]}, "the lower first"),
            ("catalogue.Crop.profile", {"frost": "sometimes"}, "At frost"),
            ("catalogue.Crop.profile", {"base_c": True}, "At base_c"),
            ("grounds.Site.frost_record", {"last": {"0.9": "02-30"}, "first": {}, "years": 3}, "At last › 0.9"),
            ("grounds.Site.frost_record", {"last": {"most": "02-03"}}, "At last › most"),
            ("walks.Round.only", [4, -1], "At 1"),
            ("walks.Observation.parts", [1.0, "2"], "At 1"),
            ("harvest.TestedSample.parts", [[1.0, 2.0, 3.0]], "At 0"),
            ("breeding.Generation.path", ["selfed", "grafted"], "At 1"),
            ("trials.Deed.detail", {"board": [1]}, "At board"),
            ("verdicts.SignedBoard.lines", [{"code": "A"}], "At 0 › name: Field required"),
        ):
            with self.subTest(name=name, value=value), self.assertRaises(ValidationError) as refused:
                shaped_or_refused(columns()[name], value)
            self.assertIn(said, refused.exception.messages[0])

    def test_what_may_be_chosen_is_what_the_core_knows(self) -> None:
        self.assertEqual(set(get_args(Judged)), {v.value for v in Verdict})
        self.assertEqual(set(get_args(Mated)), {m.value for m in Mating})

    def test_no_figure_is_without_end(self) -> None:
        for text in ("[NaN]", "[1e999]", "[Infinity]"):
            with self.subTest(text=text), self.assertRaises(ValidationError):
                taken(columns()["walks.Observation.parts"], text)


class Boards(TestCase):
    def test_a_signed_board_fits_and_one_that_lost_a_figure_does_not(self) -> None:
        by = world.person()
        made = world.trial(by)
        world.sow(made, by)
        world.keep_yields(made, by, {"Corvane": 5.0, "Quillet": 6.4, "OF-17": 6.1, "Brakewater": 5.2})
        sign_board(made, by)
        board = SignedBoard.objects.get()
        self.assertLess(board.at, timezone.now())
        row = {f.attname: getattr(board, f.attname) for f in columns_of(SignedBoard)}
        for f in columns_of(SignedBoard):
            if isinstance(f, models.JSONField):
                self.assertEqual(taken(f, written(f, row[f.attname])), row[f.attname])
        self.assertEqual(apart("verdicts.SignedBoard", row), [])
        row["lines"][1]["means"] = []
        self.assertEqual(apart("verdicts.SignedBoard", row)[0][0], "lines")
        row["lines"], row["covariances"] = [], [{"codes": ["A", "B"], "matrix": [[1.0, 0.0]]}]
        self.assertEqual(apart("verdicts.SignedBoard", row)[0][0], "covariances")
