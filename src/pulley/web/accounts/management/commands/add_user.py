"""A user who may sign in."""

import getpass
import sys
from typing import Any

from django.contrib.auth import get_user_model
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.core.management.base import BaseCommand, CommandError, CommandParser


class Command(BaseCommand):
    """``manage.py add_user NAME``; the password is asked for, or read from what is piped in."""

    help = "Make a user, or give one another password; a password that is easily guessed is refused."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the name."""
        parser.add_argument("name")

    def handle(self, *args: Any, **options: Any) -> None:
        """Make the user."""
        model = get_user_model()
        user = model.objects.filter(username=options["name"]).first() or model(username=options["name"])
        try:
            user.clean_fields(exclude=["password"])
            password = _asked_password()
            validate_password(password, user)
        except ValidationError as error:
            raise CommandError(" ".join(error.messages)) from error
        user.set_password(password)
        user.save()
        self.stdout.write(f"{user.get_username()} may sign in.")


def _asked_password() -> str:
    if not sys.stdin.isatty():
        return sys.stdin.readline().rstrip("\n")
    password = getpass.getpass("Password: ")
    if getpass.getpass("Once more: ") != password:
        raise ValidationError("These are two passwords. Start again.")
    return password
