"""Firefox and WebKit, driven without any download: Firefox by WebDriver BiDi, WebKit by Debian's driver.

Both get a sound device without hardware (PulseAudio's null sink) and, where it needs one, a screen (Xvfb).
"""

import base64
import itertools
import json
import os
import shutil
import subprocess
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Any, Protocol

import numpy as np

from tests.neighbours import free_port
from tests.runner import new_folder

WEBKIT = sorted(Path("/usr/lib").glob("*/webkit2gtk-*/MiniBrowser"))


class Window(Protocol):
    """What a journey needs of a browser; ``sound`` are the variables by which its sound device is found."""

    sound: dict[str, str]

    def go(self, address: str) -> None:
        """Open an address."""

    def run(self, script: str) -> Any:
        """What an expression comes to in the page; a promise is waited for."""

    def click(self, x: float, y: float) -> None:
        """Click at a place of the page, as a hand does."""

    def drag(self, x: float, y: float, to_x: float, to_y: float, held: Callable[[], object] = lambda: None) -> None:
        """Press at a place, move to another one in six steps, call `held` there, and let go."""

    def picture(self, path: Path) -> None:
        """What is seen, as a PNG file."""


def missing(engine: str) -> str:
    """Why an engine cannot be driven here; empty if it can."""
    needed = {"firefox": ["firefox-esr", "pulseaudio"], "webkit": ["WebKitWebDriver", "Xvfb", "pulseaudio"]}[engine]
    absent = [program for program in needed if not shutil.which(program)]
    if engine == "webkit" and not WEBKIT:
        absent.append("MiniBrowser")
    return f"{', '.join(absent)} missing: install Debian's packages (docs/testing.md)" if absent else ""


