"""Backups: the database as it was at one moment and every file that it speaks of, while people edit.

Into one archive (tar), or into a folder that is added to: each time the database, and only the files that are new.
The database goes first: files are only ever added, so all that it speaks of is there when they follow; what is
deleted meanwhile is nobody's any more.
"""

import json
import os
import shutil
import sqlite3
import subprocess
import tarfile
import tempfile
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path, PurePosixPath
from typing import Any
from uuid import uuid4

from django.conf import settings
from django.db import connection
from django.utils import timezone

from needle.errors import NeedleError

FORMAT = 1
ABOUT = "backup.json"
FOLDERS = ("assets", "heads", "deliveries", "reports")
_FILES, _NAMES, _PARTIAL = "files", "files.json", ".partial"
_DATABASES = {"sqlite": "needle.sqlite3", "postgresql": "needle.pgdump"}

Report = Callable[[str], None]


def back_up(target: Path, report: Report = lambda _: None) -> int:
    """Write everything to an archive (tar); how many files. Nobody has to wait meanwhile.

    Written beside and renamed, so that an archive with the right name is whole.
    """
    partial = target.with_name(f"{target.name}.{uuid4().hex}.partial")
    count = 0
    try:
        with tempfile.TemporaryDirectory() as folder, tarfile.open(partial, "w") as archive:
            report("the database")
            for path in _write_database(Path(folder)):
                archive.add(path, path.name)
            for path in _files():
                with suppress(FileNotFoundError):
                    archive.add(path, _inside(path))
                    count += 1
                    if count % 100 == 0:
                        report(f"{count} files")
        with partial.open("rb") as file:
            os.fsync(file.fileno())
        partial.replace(target)
    finally:
        partial.unlink(missing_ok=True)
    return count


def back_up_into(folder: Path, keep: int = 0, report: Report = lambda _: None) -> tuple[Path, int, int]:
    """Add a backup to a folder of them: where it is, how many files it names, and how many of them are new.

    ``keep``: so many backups stay, the latest; what only earlier ones name is removed. All if it is 0.
    """
    target = folder / f"{timezone.now():%Y%m%d-%H%M%S.%f}"
    partial = target.with_name(f"{target.name}{_PARTIAL}")
    partial.mkdir(parents=True)
    try:
        report("the database")
        _write_database(partial)
        names, added = [], 0
        for path in _files():
            with suppress(FileNotFoundError):
                added += _added(path, folder / _FILES / _inside(path))
                names.append(_inside(path))
                if len(names) % 100 == 0:
                    report(f"{len(names)} files")
        (partial / _NAMES).write_text(json.dumps(names))
        partial.rename(target)
    finally:
        shutil.rmtree(partial, ignore_errors=True)
    if keep:
        _keep_latest(folder, keep, report)
    return target, len(names), added


def _added(path: Path, target: Path) -> bool:
    """Copy a file to where it is not yet; whether it was not."""
    if target.exists() and target.stat().st_size == path.stat().st_size:
        return False
    target.parent.mkdir(parents=True, exist_ok=True)
    partial = target.with_name(f"{target.name}{_PARTIAL}")
    shutil.copyfile(path, partial)
    with partial.open("rb") as file:
        os.fsync(file.fileno())
    partial.replace(target)
    return True


def _moments(folder: Path) -> list[Path]:
    """The backups in a folder, the oldest first."""
    return sorted(path.parent for path in folder.glob(f"*/{ABOUT}") if not path.parent.name.endswith(_PARTIAL))


def _keep_latest(folder: Path, keep: int, report: Report) -> None:
    moments = _moments(folder)
    old, latest = moments[:-keep], moments[-keep:]
    for moment in old:
        report(f"removed: {moment.name}")
        shutil.rmtree(moment)
    named = {name for moment in latest for name in json.loads((moment / _NAMES).read_text())}
    for path in sorted((folder / _FILES).rglob("*"), reverse=True):
        if path.is_file() and str(path.relative_to(folder / _FILES)) not in named:
            path.unlink()
        elif path.is_dir() and not any(path.iterdir()):
            path.rmdir()


def _write_database(folder: Path) -> list[Path]:
    """The database as it is now and what the backup says of itself, as files of a folder."""
    database, about = folder / _DATABASES[connection.vendor], folder / ABOUT
    _copy_database(database)
    about.write_text(json.dumps({"format": FORMAT, "database": connection.vendor, "created_at": str(timezone.now())}))
    return [about, database]


def _inside(path: Path) -> str:
    return str(path.relative_to(settings.DATA_DIR))


def _files() -> Iterator[Path]:
    for name in FOLDERS:
        for path in sorted((settings.DATA_DIR / name).rglob("*")):
            if path.is_file() and ".partial" not in str(path.relative_to(settings.DATA_DIR)):
                yield path


def _copy_database(target: Path) -> None:
    if connection.vendor == "sqlite":
        # SQLite's own online copy: whole and of one moment, however many write meanwhile.
        with (
            sqlite3.connect(str(connection.settings_dict["NAME"]), uri=True) as source,
            sqlite3.connect(target) as copy,
        ):
            source.backup(copy)
        copy.close()
        source.close()
        return
    _run(["pg_dump", "--format=custom", "--no-owner", f"--file={target}"])


