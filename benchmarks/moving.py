"""Moving: the frames of the chart and the field with 64 sources × 2,000 points, from Chromium's own trace.

While it plays, three colleagues hold a source each and move it 30 times a second; then how much memory a page has
taken after each minute of play, and 10 minutes recorded.

Run (with the packages of ./test): python -m benchmarks.moving [--minutes N]
"""

import argparse
import asyncio
import contextlib
import itertools
import json
import math
import os
import statistics
import tempfile
import threading
import time
from types import SimpleNamespace
from typing import Any

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.project.settings")
os.environ.setdefault("NEEDLE_LOCAL", "1")
os.environ.setdefault("NEEDLE_DATA", tempfile.mkdtemp())

import numpy as np

from needle.automation.curve import Lane
from needle.automation.parameters import PARAMETERS
from needle.automation.recording import Hold, Pass, recorded

SOURCES, POINTS = 64, 2000
RECORDED_SECONDS = 600.0
CATEGORIES = ["devtools.timeline", "disabled-by-default-devtools.timeline"]


def crowd(person: Any) -> None:
    """Fill the demo up to 64 sources, each with 2,000 points."""
    document = person.document()
    rng = np.random.default_rng(5)
    first = sorted(document["sources"].values(), key=lambda one: one["order"])
    sounding = [one for one in first if one["asset"] and not one["frozen_asset"]]
    length = document["session"]["length"] or 128.0
    for number in range(SOURCES):
        key = first[number]["id"] if number < len(first) else f"more-{number}"
        if number >= len(first):
            copy = {
                **sounding[number % len(sounding)],
                "id": key,
                "name": f"Source {number}",
                "order": number,
                "group": "",
            }
            copy |= {"mode": "pan" if copy["channels"] == 1 else "balance", "muted": number >= 24}
            person.operate("add-source", source=copy)
        times = np.linspace(0.0, length - 0.5, POINTS)
        values = np.clip(np.cumsum(rng.normal(0, 0.03, POINTS)), -1, 1)
        points = [
            {"t": float(t), "value": float(v), "shape": "straight", "tension": 0.0}
            for t, v in zip(times, values, strict=True)
        ]
        parameter = "pan_left" if document["sources"].get(key, {}).get("mode") == "sides" else "pan"
        person.operate("write-points", owner=key, parameter=parameter, start=0.0, end=length, points=points)


def frames(trace: bytes) -> tuple[list[float], list[float]]:
    """From a trace: how long the page worked for each frame, and how far frames were apart (ms)."""
    events = json.loads(trace)["traceEvents"]
    fired = [e for e in events if e["name"] == "FireAnimationFrame"]
    if not fired:
        return [], []
    page = statistics.mode((e["pid"], e["tid"]) for e in fired)
    edges = sorted({e["ts"] for e in fired if (e["pid"], e["tid"]) == page})
    # Several callbacks belong to one frame.
    starts = [edges[0]] + [b for a, b in itertools.pairwise(edges) if b - a > 4000]
    tasks = sorted(
        (e["ts"], e["dur"]) for e in events if e["name"] == "RunTask" and (e["pid"], e["tid"]) == page and "dur" in e
    )
    work = [
        sum(dur for ts, dur in tasks if start - 2000 <= ts < end - 2000) / 1000
        for start, end in itertools.pairwise(starts)
    ]
    return work, [(b - a) / 1000 for a, b in itertools.pairwise(starts)]


def told(name: str, trace: bytes) -> None:
    work, apart = frames(trace)
    late = 100 * sum(one > 34 for one in apart) / max(len(apart), 1)
    print(
        f"{name}: {len(work)} frames, work a frame median {statistics.median(work):.1f} ms, "
        f"95th, 99th percentile {np.percentile(work, 95):.1f}, {np.percentile(work, 99):.1f} ms; "
        f"apart median {statistics.median(apart):.1f} ms, {late:.0f} % over 34 ms"
    )


def chart(browser: Any, person: Any) -> None:
    page = person.page

    def traced(name: str, act: Any) -> None:
        browser.start_tracing(page=page, categories=CATEGORIES)
        act()
        told(name, browser.stop_tracing())

    page.get_by_label("Bar of point 1", exact=True).wait_for()
    person.jump("9.1")
    traced("64 × 2,000 points, at rest, scrolling", lambda: scroll(page))
    person.play()
    person.listen(1.0)
    traced("the same, playing", lambda: person.listen(4.0))
    traced("playing, and scrolling", lambda: scroll(page))
    with colleagues(person):
        traced("playing, three colleagues' hands, scrolling", lambda: scroll(page))
        person.to_desk("Place")
        person.listen(1.0)
        traced("the same on the field", lambda: person.listen(4.0))
        person.to_desk("Move")
    person.stop()
    page.keyboard.press("Z")
    page.wait_for_function("document.querySelectorAll('[data-point]').length > 10")
    traced("the whole piece in sight, dragging a point", lambda: drag(page))
    traced("the same, zooming", lambda: zoom(page))