@contextmanager
def _running(command: list[str], environment: dict[str, str]) -> Iterator[subprocess.Popen[bytes]]:
    process = subprocess.Popen(
        command, env=environment, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    try:
        yield process
    finally:
        process.terminate()
        try:
            process.wait(10)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()


SINK = "loudspeakers"


@contextmanager
def sound_device(channels: int = 2) -> Iterator[dict[str, str]]:
    """The variables by which a browser finds a sound device without hardware, while it is there."""
    folder = new_folder("sound")
    environment = {**os.environ, "HOME": str(folder), "XDG_RUNTIME_DIR": str(folder), "XDG_CONFIG_HOME": str(folder)}
    folder.chmod(0o700)
    # Some browsers go by what the server does by default, whatever the device is.
    default = f"default-sample-rate = 48000\ndefault-sample-channels = {channels}\n"
    default += f"default-sample-format = float32le\ndefault-channel-map = {channel_map(channels)}\n"
    (folder / "daemon.conf").write_text(default, "utf-8")
    environment["PULSE_CONFIG"] = str(folder / "daemon.conf")
    command = ["pulseaudio", "-n", "--daemonize=no", "--exit-idle-time=-1", "--disable-shm=yes"]
    command += [
        f"--load=module-native-protocol-unix auth-anonymous=1 auth-cookie-enabled=0 socket={folder}/sound",
        f"--load=module-null-sink sink_name={SINK} format=float32le rate=48000 channels={channels} "
        f"channel_map={channel_map(channels)}",
    ]
    with _running(command, environment):
        yield {**environment, "PULSE_SERVER": f"unix:{folder}/sound"}


_PLACES = [
    *("front-left", "front-right", "front-center", "lfe", "rear-left", "rear-right", "side-left", "side-right"),
    *("top-front-left", "top-front-right", "top-rear-left", "top-rear-right"),
]


def channel_map(channels: int) -> str:
    """What PulseAudio calls a device's channels, in the order of WAV files and of browsers."""
    return ",".join(_PLACES[:channels])


@contextmanager
def recording(environment: dict[str, str], path: Path, channels: int) -> Iterator[None]:
    """What the sound device plays while it lasts, as 32-bit floats in a file, frame by frame."""
    command = ["parec", f"--device={SINK}.monitor", "--format=float32le", "--rate=48000", "--raw"]
    command += [f"--channels={channels}", f"--channel-map={channel_map(channels)}", "--latency-msec=50"]
    with path.open("wb") as file:
        process = subprocess.Popen(command, env=environment, stdin=subprocess.DEVNULL, stdout=file)
        try:
            yield
        finally:
            process.terminate()
            process.wait()


class Firefox:
    """Firefox by WebDriver BiDi (https://w3c.github.io/webdriver-bidi), over one WebSocket."""

    def __init__(self, address: str, sound: dict[str, str]) -> None:
        from websockets.sync.client import connect

        self.sound = sound
        self._socket = connect(address, max_size=None, open_timeout=120)
        self._numbers = itertools.count(1)
        self._ask("session.new", capabilities={})
        self._context = self._ask("browsingContext.create", type="tab")["context"]
        self._ask("browsingContext.setViewport", context=self._context, viewport={"width": 1280, "height": 800})

    def _ask(self, method: str, **params: Any) -> dict[str, Any]:
        number = next(self._numbers)
        self._socket.send(json.dumps({"id": number, "method": method, "params": params}))
        while True:
            message = json.loads(self._socket.recv(timeout=120))
            if message.get("id") == number:
                if message["type"] == "error":
                    raise RuntimeError(f"{method}: {message['message']}")
                return message["result"]

    def go(self, address: str) -> None:
        self._ask("browsingContext.navigate", context=self._context, url=address, wait="complete")

    def run(self, script: str) -> Any:
        found = self._ask(
            "script.evaluate",
            expression=f"(async () => JSON.stringify(await ({script})))()",
            target={"context": self._context},
            awaitPromise=True,
            userActivation=True,
        )
        if found["type"] == "exception":
            raise RuntimeError(found["exceptionDetails"]["text"])
        return json.loads(found["result"].get("value") or "null")

    def _point(self, *actions: dict[str, Any]) -> None:
        pointer = {"type": "pointer", "id": "hand", "actions": list(actions)}
        self._ask("input.performActions", context=self._context, actions=[pointer])

    def click(self, x: float, y: float) -> None:
        self.drag(x, y, x, y)

    def drag(self, x: float, y: float, to_x: float, to_y: float, held: Callable[[], object] = lambda: None) -> None:
        path = [(x + (to_x - x) * step / 6, y + (to_y - y) * step / 6) for step in range(1, 7)]
        moves = [{"type": "pointerMove", "x": round(a), "y": round(b), "duration": 20} for a, b in [(x, y), *path]]
        self._point(
            moves[0], {"type": "pointerDown", "button": 0}, *(moves[1:] if (x, y) != (to_x, to_y) else []),
        )  # fmt: skip
        held()
        self._point({"type": "pointerUp", "button": 0})

    def picture(self, path: Path) -> None:
        shot = self._ask("browsingContext.captureScreenshot", context=self._context)
        path.write_bytes(base64.b64decode(shot["data"]))


class WebKit:
    """WebKit's MiniBrowser by Debian's WebKitWebDriver, through selenium."""

    def __init__(self, driver: Any, screen: Path, sound: dict[str, str]) -> None:
        self.sound = sound
        self._driver, self._screen = driver, screen
        driver.set_script_timeout(180)
        driver.set_window_size(1280, 800)

    def go(self, address: str) -> None:
        self._driver.get(address)

    def run(self, script: str) -> Any:
        wrapped = f"(async () => ({script}))().then((v) => done(JSON.stringify(v)), (e) => done('!' + e))"
        found = self._driver.execute_async_script(f"const done = arguments[0]; {wrapped}")
        if isinstance(found, str) and found.startswith("!"):
            raise RuntimeError(found[1:])
        return None if found is None else json.loads(found)

    def _hand(self, act: Callable[[Any], None]) -> None:
        from selenium.webdriver.common.actions.action_builder import ActionBuilder

        builder = ActionBuilder(self._driver, duration=20)
        act(builder.pointer_action)
        builder.perform()

    def click(self, x: float, y: float) -> None:
        self._hand(lambda hand: hand.move_to_location(round(x), round(y)).pointer_down().pointer_up())

    def drag(self, x: float, y: float, to_x: float, to_y: float, held: Callable[[], object] = lambda: None) -> None:
        def act(hand: Any) -> None:
            hand.move_to_location(round(x), round(y)).pointer_down()
            for step in range(1, 7):
                hand.move_to_location(round(x + (to_x - x) * step / 6), round(y + (to_y - y) * step / 6))

        self._hand(act)
        held()
        self._hand(lambda hand: hand.pointer_up())

    def picture(self, path: Path) -> None:
        # Its driver's own pictures hang where there is no graphics card; the screen's memory (XWD) has the same.
        from matplotlib.image import imsave

        held = self._screen.read_bytes()
        header = np.frombuffer(held[:100], ">u4")
        width, height, line, colours = (int(header[i]) for i in (4, 5, 12, 19))
        pixels = np.frombuffer(held, np.uint8, line * height, int(header[0]) + 12 * colours)
        imsave(path, pixels.reshape(height, line)[:, : 4 * width].reshape(height, width, 4)[..., 2::-1].copy())


@contextmanager
def firefox() -> Iterator[Window]:
    """A Firefox with sound."""
    profile = new_folder("firefox")
    wanted = {
        "media.autoplay.default": 0,
        "media.autoplay.blocking_policy": 0,
        "media.cubeb.sandbox": False,
        "network.captive-portal-service.enabled": False,
        "network.connectivity-service.enabled": False,
        "app.update.enabled": False,
        "browser.shell.checkDefaultBrowser": False,
        "datareporting.policy.dataSubmissionEnabled": False,
        "services.settings.server": "",
    }
    lines = [f"user_pref({json.dumps(name)}, {json.dumps(value)});" for name, value in wanted.items()]
    (profile / "user.js").write_text("\n".join(lines), "utf-8")
    port = free_port()
    command = ["firefox-esr", "--headless", "--no-remote", "--profile", str(profile)]
    with ExitStack() as stack:
        environment = stack.enter_context(sound_device())
        environment["MOZ_DISABLE_CONTENT_SANDBOX"] = "1"
        process = stack.enter_context(
            _running([*command, f"--remote-debugging-port={port}", "about:blank"], environment)
        )
        yield _connected(lambda: Firefox(f"ws://127.0.0.1:{port}/session", environment), process)


def _connected(connect: Callable[[], Window], process: subprocess.Popen[bytes]) -> Window:
    while True:
        try:
            return connect()
        except OSError as error:
            if process.poll() is not None:
                raise RuntimeError("the browser ended as soon as it was started") from error


@contextmanager
def webkit() -> Iterator[Window]:
    """WebKit with sound, on a screen of its own."""
    from selenium import webdriver
    from selenium.webdriver.webkitgtk.options import Options
    from selenium.webdriver.webkitgtk.service import Service

    with ExitStack() as stack:
        environment = stack.enter_context(sound_device())
        reading, writing = os.pipe()
        memory = new_folder("screen")
        screen = ["Xvfb", "-displayfd", str(writing), "-screen", "0", "1400x1000x24", "-fbdir", str(memory)]
        process = subprocess.Popen(screen, pass_fds=[writing], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        stack.callback(process.wait)
        stack.callback(process.terminate)
        os.close(writing)
        with os.fdopen(reading) as number:
            environment["DISPLAY"] = f":{number.readline().strip()}"
        environment |= {"WEBKIT_DISABLE_COMPOSITING_MODE": "1", "WEBKIT_DISABLE_SANDBOX_THIS_IS_DANGEROUS": "1"}
        options = Options()
        options.binary_location = str(WEBKIT[-1])
        options.add_argument("--automation")
        service = Service("/usr/bin/WebKitWebDriver", env=environment)
        driver = webdriver.WebKitGTK(options=options, service=service)
        stack.callback(driver.quit)
        yield WebKit(driver, memory / "Xvfb_screen0", environment)
