"""Several people on one mix, as they meet: held controls, conflicts, away and back, listening along, comments."""

import numpy as np
from playwright.sync_api import expect

from tests import full
from tests.browser.stage import PATIENCE, BrowserCase, Engineer
from tests.server.test_sound import decode

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

    @full
    def test_what_is_held_is_asked_for_and_had_when_it_is_let_go(self) -> None:
        rowan, ines = self.engineer("rowan"), self.engineer("ines")
        rowan.drag(rowan.place_of("plucked-bass"), 0.8, release=False)
        expect(ines.place_of("plucked-bass")).to_have_attribute("aria-disabled", "true")
        ines.row("plucked-bass").get_by_role("button", name="ask").click()
        self.notice(rowan, "Ines Norden would like to have Plucked bass: place.")
        rowan.page.mouse.up()
        self.notice(ines, "Plucked bass: place is yours now.")
        ines.drag(ines.place_of("plucked-bass"), 0.1)
        self.until(ines.page, lambda: self.side(rowan, "plucked-bass") < -6.0, "the second hand is not heard")

    @full
    def test_who_holds_and_loses_the_line_holds_nothing_after_a_while(self) -> None:
        rowan, ines = self.engineer("rowan"), self.engineer("ines")
        rowan.drag(rowan.place_of("oars"), 0.7, release=False)
        expect(ines.place_of("oars")).to_have_attribute("aria-disabled", "true")
        ines.row("oars").get_by_role("button", name="ask").click()
        rowan.go_away()
        self.notice(ines, "Oars: place is yours now.")
        expect(ines.place_of("oars")).to_have_attribute("aria-disabled", "false")
        rowan.page.mouse.up()
        rowan.come_back()
        expect(rowan.page.locator(".saved")).to_contain_text("Saved")

    def test_edits_that_meet_are_told_to_both_and_one_key_puts_the_other_back(self) -> None:
        rowan, ines = self.engineer("rowan"), self.engineer("ines")
        ines.go_away()
        expect(ines.page.get_by_text("The connection is down.")).to_be_visible()
        ines.place_of("hand-drum").press("End")
        ines.row("glass-mallets").get_by_role("button", name="Mute").click()
        rowan.place_of("hand-drum").press("Home")
        self.until(rowan.page, lambda: self.side(rowan, "hand-drum") < -20.0, "not to the left")
        ines.come_back()
        # Away: both changes are made, one goes over Rowan's, and both are told.
        self.notice(ines, "The connection is back: 2 changes of yours sent, 1 went over a colleague's.")
        self.notice(rowan, "Ines Norden went over your “Hand drum: L100”: “Hand drum: R100” stands.")
        self.until(rowan.page, lambda: self.side(rowan, "hand-drum") > 20.0, "the later does not win")
        ines.page.locator(".saved").click()
        expect(ines.page.get_by_text("it went over “Hand drum: L100”")).to_be_visible()
        rowan.page.keyboard.press("o")
        self.until(rowan.page, lambda: self.side(rowan, "hand-drum") < -20.0, "the other is not put back")
        expect(ines.place_of("hand-drum")).to_have_attribute("aria-valuetext", "L100")
        self.assertTrue(rowan.document()["sources"]["glass-mallets"]["muted"])

    @full
    def test_what_was_made_without_a_connection_survives_the_tab(self) -> None:
        rowan, ines = self.engineer("rowan"), self.engineer("ines")
        revision = rowan.revision()
        ines.go_away()
        expect(ines.page.get_by_text("The connection is down.")).to_be_visible()
        ines.place_of("wind-pad").press("ArrowLeft")
        ines.row("bell-buoy").get_by_role("button", name="Mute").click()
        expect(ines.page.locator(".saved")).to_have_text("2 changes waiting")
        address = ines.page.url
        ines.page.close()
        self.assertEqual(rowan.revision(), revision)
        ines.come_back()
        ines.page = ines.context.new_page()
        ines.page.goto(address)
        self.notice(ines, "The connection is back: 2 changes of yours sent.")
        expect(rowan.page.locator(".saved")).to_have_text(f"Saved · r{revision + 2}")
        self.assertTrue(rowan.document()["sources"]["bell-buoy"]["muted"])

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
        tam.page.wait_for_function(
            "window.heard.some((block) => block.left.some((value) => value))", timeout=PATIENCE
        )
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

    @full
    def test_an_earlier_revision_is_heard_as_loud_and_put_back(self) -> None:
        rowan, ines = self.engineer("rowan"), self.engineer("ines")
        then = rowan.revision()
        for source in ("concertina-1", "concertina-2", "ferry-engine", "deck-voices", "plucked-bass"):
            ines.operate("set-level", source=source, level=-20.0)
        ines.operate("place-source", source="hand-drum", pan=0.9)
        page = rowan.page
        page.get_by_role("button", name="History").click()
        page.get_by_role("combobox", name="Whose changes").select_option(label="Ines Norden")
        log = page.locator(".log li")
        expect(log).to_have_count(6)
        page.get_by_role("combobox", name="Whose changes").select_option(label="everybody")
        page.locator(".log li", has_text=f"r{then}").get_by_role("button").click()
        compared = page.get_by_label("Compared")
        expect(compared.get_by_text("Hand drum", exact=True)).to_be_visible()
        expect(compared.get_by_role("status")).to_contain_text("as loud: −", timeout=PATIENCE)
        page.get_by_role("button", name=f"Hear r{then} (B)").click()
        told = rowan.get(f"/history/{then}/matched", revision=rowan.revision())
        self.assertLess(told["trim"], -1.0)
        rowan.jump("9")
        rowan.play()
        first = ROLL - 2
        rendered = np.concatenate(
            [decode(rowan.get(f"/segments/{first + i}", revision=then, trim=told["trim"]))[1] for i in range(24)],
            axis=1,
        )
        self.assert_comes_to_hear(rowan, rendered)
        rowan.stop()
        # The other goes on with the present meanwhile, and sees what is put back as a change of Rowan's.
        expect(ines.place_of("hand-drum")).to_have_attribute("aria-valuetext", "R90")
        page.get_by_role("button", name="Put everything back").click()
        self.until(page, lambda: rowan.document()["sources"]["concertina-1"]["level"] > -10.0, "not put back")
        expect(ines.place_of("hand-drum")).not_to_have_attribute("aria-valuetext", "R90")
        expect(page.locator(".log li").first).to_contain_text(f"Everything as in r{then}")
        page.keyboard.press("Control+z")
        self.until(page, lambda: rowan.document()["sources"]["concertina-1"]["level"] == -20.0, "not undone")

    @full
    def test_comments_are_pinned_read_answered_resolved_and_go_along(self) -> None:
        rowan, tam = self.engineer("rowan"), self.engineer("tam")
        tam.jump("13")
        tam.page.keyboard.press("n")
        tam.page.get_by_label("Your comment").fill("The horn comes too early for me.")
        tam.page.get_by_role("button", name="Comment", exact=True).click()
        rowan.page.get_by_role("button", name="Comments, 1 unread").click()
        rowan.page.get_by_role("button", name="bar 13.1").click()
        expect(rowan.page.get_by_label("Playhead, bar and beat")).to_have_value("13 . 1")
        expect(rowan.page.get_by_role("button", name="Comments", exact=True)).to_be_visible()
        rowan.page.get_by_label("Your reply").fill("Later by a bar?")
        rowan.page.get_by_role("button", name="Send").click()
        expect(tam.page.get_by_text("1 reply")).to_be_visible()
        expect(tam.page.locator(".new-mark")).to_be_visible()
        tam.page.locator("p.text", has_text="The horn comes too early for me.").click()
        expect(tam.page.get_by_text("Later by a bar?")).to_be_visible()
        # Who answered puts it in other words, and nobody else can.
        expect(tam.page.locator(".reply").get_by_role("button", name="reword")).to_have_count(0)
        rowan.page.locator(".reply").get_by_role("button", name="reword").click()
        rowan.page.get_by_label("Other words").fill("Later by two bars?")
        rowan.page.get_by_role("button", name="Keep", exact=True).click()
        expect(tam.page.locator(".reply")).to_contain_text("Later by two bars?")
        expect(tam.page.locator(".reply")).to_contain_text("reworded")
        # Its passage moves by two bars, and it goes along on both charts.
        passage = next(one for one in rowan.document()["passages"].values() if one["start"] <= 48.0 < one["end"])
        rowan.operate("set-passage", id=passage["id"], start=passage["start"] + 8, end=passage["end"] + 8)
        for person in (rowan, tam):
            expect(person.page.locator("[data-comment]").get_by_text("bar 15.1")).to_be_visible()
        rowan.page.get_by_role("button", name="Resolve").click()
        expect(tam.page.locator("[data-flag]")).to_have_count(0)
        rowan.operate("set-passage", id=passage["id"], start=passage["start"], end=passage["end"])

    @full
    def test_roles_hold_at_once_and_a_link_lets_somebody_in(self) -> None:
        rowan, ines = self.engineer("rowan"), self.engineer("ines")
        page = rowan.page
        page.get_by_role("button", name="People", exact=True).click()
        page.get_by_label("What Ines Norden is here").select_option("listener")
        expect(ines.row("gulls").get_by_role("button", name="Mute")).to_be_disabled()
        page.get_by_label("What Ines Norden is here").select_option("engineer")
        expect(ines.row("gulls").get_by_role("button", name="Mute")).to_be_enabled()
        page.get_by_role("button", name="Make a link").click()
        link = page.get_by_label("The invitation's link").input_value()
        guest = self.browser.new_context(bypass_csp=True)
        self.addCleanup(guest.close)
        door = guest.new_page()
        door.set_default_timeout(PATIENCE)
        door.goto(link)
        door.get_by_label("Your name", exact=True).fill("Mia Quay")
        door.get_by_label("Name to sign in with").fill("mia")
        door.get_by_label("Password").fill("short")
        door.get_by_label("Password").fill("a ferry at dusk")
        door.get_by_role("button", name="Come in").click()
        expect(door.get_by_text("You are here as a listener")).to_be_visible(timeout=PATIENCE)
        expect(page.get_by_label("In this session").get_by_text("Mia Quay")).to_be_visible()
        row = page.get_by_label("In this session").get_by_role("listitem").filter(has_text="Mia Quay")
        row.get_by_role("button", name="Put out…").click()
        page.get_by_role("button", name="Put out", exact=True).click()
        expect(door.get_by_text("You are not in this session any more.")).to_be_visible(timeout=PATIENCE)