@contextlib.contextmanager
def colleagues(person: Any) -> Any:
    """Three colleagues who hold a source each and move it, 30 times a second."""
    from websockets.asyncio.client import connect

    stopped = threading.Event()
    cookie = "; ".join(f"{one['name']}={one['value']}" for one in person.context.cookies())
    address = person.case.server.address

    async def hold(number: int) -> None:
        live = f"{address.replace('http', 'ws', 1)}/live/{person.session}"
        async with connect(live, additional_headers={"Cookie": cookie}, origin=address) as socket:
            begun = time.monotonic()
            while not stopped.is_set():
                value = round(math.sin(time.monotonic() - begun + number), 2)
                preview = {"type": "preview", "control": f"more-{60 + number}.pan", "value": value}
                await socket.send(json.dumps(preview))
                with contextlib.suppress(TimeoutError):
                    async with asyncio.timeout(1 / 30):
                        while True:
                            await socket.recv()

    async def hold_all() -> None:
        await asyncio.gather(*(hold(number) for number in range(3)))

    thread = threading.Thread(target=lambda: asyncio.run(hold_all()))
    thread.start()
    yield
    stopped.set()
    thread.join()


def memory(person: Any, minutes: int) -> None:
    """How much a page holds after each minute of play, what nobody needs any more thrown away before."""
    devtools = person.context.new_cdp_session(person.page)
    person.jump("1.1")
    person.page.get_by_label("Loop, only for you").select_option(index=1)
    person.play()
    sizes = []
    for _ in range(minutes + 1):
        person.page.wait_for_timeout(60_000 if sizes else 5_000)
        devtools.send("HeapProfiler.collectGarbage")
        sizes.append(devtools.send("Runtime.getHeapUsage")["usedSize"] / 1e6)
    person.stop()
    print("memory while it plays, minute by minute (MB): " + " ".join(f"{size:.0f}" for size in sizes))


def scroll(page: Any) -> None:
    box = page.locator(".chart svg").bounding_box()
    page.mouse.move(box["x"] + 300, box["y"] + 200)
    for step in range(60):
        page.mouse.wheel(0, 40 if step < 30 else -40)
        page.evaluate("new Promise(requestAnimationFrame)")


def zoom(page: Any) -> None:
    for key in ("+", "+", "+", "-", "-", "-") * 4:
        page.keyboard.press(key)
        page.evaluate("new Promise(requestAnimationFrame)")


def drag(page: Any) -> None:
    box = page.locator("[data-point] .dot").nth(20).bounding_box()
    page.mouse.move(box["x"] + 5, box["y"] + 5)
    page.mouse.down()
    for step in range(60):
        page.mouse.move(box["x"] + 5 + step * 2, box["y"] + 5)
        page.evaluate("new Promise(requestAnimationFrame)")
    page.mouse.up()


def long_move() -> list[list[float]]:
    """A hand that is never still for 10 minutes, 60 times a second."""
    times = np.arange(0.0, RECORDED_SECONDS, 1 / 60)
    rng = np.random.default_rng(9)
    wander = np.cumsum(rng.normal(0, 0.01, times.size))
    return [[float(t), round(float(v), 2)] for t, v in zip(times, np.sin(wander + times / 4), strict=True)]


def recording(person: Any) -> None:
    samples = long_move()
    run = Pass(0.0, RECORDED_SECONDS, (Hold(tuple(map(tuple, samples)), samples[-1][0]),))
    start = time.perf_counter()
    lane = recorded(Lane(), 0.0, run, "latch", PARAMETERS["pan"])
    core = time.perf_counter() - start
    token = next(c["value"] for c in person.context.cookies() if c["name"] == "csrftoken")
    control = {
        "owner": "oars",
        "parameter": "pan",
        "holds": [{"samples": samples, "end": samples[-1][0]}],
    }
    body = {
        "revision": person.revision(),
        "start": 0.0,
        "end": RECORDED_SECONDS,
        "mode": "latch",
        "controls": [control],
    }
    address = f"{person.case.server.address}/api/sessions/{person.session}/moves/takes"
    start = time.perf_counter()
    answer = person.context.request.post(address, data=body, headers={"X-CSRFToken": token})
    over = time.perf_counter() - start
    assert answer.ok, answer.text()
    print(
        f"10 minutes recorded: {len(samples)} samples, {len(json.dumps(body)) / 1e3:.0f} kB sent, thinned to "
        f"{len(lane.points)} points ({len(answer.body()) / 1e3:.0f} kB); {core * 1000:.0f} ms in the core, "
        f"{over * 1000:.0f} ms over HTTP"
    )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=int, default=5, help="how long the page plays while its memory is watched")
    parser.add_argument("--only-memory", action="store_true", help="watch nothing but the page's memory")
    chosen = parser.parse_args()

    import django

    django.setup()
    from playwright.sync_api import sync_playwright

    from tests.browser.prepared import demo_session
    from tests.browser.stage import ARGUMENTS, CHROMIUM, Engineer, Server

    server = Server()
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        case = SimpleNamespace(server=server, browser=browser, session=demo_session())
        rowan = Engineer(case, "rowan")
        if not chosen.only_memory:
            recording(rowan)
        crowd(rowan)
        rowan.page.reload()
        rowan.page.get_by_label("Filter the list").fill("Ferry engine")
        rowan.row("ferry-engine").locator("button.name").click()
        rowan.page.get_by_label("Filter the list").fill("")
        if not chosen.only_memory:
            chart(browser, rowan)
        memory(rowan, chosen.minutes)
        browser.close()
    server.close()


if __name__ == "__main__":
    main()
