"""Says where a real place is opened, or why it is not. `make start` asks this before it serves."""

from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser

from evarlo.people.places import first_key, is_sample, nobody_yet


class Command(BaseCommand):
    help = "Print the address to open; refuse the sample world."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--address", default="http://127.0.0.1:8000")

    def handle(self, *args: Any, **options: Any) -> None:
        if is_sample():
            raise CommandError(
                f"{settings.DATA} holds the sample world, whose log-ins everybody can read; it is not started as a real place. "
                "Start it with `make demo`, or choose another folder with EVARLO_DATA."
            )
        address = options["address"].rstrip("/")
        if not nobody_yet():
            self.stdout.write(f"Evarlo is at {address}/ (Ctrl-C stops it). Its data are in {settings.DATA}.")
            return
        self.stdout.write(f"A new place. Open this to become its first manager:\n  {address}/people/first/?key={first_key()}")
        self.stdout.write(f"Its data will be in {settings.DATA}. Ctrl-C stops it.")
        before = settings.ROOT / "data" / "evarlo.sqlite3"
        if before.exists():
            self.stdout.write(
                f"An older place lies in {before.parent}. Start that one with: EVARLO_DATA={before.parent} make start"
            )
