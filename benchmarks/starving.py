"""A member with a script who tries to keep another waiting: what the other's segments and edits take, beside without.

What it takes without comes first, before anything has been ordered. The session is that of ``benchmarks.crowd``. The
script edits, listens, analyses, orders and talks on the live channel from many threads at once, as fast as it is
answered, and ignores every refusal. It shares the server's cores; as it would be elsewhere in the world, its
own work comes last there. Run: python -m benchmarks.starving, with --each for every attack by itself too.
"""

import asyncio
import itertools
import json
import multiprocessing
import os
import random
import subprocess
import sys
import tempfile
import threading
import time
import urllib.error
from collections import Counter
from collections.abc import Callable, Iterator
from multiprocessing.synchronize import Event
from pathlib import Path

from websockets.exceptions import WebSocketException

from benchmarks import crowd
from benchmarks.visitors import Visitor

LASTS, BEGINS = 30.0, 10.0
"""How long is measured (s), and how long the script has been at work before that."""
ADDRESS = f"http://127.0.0.1:{crowd.PORT}"


def attacks(visitor: Visitor, session: str) -> dict[str, Callable[[], object]]:
    """What the script does, by what it is called; each as often as it comes to it."""
    chance, base = random.Random(9), f"/api/sessions/{session}"
    numbers = itertools.count()

    def edit() -> object:
        level = round(chance.uniform(-12, 0), 2)
        return visitor.edit(session, kind="set-level", source=f"s{chance.randrange(crowd.SOURCES)}", level=level)

    def listen() -> object:
        trim = round(chance.uniform(-24, -12), 3)
        return visitor.ask(f"{base}/segments/{chance.randrange(2 * crowd.SECONDS)}?revision=0&trim={trim}")

    def analyse() -> object:
        return visitor.ask(f"{base}/balance?revision=0&solo=s{next(numbers) % crowd.SOURCES}")

    def order() -> object:
        frozen = f"sources/s{chance.randrange(crowd.SOURCES)}/freeze"
        return visitor.ask(f"{base}/{chance.choice(('deliveries', 'reports', frozen))}", {"revision": 0})

    def open_it() -> object:
        return visitor.ask(base)

    return {"edits": edit, "segments": listen, "analyses": analyse, "orders": order, "openings": open_it}


def again_and_again(name: str, attack: Callable[[], object], until: Event, counts: Counter[str]) -> None:
    """One thread of the script."""
    while not until.is_set():
        try:
            attack()
            counts[f"{name} 200"] += 1
        except urllib.error.HTTPError as error:
            counts[f"{name} {error.code}"] += 1
        except OSError as error:
            counts[f"{name} {type(error).__name__}"] += 1


async def talk(visitor: Visitor, session: str, until: Event, counts: Counter[str]) -> None:
    """As much on the live channel as it takes, from the beginning whenever it is closed."""
    message = json.dumps({"type": "preview", "control": "s1.pan", "value": 0.5})
    while not until.is_set():
        try:
            async with visitor.line(session) as line:
                while not until.is_set():
                    await line.send(message)
                    counts["messages"] += 1
        except (WebSocketException, OSError):
            counts["times put out"] += 1
            await asyncio.sleep(0.1)


KINDS = ("edits", "segments", "analyses", "orders", "openings", "messages")


def script(session: str, key: str, kinds: tuple[str, ...], begin: Event, until: Event) -> None:
    """The script with some kinds of attack, in a process of its own, which leaves the cores to whoever wants them."""
    os.nice(19)
    visitor = Visitor(ADDRESS, "p1", key)
    visitor.ask(f"/api/sessions/{session}")
    counts: Counter[str] = Counter()
    threads = [
        threading.Thread(target=again_and_again, args=(name, attack, until, counts))
        for name, attack in attacks(visitor, session).items()
        if name in kinds
        for _ in range(2)
    ]
    begin.wait()
    for thread in threads:
        thread.start()
    if "messages" in kinds:
        asyncio.run(talk(visitor, session, until, counts))
    for thread in threads:
        thread.join()
    print("the script: " + ", ".join(f"{count} {name}" for name, count in sorted(counts.items())))


def beside(session: str, key: str, kinds: tuple[str, ...]) -> Iterator[None]:
    """The script at work until the next step."""
    context = multiprocessing.get_context("spawn")
    begin, until = context.Event(), context.Event()
    process = context.Process(target=script, args=(session, key, kinds, begin, until))
    process.start()
    begin.set()
    time.sleep(BEGINS)
    yield
    until.set()
    process.join()


def percentiles(took: list[float], edits: list[float]) -> tuple[float, float]:
    """The 95th percentiles of segments and edits (ms), which are printed."""
    late = crowd.late(took), crowd.late(edits)
    print(f"a segment p95 {late[0]:.0f} ms, {0.5 * len(took) / LASTS:.2f} s of sound a second; ", end="")
    print(f"an edit p95 {late[1]:.0f} ms")
    return late


def main() -> None:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.project.settings")
    os.environ.setdefault("NEEDLE_LOCAL", "1")
    with tempfile.TemporaryDirectory() as folder:
        os.environ["NEEDLE_DATA"] = folder
        session, keys = crowd.prepare(Path(folder))
        command = [sys.executable, "manage.py", "serve", "--port", str(crowd.PORT)]
        server = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        assert server.stdout
        while "Stop with" not in (line := server.stdout.readline()):
            assert line, "the server did not start"
        try:
            visitor = Visitor(ADDRESS, "p0", keys[0])
            visitor.ask(f"/api/sessions/{session}")
            crowd.listen([visitor], session, editing=True)  # the server's processes load
            quiet = percentiles(*crowd.listen([visitor], session, True, LASTS))
            each = [(kind,) for kind in KINDS] if "--each" in sys.argv else []
            for kinds in (*each, *(3 * [KINDS])):
                at_work = beside(session, keys[1], kinds)
                next(at_work)
                busy = percentiles(*crowd.listen([visitor], session, True, LASTS))
                next(at_work, None)
                one, two = (after / before for before, after in zip(quiet, busy, strict=True))
                print(f"beside {', '.join(kinds)}: segments {one:.1f} ×, edits {two:.1f} ×")
        finally:
            server.terminate()
            server.wait(10)


if __name__ == "__main__":
    main()
