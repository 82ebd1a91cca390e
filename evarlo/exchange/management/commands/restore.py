"""Puts a copy back: `make restore FILE=…`; without a file it tells which there are."""

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from evarlo.exchange.backups import backup_named, backups, replaced_by, restore
from evarlo.ui.refused import Refused


class Command(BaseCommand):
    help = "Put a copy in the place of what is there, which is itself copied first."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("file", nargs="?", default="")
        parser.add_argument("--key", type=Path, help="the file with the key that opens a locked copy")
        parser.add_argument("--yes", action="store_true", help="do not ask")

    def handle(self, *args: Any, **options: Any) -> None:
        if not options["file"]:
            for b in backups():
                locked = ", locked" if b.locked else ""
                self.stdout.write(f"{b.file}  {b.made:%-d %b %Y %H:%M}, {b.why}, {b.records} records{locked}")
            return
        made = backup_named(Path(options["file"]).name)
        if made is None:
            raise CommandError("There is no such copy, or what it holds is not told beside it. Without a file all are listed.")
        try:
            key = options["key"].read_text() if options["key"] else ""
        except (OSError, UnicodeDecodeError) as error:
            raise CommandError(f"The key cannot be read: {error}.") from None
        for d in replaced_by(made):
            self.stdout.write(f"{d.table}: {d.now} now, {d.there} in the copy")
        if not options["yes"] and input("Put it back? What is there now is copied first. [yes/no] ").strip().lower() != "yes":
            self.stdout.write("Nothing was changed.")
            return
        try:
            before = restore(made, key)
        except Refused as refusal:
            raise CommandError(str(refusal)) from None
        self.stdout.write(f"It is back as of {made.made:%-d %b %Y %H:%M}. What was there before: {before.file}")
