"""The Place desk as an engineer uses it: files brought in, placed in every way, sent to a return, and measured."""

import base64
import itertools
import tempfile
from pathlib import Path

import numpy as np
import soundfile
from playwright.sync_api import expect

from needle.metering.kweighting import KWeighting
from tests.browser.stage import RATE, BrowserCase, Engineer


def noise(seed: int, channels: int, seconds: float, rate: int = RATE) -> np.ndarray:
    rng = np.random.Generator(np.random.PCG64(seed))
    return 0.1 * rng.standard_normal((round(seconds * rate), channels))


def lean(audio: np.ndarray) -> float:
    """Right over left (dB, K-weighted), (2, frames)."""
    left, right = (KWeighting(RATE, 2)(audio)[:, 2400:] ** 2).mean(axis=1)
    return float(10 * np.log10((right + 1e-20) / (left + 1e-20)))


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
        dialog.get_by_role("button", name="Make it").click()
        expect(self.page.get_by_role("heading", name="Bring in the stems")).to_be_visible()
        self.rowan.session = self.page.url.split("/sessions/")[1].split("/")[0]

    def bring_in(self, files: list[Path], wanted: int) -> None:
        self.page.get_by_role("button", name="+ add").click()
        self.page.get_by_label("Files to bring in").set_input_files([str(path) for path in files])
        button = self.page.get_by_role("button", name=f"Bring in {wanted} source")
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
        expect(self.page.get_by_text("Thrown away now: 50 % of its power")).to_be_visible()
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
        self.page.get_by_role("button", name="+ return").first.click()
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
            self.page.get_by_label(f"Place of {name} in {room['name']}").select_option(place)
        self.settled(
            lambda: {s["place"] for s in self.rowan.document()["sends"].values()} == {"same", "opposite"}, "not sent"
        )
        self.assertGreater(self.rowan.get("/frame")["length"], 3.0)
        for name, side in (("Voice", -1), ("Pair", 1)):
            tail = self.rowan.rendered(4, 1, solo=self.source(name)["id"]).astype(float)
            self.assertGreater(side * lean(tail), 5.0, f"the tail of {name} leans {lean(tail):.1f} dB")

        # What is delivered is that mix.
        self.page.get_by_role("button", name="Export…").click()
        self.page.get_by_role("button", name="Export", exact=True).click()
        with self.page.expect_download() as download:
            self.page.get_by_role("link", name="Download").click()
        audio, rate = soundfile.read(download.value.path(), dtype="float32", always_2d=True)
        self.assertEqual(rate, RATE)
        self.assertAlmostEqual(len(audio) / RATE, self.rowan.get("/frame")["length"], delta=1e-3)
        rendered = self.rowan.rendered(0, 6)
        np.testing.assert_allclose(audio[: rendered.shape[1]].T, rendered, atol=2.4e-7)

    def test_bad_files_are_told_and_good_ones_are_taken(self) -> None:
        self.new_session("Mixed bag")
        good, *_ = self.stems()
        words, cut = self.folder / "words.wav", self.folder / "cut.wav"
        words.write_text("not a sound")
        cut.write_bytes(good.read_bytes()[:50_000])
        quiet = self.folder / "quiet.wav"
        soundfile.write(quiet, 0.01 * noise(5, 1, 1.0), RATE, subtype="FLOAT")
        self.page.get_by_role("button", name="+ add").click()
        self.page.get_by_label("Files to bring in").set_input_files([str(p) for p in (words, good, cut, quiet)])
        expect(self.page.get_by_text("words.wav is not an audio file that can be read.")).to_be_visible()
        expect(self.page.get_by_text("cut.wav breaks off")).to_be_visible()
        expect(self.page.get_by_text("Very quiet: it peaks at")).to_be_visible()
        self.page.get_by_role("button", name="Bring in 2 sources").click()
        self.settled(lambda: len(self.rowan.document()["sources"]) == 2, "the good ones are missing")
        self.assertGreater(self.source("quiet")["gain"], 20.0)

    def test_files_may_be_dropped_anywhere(self) -> None:
        self.new_session("Dropped")
        good, *_ = self.stems()
        content = base64.b64encode(good.read_bytes()).decode()
        transfer = self.page.evaluate_handle(
            """(text) => {
              const bytes = Uint8Array.from(atob(text), (c) => c.charCodeAt(0));
              const transfer = new DataTransfer();
              transfer.items.add(new File([bytes], "Dropped voice.wav", { type: "audio/wav" }));
              return transfer;
            }""",
            content,
        )
        for event in ("dragover", "drop"):
            self.page.dispatch_event("svg.field", event, {"dataTransfer": transfer})
        expect(self.page.get_by_role("dialog").get_by_text("Mono.")).to_be_visible()
        self.page.get_by_role("button", name="Bring in 1 source").click()
        self.settled(lambda: bool(self.rowan.document()["sources"]), "not brought in")
        self.assertAlmostEqual(self.source("Dropped voice")["seconds"], 2.0, places=3)

    def test_sending_goes_on_after_the_connection_was_lost(self) -> None:
        self.new_session("Far away")
        path = self.folder / "long.wav"
        soundfile.write(path, noise(7, 2, 40.0), RATE, subtype="FLOAT")
        self.page.get_by_role("button", name="+ add").click()
        self.rowan.go_away()
        self.page.get_by_label("Files to bring in").set_input_files(str(path))
        expect(self.page.get_by_text("waiting for the connection")).to_be_visible()
        self.rowan.come_back()
        expect(self.page.get_by_text("Stereo, different on the two sides.")).to_be_visible(timeout=30_000)
        self.page.get_by_role("button", name="Bring in 1 source").click()
        self.settled(lambda: len(self.rowan.document()["sources"]) == 1, "not brought in")
        self.assertAlmostEqual(self.source("long")["seconds"], 40.0)


