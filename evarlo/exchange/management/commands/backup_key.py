"""Makes a key that locks the copies of the place: `make backup-key FILE=…`."""

import os
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.utils import timezone

from evarlo.exchange.backups import new_key


class Command(BaseCommand):
    help = "Make a key for copies: the half that opens is written into a file, the half that locks is told."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("file", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        locks, opens = new_key()
        told = f"# Opens the copies of Evarlo that are locked with {locks}. Made {timezone.localtime():%-d %b %Y}.\n{opens}\n"
        try:
            with os.fdopen(os.open(options["file"], os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as file:
                file.write(told)
        except OSError as error:
            raise CommandError(f"The key is not written: {error}.") from None
        self.stdout.write(f"{options['file']} opens what is locked. Keep it, and a print of it, away from this machine: without it")
        self.stdout.write("a locked copy is lost for good. From now on copies are locked where the server is started with")
        self.stdout.write(f"    EVARLO_BACKUP_KEY={locks}")
