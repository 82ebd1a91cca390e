"""Reading for a while as of one moment, with nobody having to wait."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from django.db import connection, transaction


@contextmanager
def one_moment() -> Iterator[None]:
    """All that is read within is as of one moment; others write meanwhile, and what is written within is refused. Within a
    transaction, which sees one moment anyway, nothing changes."""
    if connection.in_atomic_block:
        yield
        return
    connection.ensure_connection()
    here: Any = connection
    name, read = ("transaction_mode", None) if here.vendor == "sqlite" else ("only_reads", True)
    usual = getattr(here, name)
    setattr(here, name, read)
    try:
        with transaction.atomic():
            setattr(here, name, usual)
            yield
    finally:
        setattr(here, name, usual)
