"""What the commands that write and read a backup have in common."""

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from needle.errors import NeedleError


class ArchiveCommand(BaseCommand):
    """A command on an archive; what is wrong with it is told in a sentence."""

    replaces: str
    """What ``--replace`` does."""

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("archive", help="the archive (.tar), or a folder of backups")
        parser.add_argument("--replace", action="store_true", help=self.replaces)

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            self.work(Path(options["archive"]), options["replace"])
        except NeedleError as error:
            raise CommandError(str(error)) from error

    def work(self, archive: Path, replace: bool) -> None:
        """Do it. NeedleError says what is wrong."""
        raise NotImplementedError