class Desk(BrowserCase):
    def mark(self, person: Engineer, source: str):
        return person.page.locator(f"[data-mark='{source}']")

    def drag(self, person: Engineer, source: str, x: float, y: float, end: str = "whole") -> None:
        """Drag a mark by so many pixels."""
        box = self.mark(person, source).locator(f"[data-end='{end}'] .grip").bounding_box()
        at = (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        person.page.mouse.move(*at)
        person.page.mouse.down()
        for step in range(1, 6):
            person.page.mouse.move(at[0] + x * step / 5, at[1] + y * step / 5)
        person.page.mouse.up()

    def test_place_and_level_in_one_gesture_seen_by_the_colleague(self) -> None:
        rowan, ines = self.engineer("rowan", desk="place"), self.engineer("ines", desk="place")
        before = rowan.document()["sources"]["ferry-engine"]
        self.drag(rowan, "ferry-engine", 150.0, 60.0)
        self.until(rowan.page, lambda: rowan.document()["sources"]["ferry-engine"] != before, "not dragged")
        after = rowan.document()["sources"]["ferry-engine"]
        self.assertGreater(after["pan"], before["pan"] + 0.3)
        self.assertLess(after["level"], before["level"] - 1.0)
        expect(self.mark(ines, "ferry-engine")).to_have_attribute(
            "aria-label", self.mark(rowan, "ferry-engine").get_attribute("aria-label")
        )
        rowan.page.keyboard.press("Control+z")
        self.until(rowan.page, lambda: rowan.document()["sources"]["ferry-engine"] == before, "not one change")

    def test_either_end_of_a_span_and_the_keys(self) -> None:
        rowan = self.engineer("rowan", desk="place")
        self.drag(rowan, "wind-pad", 120.0, 0.0, "left")

        def pad() -> dict:
            return rowan.document()["sources"]["wind-pad"]

        self.until(rowan.page, lambda: pad()["span"] < 0.7, "the end was not dragged")
        self.assertAlmostEqual(pad()["pan"] + pad()["span"], 0.8, places=6)
        self.mark(rowan, "wind-pad").focus()
        self.mark(rowan, "wind-pad").press("ArrowUp")
        self.until(rowan.page, lambda: pad()["level"] == -15.5, "the key did not lift it")
        centre = pad()["pan"]
        self.mark(rowan, "wind-pad").press("Shift+ArrowLeft")
        self.until(rowan.page, lambda: abs(pad()["pan"] - centre + 0.1) < 0.006, "the key did not move it")

    def test_several_are_changed_together_and_seated(self) -> None:
        rowan = self.engineer("rowan", desk="place")
        names = {"concertina-1": "Concertina I", "plucked-bass": "Plucked bass", "shaker": "Shaker"}
        for i, (key, name) in enumerate(names.items()):
            how = ["ControlOrMeta"] if i else []
            rowan.row(key).get_by_role("button", name=name, exact=True).click(modifiers=how)
        expect(rowan.page.get_by_role("heading", name="3 sources")).to_be_visible()
        before, lane = rowan.document()["sources"], rowan.points("shaker")
        rowan.page.get_by_role("button", name="R10", exact=True).click()
        self.until(rowan.page, lambda: rowan.points("shaker") != lane, "the lane was not moved")
        after = rowan.document()["sources"]
        for key in ("concertina-1", "plucked-bass"):
            self.assertAlmostEqual(after[key]["pan"], before[key]["pan"] + 0.1)
        moved = rowan.points("shaker")
        np.testing.assert_allclose([v for _, v, _ in moved], [v + 0.1 for _, v, _ in lane])
        rowan.page.keyboard.press("Control+z")
        self.until(rowan.page, lambda: rowan.document()["sources"] == before, "not one change")

        rowan.page.get_by_role("button", name="hear only these").click()
        expect(rowan.row("shaker").get_by_role("button", name="Solo")).to_have_attribute("aria-pressed", "true")
        rowan.page.get_by_role("button", name="show only these").click()
        expect(rowan.page.locator("[data-mark]")).to_have_count(3)
        rowan.page.get_by_role("button", name="Seat them…").click()
        dialog = rowan.page.get_by_role("dialog")
        dialog.get_by_label("Seating", exact=True).select_option("quartet")
        dialog.get_by_role("radio", name="from the players").click()
        for name, seat in (("Plucked bass", "Fourth"), ("Concertina I", "First"), ("Shaker", "Second")):
            standing = dialog.get_by_label("Not seated").get_by_role("button", name=name, exact=True)
            if standing.count():
                standing.drag_to(dialog.get_by_role("button", name=f"Seat {seat}"))
        dialog.get_by_role("button", name="Seat 3 sources").click()
        self.until(rowan.page, lambda: rowan.document()["sources"]["plucked-bass"]["pan"] == -0.55, "not seated")
        self.assertEqual(rowan.document()["sources"]["concertina-1"]["pan"], 0.55)

    def test_a_colleague_sees_and_hears_what_is_brought_in_and_sent(self) -> None:
        rowan, ines = self.engineer("rowan", desk="place"), self.engineer("ines", desk="place")
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "Ship's clock.wav"
            soundfile.write(path, noise(11, 1, 3.0), RATE, subtype="PCM_24")
            rowan.page.get_by_role("button", name="+ add").click()
            rowan.page.get_by_label("Files to bring in").set_input_files(str(path))
            rowan.page.get_by_role("button", name="Bring in 1 source").click()
        row = ines.page.locator(".row", has_text="Ship's clock")
        expect(row).to_be_visible()
        key = row.get_attribute("data-source")
        rowan.operate("place-source", source=key, pan=0.7)
        rowan.operate("set-send", source=key, to="quay", level=0.0, before=True, place="opposite")
        expect(ines.place_of(key)).to_have_attribute("aria-valuetext", "R70")
        row.get_by_role("button", name="Ship's clock", exact=True).click()
        send = ines.page.get_by_label("Send of Ship's clock to Quay")
        expect(send).to_have_value("0 dB")
        self.assertGreater(lean(ines.rendered(1, 1, solo=key).astype(float)), 3.0)
        # When the clock has stopped, only its echo from the other side is left.
        self.assertLess(lean(ines.rendered(7, 1, solo=key).astype(float)), -3.0)
        ines.page.get_by_role("button", name="Solo Ship's clock, only you hear it").click()
        ines.play()
        self.until(ines.page, lambda: np.abs(ines.listen(0.1)).max() > 1e-4, "nothing is heard")
        self.assert_heard(ines.listen(0.5), ines.rendered(0, 16, solo=key))
        rowan.operate("remove-source", source=key)
        expect(row).to_have_count(0)

    def test_what_is_chosen_goes_along_with_the_hand(self) -> None:
        rowan = self.engineer("rowan", desk="place")
        rowan.row("deck-voices").get_by_role("button", name="Deck voices", exact=True).click()
        rowan.row("ferry-engine").get_by_role("button", name="Ferry engine", exact=True).click(
            modifiers=["ControlOrMeta"]
        )
        before = rowan.document()["sources"]
        self.drag(rowan, "ferry-engine", -100.0, 50.0)
        self.until(rowan.page, lambda: rowan.document()["sources"] != before, "not dragged")
        after = rowan.document()["sources"]
        by = after["ferry-engine"]["pan"] - before["ferry-engine"]["pan"]
        self.assertLess(by, -0.2)
        for side in ("pan_left", "pan_right"):
            self.assertAlmostEqual(after["deck-voices"][side] - before["deck-voices"][side], by, places=6)
        levels = [after[key]["level"] - before[key]["level"] for key in ("ferry-engine", "deck-voices")]
        self.assertLess(levels[0], -0.9)
        self.assertAlmostEqual(levels[0], levels[1], places=6)
        rowan.page.keyboard.press("Control+z")
        self.until(rowan.page, lambda: rowan.document()["sources"] == before, "not one change")

    def test_a_group_shifts_what_is_drawn_and_heard(self) -> None:
        rowan, ines = self.engineer("rowan", desk="place"), self.engineer("ines")
        rowan.dry()
        rowan.page.get_by_label("Shift of Rhythm").fill("R30")
        rowan.page.get_by_label("Shift of Rhythm").press("Enter")
        for person in (rowan, ines):
            expect(person.place_of("hand-drum")).to_have_attribute("aria-valuetext", "R48")
        self.assertEqual(rowan.document()["sources"]["hand-drum"]["pan"], 0.18)
        at = round(16 * 4 * 60 / 90 * 2)
        measured = lean(rowan.rendered(at, 2, solo="hand-drum").astype(float))
        self.assertAlmostEqual(measured, 20 * np.log10(np.tan(1.48 * np.pi / 4)), delta=0.02)
        rowan.page.get_by_role("button", name="Mute Rhythm for everybody").click()
        self.until(rowan.page, lambda: rowan.document()["groups"]["rhythm"]["muted"], "not muted")
        silent, loud = rowan.rendered(at, 2), rowan.rendered(at, 2, solo="hand-drum")
        self.assertGreater(np.abs(loud).max(), 0.01)
        self.assertTrue(np.isfinite(silent).all())

    def test_sending_from_the_picture_of_a_return(self) -> None:
        rowan = self.engineer("rowan", desk="place")
        rowan.page.get_by_label("What the field shows").get_by_role("button", name="Quay").click()
        self.drag(rowan, "ferry-engine", 200.0, -250.0)

        def send() -> dict:
            return rowan.document()["sends"].get("ferry-engine/quay", {"level": -96.0})

        self.until(rowan.page, lambda: send()["level"] > -40.0, "nothing is sent")
        self.assertEqual(send()["place"], "own")
        self.assertGreater(send()["pan"], 0.4)
        self.mark(rowan, "ferry-engine").locator(".grip").dblclick()
        self.until(rowan.page, lambda: send()["place"] == "same", "its own place was not given up")

    def test_with_and_without_is_heard_only_by_oneself_and_as_loud(self) -> None:
        rowan = self.engineer("rowan", desk="place")
        rowan.dry()
        rowan.operate("place-source", source="concertina-2", timing="far-side", timing_ms=0.6)
        rowan.row("concertina-2").get_by_role("button", name="Concertina II", exact=True).click()
        rowan.row("concertina-2").get_by_role("button", name="Solo").click()
        rowan.page.get_by_label("What to hear away").select_option(label="without timing")
        rowan.jump("17.1")
        rowan.play()
        revision = rowan.revision()

        def one_sided() -> bool:
            left, right = np.abs(rowan.listen(0.2)).max(axis=1)
            return left < 0.7 * right

        self.assertFalse(one_sided())
        rowan.page.keyboard.down("w")
        self.until(rowan.page, one_sided, "it is not heard without")
        rowan.page.keyboard.up("w")
        self.until(rowan.page, lambda: not one_sided(), "it does not come back")
        self.assertEqual(rowan.revision(), revision)
        rowan.stop()

    def test_timing_shows_its_price_and_takes_the_better_delay(self) -> None:
        rowan = self.engineer("rowan", desk="place")
        rowan.row("foghorn").get_by_role("button", name="Foghorn", exact=True).click()
        rowan.page.get_by_role("button", name="Timing").click()
        rowan.page.get_by_role("radio", name="both sides").click()
        expect(rowan.page.get_by_text("In mono this source loses")).to_be_visible()
        before = rowan.get("/sources/foghorn/placement", revision=rowan.revision())["mono"]
        self.assertAlmostEqual(before["notches"][0], 1 / (2 * 0.55 * 0.7e-3), places=1)
        rowan.page.get_by_role("button", name="Take 0").click()
        self.until(
            rowan.page, lambda: rowan.document()["sources"]["foghorn"]["timing_ms"] == before["better"], "not taken"
        )
        after = rowan.get("/sources/foghorn/placement", revision=rowan.revision())["mono"]
        self.assertAlmostEqual(after["loss"], before["better_loss"], places=2)

    def test_a_passage_is_drawn_on_the_margin_and_named(self) -> None:
        rowan = self.engineer("rowan")
        box = rowan.page.locator(".chart svg").bounding_box()
        y = [box["y"] + 16 + bar * 4 * 60 / 90 * 18.75 for bar in (1.1, 4.9)]
        rowan.page.mouse.move(box["x"] + 34, y[0])
        rowan.page.mouse.down()
        rowan.page.mouse.move(box["x"] + 34, y[1], steps=5)
        rowan.page.mouse.up()
        name = rowan.page.get_by_label("Name of the passage")
        name.fill("Fog")
        name.press("Enter")

        def fog() -> list[dict]:
            return [p for p in rowan.document()["passages"].values() if p["name"] == "Fog"]

        self.until(rowan.page, fog, "no passage of that name")
        self.assertEqual((fog()[0]["start"], fog()[0]["end"]), (4.0, 20.0))

    def test_kept_placements_are_used_elsewhere_with_their_author(self) -> None:
        rowan = self.engineer("rowan", desk="place")
        rowan.row("deck-voices").get_by_role("button", name="Deck voices", exact=True).click()
        rowan.page.get_by_role("button", name="List and group").click()
        rowan.page.get_by_label("Name to keep this placement by").fill("Half wide")
        rowan.page.get_by_role("button", name="keep", exact=True).click()
        expect(rowan.page.get_by_text("“Half wide” is kept.")).to_be_visible()
        ines = self.engineer("ines", desk="place")
        ines.row("wind-pad").get_by_role("button", name="Wind pad", exact=True).click()
        ines.page.get_by_role("button", name="List and group").click()
        ines.page.get_by_label("Use a kept placement").select_option(label="Half wide (Rowan Oake)")
        self.until(ines.page, lambda: ines.document()["sources"]["wind-pad"]["mode"] == "sides", "not used")
        placed = ines.document()["sources"]["wind-pad"]
        self.assertEqual((placed["pan_left"], placed["pan_right"]), (-0.5, 0.5))

    def test_a_listener_may_look_and_changes_nothing(self) -> None:
        tam = self.engineer("tam", desk="place")
        before = tam.document()
        self.drag(tam, "foghorn", 100.0, 40.0)
        self.mark(tam, "foghorn").press("ArrowRight")
        for name in ("+ add", "+ return"):
            expect(tam.page.get_by_role("button", name=name)).to_have_count(0)
        self.assertEqual(tam.document(), before)

    def test_the_desk_fits_a_phone(self) -> None:
        phone = self.engineer("ines", width=390, height=844, desk="place")
        self.assertLessEqual(phone.page.evaluate("document.documentElement.scrollWidth"), 390)
        boxes = [m.bounding_box() for m in phone.page.locator("[data-mark] .grip").all()]
        self.assertTrue(all(b and -14 <= b["x"] <= 390 for b in boxes), boxes)
        for a, b in itertools.pairwise(["Place", "Move"]):
            expect(phone.page.get_by_role("link", name=a, exact=True)).to_be_visible()
            expect(phone.page.get_by_role("link", name=b, exact=True)).to_be_visible()
