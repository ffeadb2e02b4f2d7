"""Puts the database and all files of a backup in place."""

from pathlib import Path

from django.core.management import call_command

from server.project.archives import ArchiveCommand
from server.project.backups import restore


class Command(ArchiveCommand):
    help = "Put the database and all files of a backup in place. The server must not be running."
    replaces = "put what is there aside"

    def work(self, archive: Path, replace: bool) -> None:
        count = restore(archive, replace, self.stdout.write)
        call_command("migrate", verbosity=0)
        self.stdout.write(f"The database and {count} files are in place.")
