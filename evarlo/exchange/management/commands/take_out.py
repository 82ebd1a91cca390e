"""Writes a package: `make take-out FILE=…`, of the whole place or of `--trial` or `--programme`."""

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from evarlo.exchange.packages.leaving import write
from evarlo.people.places import managers
from evarlo.programmes.models import Programme
from evarlo.trials.models import Trial


class Command(BaseCommand):
    help = "Write the place, or a trial or programme of it, as an open data package."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("file", type=Path)
        one = parser.add_mutually_exclusive_group()
        one.add_argument("--trial", default="", help="the name in its address")
        one.add_argument("--programme", default="", help="the name in its address")

    def handle(self, *args: Any, **options: Any) -> None:
        what = "trial" if options["trial"] else "programme" if options["programme"] else "place"
        part = options["file"].with_suffix(".part")
        try:
            with part.open("wb") as out:
                write(out, what, options["trial"] or options["programme"], next(iter(managers()), None))
            part.rename(options["file"])
        except (Trial.DoesNotExist, Programme.DoesNotExist):
            raise CommandError(f"There is no such {what}. Expected the name in its address.") from None
        except OSError as error:
            raise CommandError(f"It could not be written: {error}.") from None
        finally:
            part.unlink(missing_ok=True)
        self.stdout.write(f"{options['file']}, {options['file'].stat().st_size / 1e6:.1f} MB")
