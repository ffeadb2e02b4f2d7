"""The room as engineers use it: loudspeakers chosen, sources led round, layered, forbidden; measured in files."""

import numpy as np
import soundfile
from playwright.sync_api import expect

from needle.dsp.room_panner import Where, room_powers
from needle.io.containers import channel_mask
from needle.layouts import LAYOUTS, Layout
from tests import full
from tests.browser.stage import RATE, BrowserCase, Engineer

BAR = round(4 * 60 / 90 * RATE)
"""Frames in a bar of the demo."""


def db(audio: np.ndarray) -> np.ndarray:
    return 10.0 * np.log10((audio.astype(np.float64) ** 2).mean(axis=-1) + 1e-14)


PAINTED = """([x, y, width, height]) => {
  const canvas = document.querySelector(".foot .meters canvas");
  const box = canvas.getBoundingClientRect();
  const scale = canvas.width / box.width;
  const area = [x - box.x, y - box.y, width, height].map((value) => Math.round(value * scale));
  const { data } = canvas.getContext("2d").getImageData(...area);
  return data.filter((value, i) => i % 4 === 3 && value > 0).length;
}"""
"""How many pixels of a part of the channels' meters are painted."""


class Room(BrowserCase):
    def enter(self, person: Engineer, layout: str = "Five and LFE") -> None:
        """Choose the loudspeakers as the page does it, if they are not these already."""
        page = person.page
        if LAYOUTS[person.document()["session"]["layout"]].title == layout:
            return
        page.get_by_role("button", name="Session settings").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_role("tab", name="Speakers").click()
        dialog.get_by_role("radio", name=layout).check()
        dialog.get_by_role("button", name=f"Mix for {layout.lower()}").click()
        expect(dialog.get_by_text("The mix is made for these speakers.")).to_be_visible()
        dialog.get_by_role("button", name="Close").click()
        expect(dialog).to_have_count(0)
        expect(page.locator("svg.room")).to_be_visible()

    def choose(self, person: Engineer, source: str) -> None:
        person.row(source).locator("button.name").click()
        expect(person.page.locator(f"[data-mark='{source}']")).to_have_attribute("aria-pressed", "true")

    def alone(self, person: Engineer, source: str) -> None:
        """Mute everything else, so that a file holds it alone, standing still in the middle of the front."""
        person.dry()
        for key, one in person.document()["sources"].items():
            if one["muted"] != (key != source):
                person.operate("mute-source", source=key, muted=key != source)
        for parameter in ("pan", "front"):
            if person.points(source, parameter):
                person.operate("write-points", owner=source, parameter=parameter, start=0.0, end=500.0, points=[])
        person.operate("place-source", source=source, pan=0.0, front=1.0)

    def delivered(self, person: Engineer, layout: Layout, bars: int) -> dict[str, np.ndarray]:
        """What is handed over of the piece up to the end of a bar, channel by channel."""
        person.operate("add-passage", id="beginning", name="Beginning", start=0.0, end=4.0 * bars)
        path = person.delivered("Beginning")
        self.assertEqual(channel_mask(path), layout.mask)
        audio, rate = soundfile.read(path, dtype="float32", always_2d=True)
        self.assertEqual(rate, RATE)
        return {layout.channels[i].label: audio[:, at] for at, i in enumerate(layout.file_order)}

    def drag(self, person: Engineer, source: str, x: float, y: float, release: bool = True) -> None:
        """Drag a source on the plan to a place in the room."""
        page = person.page
        # Where it is drawn is where it stands only when the picture is of the latest revision.
        expect(page.locator("svg.room")).to_have_attribute("data-revision", str(person.revision()))
        box = page.locator("svg.room").bounding_box()
        frame = page.locator("svg.room .grid rect").bounding_box()
        grip = page.locator(f"[data-mark='{source}'] .grip").first.bounding_box()
        self.assertGreater(box["width"], 300)
        page.mouse.move(grip["x"] + grip["width"] / 2, grip["y"] + grip["height"] / 2)
        page.mouse.down()
        start = (grip["x"] + grip["width"] / 2, grip["y"] + grip["height"] / 2)
        end = (
            frame["x"] + frame["width"] * (1.0 + x) / 2.0,
            frame["y"] + frame["height"] * (1.0 - y) / 2.0,
        )
        for step in range(1, 9):
            page.mouse.move(*(a + (b - a) * step / 8 for a, b in zip(start, end, strict=True)))
        if release:
            page.mouse.up()

    def test_a_circle_over_four_bars_goes_round_the_channels(self) -> None:
        rowan = self.engineer("rowan", desk="place")
        self.alone(rowan, "ferry-engine")
        self.enter(rowan)
        self.choose(rowan, "ferry-engine")
        page = rowan.page
        page.get_by_role("button", name="Path").click()
        page.get_by_role("button", name="circle", exact=True).click()
        expect(page.get_by_text("Over bars 1–4")).to_be_visible()
        page.get_by_role("button", name="Apply").click()
        self.until(page, lambda: rowan.points("ferry-engine", "front"), "the path was not taken")
        layout = LAYOUTS["0+5+0"]
        channels = self.delivered(rowan, layout, bars=4)
        # Where the energy comes from, an eighth of a bar at a time, and where a circle in the room would have it.
        step = BAR // 8
        azimuths = np.radians([s.azimuth for s in layout.speakers])
        unit = np.stack([np.cos(azimuths), np.sin(azimuths)], axis=1)

        def azimuth(powers: np.ndarray) -> np.ndarray:
            vector = powers @ unit
            return np.degrees(np.arctan2(vector[:, 1], vector[:, 0]))

        cut = [slice(i * step, (i + 1) * step) for i in range(32)]
        powers = [[(channels[s.label][here].astype(float) ** 2).mean() for s in layout.speakers] for here in cut]
        turn = 2.0 * np.pi * (np.arange(32) + 0.5) / 32
        wanted = room_powers(layout, Where(-np.sin(turn), np.cos(turn), 0.0)).T
        apart = np.abs((azimuth(np.array(powers)) - azimuth(wanted) + 180.0) % 360.0 - 180.0)
        self.assertLess(apart.max(), 8.0)
        self.assertGreater(np.ptp(np.unwrap(azimuth(wanted), period=360.0)), 340.0)
        self.assertGreater(db(channels["Ls"]), -80.0)
        self.assertLess(db(channels["LFE"]), -100.0)

    def test_a_colleague_sees_the_plan_move_and_hears_as_they_like(self) -> None:
        rowan, ines = self.engineer("rowan", desk="place"), self.engineer("ines", desk="place")
        self.alone(rowan, "bell-buoy")
        self.enter(rowan)
        expect(ines.page.locator("svg.room")).to_be_visible()
        self.choose(rowan, "bell-buoy")
        rowan.page.get_by_role("combobox", name="Room monitoring").select_option("headphones")
        mark = ines.page.locator("[data-mark='bell-buoy'] .end")
        stood = mark.get_attribute("transform")
        self.drag(rowan, "bell-buoy", 0.5, -0.6, release=False)
        # Held, not let go: the colleague sees it move and who holds it; nothing is stored yet.
        expect(mark).not_to_have_attribute("transform", stood or "")
        expect(ines.page.locator("[data-mark='bell-buoy']")).to_contain_text("controls it")
        self.assertEqual(rowan.document()["sources"]["bell-buoy"]["front"], 1.0)
        rowan.page.mouse.up()
        self.until(rowan.page, lambda: rowan.document()["sources"]["bell-buoy"]["front"] < 0.0, "not dragged")
        source = rowan.document()["sources"]["bell-buoy"]
        self.assertAlmostEqual(source["pan"], 0.5, delta=0.05)
        self.assertAlmostEqual(source["front"], -0.6, delta=0.05)
        self.assertEqual(ines.page.get_by_role("combobox", name="Room monitoring").input_value(), "stereo")
        # One undo takes both coordinates back.
        rowan.page.keyboard.press("Control+z")
        self.until(rowan.page, lambda: rowan.document()["sources"]["bell-buoy"]["front"] == 1.0, "not one change")

    @full
    def test_a_hand_on_the_plan_is_heard_while_it_moves(self) -> None:
        rowan = self.engineer("rowan", desk="place")
        self.alone(rowan, "ferry-engine")
        for passage in ("", *rowan.document()["speaker_routing"].get("ferry-engine", {}).get("routes", {})):
            rowan.operate("restore-route", source="ferry-engine", passage=passage)
        self.enter(rowan)
        self.choose(rowan, "ferry-engine")
        rowan.jump("5")
        rowan.play()
        self.drag(rowan, "ferry-engine", -0.95, -0.95, release=False)

        def left() -> bool:
            ears = db(rowan.listen(0.3))
            return bool(ears[0] > ears[1] + 12.0)

        self.until(rowan.page, left, "the hand is not heard going left")
        rowan.page.mouse.up()
        self.until(rowan.page, lambda: rowan.document()["sources"]["ferry-engine"]["front"] < -0.8, "not dragged")
        self.until(rowan.page, left, "what was let go is not heard there")
        # The meters of the page show the channel that plays it.
        column = rowan.page.locator("[data-channel='M+110'] .case").bounding_box()
        self.until(
            rowan.page,
            lambda: rowan.page.evaluate(PAINTED, [column[name] for name in ("x", "y", "width", "height")]) > 20,
            "the channel's meter shows nothing",
        )
        rowan.stop()

    @full
    def test_a_second_finger_lifts_a_source_into_the_upper_speakers(self) -> None:
        rowan = self.engineer("rowan", desk="place")
        self.alone(rowan, "ferry-engine")
        self.enter(rowan, "Five, LFE, four above")
        self.choose(rowan, "ferry-engine")
        page = rowan.page
        grip = page.locator("[data-mark='ferry-engine'] .grip").first.bounding_box()
        x, y = grip["x"] + grip["width"] / 2, grip["y"] + grip["height"] / 2
        touch = rowan.context.new_cdp_session(page)

        def fingers(kind: str, *points: tuple[float, float]) -> None:
            dots = [{"x": x, "y": y, "id": number} for number, (x, y) in enumerate(points)]
            touch.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": dots})

        frame = page.locator("svg.room .grid rect").bounding_box()
        lift = frame["height"] / 4
        fingers("touchStart", (x, y))
        fingers("touchStart", (x, y), (x + 60, y + lift))
        for step in (1, 2, 3, 4):
            up = lift * step / 4
            fingers("touchMove", (x, y - up), (x + 60, y + lift - up))
        fingers("touchEnd")
        self.until(page, lambda: rowan.document()["sources"]["ferry-engine"]["height"] > 0.0, "not lifted")
        source = rowan.document()["sources"]["ferry-engine"]
        self.assertAlmostEqual(source["height"], 0.5, delta=0.06)
        self.assertEqual((source["pan"], source["front"]), (0.0, 1.0))
        channels = self.delivered(rowan, LAYOUTS["4+5+0"], bars=4)
        self.assertGreater(db(channels["Ltf"]), -60.0)
        self.assertLess(db(channels["Ltr"]), -90.0)
