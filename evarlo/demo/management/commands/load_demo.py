"""Puts the sample world into an empty database; does nothing where there are people already."""

from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError
from django.utils import timezone

from evarlo.demo.services import build
from evarlo.demo.world import PASSWORD, PEOPLE
from evarlo.people.models import User
from evarlo.people.places import is_sample


class Command(BaseCommand):
    help = "Load the sample world into an empty database and print its log-ins."

    def handle(self, *args: Any, **options: Any) -> None:
        if User.objects.exists():
            if not is_sample():
                raise CommandError(
                    f"{settings.DATA} holds a real place. The sample world is never put beside it; choose another folder "
                    "with EVARLO_DATA."
                )
            self.stdout.write("The sample world is there already and left as it is.")
        else:
            build(timezone.localdate())
            self.stdout.write("The sample world is in.")
        self.stdout.write(f"Log-ins, password {PASSWORD} for each:")
        for name, first, last, role in PEOPLE:
            if User.objects.filter(username=name).exists():
                self.stdout.write(f"  {name:8} {role:10} {first} {last}")
