"""Several people on one mix, as they meet: held controls, conflicts, away and back, listening along, comments."""

import numpy as np
from playwright.sync_api import expect

from tests import full
from tests.browser.stage import BrowserCase, Engineer

ROLL = 44
"""A segment in which everything sounds."""


def db(audio: np.ndarray) -> np.ndarray:
    return 10.0 * np.log10((audio.astype(np.float64) ** 2).mean(axis=-1) + 1e-14)


class Meeting(BrowserCase):
    def notice(self, person: Engineer, text: str) -> None:
        expect(person.page.get_by_label("Notices").get_by_text(text)).to_be_visible()

    def side(self, person: Engineer, source: str) -> float:
        """How much louder the right side is than the left in what is rendered of a source alone (dB)."""
        left, right = db(person.rendered(ROLL, 4, solo=source))
        return float(right - left)

    def test_edits_that_meet_are_told_to_both_and_one_key_puts_the_other_back(self) -> None:
        rowan, ines = self.engineer("rowan"), self.engineer("ines")
        ines.go_away()
        expect(ines.page.get_by_text("Offline. You can go on")).to_be_visible()
        ines.place_of("hand-drum").press("End")
        ines.row("glass-mallets").get_by_role("button", name="Mute").click()
        rowan.place_of("hand-drum").press("Home")
        self.until(rowan.page, lambda: self.side(rowan, "hand-drum") < -20.0, "not to the left")
        ines.come_back()
        # Away: both changes are made, one goes over Rowan's, and both are told.
        self.notice(ines, "Connected again: 2 changes of yours sent, 1 overwrote a colleague's.")
        self.notice(rowan, "Ines Norden overwrote your “Hand drum: L100”: “Hand drum: R100” is in effect.")
        self.until(rowan.page, lambda: self.side(rowan, "hand-drum") > 20.0, "the later does not win")
        ines.page.locator(".saved").click()
        expect(ines.page.get_by_text("it overwrote “Hand drum: L100”")).to_be_visible()
        rowan.page.keyboard.press("o")
        self.until(rowan.page, lambda: self.side(rowan, "hand-drum") < -20.0, "the other is not put back")
        expect(ines.place_of("hand-drum")).to_have_attribute("aria-valuetext", "L100")
        self.assertTrue(rowan.document()["sources"]["glass-mallets"]["muted"])

    @full
    def test_a_listener_listens_along_and_leaves(self) -> None:
        rowan, tam = self.engineer("rowan"), self.engineer("tam")
        rowan.dry()
        rowan.operate("place-source", source="ferry-engine", pan=-0.5)
        rowan.row("ferry-engine").get_by_role("button", name="Solo").click()
        rowan.jump("9")
        tam.page.get_by_role("button", name="Rowan Oake, owner: listen along").click()
        expect(tam.page.get_by_text("You listen along with Rowan Oake")).to_be_visible()
        expect(tam.page.get_by_label("Playhead, bar and beat")).to_have_value("9 . 1")
        rowan.page.keyboard.press("r")
        rowan.play()
        # The passage that both go round, so that however slow the machine is they stay in it.
        rendered = rowan.rendered(ROLL - 2, 46, solo="ferry-engine")
        tam.page.evaluate("window.somethingSounds()")
        self.assert_comes_to_hear(tam, rendered)
        # In mono with whom one follows; by oneself again, as one listened before.
        rowan.page.keyboard.press("Shift+M")
        self.until(tam.page, lambda: self.is_mono(tam), "mono is not heard along")
        tam.page.keyboard.press("Escape")
        expect(tam.page.get_by_text("You listen along with")).to_have_count(0)
        self.until(tam.page, lambda: not self.is_mono(tam), "one's own way does not come back")
        self.assertTrue(self.is_mono(rowan))

    def is_mono(self, person: Engineer) -> bool:
        left, right = person.listen(0.2)
        return bool(np.abs(left).max() > 1e-4 and np.abs(left - right).max() < 1e-6)
