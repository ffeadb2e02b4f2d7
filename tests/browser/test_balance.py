"""The Balance desk: a lean is found, its causes named and heard, it is evened, and the export is even."""

import re

import numpy as np
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
    return page.get_by_label("Leans over tolerance").get_by_role("listitem")


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

    def assert_hears(self, person: Engineer, **how: str) -> None:
        """That somebody who plays comes to hear exactly what the server renders, in their way of listening."""
        self.assert_comes_to_hear_from(person, "17.1", BAR_17, **how)

    def test_the_lean_is_found_named_evened_and_gone_from_the_export(self) -> None:
        rowan = self.found("rowan")
        self.assertRegex(stretches(rowan.page).inner_text(), r"bars 17–21[\s\S]*R 1\.[789] dB")
        first = rowan.page.locator("[data-cause]").first
        self.assertEqual(first.get_attribute("data-cause"), "concertina-2")
        rowan.page.get_by_role("button", name="Calculate").click()
        foretold = rowan.page.get_by_label("Counterweight").get_by_role("status")
        expect(foretold).to_contain_text("within tolerance", timeout=LONG)
        becomes = re.search(r"becomes R (\d\.\d) dB", foretold.inner_text())
        revision = rowan.revision()
        rowan.page.get_by_role("button", name="Apply").click()
        expect(stretches(rowan.page)).to_have_count(0, timeout=LONG)
        self.assertEqual(rowan.revision(), revision + 1)
        # The passage in which it leant, from when three seconds of it have been heard.
        after = measured(rowan.exported("Open water"))
        self.assertEqual(after.stretches(), [])
        worst = float(np.nanmax(np.abs(after.lean()[30:122])))
        self.assertAlmostEqual(worst, float(becomes[1]), delta=0.3)
        rowan.page.get_by_role("button", name=re.compile("^Undo")).click()
        expect(stretches(rowan.page)).to_have_count(1, timeout=LONG)

    @full
    def test_b_is_heard_by_one_and_stays_on_trial(self) -> None:
        rowan, ines = self.found("rowan"), self.found("ines")
        rowan.page.get_by_role("button", name="Calculate").click()
        expect(rowan.page.get_by_role("button", name="Compare B")).to_be_visible(timeout=LONG)
        asked: list[str] = []
        rowan.page.on("request", lambda request: asked.append(request.url) if "/segments/" in request.url else None)
        for person in (rowan, ines):
            person.jump("18.1")
            person.play()
            expect(person.page.locator(".foot .lean .number")).not_to_have_text("–")
        rowan.page.get_by_role("button", name="Compare B").click()
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
