"""PostgreSQL and Redis as they are beyond one machine: started on free ports over fresh folders, and ended again.

``python -m tests.neighbours`` runs the server tests on them whose matter is the database, the live channel or the
queue. Where Debian's packages are missing and cannot be installed it says so and skips them.
"""

import os
import pwd
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

HERE = Path(__file__).resolve().parent.parent

LABELS = [
    f"tests.server.{name}"
    for name in (
        "test_operations", "test_convergence", "test_conflicts", "test_together.Together", "test_live", "test_people",
        "test_permissions.Messages", "test_queue", "test_access.Door", "test_upgrading",
    )
]  # fmt: skip
"""What the database and the live channel make a difference to."""


class Missing(Exception):
    """PostgreSQL or Redis is not here and cannot be installed."""


def free_port() -> int:
    """A port that nothing listens on."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


def programs() -> Path:
    """The folder of PostgreSQL's programs; installs both packages where they are missing. Raises Missing."""
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"))
    if (not found or not shutil.which("redis-server")) and os.geteuid() == 0 and shutil.which("apt-get"):
        quiet = {"stdout": subprocess.DEVNULL, "check": False}
        subprocess.run(["apt-get", "update", "-qq"], **quiet)
        install = ["apt-get", "install", "-y", "-qq", "--no-install-recommends", "postgresql", "redis-server"]
        subprocess.run(install, **quiet)
        found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"))
    if not found or not shutil.which("redis-server"):
        raise Missing("Debian's packages postgresql and redis-server are not here and cannot be installed.")
    return found[-1].parent


def _database(folder: Path, port: int, bin_: Path) -> subprocess.Popen[bytes]:
    """PostgreSQL over a fresh folder; it does not run as root, so then it runs as the package's account."""
    who = ["runuser", "-u", "postgres", "--"] if os.geteuid() == 0 else []
    if who:
        owner = pwd.getpwnam("postgres")
        os.chown(folder, owner.pw_uid, owner.pw_gid)
    data = folder / "pg"
    make = [*who, bin_ / "initdb", "-D", data, "-A", "trust", "-U", "needle", "--no-sync"]
    subprocess.run(make, check=True, stdout=subprocess.DEVNULL)
    command = [*who, bin_ / "postgres", "-D", data, "-p", str(port), "-k", folder, "-h", "127.0.0.1", "-F"]
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True)
    create = [bin_ / "createdb", "-h", "127.0.0.1", "-p", str(port), "-U", "needle", "needle"]
    while subprocess.run(create, capture_output=True).returncode:
        if process.poll() is not None:
            raise RuntimeError("PostgreSQL ended as soon as it was started")
    return process


@contextmanager
def neighbours() -> Iterator[dict[str, str]]:
    """The variables by which a server finds them, while they run."""
    bin_ = programs()
    folder = Path(tempfile.mkdtemp(prefix="needle-neighbours-"))
    folder.chmod(0o755)
    running: list[subprocess.Popen[bytes]] = []
    try:
        pg, redis = free_port(), free_port()
        running.append(_database(folder, pg, bin_))
        running.append(
            subprocess.Popen(
                ["redis-server", "--port", str(redis), "--bind", "127.0.0.1", "--save", ""],
                stdout=subprocess.DEVNULL,
                start_new_session=True,
            )
        )
        yield {
            "NEEDLE_DATABASE_URL": f"postgres://needle@127.0.0.1:{pg}/needle",
            "NEEDLE_REDIS_URL": f"redis://127.0.0.1:{redis}/0",
        }
    finally:
        for process in running:
            os.killpg(process.pid, signal.SIGTERM)
            process.wait()
        shutil.rmtree(folder, ignore_errors=True)


def main() -> int:
    try:
        with neighbours() as where:
            environment = {**os.environ, **where, "NEEDLE_TASKS": "redis"}
            command = [sys.executable, "manage.py", "test", *LABELS, *sys.argv[1:]]
            return subprocess.run(command, cwd=HERE, env=environment, check=False).returncode
    except Missing as why:
        print(f"skipped: the tests on PostgreSQL and Redis. {why}")
        return 0


if __name__ == "__main__":
    sys.exit(main())
