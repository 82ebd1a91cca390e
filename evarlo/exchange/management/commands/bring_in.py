"""Brings in a package, of any size: `make bring-in FILE=…`."""

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from evarlo.exchange.backups import back_up
from evarlo.exchange.package_views import BEFORE_PACKAGE
from evarlo.exchange.packages.joining import bring_in, dry_run
from evarlo.exchange.packages.opening import opened
from evarlo.ui.refused import Refused


class Command(BaseCommand):
    help = "Bring in a data package after saying what it would do; the place is copied first."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("file", type=Path)
        parser.add_argument("--yes", action="store_true", help="do not ask")

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            with opened(options["file"]) as package:
                told = dry_run(package)
                self.stdout.write(f"{package.title}, from {package.called}")
                for what, new, same, newer, kept in told.lines:
                    self.stdout.write(f"{what}: {new} new, {same} here already, {newer} brought up to date, {kept} otherwise here")
                if not options["yes"] and input("Bring it in? [yes/no] ").strip().lower() != "yes":
                    self.stdout.write("Nothing was changed.")
                    return
                before = back_up(BEFORE_PACKAGE)
                bring_in(package)
        except Refused as refusal:
            raise CommandError(str(refusal)) from None
        self.stdout.write(f"It is in. What was there before: {before.file}")
