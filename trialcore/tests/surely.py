"""What a test knows to be there, said to the reader and to the type checker."""

from typing import TypeVar

Thing = TypeVar("Thing")


def surely(found: Thing | None) -> Thing:
    """What was found. Raises AssertionError where it is None."""
    assert found is not None
    return found
