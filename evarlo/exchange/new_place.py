"""The tables of a new place, made at once as the models have them, with what ships. Step by step through every migration there
ever was it takes half a minute and comes to the same, which a test holds (`testing/tests/test_killed_in_browser.py`)."""

from __future__ import annotations

from django.apps import apps
from django.core.management.sql import emit_post_migrate_signal
from django.db import connection, transaction
from django.db.migrations.loader import MigrationLoader
from django.db.migrations.recorder import MigrationRecorder

from evarlo.catalogue.shipped import put_in_what_ships


def make_tables() -> None:
    """Make every table, and write down that all migrations are done: all of it or, when it fails on the way, nothing, so that the
    next start begins anew. The database has to be empty."""
    with connection.constraint_checks_disabled(), transaction.atomic():  # SQLite makes no table in a transaction that checks
        with connection.schema_editor() as editor:
            for model in apps.get_models():
                if model._meta.managed and not model._meta.proxy:
                    editor.create_model(model)
        recorder = MigrationRecorder(connection)
        recorder.ensure_schema()
        recorder.migration_qs.bulk_create(
            recorder.Migration(app=app, name=name) for app, name in sorted(MigrationLoader(None).disk_migrations)
        )
        put_in_what_ships()
        emit_post_migrate_signal(verbosity=0, interactive=False, db=connection.alias)