def restore(archive_path: Path, replace: bool = False, report: Report = lambda _: None) -> int:
    """Put everything of an archive, of a backup in a folder, or of its latest, in place; how many files.

    The server must not be running. NeedleError if the backup is broken, of another database, or there is something
    already (unless ``replace``, which keeps what was there in a folder beside it).
    """
    if archive_path.is_dir():
        return _restore_from_folder(archive_path, replace, report)
    try:
        with tarfile.open(archive_path) as archive, tempfile.TemporaryDirectory(dir=settings.DATA_DIR.parent) as into:
            folder = Path(into)
            for member in archive:
                _check_member(member)
                archive.extract(member, folder, filter="data")
            return _put_in_place(folder, replace, report)
    except (tarfile.TarError, EOFError) as error:
        raise NeedleError("backup.not_whole", file=archive_path.name, reason=error) from error


def _restore_from_folder(moment: Path, replace: bool, report: Report) -> int:
    if not (moment / ABOUT).exists():
        moments = _moments(moment)
        if not moments:
            raise NeedleError("backup.moment_missing", moment=moment)
        moment = moments[-1]
    report(f"the backup of {moment.name}")
    with tempfile.TemporaryDirectory(dir=settings.DATA_DIR.parent) as into:
        folder = Path(into)
        try:
            for name in (ABOUT, _DATABASES[connection.vendor]):
                shutil.copyfile(moment / name, folder / name)
            for name in json.loads((moment / _NAMES).read_text()):
                if PurePosixPath(name).parts[0] not in FOLDERS or ".." in PurePosixPath(name).parts:
                    raise NeedleError("backup.unknown_file", name=name)
                (folder / name).parent.mkdir(parents=True, exist_ok=True)
                shutil.copyfile(moment.parent / _FILES / name, folder / name)
        except (OSError, ValueError) as error:
            raise NeedleError("backup.moment_not_whole", moment=moment, reason=error) from error
        return _put_in_place(folder, replace, report)


def _check_member(member: tarfile.TarInfo) -> None:
    path = PurePosixPath(member.name)
    fits = path.name in (ABOUT, *_DATABASES.values()) if len(path.parts) == 1 else path.parts[0] in FOLDERS
    if not member.isfile() or not fits or ".." in path.parts:
        raise NeedleError("backup.unknown_member", name=member.name)


def _put_in_place(folder: Path, replace: bool, report: Report) -> int:
    about = _about(folder)
    if about.get("format") != FORMAT:
        raise NeedleError("backup.other_version")
    vendor = about.get("database")
    if vendor != connection.vendor:
        raise NeedleError("backup.other_database", vendor=vendor, database=connection.vendor)
    present = [settings.DATA_DIR / name for name in FOLDERS if (settings.DATA_DIR / name).exists()]
    sqlite = Path(str(connection.settings_dict["NAME"])) if vendor == "sqlite" else None
    if sqlite:
        present += [path for path in (sqlite, *_beside(sqlite)) if path.exists()]
    filled = connection.vendor != "sqlite" and bool(connection.introspection.table_names())
    if (present or filled) and not replace:
        raise NeedleError("backup.not_empty")
    connection.close()
    aside = settings.DATA_DIR / f"before-{timezone.now():%Y%m%d-%H%M%S}"
    for path in present:
        aside.mkdir(parents=True, exist_ok=True)
        shutil.move(path, aside / path.name)
        report(f"put aside: {aside / path.name}")
    count = 0
    settings.DATA_DIR.mkdir(parents=True, exist_ok=True)
    for name in FOLDERS:
        if (folder / name).exists():
            count += sum(path.is_file() for path in (folder / name).rglob("*"))
            shutil.move(folder / name, settings.DATA_DIR / name)
    database = folder / _DATABASES[connection.vendor]
    if sqlite:
        sqlite.parent.mkdir(parents=True, exist_ok=True)
        shutil.move(database, sqlite)
    else:
        _run(
            [
                "pg_restore",
                "--clean",
                "--if-exists",
                "--no-owner",
                "--single-transaction",
                f"--dbname={_name()}",
                str(database),
            ]
        )
    return count


def _about(folder: Path) -> dict[str, Any]:
    try:
        return json.loads((folder / ABOUT).read_text())
    except (OSError, ValueError) as error:
        raise NeedleError("backup.not_a_backup") from error


def _beside(database: Path) -> list[Path]:
    return [database.with_name(database.name + ending) for ending in ("-wal", "-shm")]


def _name() -> str:
    return str(connection.settings_dict["NAME"])


def _run(command: list[str]) -> None:
    """Run one of PostgreSQL's programs on the database; its password goes by the environment."""
    database = connection.settings_dict
    names = {"PGHOST": "HOST", "PGPORT": "PORT", "PGUSER": "USER", "PGPASSWORD": "PASSWORD", "PGDATABASE": "NAME"}
    environment = os.environ | {key: str(database[name]) for key, name in names.items() if database.get(name)}
    try:
        subprocess.run(command, env=environment, check=True, capture_output=True, text=True)
    except FileNotFoundError as error:
        raise NeedleError("backup.program_missing", command=command[0]) from error
    except subprocess.CalledProcessError as error:
        raise NeedleError("backup.program_failed", command=command[0], stderr=error.stderr.strip()[-400:]) from error
