"""Brings a place to this version, or leaves it as it was, and says what is missing of what was acknowledged: `make start` and
`make demo` begin with it."""

from typing import Any

from django.core.management.base import BaseCommand, CommandError
from django.utils import timezone

from evarlo.databases.journal import hold_against
from evarlo.exchange.backups import upgrade
from evarlo.people.audit import note
from evarlo.ui.refused import Refused


class Command(BaseCommand):
    help = "Copy the place, migrate it, check it, or go back."

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            done, before = upgrade()
        except Refused as refusal:
            raise CommandError(str(refusal)) from None
        missing = hold_against()
        if missing:
            first, last = (f"{timezone.localtime(line.at):%-d %b %Y %H:%M}" for line in (missing[0], missing[-1]))
            note("found records missing at the start", "", "", f"{len(missing)} of {first} to {last}")
            self.stdout.write(f"{len(missing)} records that were acknowledged are not here ({first} to {last}): the database has")
            self.stdout.write("lost what it wrote last. Phones send again what they hold; People, How it runs lists the rest.")
        if before:
            self.stdout.write(f"Upgraded ({len(done)} changes). The place as it was before: {before.file}")
