"""Django's SQLite, with those of one process who want to write standing in a queue. SQLite by itself lets each of them look again
after a longer and longer while whether it is free, so that one who came late is let in before one who has waited."""

from __future__ import annotations

from threading import Lock

from django.db import OperationalError
from django.db.backends.sqlite3 import base

from evarlo.databases.settings import WAIT

_turn = Lock()


class DatabaseWrapper(base.DatabaseWrapper):
    transaction_mode: str | None
    has_turn = False

    def _start_transaction_under_autocommit(self) -> None:
        if self.transaction_mode == "IMMEDIATE":
            self.has_turn = _turn.acquire(timeout=WAIT)
            if not self.has_turn:
                raise OperationalError("database is locked")  # as SQLite itself says
        try:
            super()._start_transaction_under_autocommit()  # type: ignore[misc]
        except BaseException:
            self._next()
            raise

    def _commit(self) -> None:
        try:
            super()._commit()  # type: ignore[misc]
        finally:
            self._next()

    def _rollback(self) -> None:
        try:
            super()._rollback()  # type: ignore[misc]
        finally:
            self._next()

    def _close(self) -> None:
        try:
            super()._close()  # type: ignore[misc]
        finally:
            self._next()

    def _next(self) -> None:
        if self.has_turn:
            self.has_turn = False
            _turn.release()
