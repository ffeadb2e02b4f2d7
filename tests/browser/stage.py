"""The stage of the browser tests: a real server with the demo, people in Chromium, and an ear on what they hear."""

import base64
import os
import re
import shutil
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from functools import cache, cached_property
from pathlib import Path
from typing import Any
from uuid import uuid4

import numpy as np
import soundfile
from django.conf import settings
from django.test import SimpleTestCase
from playwright.sync_api import (
    ConsoleMessage,
    Error,
    Locator,
    Page,
    Response,
    Route,
    WebSocketRoute,
    expect,
    sync_playwright,
)
from scipy.signal import fftconvolve

from tests.browser.prepared import copied_data, copied_session, environment, signed_in
from tests.runner import at_exit
from tests.server.test_sound import decode

CHROMIUM = os.environ.get("NEEDLE_CHROMIUM", "/usr/bin/chromium")
# Nobody looks at the address bar here, yet the pages of its list are two thirds of the work of opening a window. Only
# the last list that Chromium is given counts: the rest of it is what Playwright turns off.
UNSEEN = ["WebUIOmniboxPopup", "WebUIOmniboxAimPopup"]
UNSEEN += [
    "AimEnabled",
    "AvoidCorsURLLoaderRestartOnRedirect",
    "AvoidUnnecessaryBeforeUnloadCheckSync",
    "DestroyProfileOnBrowserClose",
    "HttpsFirstBalancedModeAutoEnable",
    "HttpsUpgrades",
    "LensOverlay",
    "MediaRouter",
    "NetworkTimeServiceQuerying",
    "OptimizationHints",
    "PaintHolding",
    "PreconnectToSearch",
    "ThirdPartyStoragePartitioning",
]
ARGUMENTS = [
    f"--disable-features={','.join(UNSEEN)}",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-background-networking",
    "--autoplay-policy=no-user-gesture-required",
]
RATE = 48000
SEGMENT = RATE // 2
PATIENCE = int(os.environ.get("NEEDLE_PATIENCE", 90_000))
"""How long something may take on a machine that is busy with other things (ms); nothing waits for it to pass."""
expect.set_options(timeout=PATIENCE)

EAR = (Path(__file__).parent / "ear.js").read_text("utf-8")


class Server:
    """The application on a free port, over its own copy of the demo."""

    def __init__(self) -> None:
        self.data = copied_data()
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.address = f"http://127.0.0.1:{self.port}"
        self.start()

    def command(self) -> list[str]:
        """What serves."""
        return [sys.executable, "manage.py", "serve", "--port", str(self.port)]

    def start(self) -> None:
        log = (self.data / "log").open("ab")
        self.process = subprocess.Popen(
            self.command(), cwd=settings.BASE_DIR, env=environment(self.data), stdout=log, stderr=log
        )
        until = time.monotonic() + 60
        while time.monotonic() < until:
            try:
                urllib.request.urlopen(self.address + "/api/sign-in/options", timeout=5).close()
                return
            except OSError:
                if self.process.poll() is not None:
                    break
        raise RuntimeError(f"the server did not start: {(self.data / 'log').read_text()[-2000:]}")

    def kill(self) -> None:
        """Stop it without warning, as a power cut would."""
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()

    def close(self) -> None:
        self.kill()
        shutil.rmtree(self.data, ignore_errors=True)


@cache
def shared_server() -> Server:
    """The server of all browser tests that this process runs; each test has a session of its own there."""
    server = Server()
    at_exit(server.close)
    return server


