"""Gives a person a role."""

from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from evarlo.people.models import Role
from evarlo.people.services import give_role


class Command(BaseCommand):
    help = "Give a person a role: manager, evaluator, helper or reader."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("username")
        parser.add_argument("role", choices=Role.values)

    def handle(self, *args: Any, **options: Any) -> None:
        if not give_role(options["username"], options["role"]):
            raise CommandError(f"Nobody is called {options['username']}.")
        self.stdout.write(f"{options['username']} is now {options['role']}.")
