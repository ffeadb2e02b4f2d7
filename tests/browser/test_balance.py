"""The Balance desk: a lean is found, its causes named and heard, it is evened, and the export is even."""

import json
import re
from collections.abc import Callable

import numpy as np
import soundfile
from playwright.sync_api import Locator, Page, expect

from needle.metering.frames import hop_frames, measure_frames
from needle.metering.overview import Overview
from tests import full
from tests.browser.stage import PATIENCE, RATE, BrowserCase, Engineer

BAR_17 = int(16 * 4 * 60 / 90 * 2)
"""The segment in which bar 17 begins."""

LONG = 4 * PATIENCE
"""Patience for work on the whole piece (ms)."""


def stretches(page: Page) -> Locator:
    return page.get_by_label("Leaning stretches").get_by_role("listitem")


def measured(audio: np.ndarray) -> Overview:
    """What a whole number of meter frames measures."""
    hop = hop_frames(RATE)
    return Overview(measure_frames(audio[:, : audio.shape[1] // hop * hop], RATE))


class Desk(BrowserCase):
    def found(self, who: str) -> Engineer:
        """Somebody at the desk, with everything measured."""
        person = self.engineer(who, desk="balance")
        expect(stretches(person.page)).to_have_count(1, timeout=LONG)
        expect(person.page.locator("[data-cause]").first).to_be_visible(timeout=LONG)
        expect(person.page.locator("ul.stale, ol.stale")).to_have_count(0, timeout=LONG)
        expect(person.page.locator(".own")).not_to_contain_text("…", timeout=LONG)
        return person

    def playing(self, who: str) -> Engineer:
        person = self.found(who)
        person.jump("17.1")
        person.play()
        expect(person.page.locator(".foot .needle")).to_have_count(1, timeout=PATIENCE)
        return person

    def assert_hears(self, person: Engineer, **how: str) -> None:
        """That somebody who plays comes to hear exactly what the server renders, in their way of listening."""
        self.assert_comes_to_hear_from(person, "17.1", BAR_17, **how)

    def until_heard(self, person: Engineer, condition: Callable[[np.ndarray], bool]) -> None:
        """Wait until what is heard is as it should be."""
        self.until(person.page, lambda: bool(condition(person.listen(0.2))), "it is not heard")

    def test_the_lean_is_found_named_evened_and_gone_from_the_export(self) -> None:
        rowan = self.found("rowan")
        self.assertRegex(stretches(rowan.page).inner_text(), r"bars 17–21[\s\S]*R 1\.[789] dB")
        first = rowan.page.locator("[data-cause]").first
        self.assertEqual(first.get_attribute("data-cause"), "concertina-2")
        rowan.page.get_by_role("button", name="Work it out").click()
        foretold = rowan.page.get_by_label("Counterweight").get_by_role("status")
        expect(foretold).to_contain_text("within tolerance", timeout=LONG)
        becomes = re.search(r"becomes R (\d\.\d) dB", foretold.inner_text())
        revision = rowan.revision()
        rowan.page.get_by_role("button", name="Apply").click()
        expect(stretches(rowan.page)).to_have_count(0, timeout=LONG)
        self.assertEqual(rowan.revision(), revision + 1)
        after = measured(rowan.exported())
        self.assertEqual(after.stretches(), [])
        worst = float(np.nanmax(np.abs(after.lean()[452:549])))
        self.assertAlmostEqual(worst, float(becomes[1]), delta=0.3)
        rowan.page.get_by_role("button", name="Undo your last change").click()
        expect(stretches(rowan.page)).to_have_count(1, timeout=LONG)

    @full
    def test_b_is_heard_by_one_and_stays_on_trial(self) -> None:
        rowan, ines = self.found("rowan"), self.found("ines")
        rowan.page.get_by_role("button", name="Work it out").click()
        expect(rowan.page.get_by_role("button", name="Hear as B")).to_be_visible(timeout=LONG)
        asked: list[str] = []
        rowan.page.on("request", lambda request: asked.append(request.url) if "/segments/" in request.url else None)
        for person in (rowan, ines):
            person.jump("18.1")
            person.play()
            expect(person.page.locator(".foot .needle")).to_have_count(1)
        rowan.page.get_by_role("button", name="Hear as B").click()
        expect(rowan.page.get_by_role("banner").get_by_role("button", name="B", exact=True)).to_be_visible()
        trial = self.until(
            rowan.page, lambda: [url for url in asked if "trial=" in url], "nothing is asked for on trial"
        )[0]
        query = dict(part.split("=") for part in trial.split("?")[1].split("&"))
        changes = {"trial": query["trial"].replace("%3A", ":").replace("%2C", ","), "trim": query["trim"]}
        self.until(rowan.page, lambda: sum("trial=" in url for url in asked) > 4, "the changed mix does not come")
        self.assert_hears(rowan, **changes)
        self.assert_hears(ines)
        self.assertEqual(rowan.revision(), ines.revision())

    @full
    def test_a_pair_is_evened_as_one_change_that_can_be_undone(self) -> None:
        rowan = self.found("rowan")
        rowan.row("concertina-1").click()
        rowan.row("concertina-2").click(modifiers=["Control"])
        pair = rowan.page.get_by_label("A pair, side by side")
        expect(pair.get_by_role("status")).to_contain_text("Concertina II is 1.5 dB hotter", timeout=LONG)
        before = rowan.document()["sources"]["concertina-2"]["level"]
        pair.get_by_role("button", name="Concertina II −1.5").click()
        expect(pair.get_by_role("status")).to_contain_text("even", timeout=LONG)
        level = rowan.document()["sources"]["concertina-2"]["level"]
        self.assertAlmostEqual(level, before - 1.5)
        loud = [
            measured(rowan.rendered(90, 16, solo=key)).figures()["integrated_lufs"]
            for key in ("concertina-1", "concertina-2")
        ]
        self.assertAlmostEqual(*loud, delta=0.3)
        rowan.page.get_by_role("button", name="Undo your last change").click()
        expect(pair.get_by_role("status")).to_contain_text("1.5 dB hotter", timeout=LONG)
        self.assertEqual(rowan.document()["sources"]["concertina-2"]["level"], before)

    @full
    def test_tolerance_and_length_are_ones_own(self) -> None:
        rowan, ines = self.found("rowan"), self.found("ines")
        tolerance = rowan.page.get_by_label("Tolerance", exact=True)
        tolerance.fill("2.5")
        tolerance.press("Enter")
        expect(stretches(rowan.page)).to_have_count(0, timeout=LONG)
        expect(rowan.page.get_by_text("Nothing leans for too long. The chart")).to_be_visible()
        expect(stretches(ines.page)).to_have_count(1)
        shortest = rowan.page.get_by_label("Shortest time", exact=True)
        shortest.fill("1")
        shortest.press("Enter")
        self.until(rowan.page, lambda: stretches(rowan.page).count() >= 1, "shorter leans are not listed")

    @full
    def test_mono_is_held_or_latched_and_the_other_hears_stereo(self) -> None:
        rowan, ines = self.playing("rowan"), self.playing("ines")
        mark = rowan.page.get_by_role("banner").get_by_role("button", name="Mono")
        expect(mark).to_have_count(0)
        rowan.page.keyboard.down("m")
        expect(mark).to_be_visible()
        self.until_heard(rowan, lambda heard: np.abs(heard).max() > 0.01 and np.array_equal(*heard))
        self.assert_hears(ines)
        rowan.page.keyboard.up("m")
        expect(mark).to_have_count(0)
        self.until_heard(rowan, lambda heard: not np.array_equal(*heard))
        rowan.page.keyboard.press("Shift+M")
        expect(mark).to_be_visible()
        self.until_heard(rowan, lambda heard: np.array_equal(*heard))
        self.assert_hears(rowan, monitor="mono")
        self.assert_hears(ines)
        mark.click()
        self.until_heard(rowan, lambda heard: not np.array_equal(*heard))

    @full
    def test_each_way_of_listening_and_its_meters(self) -> None:
        rowan = self.playing("rowan")
        ways = rowan.page.get_by_label("Listen, only you")
        ways.get_by_role("button", name="Left", exact=True).click()
        self.until_heard(rowan, lambda heard: np.abs(heard[0]).max() > 0.01 and not heard[1].any())
        self.assert_hears(rowan, monitor="left")
        expect(rowan.page.locator(".foot .lean")).to_contain_text("L 60", timeout=PATIENCE)
        ways.get_by_role("button", name="Difference").click()
        self.until_heard(rowan, lambda heard: heard[1].any() and np.array_equal(*heard))
        self.assert_hears(rowan, monitor="difference")
        ways.get_by_role("button", name="Stereo").click()
        self.until_heard(rowan, lambda heard: not np.array_equal(*heard))

    @full
    def test_a_cause_is_heard_alone_by_one_key_and_only_by_oneself(self) -> None:
        rowan, ines = self.playing("rowan"), self.playing("ines")
        expect(rowan.page.locator("[data-cause]").first).to_be_visible(timeout=LONG)
        rowan.page.keyboard.press("c")
        expect(rowan.page.locator("[data-cause='concertina-2'].alone")).to_be_visible()
        self.assert_hears(rowan, solo="concertina-2")
        self.assert_hears(ines)
        rowan.page.keyboard.press("c")
        expect(rowan.page.locator("[data-cause='oars'].alone")).to_be_visible()

    @full
    def test_the_pictures_move_with_the_sound(self) -> None:
        rowan = self.playing("rowan")
        dark = """() => { const c = document.querySelector('.phase canvas'); const d = c.getContext('2d')
            .getImageData(0, 0, c.width, c.height).data; let n = 0;
            for (let i = 3; i < d.length; i += 4) if (d[i] > 40) n += 1; return n; }"""
        self.until(rowan.page, lambda: rowan.page.evaluate(dark) > 60, "the phase picture stays empty")
        line = rowan.page.locator(".spectrum path.mono")
        first = line.get_attribute("d")
        self.assertIn("L", first)
        self.until(rowan.page, lambda: line.get_attribute("d") != first, "the spectrum does not move")
        rowan.stop()
        self.until(rowan.page, lambda: rowan.page.evaluate(dark) == 0, "the phase picture does not clear")

    @full
    def test_a_report_of_the_piece_and_of_a_file_that_is_dropped_in(self) -> None:
        rowan = self.engineer("rowan", desk="balance")
        rowan.page.get_by_role("button", name="Balance report…").click()
        dialog = rowan.page.get_by_role("dialog")
        dialog.get_by_label("Of").select_option(label="Open water")
        dialog.get_by_role("button", name="Make the report").click()
        link = dialog.get_by_role("link", name="Open the page")
        expect(link).to_be_visible(timeout=LONG)
        page = rowan.page.request.get(self.server.address + link.get_attribute("href")).text()
        self.assertIn("Night Ferry, Open water", page)
        self.assertIn("Concertina II", page)
        path = self.server.data / "bounce.wav"
        tone = np.sin(np.arange(6 * 44100) * 2 * np.pi * 500 / 44100) * 0.1
        soundfile.write(path, np.stack([tone, 2 * tone], axis=1), 44100, subtype="PCM_24")
        dialog.locator("input[type=file]").set_input_files(path)
        expect(dialog.get_by_role("link", name="bounce.wav")).to_be_visible(timeout=LONG)
        address = dialog.get_by_role("link", name="bounce.wav").get_attribute("href").replace("/page", "/json")
        data = json.loads(rowan.page.request.get(self.server.address + address).text())
        self.assertAlmostEqual(data["figures"]["lean_db"], 6.02, delta=0.05)
        self.assertEqual(data["rate"], 44100)

    @full
    def test_a_listener_reads_reports_and_makes_none(self) -> None:
        tam = self.engineer("tam", desk="balance")
        tam.page.get_by_role("button", name="Balance report…").click()
        expect(tam.page.get_by_role("dialog")).to_be_visible()
        expect(tam.page.get_by_role("button", name="Make the report")).to_have_count(0)

    @full
    def test_it_fits_a_phone(self) -> None:
        phone = self.engineer("ines", width=390, height=844, desk="balance")
        self.assertLessEqual(phone.page.evaluate("document.documentElement.scrollWidth"), 390)
        expect(stretches(phone.page)).to_have_count(1, timeout=LONG)
