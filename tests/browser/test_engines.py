"""One short journey in the two other browser engines: signed in, opened, played, dragged; the meters move."""

import os
from contextlib import AbstractContextManager
from pathlib import Path
from unittest import SkipTest

from django.test import SimpleTestCase

from tests.browser import engines
from tests.browser.prepared import copied_session
from tests.browser.stage import PATIENCE, shared_server


class Journey:
    """The journey; each engine goes it."""

    engine = ""

    def window(self) -> AbstractContextManager[engines.Window]:
        return getattr(engines, self.engine)()

    def until(self, window: engines.Window, condition: str, what: str):
        """What a condition in the page comes to, as soon as it is anything."""
        found = window.run(
            f"""new Promise((resolve) => {{
              const until = Date.now() + {PATIENCE};
              const look = () => {{
                const found = (() => {condition})();
                if (found || Date.now() > until) resolve(found instanceof Node || (found ?? null));
                else setTimeout(look, 20);
              }};
              look();
            }})"""
        )
        self.assertTrue(
            found, f"{what}: {condition}; the page says: {window.run('document.body.innerText.slice(0, 400)')}"
        )
        return found

    def press(self, window: engines.Window, selector: str, text: str = "") -> None:
        """Click what a selector and its text name, where it is seen."""
        at = self.until(
            window,
            f"""{{
              const all = [...document.querySelectorAll({selector!r})];
              const found = all.find((one) => one.textContent.includes({text!r}));
              const box = found?.getBoundingClientRect();
              return box?.width ? [box.x + box.width / 2, box.y + box.height / 2] : null;
            }}""",
            f"{selector} {text} is not there",
        )
        window.click(*at)

    def test_open_play_drag_and_see_it(self) -> None:
        why = engines.missing(self.engine)
        if why:
            raise SkipTest(why)
        try:
            self.go()
        except TimeoutError:
            # An engine now and then hangs as it opens the sound device; one that hangs twice has something.
            self.go()

    def go(self) -> None:
        server = shared_server()
        session = copied_session(server.data)
        with self.window() as window:
            window.go(server.address)
            self.press(window, "button", "Ines Norden")
            self.until(window, "document.querySelector('h1')?.textContent.includes('Your sessions')", "not signed in")
            window.go(f"{server.address}/sessions/{session}/place")
            self.until(window, "document.querySelector('svg.field')", "the session does not open")
            self.until(window, "document.querySelector('.saved')?.textContent.includes('Saved')", "not connected")

            self.press(window, "button[aria-label='Play']")
            self.until(window, "document.querySelector('button[aria-label=Stop]')", "it does not play")
            told = "[...document.querySelectorAll('.foot .words b')].map((one) => one.textContent).join()"
            before = self.until(window, f"/\\d/.test({told}) && {told}", "no meters")
            self.until(window, f"{told} !== {before!r}", "the meters stand still")
            self.until(window, "!/^0:00.0/.test(document.querySelector('.clock').textContent)", "the playhead stands")

            rule = "document.querySelector(\".row[data-source='foghorn'] [role=slider]\")"
            box = window.run(
                f"(({{ x, y, width, height }}) => [x, y, width, height])({rule}.getBoundingClientRect())"
            )
            middle = box[1] + box[3] / 2
            window.drag(box[0] + box[2] / 2, middle, box[0] + 0.9 * box[2], middle)
            shown = f"{rule}.getAttribute('aria-valuetext')"
            # An engine may round where the pointer is to whole pixels.
            self.until(window, f"/^R(79|80|81)$/.test({shown})", "the drag is not seen")
            kept = f"fetch('/api/sessions/{session}').then((a) => a.json()).then((a) => a.document.sources)"
            self.until(window, "document.querySelector('.saved')?.textContent.includes('Saved')", "not saved")
            self.assertAlmostEqual(window.run(kept)["foghorn"]["pan"], 0.8, delta=0.015)
            pictures = os.environ.get("NEEDLE_PICTURES")
            if pictures:
                window.picture(Path(pictures) / f"{self.engine}.png")


class Firefox(Journey, SimpleTestCase):
    engine = "firefox"


class WebKit(Journey, SimpleTestCase):
    engine = "webkit"
