"""A crowd in one session: 48 moving sources with two rooms, and 1 to 16 people who listen at different places.

First each asks for one segment after the other as fast as they come; then they play, and one of them edits twice a
second. Against it stands the same session rendered by one process in the same minute. Run: python -m benchmarks.crowd
"""

import http.client
import json
import os
import random
import statistics
import struct
import subprocess
import sys
import tempfile
import threading
import time
import zlib
from contextlib import suppress
from pathlib import Path
from typing import Any

import numpy as np

from benchmarks.visitors import Visitor

SOURCES, ASSETS, SECONDS, RATE = 48, 4, 900, 48_000
PORT = 8231
CROWDS = (1, 2, 4, 8, 16)
LASTS = 12.0


def prepare(data: Path) -> tuple[str, list[str]]:
    """The session and its people in a data folder; its id, and the keys of their sign-ins."""
    import django

    django.setup()
    from django.contrib.auth import get_user_model
    from django.core.management import call_command

    from needle.automation.curve import Lane, stored
    from needle.effects.chain import effect_named
    from needle.io.audio import write_audio
    from needle.session.document import RETURN_DEFAULTS, SEND_DEFAULTS, SOURCE_DEFAULTS, empty_document
    from needle.session.owners import lane_value
    from server.media.assets import store_asset
    from server.mixsessions.models import Membership
    from server.mixsessions.services import create_session

    call_command("migrate", verbosity=0)
    people = [get_user_model().objects.create_user(f"p{number}") for number in range(max(CROWDS))]
    rng = np.random.default_rng(1)
    assets = []
    for number in range(ASSETS):
        path = data / f"{number}.wav"
        write_audio(path, 0.03 * rng.standard_normal((1, SECONDS * RATE), dtype=np.float32), RATE)
        assets.append(store_asset(path, RATE))
        path.unlink()
    document = empty_document("Crowd", RATE, float(SECONDS))
    for key, size in (("small", 0.8), ("large", 3.2)):
        effects = [
            {"id": "a", "kind": "room", "on": True, "settings": {**effect_named("room").defaults(), "length": size}}
        ]
        document["returns"][key] = {**RETURN_DEFAULTS, "id": key, "name": key, "order": 0, "effects": effects}
    for number in range(SOURCES):
        key = f"s{number}"
        document["sources"][key] = {
            **SOURCE_DEFAULTS, "id": key, "name": key, "colour": number % 10, "order": number,
            "asset": assets[number % ASSETS], "channels": 1, "seconds": float(SECONDS), "mode": "pan",
        }  # fmt: skip
        times = np.sort(rng.uniform(0, SECONDS, SECONDS // 2)).round(3)
        points = [{"t": float(t), "value": float(rng.uniform(-1, 1)), "shape": "ease", "tension": 0.0} for t in times]
        document["lanes"][f"{key}/pan"] = lane_value(f"{key}/pan", stored(Lane.of(points).points))
        for to in document["returns"]:
            send = f"{key}/{to}"
            document["sends"][send] = {**SEND_DEFAULTS, "id": send, "source": key, "return": to, "level": -12.0}
    session = create_session(document, people[0])
    Membership.objects.bulk_create(
        Membership(session=session, user=user, role=Membership.Role.ENGINEER) for user in people[1:]
    )
    return str(session.pk), [_sign_in(user) for user in people]


def _sign_in(user: Any) -> str:
    """The key of a new sign-in."""
    from django.contrib.auth import BACKEND_SESSION_KEY, HASH_SESSION_KEY, SESSION_KEY
    from django.contrib.sessions.backends.db import SessionStore

    store = SessionStore()
    store[SESSION_KEY] = str(user.pk)
    store[BACKEND_SESSION_KEY] = "django.contrib.auth.backends.ModelBackend"
    store[HASH_SESSION_KEY] = user.get_session_auth_hash()
    store.save()
    return store.session_key


class Listener(threading.Thread):
    """Asks for one segment after the other, from a place of their own on."""

    def __init__(self, visitor: Visitor, session: str, first: int, plays: bool) -> None:
        super().__init__(daemon=True)
        self.base, self.first = f"/api/sessions/{session}", first
        self.cookies = f"sessionid={visitor.key}"
        self.plays = plays
        self.took: list[float] = []
        self.keys: dict[int, str] = {}
        self.stopped = False

    def run(self) -> None:
        line = http.client.HTTPConnection("127.0.0.1", PORT, timeout=60)
        index = self.first
        while not self.stopped:
            start = time.perf_counter()
            path = f"{self.base}/segments/{index}?revision={Crowd.revision}&trim={Crowd.trim}"
            # As the page does: meters go on from what this listener has heard.
            past = [self.keys.get(before, "") for before in range(index - 6, index)]
            path += f"&past={','.join(past)}" if any(past) else ""
            line.request("GET", path, headers={"Cookie": self.cookies})
            answer = line.getresponse()
            body = answer.read()
            if answer.status == 404:
                index = 0
                continue
            assert answer.status == 200, body
            (size,) = struct.unpack_from("<I", body)
            side = zlib.decompress(body[4 : 4 + size])
            (size,) = struct.unpack_from("<I", side)
            self.keys[index] = json.loads(side[4 : 4 + size])["key"]
            took = time.perf_counter() - start
            self.took.append(took)
            index += 1
            if self.plays:
                time.sleep(max(0.5 - took, 0.0))


class Crowd:
    """What everybody listens to: the revision, and a trim, another in each round, so that nothing is known before."""

    revision, trim = 0, 0.0


def listen(
    visitors: list[Visitor], session: str, editing: bool, lasts: float = LASTS
) -> tuple[list[float], list[float]]:
    """How long each segment took (s), and each edit."""
    count = 2 * SECONDS
    places = [round(number * count / len(visitors)) for number in range(len(visitors))]
    random.Random(3).shuffle(places)
    listeners = [Listener(visitor, session, place, editing) for visitor, place in zip(visitors, places, strict=True)]
    for listener in listeners:
        listener.start()
    time.sleep(2.0)  # until all have what rooms and meters need of the past
    skipped = [len(listener.took) for listener in listeners]
    edits, until = [], time.perf_counter() + lasts
    chance = random.Random(4)
    while time.perf_counter() < until:
        if editing:
            start = time.perf_counter()
            source = f"s{chance.randrange(SOURCES)}"
            level = round(chance.uniform(-6, 0), 2)
            answer = visitors[0].edit(session, kind="set-level", source=source, level=level)
            edits.append(time.perf_counter() - start)
            Crowd.revision = answer["revision"]
        time.sleep(0.5)
    for listener in listeners:
        listener.stopped = True
    for listener in listeners:
        listener.join()
    took = [took for listener, first in zip(listeners, skipped, strict=True) for took in listener.took[first:]]
    return took, edits


def alone(session: str) -> float:
    """Seconds of sound a second that one process renders, with nobody else about."""
    from needle.render.segments import render_segments, segment_key
    from server.media.mixes import mix_at
    from server.media.segments import RENDERED
    from server.mixsessions.models import MixSession

    mix = mix_at(MixSession.objects.get(pk=session), 0)
    spent = []
    for index in range(20, 80):
        start = time.perf_counter()
        segment_key(mix, index)
        list(render_segments(mix, index, index + 1, cache=RENDERED))
        spent.append(time.perf_counter() - start)
    return 0.5 / statistics.median(spent[10:])


def side_by_side(session: str) -> float:
    """Seconds of sound a second that as many processes render together as there are cores, each for itself."""
    command = [sys.executable, "-m", "benchmarks.crowd", "--alone", session]
    processes = [subprocess.Popen(command, stdout=subprocess.PIPE, text=True) for _ in range(os.cpu_count() or 1)]
    return sum(float(process.communicate()[0]) for process in processes)


def late(times: list[float]) -> float:
    """The 95th percentile, in milliseconds."""
    return 1000 * statistics.quantiles(times, n=20)[-1] if len(times) > 1 else float("nan")


def at_work(pid: int) -> tuple[float, float]:
    """Seconds that a process has been at work, and its children."""
    own, children = 0.0, 0.0
    for path in Path("/proc").glob("[0-9]*/stat"):
        with suppress(OSError):
            fields = path.read_text().rsplit(")", 1)[1].split()
            spent = (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")
            own += spent if int(path.parent.name) == pid else 0.0
            children += spent if int(fields[1]) == pid else 0.0
    return own, children


def stolen() -> float:
    """Seconds that others have had of this machine's cores."""
    return int(Path("/proc/stat").read_text().split()[8]) / os.sysconf("SC_CLK_TCK")


def main() -> None:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.project.settings")
    os.environ.setdefault("NEEDLE_LOCAL", "1")
    if sys.argv[1:2] == ["--alone"]:
        import django

        django.setup()
        print(alone(sys.argv[2]))
        return
    with tempfile.TemporaryDirectory() as folder:
        run(Path(folder))


def run(data: Path) -> None:
    """All of it in a data folder."""
    os.environ["NEEDLE_DATA"] = str(data)
    session, keys = prepare(data)
    print(f"one process by itself: {alone(session):.0f} s of sound a second")
    print(f"as many as there are cores, nothing else: {side_by_side(session):.0f} s of sound a second")
    server = subprocess.Popen(
        [sys.executable, "manage.py", "serve", "--port", str(PORT)], stdout=subprocess.PIPE, text=True
    )
    while "Stop with" not in (line := server.stdout.readline()):
        assert line, "the server did not start"
    try:
        visitors = [Visitor(f"http://127.0.0.1:{PORT}", f"p{number}", key) for number, key in enumerate(keys)]
        visitors[0].ask(f"/api/sessions/{session}")
        for size in CROWDS:
            for editing in (False, True):
                Crowd.trim = round(Crowd.trim - 0.1, 1)
                before, lost, start = at_work(server.pid), stolen(), time.perf_counter()
                took, edits = listen(visitors[:size], session, editing)
                web, pool = (
                    1000 * (now - then) / len(took) for now, then in zip(at_work(server.pid), before, strict=True)
                )
                lost = (stolen() - lost) / (time.perf_counter() - start) / (os.cpu_count() or 1)
                sound = 0.5 * len(took) / LASTS
                about = f"; an edit twice a second: p95 {late(edits):.0f} ms" if editing else ""
                each = f"a segment {1000 * statistics.median(took):.0f} ms (p95 {late(took):.0f} ms)"
                work = f"{web:.1f} ms of work for it in the web process and {pool:.1f} in the pool"
                stolen_share = f" ({100 * lost:.0f} % of the machine taken by others)" if lost > 0.05 else ""
                print(f"{size} people: {sound:.0f} s of sound a second, {each}, {work}{about}{stolen_share}")
    finally:
        server.terminate()
        server.wait(10)


if __name__ == "__main__":
    main()
