"""Many people on one session over HTTP and WebSocket, without browsers: what the sharing benchmarks are made of."""

import asyncio
import json
import random
import statistics
import time
import urllib.request
from dataclasses import dataclass, field
from http.cookiejar import CookieJar
from typing import Any
from uuid import uuid4

from websockets.asyncio.client import ClientConnection, connect

PASSWORD = "crossing-at-dusk"


@dataclass
class Visitor:
    """Somebody signed in at one server of perhaps several."""

    address: str
    username: str
    key: str = ""
    """The key of a sign-in that stands already: a server lets only so many in a minute."""
    jar: CookieJar = field(default_factory=CookieJar)

    def __post_init__(self) -> None:
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.jar))
        self.ask("/")
        if self.key:
            self.opener.addheaders.append(("Cookie", f"sessionid={self.key}; csrftoken={self.cookie('csrftoken')}"))
        else:
            self.ask("/api/sign-in", {"username": self.username, "password": PASSWORD})

    def cookie(self, name: str) -> str:
        return next(cookie.value for cookie in self.jar if cookie.name == name)

    def ask(self, path: str, body: Any = None) -> Any:
        headers = {"Content-Type": "application/json"}
        if body is not None:
            headers["X-CSRFToken"] = self.cookie("csrftoken")
        data = None if body is None else json.dumps(body).encode()
        with self.opener.open(urllib.request.Request(self.address + path, data, headers), timeout=60) as answer:
            text, kind = answer.read(), answer.headers.get_content_type()
        return json.loads(text) if kind == "application/json" else text

    def edit(self, session: str, **operation: Any) -> dict[str, Any]:
        body = {"client_id": str(uuid4()), "operation": operation}
        return self.ask(f"/api/sessions/{session}/operations", body)["revision"]

    def line(self, session: str) -> connect:
        host = self.address.removeprefix("http://")
        cookies = "; ".join(f"{cookie.name}={cookie.value}" for cookie in self.jar)
        if self.key:
            cookies += f"; sessionid={self.key}"
        return connect(
            f"ws://{host}/live/{session}", origin=self.address, additional_headers={"Cookie": cookies}, max_queue=None
        )


async def hear(line: ClientConnection, arrived: dict[int, float], until: int) -> None:
    """Note when each revision arrives, up to one."""
    while True:
        message = json.loads(await line.recv())
        if message["type"] == "revision":
            arrived[message["revision"]] = time.perf_counter()
            if message["revision"] >= until:
                return


async def edits_seen(editors: list[Visitor], watchers: list[Visitor], session: str, edits: int) -> list[float]:
    """Seconds from an edit's beginning until each watcher has it, over many edits in turn."""
    lines = [await watcher.line(session) for watcher in watchers]
    before = editors[0].ask(f"/api/sessions/{session}")["revision"]
    arrived: list[dict[int, float]] = [{} for _ in lines]
    hearing = [
        asyncio.create_task(hear(line, arrivals, before + edits))
        for line, arrivals in zip(lines, arrived, strict=True)
    ]
    chance, began = random.Random(8), {}
    for number in range(edits):
        editor = editors[number % len(editors)]
        start = time.perf_counter()
        pan = round(chance.uniform(-1, 1), 3)
        edit = await asyncio.to_thread(editor.edit, session, kind="place-source", source="foghorn", pan=pan)
        began[edit["revision"]] = start
        await asyncio.sleep(0.02)
    await asyncio.gather(*hearing)
    for line in lines:
        await line.close()
    return [arrivals[revision] - start for revision, start in began.items() for arrivals in arrived]


def print_times(name: str, seconds: list[float]) -> None:
    """The median and the 95th percentile, in milliseconds."""
    cuts = statistics.quantiles(seconds, n=20)
    print(f"{name}: median {1000 * statistics.median(seconds):.0f} ms, 95th percentile {1000 * cuts[-1]:.0f} ms")
