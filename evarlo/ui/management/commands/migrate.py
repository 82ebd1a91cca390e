"""Django's `migrate`, one at a time: a second one waits until the first is done, and then finds nothing left to do."""

from typing import Any

from django.core.management.commands import migrate

from evarlo.databases.turns import begun_by_one


class Command(migrate.Command):
    def handle(self, *args: Any, **options: Any) -> None:
        with begun_by_one():
            super().handle(*args, **options)
