"""Writes the database and all files to one archive, while people go on editing."""

from pathlib import Path

from needle.errors import NeedleError
from server.config.archives import ArchiveCommand
from server.config.backups import back_up


class Command(ArchiveCommand):
    help = "Write the database and all files to one archive, while people go on editing."
    replaces = "write over an archive"

    def work(self, archive: Path, replace: bool) -> None:
        if archive.exists() and not replace:
            raise NeedleError(f"{archive} is there already. Choose another name, or add --replace.")
        count = back_up(archive, self.stdout.write)
        self.stdout.write(f"{archive}: the database and {count} files, {archive.stat().st_size / 1e6:.1f} MB")
