"""The Place desk as two engineers use it: dragged, keyed, grouped, seated and sent, seen by both, and measured."""

import itertools

from playwright.sync_api import expect

from tests.browser.stage import BrowserCase, Engineer


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

    def test_the_desk_fits_a_phone(self) -> None:
        phone = self.engineer("ines", width=390, height=844, desk="place", deaf=True)
        self.assertLessEqual(phone.page.evaluate("document.documentElement.scrollWidth"), 390)
        boxes = [m.bounding_box() for m in phone.page.locator("[data-mark] .grip").all()]
        self.assertTrue(all(b and -14 <= b["x"] <= 390 for b in boxes), boxes)
        for a, b in itertools.pairwise(["Place", "Move"]):
            expect(phone.page.get_by_role("link", name=a, exact=True)).to_be_visible()
            expect(phone.page.get_by_role("link", name=b, exact=True)).to_be_visible()
