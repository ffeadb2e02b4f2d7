"""The Move desk: stretches changed, moves recorded, pasted and taken back, and what all that does to the sound."""

import re
from typing import Any

import numpy as np
from playwright.sync_api import expect

from needle.automation.curve import Lane
from tests.browser.stage import RATE, BrowserCase, Engineer, held_back

BAR = 4 * 60 / 90
SEGMENTS_A_SECOND = 2


class Desk(BrowserCase):
    def setUp(self) -> None:
        self.rowan = self.engineer("rowan")
        self.page = self.rowan.page

    def choose(self, source: str) -> None:
        self.rowan.row(source).locator("button.name").click()
        # The details follow, with the points of the source's own lane.
        expect(self.page.get_by_label("Parameter")).to_have_value(f"{source}/pan")

    def lane(self, source: str, parameter: str = "pan", person: Engineer | None = None) -> Lane:
        stored = (person or self.rowan).document()["lanes"].get(f"{source}/{parameter}", {"points": []})
        return Lane.of(stored["points"])

    def pick(self, start: str, end: str, source: str = "") -> None:
        """Pick a stretch by typing its edges; it is begun with the pointer."""
        if not self.page.get_by_label("Range start", exact=True).is_visible():
            self.page.keyboard.press("t")
            box = self.page.locator(".chart svg").bounding_box()
            x = box["x"] + 200
            self.page.mouse.move(x, box["y"] + 100)
            self.page.mouse.down()
            self.page.mouse.move(x, box["y"] + 160, steps=4)
            self.page.mouse.up()
        late = self.page.get_by_label("Range end", exact=True)
        early = self.page.get_by_label("Range start", exact=True)
        early.fill("1.1")
        early.press("Enter")
        late.fill(end)
        late.press("Enter")
        early.fill(start)
        early.press("Enter")
        expect(early).to_have_value(start)

    def press(self, name: str) -> None:
        self.page.get_by_label("Range").get_by_role("button", name=name, exact=True).click()

    def sides(self, source: str, at: float) -> float:
        """By how much the right is louder than the left (dB) of one source in the render, about a time (s)."""
        index = int((at - AROUND) * SEGMENTS_A_SECOND)
        audio = self.rowan.rendered(index, 2, solo=source)
        middle, wide = round((at - index / SEGMENTS_A_SECOND) * RATE), round(AROUND * RATE)
        here = audio[:, max(middle - wide, 0) : middle + wide].astype(np.float64)
        left, right = np.sqrt((here**2).mean(axis=1)) + 1e-9
        return float(20 * np.log10(right / left))

    def wanted_sides(self, pan: float) -> float:
        theta = (pan + 1) * np.pi / 4
        return float(20 * np.log10((np.sin(theta) + 1e-9) / (np.cos(theta) + 1e-9)))

    def assert_stands(self, source: str, at: float, pan: float, within: float = 1.0) -> None:
        """That a source is heard at a place, by the levels of both sides."""
        self.assertAlmostEqual(
            self.sides(source, at), self.wanted_sides(pan), delta=within, msg=f"{source} at {at} s"
        )

    def record(self, source: str, start: str, shares: list[float]) -> None:
        """Play from a bar and move the source's pointer above the chart to shares of the field, one after another."""
        self.rowan.jump(start)
        self.rowan.play()
        self.rowan.listen(0.2)
        strip = self.page.get_by_label("Position of every source now").bounding_box()
        y = strip["y"] + 40
        pointer = (
            self.page.get_by_label("Position of every source now").locator(".marker.chosen .pointer").bounding_box()
        )
        self.page.mouse.move(pointer["x"] + pointer["width"] / 2, y)
        self.page.mouse.down()
        for share in shares:
            self.page.mouse.move(strip["x"] + 48 + share * (strip["width"] - 72), y)
            self.rowan.listen(0.12)
        self.page.mouse.up()
        self.rowan.listen(0.5)
        self.rowan.stop()
        expect(self.page.get_by_label("Recorded take")).to_be_visible()

    def latest(self) -> Any:
        return self.rowan.get("/moves/takes")[0]


AROUND = 0.025
"""So long (s) before and after a time its sound is measured."""


