"""Drawing on the chart: points put, moved, reshaped and deleted, and the move they make in the sound."""

import re

import numpy as np
from playwright.sync_api import expect

from tests import full
from tests.browser.stage import BrowserCase, Engineer

BEAT = 60 / 90


class Drawing(BrowserCase):
    def setUp(self) -> None:
        self.rowan = self.engineer("rowan")

    def choose(self, person: Engineer, source: str, name: str) -> None:
        person.row(source).get_by_role("button", name=name, exact=True).click()

    def spot(self, share: float, at: float) -> dict[str, float]:
        """Where on the chart a place (0 left … 1 right) and a time (s) are; the chart stands at its beginning."""
        box = self.rowan.page.locator(".chart svg").bounding_box()
        left, right, scale = 48, 24, 18.75
        return {"x": left + share * (box["width"] - left - right), "y": 16 + at * scale}

    @full
    def test_a_move_is_drawn_heard_and_taken_back(self) -> None:
        page, rowan = self.rowan.page, self.rowan
        ines = self.engineer("ines")
        self.choose(rowan, "ferry-engine", "Ferry engine")
        chart = page.locator(".chart svg")
        chart.dblclick(position=self.spot(0.0, 8 * BEAT))
        expect(page.locator("[data-point]")).to_have_count(1)
        chart.dblclick(position=self.spot(1.0, 24 * BEAT))
        expect(page.locator("[data-point]")).to_have_count(2)
        self.until(page, lambda: len(rowan.points("ferry-engine")) == 2, "the points were not kept")
        drawn = rowan.points("ferry-engine")
        np.testing.assert_allclose([t for t, _, _ in drawn], [8 * BEAT, 24 * BEAT], atol=1e-9)
        self.assertEqual([value for _, value, _ in drawn], [-1.0, 1.0])

        before = ines.page.locator(".chart").screenshot()
        left, right = np.abs(rowan.rendered(11, 1, solo="ferry-engine")).max(axis=1)
        self.assertLess(right, left * 0.5)
        left, right = np.abs(rowan.rendered(32, 1, solo="ferry-engine")).max(axis=1)
        self.assertLess(left, 1e-6)

        second = page.locator("[data-point='1']")
        box = second.locator(".dot").bounding_box()
        page.mouse.move(box["x"] + 5, box["y"] + 5)
        page.mouse.down()
        target = self.spot(0.5, 32 * BEAT)
        frame = chart.bounding_box()
        page.mouse.move(frame["x"] + target["x"], frame["y"] + target["y"], steps=6)
        page.mouse.up()
        self.until(page, lambda: rowan.points("ferry-engine")[1][1] == 0.0, "the point was not moved")
        self.assertAlmostEqual(rowan.points("ferry-engine")[1][0], 32 * BEAT)
        self.until(ines.page, lambda: ines.page.locator(".chart").screenshot() != before, "not seen elsewhere")

        page.get_by_label("Shape after point 1").select_option("hold")
        self.until(page, lambda: rowan.points("ferry-engine")[0][2] == "hold", "the shape was not changed")
        left, right = np.abs(rowan.rendered(40, 1, solo="ferry-engine")).max(axis=1)
        self.assertLess(right, 1e-6)

        second.focus()
        second.press("Delete")
        self.until(page, lambda: len(rowan.points("ferry-engine")) == 1, "the point was not deleted")
        for _ in range(5):
            page.keyboard.press("Control+z")
        self.until(page, lambda: rowan.points("ferry-engine") == [], "undo did not lead back to the start")

    @full
    def test_points_by_keys_and_by_typing(self) -> None:
        page, rowan = self.rowan.page, self.rowan
        self.choose(rowan, "oars", "Oars")
        before = rowan.points("oars")
        page.get_by_label("Place of point 1", exact=True).fill("30R")
        page.get_by_label("Place of point 1", exact=True).press("Enter")
        self.until(page, lambda: rowan.points("oars")[0][1] == 0.3, "the typed place was not kept")
        page.get_by_label("Bar of point 1", exact=True).fill("13.2")
        page.get_by_label("Bar of point 1", exact=True).press("Enter")
        self.until(page, lambda: rowan.points("oars")[0][0] > before[0][0], "the typed bar was not kept")
        self.assertAlmostEqual(rowan.points("oars")[0][0], (12 * 4 + 1) * BEAT)
        page.get_by_label("Place of point 1", exact=True).fill("far left")
        expect(page.get_by_label("Place of point 1", exact=True)).to_have_value("far left")
        page.get_by_label("Place of point 1", exact=True).press("Enter")
        expect(page.get_by_label("Place of point 1", exact=True)).to_have_attribute("aria-invalid", "true")
        page.get_by_label("Place of point 1", exact=True).press("Escape")
        rowan.jump("13.1")
        point = page.locator("[data-point='0']")
        point.focus()
        point.press("Shift+ArrowLeft")
        point.press("ArrowDown")
        self.until(page, lambda: rowan.points("oars")[0][1] == 0.2, "the key did not move it")
        self.until(page, lambda: rowan.points("oars")[0][0] > (12 * 4 + 1) * BEAT + 0.1, "nor later")
        self.assertEqual(rowan.points("oars")[1:], before[1:])

    @full
    def test_level_has_a_scale_of_its_own(self) -> None:
        page, rowan = self.rowan.page, self.rowan
        self.choose(rowan, "foghorn", "Foghorn")
        page.get_by_label("What the line follows").select_option("foghorn/level")
        page.locator(".chart svg").dblclick(position=self.spot(1.0, 8 * BEAT))
        self.until(page, lambda: rowan.points("foghorn", "level"), "no level point")
        self.assertEqual(rowan.points("foghorn", "level")[0][1], 12.0)
        level = rowan.row("foghorn").get_by_label("Level of Foghorn")
        expect(level).to_have_value("+12 dB")
        page.get_by_role("button", name="clear all").click()
        self.until(page, lambda: not rowan.points("foghorn", "level"), "not cleared")
        level.fill("off")
        level.press("Enter")
        self.until(page, lambda: rowan.document()["sources"]["foghorn"]["level"] == -96.0, "not off")
        self.assertEqual(float(np.abs(rowan.rendered(12, 1, solo="foghorn")).max()), 0.0)

    # Other tests of this class have changed a little of what sounds there.
    FOUND = r"leans R (1\.[89]|2\.0) dB"

    @full
    def test_the_lean_answers_a_move(self) -> None:
        rowan = self.rowan

        def flag() -> str:
            return " ".join(rowan.page.locator(".flag").all_text_contents())

        rowan.jump("19.1")
        self.until(rowan.page, lambda: re.search(self.FOUND, flag()), "the lean of Concertina II is not found")
        rowan.row("concertina-2").get_by_label("Level of Concertina II").fill("-7")
        rowan.row("concertina-2").get_by_label("Level of Concertina II").press("Enter")
        rowan.place_of("oars").press("0")
        self.until(rowan.page, lambda: not re.search(self.FOUND, flag()), "the lean does not answer")

    @full
    def test_it_fits_a_phone(self) -> None:
        phone = self.engineer("ines", width=390, height=844)
        width = phone.page.evaluate("document.documentElement.scrollWidth")
        self.assertLessEqual(width, 390)
        phone.play()
        # The meters move with the first sound.
        expect(phone.page.locator(".foot .needle")).to_have_count(1)
        self.assertGreater(np.abs(phone.listen(0.3)).max(), 0.0)
        phone.place_of("ferry-engine").press("ArrowLeft")
        self.until(phone.page, lambda: phone.document()["sources"]["ferry-engine"]["pan"] == -0.03, "not placed")
