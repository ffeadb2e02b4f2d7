"""Lines: how soon sound comes over slow ones, how soon an edit is heard, and silence after the first second.

The line is that of Chromium's network emulation, for one browser that listens while a colleague on the same machine
edits. ``--form float`` is how sound came before it adapted to the line.

Run (with the packages of ./test): python -m benchmarks.lines --seconds 40
"""

import argparse
import os
import statistics
import tempfile
import time
from types import SimpleNamespace
from typing import Any

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.project.settings")
os.environ.setdefault("NEEDLE_LOCAL", "1")
os.environ.setdefault("NEEDLE_DATA", tempfile.mkdtemp())

LINES = {"8 Mbit/s, 60 ms": (8.0, 60), "1.5 Mbit/s, 100 ms": (1.5, 100), "0.4 Mbit/s, 200 ms": (0.4, 200)}
"""What each carries (Mbit/s), and how long (ms) there and back."""

EDITS = 6
SOURCE, LEVEL, SOFTER = "ferry-engine", -9.0, 40.0
"""Sounds all the time: what rests would be heard late by no fault of the line."""


TIMINGS = """
  performance.getEntriesByType("resource")
    .filter((one) => one.name.includes("/segments/") && one.responseStart)
    .map((one) => [one.responseStart - one.requestStart, one.responseEnd - one.responseStart])
"""
"""How long (ms) each segment was waited for, the way there and back included, and how long it came."""


def slow(page: Any, megabits: float, delay: int) -> None:
    """Put a page on a line."""
    rate = megabits * 125_000
    page.context.new_cdp_session(page).send(
        "Network.emulateNetworkConditions",
        {"offline": False, "latency": delay, "downloadThroughput": rate, "uploadThroughput": rate},
    )


def measured(case: Any, line: tuple[float, int], form: str, layout: str, seconds: float) -> dict[str, Any]:
    """What somebody hears over a line who plays from the beginning while a colleague edits."""
    from benchmarks.gaps import COUNTED
    from benchmarks.visitors import Visitor
    from tests.browser.prepared import copied_session
    from tests.browser.stage import Engineer

    session = copied_session(case.server.data)
    listens = Engineer(SimpleNamespace(server=case.server, browser=case.browser, session=session), "rowan")
    colleague = Visitor(case.server.address, "ines")
    listens.put_preferences(sound=form)
    if layout != "0+2+0":
        listens.operate("set-session", layout=layout)
    listens.context.add_init_script(f"{COUNTED}; performance.setResourceTimingBufferSize(2000)")
    slow(listens.page, *line)
    listens.page.reload()
    listens.page.locator(".saved").get_by_text("Saved").wait_for()
    page = listens.page
    if layout != "0+2+0":
        page.get_by_label("Room monitoring").select_option("headphones")
    listens.jump("17.1")
    listens.row(SOURCE).get_by_role("button", name="Solo").click()
    page.wait_for_timeout(1000)
    began = time.perf_counter()
    page.get_by_role("button", name="Play", exact=True).click()
    page.evaluate("window.somethingSounds()")
    sounds = time.perf_counter() - began
    page.wait_for_timeout(1000)
    before = page.evaluate("window.silentFrames")
    loud, delays = float(abs(listens.listen(0.5)).max()), []
    for number in range(EDITS):
        page.wait_for_timeout(1000 * seconds / EDITS)
        is_soft = number % 2 == 0
        colleague.edit(session, kind="set-level", source=SOURCE, level=LEVEL - SOFTER * is_soft)
        edited = time.perf_counter()
        while time.perf_counter() - edited < 20:
            peak = heard(listens)
            if peak is not None and (peak < 0.3 * loud) == is_soft:
                break
        delays.append(time.perf_counter() - edited)
    silent = page.evaluate("window.silentFrames") - before
    waited, came = zip(*page.evaluate(TIMINGS), strict=True)
    shown = page.locator(".sound").get_attribute("data-title") or page.locator(".sound").get_attribute("title")
    listens.close()
    return {
        "sounds": sounds,
        "edit": statistics.median(delays),
        "worst": max(delays),
        "silent": silent / 48,
        "waited": statistics.median(waited) / 1000,
        "came": statistics.median(came) / 1000,
        "form": shown,
    }


def heard(listens: Any) -> float | None:
    """The peak of what is heard just now; None where a busy machine could not tell."""
    from playwright.sync_api import Error

    try:
        return float(abs(listens.listen(0.05)).max())
    except Error:
        return None


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--seconds", type=float, default=40.0, help="how long each line is listened to")
    parser.add_argument("--form", default="auto", help="in which form sound comes")
    parser.add_argument(
        "--layout", default="0+2+0", help="the session's layout, heard on headphones unless it is stereo"
    )
    parser.add_argument("--line", default="", help="only lines with this in their name")
    given = parser.parse_args()

    import django

    django.setup()
    from playwright.sync_api import sync_playwright

    from tests.browser.stage import ARGUMENTS, CHROMIUM, Server

    server = Server()
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        case = SimpleNamespace(server=server, browser=browser)
        for name, line in LINES.items():
            if given.line not in name:
                continue
            result = measured(case, line, given.form, given.layout, given.seconds)
            print(
                f"{name}: sound after {result['sounds']:.2f} s, an edit heard after {result['edit']:.2f} s "
                f"(at worst {result['worst']:.2f}), {result['silent']:.0f} ms silent of {given.seconds:g} s; "
                f"a segment waited for {result['waited']:.2f} s, and came in {result['came']:.2f}; "
                f"{result['form']}",
                flush=True,
            )
        browser.close()
    server.close()


if __name__ == "__main__":
    main()
