"""Writes a link by which the owner of an account sets a new password, once."""

from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.core.management.base import BaseCommand, CommandError, CommandParser

from server.accounts.recovery import secret_for


class Command(BaseCommand):
    help = "Write a link by which somebody who has lost their password sets a new one, once."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("username", help="the name that they sign in with")
        parser.add_argument("--address", default="", help="the server's address, such as https://mix.example")

    def handle(self, *args: Any, **options: Any) -> None:
        user = User.objects.filter(username=options["username"], is_active=True).first()
        if user is None:
            raise CommandError(f"There is no account “{options['username']}”. Say the name that they sign in with.")
        days = settings.PASSWORD_RESET_TIMEOUT // 86400
        self.stdout.write(f"{options['address'].rstrip('/')}/new-password#{secret_for(user)}")
        self.stderr.write(f"Give it to {user.username} only. It is valid once, for {days} days.")
