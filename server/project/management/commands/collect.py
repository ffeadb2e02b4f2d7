"""Removes what nobody needs any more: audio of deleted sessions, abandoned uploads, ended sign-ins."""

from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from server.media.collection import collect


class Command(BaseCommand):
    help = "Remove what nobody needs any more. The server does so every day by itself."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--dry-run", action="store_true", help="only say what would be removed")

    def handle(self, *args: Any, **options: Any) -> None:
        result = collect(options["dry_run"])
        rows = ", ".join(f"{count} {name}" for name, count in result.rows.items())
        verb = "Would remove" if options["dry_run"] else "Removed"
        self.stdout.write(f"{verb} {len(result.files)} files ({result.bytes / 1e6:.1f} MB): {rows}.")
