"""Django's `migrate`, one at a time: a second one waits until the first is done, and then finds nothing left to do."""

import fcntl
from typing import Any

from django.conf import settings
from django.core.management.commands import migrate


class Command(migrate.Command):
    def handle(self, *args: Any, **options: Any) -> None:
        with (settings.DATA / "migrate.lock").open("w") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            super().handle(*args, **options)
