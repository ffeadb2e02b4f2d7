"""Moving: the chart's frames with 64 sources × 2,000 points, from Chromium's own trace; 10 minutes recorded.

Run (with the packages of ./test): python -m benchmarks.moving
"""

import itertools
import json
import os
import statistics
import tempfile
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
    length = document["session"]["length"] or 128.0
    for number in range(SOURCES):
        key = first[number]["id"] if number < len(first) else f"more-{number}"
        if number >= len(first):
            copy = {**first[number % len(first)], "id": key, "name": f"Source {number}", "order": number, "group": ""}
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
        f"95th percentile {np.percentile(work, 95):.1f} ms; apart median {statistics.median(apart):.1f} ms, "
        f"{late:.0f} % over 34 ms"
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
    person.stop()
    page.keyboard.press("Z")
    page.wait_for_function("document.querySelectorAll('[data-point]').length > 10")
    traced("the whole piece in sight, dragging a point", lambda: drag(page))
    traced("the same, zooming", lambda: zoom(page))


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
        "source": "oars",
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
    import django

    django.setup()
    from playwright.sync_api import sync_playwright

    from tests.browser.stage import ARGUMENTS, CHROMIUM, Engineer, Server

    server = Server()
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        case = SimpleNamespace(server=server, browser=browser)
        rowan = Engineer(case, "rowan")
        recording(rowan)
        crowd(rowan)
        rowan.page.reload()
        rowan.row("ferry-engine").locator("button.name").click()
        chart(browser, rowan)
        browser.close()
    server.close()


if __name__ == "__main__":
    main()