class Working(Desk):
    def test_a_move_is_drawn_recorded_pasted_and_taken_back_while_a_colleague_works(self) -> None:
        rowan, page = self.rowan, self.page
        rowan.dry()
        ines = self.engineer("ines")
        self.choose("ferry-engine")
        # A line by hand, bars 2 to 4, from the left to the right.
        page.keyboard.press("f")
        box = page.locator(".chart svg").bounding_box()
        left, width = box["x"] + 48, box["width"] - 72
        page.mouse.move(left, box["y"] + 16 + 1 * BAR * 18.75)
        page.mouse.down()
        for step in range(1, 11):
            page.mouse.move(left + width * step / 10, box["y"] + 16 + (1 + step / 5) * BAR * 18.75)
        page.mouse.up()
        self.until(page, lambda: len(self.lane("ferry-engine").points) > 2, "nothing was drawn")
        drawn = self.lane("ferry-engine")
        for share in (0.25, 0.5, 0.75):
            at = (1 + 2 * share) * BAR
            self.assertAlmostEqual(float(drawn.evaluate(at)), 2 * share - 1, delta=0.03)
            self.assert_stands("ferry-engine", at, 2 * share - 1)

        # A colleague writes on another stretch of the same lane meanwhile.
        points = [{"t": t, "value": 0.5, "shape": "hold", "tension": 0.0} for t in (100.0, 104.0)]
        ines.operate("write-points", owner="ferry-engine", parameter="pan", start=98.0, end=106.0, points=points)

        both = self.lane("ferry-engine", person=ines)

        # A touch pass over bars 9 and 10.
        page.keyboard.press("p")
        page.get_by_role("button", name="Touch", exact=True).click()
        self.record("ferry-engine", "9.1", [0.6, 0.7, 0.8, 0.9, 0.95, 0.95])
        self.assertEqual(
            self.lane("ferry-engine").evaluate([60.0]), self.lane("ferry-engine", person=ines).evaluate([60.0])
        )
        take = self.latest()
        self.assertEqual(take["mode"], "touch")
        page.keyboard.press("Enter")
        expect(page.get_by_label("Recorded take")).to_be_hidden()
        self.until(page, lambda: len(self.lane("ferry-engine").points) > len(drawn.points) + 2, "not kept")
        kept = self.lane("ferry-engine")
        (write,) = take["writes"]
        highest = max(write["points"], key=lambda p: p["value"])
        self.assertAlmostEqual(highest["value"], 0.9, delta=0.03)
        # The hand may have stood there for a moment only: the sound is of what the line does around it.
        around = kept.evaluate(highest["t"] + np.linspace(-AROUND, AROUND, 21))
        wanted = [self.wanted_sides(float(value)) for value in around]
        measured = self.sides("ferry-engine", highest["t"])
        self.assertTrue(min(wanted) - 1.0 <= measured <= max(wanted) + 1.0, (measured, wanted))
        self.assertAlmostEqual(float(kept.evaluate(20.0)), float(both.evaluate(20.0)))
        self.assertEqual([float(v) for v in kept.evaluate([101.0, 105.0])], [0.5, 0.5])

        # The recorded move, all of it however late it ended, mirrored, on the bass at two later places.
        page.get_by_role("button", name="Read", exact=True).click()
        self.pick("9.1", f"{int(write['end'] // BAR) + 2}.1")
        self.press("Copy")
        self.press("Paste…")
        # What was asked first is answered last: only what is asked now counts.
        first, places = r"/moves/places\?.*every=4\b", page.get_by_label("Positions found").get_by_role("checkbox")
        with page.expect_response(re.compile(first)), held_back(page, first):
            with page.expect_request(re.compile(first)):
                page.get_by_label("Where to paste").select_option("bars")
            page.get_by_label("Number of bars").fill("12")
            page.get_by_label("Number of bars").press("Enter")
            expect(places).to_have_count(3)
        expect(places).to_have_count(3)
        places.nth(2).uncheck()
        page.get_by_text("on Ferry engine").click()
        page.get_by_label("Range").get_by_label("Plucked bass").check()
        page.get_by_label("Range").get_by_label("Ferry engine").uncheck()
        page.get_by_label("mirrored").check()
        expect(page.get_by_role("status").filter(has_text="points")).to_be_visible()
        self.until(
            page,
            lambda: page.get_by_label("Range").get_by_role("button", name="Apply").is_visible(),
            "the paste cannot be looked at",
        )
        self.until(page, lambda: self.apply_pasted("plucked-bass"), "the paste was not made")
        bass = self.lane("plucked-bass")
        for bars in (12, 24):
            at = highest["t"] + bars * BAR
            self.assertAlmostEqual(float(bass.evaluate(at)), -highest["value"], delta=0.02)
        self.assertAlmostEqual(float(bass.evaluate(2.0)), rowan.document()["sources"]["plucked-bass"]["pan"])

        # Back to the start, and the colleague's stretch is still there.
        for _ in range(3):
            page.keyboard.press("Control+z")
        self.until(page, lambda: not self.lane("plucked-bass").points, "the paste was not taken back")
        self.until(page, lambda: len(self.lane("ferry-engine").points) == 2, "nor the rest")
        self.assertEqual([p.value for p in self.lane("ferry-engine").points], [0.5, 0.5])

    def apply_pasted(self, source: str) -> bool:
        """Apply what is looked at, once it is of the source that is meant."""
        if self.lane(source).points:
            return True
        button = self.page.get_by_label("Range").get_by_role("button", name="Apply")
        if button.is_visible():
            button.click()
        return False
