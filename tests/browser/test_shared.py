"""Two people on one mix: each sees the other's work at once, and a lost connection loses nothing."""

import numpy as np
from playwright.sync_api import expect

from tests.browser.stage import BrowserCase


class Batch(BrowserCase):
    def test_a_drag_in_one_browser_moves_the_other(self) -> None:
        rowan, ines = self.engineer("rowan"), self.engineer("ines")
        rowan.dry()
        ines.row("foghorn").get_by_role("button", name="Foghorn", exact=True).click()
        strip = ines.page.get_by_label("Foghorn at L55")
        expect(strip).to_have_count(1)
        rowan.drag(rowan.place_of("foghorn"), 0.9, release=False)
        expect(ines.place_of("foghorn")).to_have_attribute("aria-valuetext", "R80")
        expect(ines.place_of("foghorn")).to_have_attribute("aria-disabled", "true")
        expect(ines.page.get_by_text("Rowan Oake is moving it.")).to_be_visible()
        self.assertEqual(ines.document()["sources"]["foghorn"]["pan"], -0.55)
        rowan.page.mouse.up()
        expect(ines.place_of("foghorn")).to_have_attribute("aria-disabled", "false")
        expect(ines.place_of("foghorn")).to_have_attribute("aria-valuetext", "R80")
        expect(ines.page.get_by_label("Foghorn at R80")).to_have_count(1)
        at = round(22 * 4 * 60 / 90 * 2) + 1
        left, right = (ines.rendered(at, 2, solo="foghorn").astype(float) ** 2).mean(axis=1)
        wanted = 10 * np.log10(np.tan(0.9 * np.pi / 2) ** 2)
        self.assertAlmostEqual(10 * np.log10(right / left), wanted, places=2)


class AwayAndBack(BrowserCase):
    def test_who_was_away_catches_up_and_loses_nothing(self) -> None:
        rowan, ines = self.engineer("rowan"), self.engineer("ines")
        revision = rowan.revision()
        ines.go_away()
        expect(ines.page.get_by_text("Offline. You can go on")).to_be_visible()
        ines.place_of("shaker").press("End")
        ines.row("hand-drum").get_by_role("button", name="Mute").click()
        expect(ines.page.locator(".saved")).to_have_text("2 changes waiting")
        expect(ines.row("hand-drum").get_by_role("button", name="Mute")).to_have_attribute("aria-pressed", "true")
        for _ in range(3):
            rowan.place_of("concertina-1").press("ArrowRight")
        expect(rowan.page.locator(".saved")).to_have_text(f"Saved · r{revision + 3}")
        expect(ines.place_of("concertina-1")).to_have_attribute("aria-valuetext", "L80")
        ines.come_back()
        for person in (rowan, ines):
            expect(person.page.locator(".saved")).to_have_text(f"Saved · r{revision + 5}")
            expect(person.place_of("concertina-1")).to_have_attribute("aria-valuetext", "L77")
            expect(person.row("hand-drum").get_by_role("button", name="Mute")).to_have_attribute(
                "aria-pressed", "true"
            )
        expect(ines.page.get_by_text("Offline. You can go on")).to_have_count(0)

    def test_the_server_may_be_killed_at_any_moment(self) -> None:
        rowan, ines = self.engineer("rowan"), self.engineer("ines")
        rowan.place_of("ferry-engine").press("Home")
        expect(ines.place_of("ferry-engine")).to_have_attribute("aria-valuetext", "L100")
        revision = rowan.revision()
        self.server.kill()
        expect(rowan.page.get_by_text("Offline. You can go on")).to_be_visible()
        rowan.place_of("bell-buoy").press("0")
        ines.place_of("plucked-bass").press("ArrowLeft")
        expect(rowan.page.locator(".saved")).to_have_text("1 change waiting")
        self.server.start()
        for person in (rowan, ines):
            expect(person.page.locator(".saved")).to_have_text(f"Saved · r{revision + 2}")
            expect(person.place_of("ferry-engine")).to_have_attribute("aria-valuetext", "L100")
            expect(person.place_of("plucked-bass")).to_have_attribute("aria-valuetext", "L1")
        self.assertEqual(rowan.document(), ines.document())