class Engineer:
    """Somebody at a browser, in the demo session."""

    def __init__(
        self,
        case: "BrowserCase",
        username: str,
        width: int = 1280,
        height: int = 800,
        desk: str = "move",
        offline: bool = False,
        deaf: bool = False,
    ) -> None:
        """``offline``: the page is installed, so that it opens without its server.

        ``deaf``: nothing is listened to. The page's content policy then holds, which has no room for the tap.
        """
        self.case = case
        self.context = case.browser.new_context(
            viewport={"width": width, "height": height},
            bypass_csp=not deaf,
            # What a service worker asks for passes by what tests hold back.
            service_workers="allow" if offline else "block",
        )
        self.context.set_default_timeout(PATIENCE)
        if not deaf:
            self.context.add_init_script(EAR)
        self.away = False
        self._sockets: list[WebSocketRoute] = []
        self.context.route_web_socket("**/live/**", self._socket)
        self.page: Page = self.context.new_page()
        self.errors: list[str] = []
        self.page.on("pageerror", lambda error: self.errors.append(str(error)))
        self.page.on("console", self._note_violation)
        self.context.add_cookies(signed_in(case.server.data, username, case.server.address))
        self.session = case.session
        self.page.goto(f"{case.server.address}/sessions/{self.session}/{desk}")
        shown = {
            "move": ".chart canvas >> nth=0",
            "balance": ".lean-chart canvas",
            "pulse": ".pulse-desk",
            "hand-over": ".made",
        }
        expect(self.page.locator(shown.get(desk, "svg.field, svg.room"))).to_be_visible()
        expect(self.page.locator(".saved")).to_contain_text("Saved")

    def _socket(self, route: WebSocketRoute) -> None:
        if self.away:
            route.close(code=1001)
            return
        route.connect_to_server()
        self._sockets.append(route)

    def go_away(self) -> None:
        """Lose the connection, both ways."""
        self.away = True
        self.context.set_offline(True)
        for route in self._sockets:
            route.close(code=1001)
        self._sockets.clear()

    def come_back(self) -> None:
        self.away = False
        self.context.set_offline(False)

    def row(self, source: str) -> Locator:
        return self.page.locator(f".row[data-source='{source}']")

    def place_of(self, source: str) -> Locator:
        return self.row(source).get_by_role("slider")

    def get(self, path: str, **query: Any) -> Any:
        """What the server answers this person, as JSON or bytes."""
        params = {name: str(value) for name, value in query.items()}
        answer = self.context.request.get(
            f"{self.case.server.address}/api/sessions/{self.session}{path}", params=params
        )
        assert answer.ok, answer.text()
        return answer.json() if "json" in answer.headers["content-type"] else answer.body()

    def revision(self) -> int:
        return self.get("")["revision"]

    def document(self) -> dict[str, Any]:
        return self.get("")["document"]

    def operate(self, kind: str, **fields: Any) -> None:
        """Make a change as the page does."""
        token = next(c["value"] for c in self.context.cookies() if c["name"] == "csrftoken")
        body = {"client_id": str(uuid4()), "operation": {"kind": kind, **fields}}
        address = f"{self.case.server.address}/api/sessions/{self.session}/operations"
        answer = self.context.request.post(address, data=body, headers={"X-CSRFToken": token})
        assert answer.ok, answer.text()

    def put_preferences(self, **values: Any) -> None:
        """Like something else, as the page keeps it."""
        address = f"{self.case.server.address}/api/preferences"
        token = next(c["value"] for c in self.context.cookies() if c["name"] == "csrftoken")
        known = self.context.request.get(address).json()
        answer = self.context.request.put(address, data={**known, **values}, headers={"X-CSRFToken": token})
        assert answer.ok, answer.text()

    def dry(self) -> None:
        """Mute every return, so that only direct sound is measured."""
        for key in self.document()["returns"]:
            self.operate("set-return", to=key, muted=True)

    def held_value(self, field: Locator) -> float:
        """The number (dB) that a field shows while a hand drags it."""
        return float(field.input_value().replace("−", "-").replace("dB", ""))

    def points(self, source: str, parameter: str = "pan") -> list[tuple[float, float, str]]:
        lane = self.document()["lanes"].get(f"{source}/{parameter}", {"points": []})
        return [(p["t"], p["value"], p["shape"]) for p in lane["points"]]

    def rendered(self, first: int, count: int, **query: Any) -> np.ndarray:
        """What the server renders for segments, (2, frames)."""
        query = {"revision": self.revision(), **query}
        return np.concatenate([decode(self.get(f"/segments/{first + i}", **query))[1] for i in range(count)], axis=1)

    def drag(self, target: Locator, to_share: float, release: bool = True) -> None:
        """Drag a control to a share of its width."""
        box = target.bounding_box()
        y = box["y"] + box["height"] / 2
        self.page.mouse.move(box["x"] + box["width"] / 2, y)
        self.page.mouse.down()
        for step in range(1, 7):
            share = 0.5 + (to_share - 0.5) * step / 6
            self.page.mouse.move(box["x"] + box["width"] * share, y)
        if release:
            self.page.mouse.up()

    def drag_by(self, field: Locator, pixels: float, release: bool = True) -> None:
        """Drag a field's number to the right, step by step."""
        box = field.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        for step in range(1, 11):
            self.page.mouse.move(x + pixels * step / 10, y)
        if release:
            self.page.mouse.up()

    def drop_file(self, onto: str, name: str, content: bytes, kind: str) -> None:
        """Drop a file on the page, as from a folder beside it."""
        transfer = self.page.evaluate_handle(
            """([text, name, type]) => {
              const bytes = Uint8Array.from(atob(text), (c) => c.charCodeAt(0));
              const transfer = new DataTransfer();
              transfer.items.add(new File([bytes], name, { type }));
              return transfer;
            }""",
            [base64.b64encode(content).decode(), name, kind],
        )
        for event in ("dragover", "drop"):
            self.page.dispatch_event(onto, event, {"dataTransfer": transfer})

    def jump(self, bar: str) -> None:
        field = self.page.get_by_label("Playhead, bar and beat")
        field.fill(bar)
        field.press("Enter")
        field.blur()

    def play(self) -> None:
        """Press play, and wait until something sounds: a slow machine stands still at first."""
        self.page.get_by_role("button", name="Play", exact=True).click()
        expect(self.page.get_by_role("button", name="Stop", exact=True)).to_be_visible()
        self.page.evaluate("window.somethingSounds()")

    def stop(self) -> None:
        self.page.get_by_role("button", name="Stop", exact=True).click()

    def listen(self, seconds: float) -> np.ndarray:
        """The next stretch that comes out of the loudspeakers, (2, frames), without a gap."""
        _, sides = self.page.evaluate("(blocks) => window.listen(blocks)", round(seconds * RATE / 128) + 1)
        return np.frombuffer(base64.b64decode(sides), "<f4").reshape(2, -1)

    def to_desk(self, name: str) -> None:
        """Go to a desk by its name."""
        self.page.get_by_label("Desks").get_by_role("link", name=name, exact=True).click()

    def delivered(self, passage: str = "", **wanted: str) -> Path:
        """The first file that the Hand over desk gives of the piece or a passage; the page is where it was after."""
        page = self.page
        desk = page.locator("nav [aria-current=page]").inner_text()
        self.to_desk("Hand over")
        form = page.get_by_role("form", name="What to export")
        form.get_by_label("Range", exact=True).select_option(label=passage or "the whole piece")
        form.get_by_label("Format", exact=True).select_option(wanted.get("format", "wav-float"))
        with page.expect_response(is_ordered) as made:
            form.get_by_role("button", name="Export").click()
        link = page.locator(f"a[href$='{made.value.json()['id']}/files/0']")
        expect(link).to_be_visible(timeout=4 * PATIENCE)
        with page.expect_download() as download:
            link.click()
        path = Path(download.value.path())
        self.to_desk(desk)
        return path

    def exported(self, passage: str = "") -> np.ndarray:
        """The mix of the piece or of a passage as it is handed over, (2, frames)."""
        audio, rate = soundfile.read(self.delivered(passage), dtype="float32", always_2d=True)
        assert rate == RATE, rate
        return audio.T

    def _note_violation(self, said: ConsoleMessage) -> None:
        """What the page was to load or write against its own policy is a fault of it."""
        if "Content Security Policy" in said.text:
            self.errors.append(said.text)

    def close(self) -> None:
        self.context.close()
        assert not self.errors, self.errors


