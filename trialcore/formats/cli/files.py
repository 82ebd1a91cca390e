"""Reading what was named and refusing what cannot be used."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable, Sequence
from typing import Any

from trialcore.formats.figures.blocks import plain
from trialcore.formats.sheet import Problem, decode

WRONG = 2


class Unusable(ValueError):
    """Input that cannot be used, with every problem found."""

    def __init__(self, source: str, problems: Sequence[Problem]) -> None:
        super().__init__(f"{source}: {len(problems)} problems")
        self.source, self.problems = source, problems


def read_file(name: str) -> str:
    """The text of a file. Raises Unusable when there is none."""
    try:
        with open(name, "rb") as file:
            return decode(file.read())
    except OSError as error:
        raise Unusable(name, [Problem(0, "", str(error.strerror), "a file that can be read")]) from None
    except ValueError as error:
        raise Unusable(name, [Problem(0, "", str(error), "a CSV")]) from None


def refusing(source: str, act: Callable[[], Any], expected: str) -> Any:
    """What `act` gives; a ValueError of the core becomes a problem of `source`."""
    try:
        return act()
    except Unusable:
        raise
    except ValueError as error:
        raise Unusable(source, [Problem(0, "", str(error), expected)]) from None


def guarded(run: Callable[[Any], int]) -> Callable[[Any], int]:
    """A verb that prints its problems, one a line, and ends with 2; also what nobody foresaw, without a traceback."""

    def guarded_run(given: Any) -> int:
        try:
            return run(given)
        except Unusable as refusal:
            for p in refusal.problems:
                place = f"line {p.line}" if p.line else "file"
                column = f", column {p.column}" if p.column else ""
                print(f"{refusal.source}: {place}{column}: found {p.found}; expected {p.expected}", file=sys.stderr)
            return WRONG
        except OverflowError:
            print(
                f"{getattr(given, 'file', 'input')}: these figures are too large to calculate with; expected smaller ones",
                file=sys.stderr,
            )
            return WRONG
        except (ArithmeticError, LookupError, TypeError, ValueError) as error:  # numpy's LinAlgError is a ValueError
            print(f"{getattr(given, 'file', 'input')}: these figures could not be calculated ({error})", file=sys.stderr)
            return WRONG

    return guarded_run


def show(figures: Any, form: str, text: Callable[[Any], str]) -> int:
    """Print figures as JSON or as text."""
    print(json.dumps(plain(figures), indent=1, ensure_ascii=False) if form == "json" else text(figures))
    return 0
