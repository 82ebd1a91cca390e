"""Gives a person a role: the way out when a place has no manager left."""

from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from evarlo.people.models import Role, User
from evarlo.people.services import give_role
from evarlo.ui.refused import Refused


class Command(BaseCommand):
    help = "Give a person a role: manager, evaluator, helper or reader."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("username")
        parser.add_argument("role", choices=Role.values)

    def handle(self, *args: Any, **options: Any) -> None:
        person = User.objects.filter(username=options["username"]).first()
        if person is None:
            raise CommandError(f"Nobody is called {options['username']}.")
        try:
            give_role(person, options["role"])
        except Refused as refusal:
            raise CommandError(str(refusal)) from None
        self.stdout.write(f"{options['username']} is now {options['role']}.")