@contextmanager
def held_back(page: Page, address: str) -> Iterator[list[Route]]:
    """While it lasts, what is asked of an address is held back, as on a slow line; then it goes its way."""
    held, holding = list[Route](), True
    page.route(re.compile(address), lambda route: held.append(route) if holding else route.continue_())
    try:
        yield held
    finally:
        holding = False
        for route in held:
            # What the page has given up meanwhile has nowhere to go.
            with suppress(Error):
                route.continue_()


def is_ordered(answer: Response) -> bool:
    """Whether it answers an order of files."""
    return answer.url.endswith("/deliveries") and answer.request.method == "POST"


def sounding(audio: np.ndarray) -> np.ndarray:
    """The frames that are not silence on both sides: a player stands still where a busy machine is late."""
    return audio[:, (audio != 0.0).any(axis=0)]


def stands_in(heard: np.ndarray, rendered: np.ndarray) -> bool:
    """Whether all that is heard, and it is not silence, stands somewhere in the render, sample for sample."""
    heard, rendered = sounding(heard), sounding(rendered)
    count = heard.shape[1]
    if not count:
        return False
    if rendered.shape[1] < count:
        return False
    probe = np.linspace(0, count - 1, 5).astype(int)
    windows = rendered[:, np.arange(rendered.shape[1] - count + 1)[:, np.newaxis] + probe]
    near = np.flatnonzero(np.abs(windows - heard[:, np.newaxis, probe]).max(axis=(0, 2)) < 1e-6)
    loud = np.abs(heard).max() > 1e-3
    return loud and any(np.abs(rendered[:, at : at + count] - heard).max() < 1e-6 for at in near)


