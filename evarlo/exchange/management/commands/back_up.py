"""Copies the place while it is used: `make backup`, and on a schedule."""

from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.utils import timezone

from evarlo.exchange.backups import BY_HAND, SCHEDULED, back_up, prune
from evarlo.ui.refused import Refused


class Command(BaseCommand):
    help = "Copy the place, check the copy, and let go of copies that are no longer kept."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--scheduled", action="store_true", help="it is made by a timer, not by hand")

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            made = back_up(SCHEDULED if options["scheduled"] else BY_HAND)
        except Refused as refusal:
            raise CommandError(str(refusal)) from None
        gone = prune(timezone.localtime())
        self.stdout.write(f"{made.file}: {made.size / 1e6:.1f} MB, {made.records} records, checked.")
        if gone:
            self.stdout.write(f"{len(gone)} older ones were let go.")
