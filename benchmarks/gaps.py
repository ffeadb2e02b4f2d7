"""Gaps: frames of silence in two browsers' sound while people edit, counted at the worklet.

Run (with the packages of ./test): python -m benchmarks.gaps --minutes 10, and with --people 1 --every 0.5
"""

import argparse
import itertools
import os
import tempfile
import threading
import time
from types import SimpleNamespace
from typing import Any

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.project.settings")
os.environ.setdefault("NEEDLE_LOCAL", "1")
os.environ.setdefault("NEEDLE_DATA", tempfile.mkdtemp())

SETTLING = 15
"""Seconds of listening before anybody edits."""

COUNTED = """
  const Plain = window.AudioWorkletNode;
  window.AudioWorkletNode = class extends Plain {
    constructor(...given) {
      super(...given);
      this.port.addEventListener("message", ({ data }) => (window.silentFrames = data.silent ?? window.silentFrames));
    }
  };
"""


def edit_for(visitor: Any, session: str, source: str, every: float, until: threading.Event) -> None:
    """One person's edits: a place, then a level, one each ``every`` seconds."""
    for number in itertools.count():
        began = time.perf_counter()
        if number % 2:
            visitor.edit(session, kind="set-level", source=source, level=-12.0 + number % 7)
        else:
            visitor.edit(session, kind="place-source", source=source, pan=(number % 19 - 9) / 10)
        if until.wait(max(every - (time.perf_counter() - began), 0.0)):
            return


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=2.0, help="how long they edit")
    parser.add_argument("--people", type=int, choices=range(1, 5), default=4, help="how many of them")
    parser.add_argument("--every", type=float, default=1.0, help="how often each does (s)")
    given = parser.parse_args()
    minutes = given.minutes

    import django

    django.setup()
    from playwright.sync_api import sync_playwright

    from benchmarks.visitors import Visitor
    from tests.browser.prepared import demo_session
    from tests.browser.stage import ARGUMENTS, CHROMIUM, Engineer, Server

    server, session = Server(), demo_session()
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        case = SimpleNamespace(server=server, browser=browser, session=session)
        listeners = [Engineer(case, name) for name in ("rowan", "ines")]
        for person in listeners:
            person.context.add_init_script(COUNTED)
            person.page.reload()
            person.play()
            person.page.get_by_label("Loop, only for you").select_option(index=1)
            person.page.wait_for_timeout(2_000)
        # What is slow at first, while pages open and nothing has been rendered before, is told for itself.
        listeners[0].page.wait_for_timeout(1_000 * SETTLING)
        first = [person.page.evaluate("window.silentFrames") for person in listeners]
        print(f"until both had listened for {SETTLING} s: {first} silent frames", flush=True)
        before = [person.page.evaluate("window.silentFrames") for person in listeners]
        done = threading.Event()
        sources = ("hand-drum", "gulls", "oars", "foghorn")
        editors = [
            threading.Thread(
                target=edit_for, args=(Visitor(server.address, name), session, source, given.every, done)
            )
            for name, source in list(zip(("rowan", "ines") * 2, sources, strict=True))[: given.people]
        ]
        for editor in editors:
            editor.start()
        began, told = time.perf_counter(), list(before)
        while (at := time.perf_counter() - began) < 60 * minutes:
            listeners[0].page.wait_for_timeout(1_000)
            now = [person.page.evaluate("window.silentFrames") for person in listeners]
            for name, count, last in zip(("first", "second"), now, told, strict=True):
                if count > last:
                    print(f"after {at:.0f} s: {count - last} silent frames in the {name} browser", flush=True)
            told = now
        done.set()
        for editor in editors:
            editor.join()
        silent = [person.page.evaluate("window.silentFrames") for person in listeners]
        frames = [after - earlier for after, earlier in zip(silent, before, strict=True)]
        edits = listeners[0].revision()
        print(f"{edits} edits in {minutes:g} minutes: silent frames in each browser {frames}")
        browser.close()
    server.close()


if __name__ == "__main__":
    main()