class BrowserCase(SimpleTestCase):
    """A browser a class, and a session of its own for each test; ``self.engineer(name)`` brings somebody in."""

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.server = shared_server()
        cls.playwright = sync_playwright().start()
        cls.addClassCleanup(cls.playwright.stop)
        cls.browser = cls.playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        cls.addClassCleanup(cls.browser.close)

    @cached_property
    def session(self) -> str:
        """The id of this test's session: Night Ferry as it is at first."""
        return copied_session(self.server.data)

    def engineer(self, username: str, **how: Any) -> Engineer:
        person = Engineer(self, username, **how)
        self.addCleanup(person.close)
        return person

    def until(self, page: Page, condition: Any, told: str) -> Any:
        """What ``condition()`` gives as soon as it gives something; the page goes on meanwhile."""
        until = time.monotonic() + PATIENCE / 1000
        while time.monotonic() < until:
            found = condition()
            if found:
                return found
            page.evaluate("new Promise(requestAnimationFrame)")
        self.fail(told)

    def assert_heard(self, heard: np.ndarray, rendered: np.ndarray) -> int:
        """That ``heard`` stands in ``rendered`` sample for sample; where it begins, silence apart."""
        heard, rendered = sounding(heard), sounding(rendered)
        self.assertGreater(heard.shape[1], 0, "nothing is heard")
        # The place where it fits best as a whole: a note may well be played twice.
        count = heard.shape[1]
        places = np.arange(rendered.shape[1] - count + 1)
        self.assertGreater(places.size, 0, "less was rendered than heard")
        energy = np.concatenate([[0.0], np.cumsum((rendered.astype(np.float64) ** 2).sum(axis=0))])
        match = sum(
            fftconvolve(rendered[c].astype(np.float64), heard[c, ::-1].astype(np.float64), "valid") for c in (0, 1)
        )
        at = int(np.argmin(energy[places + count] - energy[places] - 2 * match))
        wrong = np.flatnonzero(np.abs(heard - rendered[:, at : at + count]).max(axis=0) > 1e-6)
        self.assertEqual(wrong.size, 0, f"heard at {at}: {wrong.size} of {count} frames differ from {wrong[:1]} on")
        return at

    def assert_comes_to_hear(self, person: Engineer, rendered: np.ndarray) -> None:
        """That somebody hears a stretch that stands in ``rendered`` sample for sample, as soon as it has come."""
        self.until(person.page, lambda: stands_in(person.listen(0.3), rendered), "it does not come to be heard")

    def assert_comes_to_hear_from(self, person: Engineer, bar: str, segment: int, **how: str) -> None:
        """That somebody who plays comes to hear what the server renders from a bar on, in their way of listening.

        ``segment``: the one in which the bar begins.
        """
        rendered = person.rendered(segment - 2, 24, **how)

        def hears() -> bool:
            # Again from where the render begins: a slow machine plays past its end before a change has come.
            person.jump(bar)
            return any(stands_in(person.listen(0.3), rendered) for _ in range(12))

        self.until(person.page, hears, "it does not come to be heard")
