"""Sharing: how soon others have an edit with 20 and 50 people, edits a second, and a session after an hour's work.

Run (with the packages of ./test): python -m benchmarks.sharing
"""

import asyncio
import os
import random
import sqlite3
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from benchmarks.visitors import Visitor, edits_seen, hear, print_times

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.project.settings")
os.environ.setdefault("NEEDLE_LOCAL", "1")
os.environ.setdefault("NEEDLE_DATA", tempfile.mkdtemp())

EDITS = 60
SECONDS = 10
PEOPLE = 50
HOUR = 3600
"""Changes in an hour in which somebody changes something each second."""


def used_memory(pid: int) -> int:
    """Bytes that a process holds."""
    (line,) = [row for row in Path(f"/proc/{pid}/status").read_text().splitlines() if row.startswith("VmRSS")]
    return 1024 * int(line.split()[1])


async def hour(rowan: Visitor, ines: Visitor, session: str) -> tuple[list[float], list[float]]:
    """An hour's edits, one after the other, with everybody watching: seconds until each is answered, and seen."""
    lines = [await (rowan, ines)[number % 2].line(session) for number in range(PEOPLE)]
    before = rowan.ask(f"/api/sessions/{session}")["revision"]
    arrived: list[dict[int, float]] = [{} for _ in lines]
    hearing = [asyncio.create_task(hear(line, at, before + HOUR)) for line, at in zip(lines, arrived, strict=True)]
    chance = random.Random(3)
    answered, began = [], {}
    for number in range(HOUR):
        start = round(chance.uniform(0, 110), 2)
        points = [{"t": start + i, "value": round(chance.uniform(-1, 1), 2)} for i in range(6)]
        kinds = (
            {"kind": "place-source", "source": "hand-drum", "pan": points[0]["value"]},
            {"kind": "set-level", "source": "gulls", "level": round(chance.uniform(-20, 0), 1)},
            {
                "kind": "write-points",
                "owner": "oars",
                "parameter": "pan",
                "start": start,
                "end": start + 5,
                "points": points,
            },
        )
        at = time.perf_counter()
        revision = await asyncio.to_thread((rowan, ines)[number % 2].edit, session, **kinds[number % 3])
        answered.append(time.perf_counter() - at)
        began[revision["revision"]] = at
    await asyncio.gather(*hearing)
    for line in lines:
        await line.close()
    return answered, [max(delays[revision] for delays in arrived) - at for revision, at in began.items()]


def main() -> None:
    import django

    django.setup()
    from tests.browser.stage import Server

    server = Server()
    rowan, ines = (Visitor(server.address, name) for name in ("rowan", "ines"))
    session = rowan.ask("/api/sessions")[0]["id"]
    for count in (20, 50):
        # As many lines as people; the accounts are shared, which costs the server the same.
        watchers = [(rowan, ines)[number % 2] for number in range(count)]
        delays = asyncio.run(edits_seen([rowan, ines], watchers, session, EDITS))
        print_times(f"an edit with {count} people, until each of them has it", delays)

    def edit_on(visitor: Visitor) -> int:
        chance, edits, until = random.Random(visitor.username), 0, time.monotonic() + SECONDS
        while time.monotonic() < until:
            visitor.edit(session, kind="place-source", source="oars", pan=round(chance.uniform(-1, 1), 3))
            edits += 1
        return edits

    with ThreadPoolExecutor(4) as pool:
        edits = sum(pool.map(edit_on, [rowan, ines] * 2))
    print(f"edits by four people without a pause, each stored and synced: {edits / SECONDS:.0f} a second")

    before = (server.data / "needle.sqlite3").stat().st_size
    memory = used_memory(server.process.pid)
    answered, delays = asyncio.run(hour(rowan, ines, session))
    grown_memory = used_memory(server.process.pid)
    with sqlite3.connect(server.data / "needle.sqlite3") as database:
        database.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    grown = (server.data / "needle.sqlite3").stat().st_size - before
    opened = []
    for _ in range(10):
        start = time.perf_counter()
        rowan.ask(f"/api/sessions/{session}")
        opened.append(time.perf_counter() - start)
    print(f"an edit a second for an hour, {HOUR} changes, {PEOPLE} people: the log grew by {grown / 1e6:.1f} MB")
    print(f"the web process: {memory / 1e6:.0f} MB before, {grown_memory / 1e6:.0f} MB after")
    tenth = HOUR // 10
    for name, seconds in (("answered", answered), ("seen by all", delays)):
        print_times(f"an edit {name}, the first tenth of the hour", seconds[:tenth])
        print_times(f"an edit {name}, the last tenth of the hour", seconds[-tenth:])
    print_times("opening that session", opened)
    start = time.perf_counter()
    rowan.ask(f"/api/sessions/{session}/history")
    print(f"its history, first page: {1000 * (time.perf_counter() - start):.0f} ms")
    start = time.perf_counter()
    rowan.ask(f"/api/sessions/{session}/undo", {"client_id": "00000000-0000-4000-8000-000000000001"})
    print(f"an undo in it: {1000 * (time.perf_counter() - start):.0f} ms")
    server.close()


if __name__ == "__main__":
    main()
