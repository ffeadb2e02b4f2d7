"""Two servers behind one session, on PostgreSQL and Redis, with a worker of its own: live edits cross between them.

Needs Debian's postgresql and redis-server packages (installed by apt-get where it may). Starts both by itself, in a
folder of its own and on free ports, and ends them again. Run as root or as anybody: python -m benchmarks.two_servers
"""

import asyncio
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path

from tests.neighbours import free_port, neighbours, programs

HERE = Path(__file__).resolve().parent.parent
EDITS = 40


def main() -> None:
    with neighbours() as where:
        compare(where)


def compare(where: dict[str, str]) -> None:
    """Two servers and a worker beside the database and Redis that the variables name."""
    from benchmarks.visitors import Visitor, edits_seen, print_times

    folder = Path(tempfile.mkdtemp(prefix="needle-two-"))
    folder.chmod(0o755)
    running: list[subprocess.Popen] = []
    try:
        ports = (free_port(), free_port())
        quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, "start_new_session": True}
        environment = os.environ | {
            "NEEDLE_LOCAL": "1",
            "NEEDLE_DEMO": "1",
            "NEEDLE_DATA": str(folder / "shared"),
            **where,
            "NEEDLE_TASKS": "redis" if "--tasks-in-redis" in sys.argv else "database",
        }
        manage = [sys.executable, "manage.py"]
        subprocess.run([*manage, "migrate", "--verbosity", "0"], cwd=HERE, env=environment, check=True)
        subprocess.run([*manage, "make_demo"], cwd=HERE, env=environment, check=True, stdout=subprocess.DEVNULL)
        served = [[*manage, "serve", "--port", str(port)] for port in ports]
        commands = [*served, [*manage, "worker"]]
        running.extend(subprocess.Popen(command, cwd=HERE, env=environment, **quiet) for command in commands)
        addresses = [f"http://127.0.0.1:{port}" for port in ports]
        for address in addresses:
            _wait(address)
        first, second = Visitor(addresses[0], "rowan"), Visitor(addresses[1], "ines")
        session = first.ask("/api/sessions")[0]["id"]
        for name, editor, watcher in (("first", first, second), ("second", second, first)):
            delays = asyncio.run(edits_seen([editor], [watcher] * 10, session, EDITS))
            print_times(f"an edit at the {name} server, until ten people at the other have it", delays)
        documents = [visitor.ask(f"/api/sessions/{session}") for visitor in (first, second)]
        assert documents[0]["document"] == documents[1]["document"], "the servers differ"
        revision = documents[0]["revision"]
        export = first.ask(
            f"/api/sessions/{session}/exports", {"revision": revision, "format": "wav-24", "end": 20.0}
        )
        start = time.perf_counter()
        while export["status"] in ("waiting", "running"):
            time.sleep(0.1)
            # Asked for at one server, followed at the other, made by the worker.
            export = second.ask(f"/api/sessions/{session}/exports/{export['id']}")
        assert export["status"] == "done", export
        took = time.perf_counter() - start
        print(f"an export of 20 s ordered at one, made by the worker, had at the other: {took:.1f} s")
        archive = folder / "backup.tar"
        environment["PATH"] = f"{programs()}:{environment['PATH']}"
        subprocess.run([*manage, "backup", str(archive)], cwd=HERE, env=environment, check=True)
    finally:
        for process in reversed(running):
            os.killpg(process.pid, signal.SIGTERM)
        for process in running:
            try:
                process.wait(10)
            except subprocess.TimeoutExpired:
                os.killpg(process.pid, signal.SIGKILL)
        shutil.rmtree(folder, ignore_errors=True)


def _wait(address: str) -> None:
    until = time.monotonic() + 60
    while time.monotonic() < until:
        try:
            urllib.request.urlopen(f"{address}/api/health", timeout=5).close()
            return
        except OSError:
            time.sleep(0.2)
    raise SystemExit(f"{address} does not answer.")


if __name__ == "__main__":
    main()
