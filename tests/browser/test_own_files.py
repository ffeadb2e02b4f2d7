"""Own files from the first drop to the delivered mix: told what they are, placed in every way, sent, and measured."""

import tempfile
from pathlib import Path

import numpy as np
import soundfile
from playwright.sync_api import expect

from tests import full
from tests.browser.measuring import lean, noise
from tests.browser.stage import RATE, BrowserCase


class OwnFiles(BrowserCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.rowan = self.engineer("rowan", desk="place")
        self.page = self.rowan.page

    def stems(self) -> list[Path]:
        """Three files of different kinds: mono at another rate, stereo with two different sides, six channels."""
        kinds = (
            ("01_Voice.wav", noise(1, 1, 2.0, 44100), 44100, {"subtype": "PCM_24"}),
            ("Pair.flac", noise(2, 2, 2.0), RATE, {}),
            ("Six.aiff", noise(3, 6, 1.0), RATE, {"subtype": "PCM_16"}),
        )
        for name, audio, rate, how in kinds:
            soundfile.write(self.folder / name, audio, rate, **how)
        return [self.folder / name for name, *_ in kinds]

    def new_session(self, name: str) -> None:
        self.page.goto(self.server.address)
        self.page.get_by_role("button", name="New session").click()
        dialog = self.page.get_by_role("dialog")
        dialog.get_by_label("Name").fill(name)
        dialog.get_by_label("Tempo in bpm").fill("100")
        dialog.get_by_role("button", name="Create").click()
        expect(self.page.get_by_role("heading", name="Import stems")).to_be_visible()
        self.rowan.session = self.page.url.split("/sessions/")[1].split("/")[0]

    def bring_in(self, files: list[Path], wanted: int) -> None:
        self.page.get_by_role("button", name="+ Add").click()
        self.page.get_by_label("Files to import").set_input_files([str(path) for path in files])
        button = self.page.get_by_role("button", name=f"Import {wanted} source")
        expect(button).to_be_enabled()
        button.click()
        self.until(self.page, lambda: len(self.rowan.document()["sources"]) == wanted, "not brought in")

    def source(self, name: str) -> dict:
        return next(s for s in self.rowan.document()["sources"].values() if s["name"] == name)

    def choose(self, name: str) -> None:
        self.page.get_by_role("button", name=name, exact=True).click()
        expect(self.page.get_by_label("Name of the source")).to_have_value(name)

    def opened(self, part: str) -> None:
        button = self.page.get_by_role("button", name=part)
        if button.get_attribute("aria-expanded") == "false":
            button.click()

    def settled(self, condition, told: str) -> None:
        self.until(self.page, condition, told)

    def heard(self, name: str, first: int = 1) -> np.ndarray:
        return self.rowan.rendered(first, 1, solo=self.source(name)["id"]).astype(float)

    def test_from_files_to_the_delivered_mix(self) -> None:
        self.new_session("Landing stage")
        self.bring_in(self.stems(), 3)
        self.assertEqual([self.source(n)["channels"] for n in ("Voice", "Pair", "Six")], [1, 2, 6])
        self.assertAlmostEqual(self.rowan.get("/frame")["length"], 2.0, places=3)

        # Undo takes all three away as one change, redo brings them back.
        self.page.keyboard.press("Escape")
        self.page.keyboard.press("Control+z")
        self.settled(lambda: not self.rowan.document()["sources"], "not undone as one")
        self.page.keyboard.press("Control+Shift+z")
        self.settled(lambda: len(self.rowan.document()["sources"]) == 3, "not redone")

        # Mono, by the pan law.
        self.choose("Voice")
        self.page.get_by_label("Place now").fill("L50")
        self.page.get_by_label("Place now").press("Enter")
        self.settled(lambda: self.source("Voice")["pan"] == -0.5, "not placed")
        self.assertAlmostEqual(lean(self.heard("Voice")), 20 * np.log10(0.38268 / 0.92388), delta=0.02)

        # Stereo in every way, each said in dB before it is chosen, and so it measures.
        self.choose("Pair")
        expect(self.page.get_by_role("radio", name="balance")).to_be_checked()
        self.rowan.place_of(self.source("Pair")["id"]).press("End")
        expect(self.page.get_by_text("Lost by panning (loudness-weighted): 50 % of its power")).to_be_visible()
        self.assertGreater(lean(self.heard("Pair")), 60.0)
        self.page.get_by_role("radio", name="sides").click()
        self.settled(lambda: self.source("Pair")["mode"] == "sides", "not by sides")
        for side, value in (("Left", "L80"), ("Right", "R20")):
            self.page.get_by_label(f"{side} side now").fill(value)
            self.page.get_by_label(f"{side} side now").press("Enter")
        self.page.get_by_label("Left side's level").fill("0")
        self.page.get_by_label("Left side's level").press("Enter")
        self.settled(
            lambda: (self.source("Pair")["pan_right"], self.source("Pair")["level_left"]) == (0.2, 0), "sides"
        )
        left, right = (np.sin((np.array([-0.8, 0.2]) + 1) * np.pi / 4) ** 2 for _ in range(2))
        wanted = 10 * np.log10(right.sum() / (2 - left.sum()))
        self.assertAlmostEqual(lean(self.heard("Pair")), wanted, delta=0.15)
        self.page.get_by_role("radio", name="span").click()
        self.settled(lambda: self.source("Pair")["mode"] == "span", "not a span")
        self.assertAlmostEqual(lean(self.heard("Pair")), wanted, delta=0.15)
        self.page.get_by_role("radio", name="mono").click()
        self.settled(lambda: self.source("Pair")["mode"] == "mono", "not mono")
        mono = self.heard("Pair")
        self.assertAlmostEqual(abs(np.corrcoef(mono)[0, 1]), 1.0, places=4)

        # Two sources in one room, on opposite sides of it.
        self.page.get_by_role("button", name="+ Return").first.click()
        self.settled(lambda: len(self.rowan.document()["returns"]) == 1, "no return")
        (room,) = self.rowan.document()["returns"].values()
        self.page.get_by_label("room: Crossing over", exact=True).fill("0")
        self.page.get_by_label("room: Crossing over", exact=True).press("Enter")
        for name, place in (("Voice", "same"), ("Pair", "opposite")):
            self.choose(name)
            if name == "Pair":
                self.page.get_by_label("Place now").fill("L50")
                self.page.get_by_label("Place now").press("Enter")
            self.opened("Sends")
            self.page.get_by_label(f"Send of {name} to {room['name']}").fill("0")
            self.page.get_by_label(f"Send of {name} to {room['name']}").press("Enter")
            self.page.get_by_label(f"Position of {name} in {room['name']}").select_option(place)
        self.settled(
            lambda: {s["place"] for s in self.rowan.document()["sends"].values()} == {"same", "opposite"}, "not sent"
        )
        self.assertGreater(self.rowan.get("/frame")["length"], 3.0)
        for name, side in (("Voice", -1), ("Pair", 1)):
            tail = self.rowan.rendered(4, 1, solo=self.source(name)["id"]).astype(float)
            self.assertGreater(side * lean(tail), 5.0, f"the tail of {name} leans {lean(tail):.1f} dB")

        # What is delivered is that mix.
        audio = self.rowan.exported()
        self.assertAlmostEqual(audio.shape[1] / RATE, self.rowan.get("/frame")["length"], delta=1e-3)
        rendered = self.rowan.rendered(0, 6)
        np.testing.assert_allclose(audio[:, : rendered.shape[1]], rendered, atol=2.4e-7)

    @full
    def test_files_may_be_dropped_anywhere(self) -> None:
        self.new_session("Dropped")
        good, *_ = self.stems()
        self.rowan.drop_file("svg.field", "Dropped voice.wav", good.read_bytes(), "audio/wav")
        expect(self.page.get_by_role("dialog").get_by_text("Mono.")).to_be_visible()
        self.page.get_by_role("button", name="Import 1 source").click()
        self.settled(lambda: bool(self.rowan.document()["sources"]), "not brought in")
        self.assertAlmostEqual(self.source("Dropped voice")["seconds"], 2.0, places=3)
