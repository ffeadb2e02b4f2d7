"""What comes out of the loudspeakers: the server's render, sample for sample, for each person their own."""

import numpy as np
from playwright.sync_api import expect

from tests import full
from tests.browser.stage import BrowserCase, Engineer
from tests.server.test_sound import decode

BAR_17 = int(16 * 4 * 60 / 90 * 2)
"""The segment in which bar 17 begins."""


class Heard(BrowserCase):
    def play_bass(self, person: Engineer) -> None:
        """Play the bass alone, dry, in the middle."""
        person.dry()
        person.operate("place-source", source="plucked-bass", pan=0.0)
        expect(person.place_of("plucked-bass")).to_have_attribute("aria-valuetext", "C")
        person.jump("17.1")
        person.row("plucked-bass").get_by_role("button", name="Solo").click()
        person.play()

    def test_play_moves_the_playhead_and_the_meters_and_is_sample_exact(self) -> None:
        rowan = self.engineer("rowan")
        lean = rowan.page.locator(".foot .lean .number")
        clock = rowan.page.locator(".clock")
        expect(lean).to_have_text("–")
        rowan.jump("17.1")
        expect(clock).to_have_text("0:42.6")
        rowan.play()
        expect(lean).not_to_have_text("–")
        before = rowan.page.locator(".foot .words").first.inner_text(), lean.inner_text()
        # A machine that is slow to begin may stand still once: what is measured comes after that.
        self.assert_comes_to_hear(rowan, rowan.rendered(BAR_17 - 2, 40))
        heard = rowan.listen(1.6)
        expect(clock).not_to_have_text("0:42.6")
        after = rowan.page.locator(".foot .words").first.inner_text(), lean.inner_text()
        self.assertNotEqual(before, after)
        self.assert_heard(heard, rowan.rendered(BAR_17 - 2, 80))
        rowan.stop()
        expect(lean).to_have_text("–")

    @full
    def test_the_meters_show_the_frames_of_what_sounds(self) -> None:
        rowan = self.engineer("rowan")
        rowan.jump("19.1")
        rowan.play()
        expect(rowan.page.locator(".foot .lean .number")).not_to_have_text("–")
        shown = rowan.page.evaluate(
            """() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(() => done(
                 [".clock", ".foot .lean"].map((one) => document.querySelector(one).textContent)))))"""
        )
        minutes, seconds = shown[0].split(":")
        at = int(minutes) * 60 + float(seconds)
        self.assertIn("R", shown[1])
        lean = float(shown[1].split("R")[1].split("dB")[0])
        head, _, meters, _ = decode(rowan.get(f"/segments/{int(at * 2)}", revision=rowan.revision()))
        column = meters[:, head["columns"].index("lean_long")]
        self.assertTrue(column.min() - 0.15 <= lean <= column.max() + 0.15, (lean, column))

    @full
    def test_solo_is_for_oneself(self) -> None:
        rowan, ines = self.engineer("rowan"), self.engineer("ines")
        for person in (rowan, ines):
            person.jump("17.1")
        ines.play()
        self.assert_comes_to_hear(ines, ines.rendered(BAR_17 - 2, 60))
        rowan.row("concertina-1").get_by_role("button", name="Solo").click()
        rowan.play()
        hers = ines.listen(1.2)
        self.assert_heard(hers, ines.rendered(BAR_17 - 2, 60))
        # Nobody has asked for his solo before: it may stand still once until it is rendered.
        self.assert_comes_to_hear(rowan, rowan.rendered(BAR_17 - 2, 60, solo="concertina-1"))
        expect(ines.row("concertina-1").get_by_role("button", name="Solo")).to_have_attribute("aria-pressed", "false")

    @full
    def test_a_passage_goes_round_without_a_gap(self) -> None:
        rowan = self.engineer("rowan")
        rowan.page.get_by_label("Loop, only for you").select_option(label="Loop: Cast off")
        rowan.jump("16.4")
        rowan.play()
        rowan.page.wait_for_function("document.querySelector('.clock').textContent.startsWith('0:21')")
        heard = rowan.listen(0.6)
        self.assert_heard(heard, rowan.rendered(42, 8))

    def test_an_edit_is_heard_while_it_plays(self) -> None:
        rowan, ines = self.engineer("rowan"), self.engineer("ines")
        self.play_bass(rowan)
        left, right = rowan.listen(0.5)
        self.assertAlmostEqual(float(np.abs(left).max()), float(np.abs(right).max()), places=6)
        requests: list[str] = []
        rowan.page.on(
            "request", lambda request: requests.append(request.url) if "/segments/" in request.url else None
        )
        ines.place_of("plucked-bass").press("End")
        expect(rowan.place_of("plucked-bass")).to_have_attribute("aria-valuetext", "R100")

        def only_right() -> bool:
            left, right = rowan.listen(0.1)
            return float(np.abs(left).max()) < 1e-6 < float(np.abs(right).max())

        self.until(rowan.page, only_right, "the colleague's edit is not heard")
        self.assertTrue(any("past=" in url for url in requests), "meters do not go on from what has sounded")
        self.assert_comes_to_hear(rowan, rowan.rendered(BAR_17 - 2, 90, solo="plucked-bass"))

    def test_on_a_slow_line_sound_comes_in_opus_and_says_so(self) -> None:
        rowan, ines = self.engineer("rowan"), self.engineer("ines")
        rowan.put_preferences(sound="auto")
        self.addCleanup(rowan.put_preferences, sound="float")
        line = {"offline": False, "latency": 100, "downloadThroughput": 190_000, "uploadThroughput": 190_000}
        rowan.context.new_cdp_session(rowan.page).send("Network.emulateNetworkConditions", line)
        rowan.page.reload()
        expect(rowan.page.locator(".saved")).to_contain_text("Saved")
        self.play_bass(rowan)
        expect(rowan.page.locator(".sound")).to_contain_text("Opus")
        left, right = (float(np.abs(side).max()) for side in rowan.listen(0.5))
        # Both sides are coded together, each nearly as it is.
        self.assertGreater(min(left, right), 1e-3)
        self.assertLess(abs(left - right), 0.1 * left)
        ines.place_of("plucked-bass").press("End")

        def right_alone() -> bool:
            left, right = rowan.listen(0.1)
            return float(np.abs(left).max()) < 0.03 * float(np.abs(right).max())

        self.until(rowan.page, right_alone, "the colleague's edit is not heard over a slow line")
        rowan.page.get_by_role("button", name="Sound on this device").click()
        expect(rowan.page.get_by_role("dialog")).to_contain_text("the line carries about")
        rowan.page.get_by_label("Lossless").check()
        expect(rowan.page.locator(".sound")).not_to_contain_text("Opus")

    def test_a_held_hand_hears_itself_before_it_lets_go(self) -> None:
        rowan = self.engineer("rowan")
        self.play_bass(rowan)
        rowan.listen(0.3)
        revision = rowan.revision()
        rowan.drag(rowan.place_of("plucked-bass"), 0.0, release=False)

        def only_left() -> bool:
            left, right = rowan.listen(0.1)
            return float(np.abs(right).max()) < 1e-6 < float(np.abs(left).max())

        self.until(rowan.page, only_left, "the hand does not hear itself")
        self.assertEqual(rowan.revision(), revision)
        rowan.page.mouse.up()
        self.until(rowan.page, lambda: rowan.revision() == revision + 1, "the hand's change was not kept")
        self.until(rowan.page, only_left, "the render does not take over")
        # What the hand left fades out first.
        self.assert_comes_to_hear(rowan, rowan.rendered(BAR_17 - 2, 90, solo="plucked-bass"))

    @full
    def test_a_held_send_is_heard_by_whoever_wishes_before_it_is_let_go(self) -> None:
        rowan, ines = self.engineer("rowan"), self.engineer("ines")
        ines.put_preferences(hands="all")
        ines.page.reload()
        for person in (rowan, ines):
            person.row("plucked-bass").get_by_role("button", name="Solo").click()
            person.jump("17.1")
            person.play()
        rowan.to_desk("Place")
        rowan.row("plucked-bass").get_by_text("Bass").click()
        field = rowan.page.get_by_label("Send of Plucked bass to Hull")
        revision = rowan.revision()
        self.addCleanup(ines.put_preferences, hands="own")
        rowan.drag_by(field, 200, release=False)
        level = rowan.held_value(field)

        def come_to_hear(**held: str) -> None:
            for person in (rowan, ines):
                self.assert_comes_to_hear_from(person, "17.1", BAR_17, solo="plucked-bass", **held)

        come_to_hear(held=f"send:plucked-bass/hull.level={level}")
        self.assertEqual(rowan.revision(), revision)
        rowan.page.keyboard.press("Escape")
        come_to_hear()
        rowan.page.mouse.up()
        self.assertEqual(rowan.revision(), revision)
