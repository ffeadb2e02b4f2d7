"""Writes the database and all files to an archive, or what is new into a folder, while people go on editing."""

from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

from needle.errors import NeedleError
from server.project.archives import ArchiveCommand
from server.project.backups import back_up, back_up_into


class Command(ArchiveCommand):
    help = (
        "Write the database and all files to an archive (.tar), or into a folder: each time the database, and only "
        "the files that are not there yet. People go on editing."
    )
    replaces = "write over an archive"

    def add_arguments(self, parser: CommandParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("--keep", type=int, default=0, help="in a folder: so many backups stay (0: all)")

    def handle(self, *args: Any, **options: Any) -> None:
        self.keep = max(options["keep"], 0)
        super().handle(*args, **options)

    def work(self, archive: Path, replace: bool) -> None:
        if archive.suffix != ".tar":
            moment, count, added = back_up_into(archive, self.keep, self.stdout.write)
            self.stdout.write(f"{moment}: the database and {count} files, {added} of them new")
            return
        if archive.exists() and not replace:
            raise NeedleError("backup.exists", archive=archive)
        count = back_up(archive, self.stdout.write)
        self.stdout.write(f"{archive}: the database and {count} files, {archive.stat().st_size / 1e6:.1f} MB")
