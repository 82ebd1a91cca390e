"""Brings a place to this version, or leaves it as it was: `make start` and `make demo` begin with it."""

from typing import Any

from django.core.management.base import BaseCommand, CommandError

from evarlo.exchange.backups import upgrade
from evarlo.ui.refused import Refused


class Command(BaseCommand):
    help = "Copy the place, migrate it, check it, or go back."

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            done, before = upgrade()
        except Refused as refusal:
            raise CommandError(str(refusal)) from None
        if before:
            self.stdout.write(f"Upgraded ({len(done)} changes). The place as it was before: {before.file}")
