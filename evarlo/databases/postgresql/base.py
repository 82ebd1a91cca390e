"""Django's PostgreSQL, with one transaction at a time, as SQLite has it: what a transaction has read is still so when it writes,
and no two of them ever wait for each other. Statements outside a transaction wait for nobody."""

from __future__ import annotations

from django.db.backends.postgresql import base, features

TURN = 3_860_209_051  # the lock that a transaction holds while it lasts; a number of ours, by database


class Features(features.DatabaseFeatures):
    has_select_for_update = False  # as on SQLite: whoever writes has all rows for itself


class DatabaseWrapper(base.DatabaseWrapper):
    features_class = Features
    only_reads = False  # whether the transaction that begins sees one moment, and waits for nobody

    def _set_autocommit(self, autocommit: bool) -> None:
        super()._set_autocommit(autocommit)  # type: ignore[misc]
        if autocommit:
            return
        with self.wrap_database_errors, self.connection.cursor() as cursor:
            if self.only_reads:
                cursor.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ, READ ONLY")
            else:
                cursor.execute("SELECT pg_advisory_xact_lock(%s)", [TURN])
