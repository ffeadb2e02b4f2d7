"""The Place desk as two engineers use it: dragged, keyed, grouped, seated and sent, seen by both, and measured."""

import itertools
import tempfile
from pathlib import Path

import numpy as np
import soundfile
from playwright.sync_api import expect

from server.mixing.operations.base import pan_words
from tests import full
from tests.browser.measuring import lean, noise
from tests.browser.stage import RATE, BrowserCase, Engineer, held_back


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

    @full
    def test_either_end_of_a_span_and_the_keys(self) -> None:
        rowan = self.engineer("rowan", desk="place")
        self.drag(rowan, "wind-pad", 120.0, 0.0, "left")

        def pad() -> dict:
            return rowan.document()["sources"]["wind-pad"]

        self.until(rowan.page, lambda: pad()["span"] < 0.7, "the end was not dragged")
        self.assertAlmostEqual(pad()["pan"] + pad()["span"], 0.8, places=6)
        self.mark(rowan, "wind-pad").focus()
        self.mark(rowan, "wind-pad").press("ArrowUp")
        self.until(rowan.page, lambda: pad()["level"] == -15.5, "the key did not lift it")
        centre = pad()["pan"]
        self.mark(rowan, "wind-pad").press("Shift+ArrowLeft")
        self.until(rowan.page, lambda: abs(pad()["pan"] - centre + 0.1) < 0.006, "the key did not move it")

    @full
    def test_several_are_changed_together_and_seated(self) -> None:
        rowan = self.engineer("rowan", desk="place")
        names = {"concertina-1": "Concertina I", "plucked-bass": "Plucked bass", "shaker": "Shaker"}
        for i, (key, name) in enumerate(names.items()):
            how = ["ControlOrMeta"] if i else []
            rowan.row(key).get_by_role("button", name=name, exact=True).click(modifiers=how)
        expect(rowan.page.get_by_role("heading", name="3 sources")).to_be_visible()
        before, lane = rowan.document()["sources"], rowan.points("shaker")
        rowan.page.get_by_role("button", name="R10", exact=True).click()
        self.until(rowan.page, lambda: rowan.points("shaker") != lane, "the lane was not moved")
        after = rowan.document()["sources"]
        for key in ("concertina-1", "plucked-bass"):
            self.assertAlmostEqual(after[key]["pan"], before[key]["pan"] + 0.1)
        moved = rowan.points("shaker")
        np.testing.assert_allclose([v for _, v, _ in moved], [v + 0.1 for _, v, _ in lane])
        rowan.page.keyboard.press("Control+z")
        self.until(rowan.page, lambda: rowan.document()["sources"] == before, "not one change")

        rowan.page.get_by_role("button", name="hear only these").click()
        expect(rowan.row("shaker").get_by_role("button", name="Solo")).to_have_attribute("aria-pressed", "true")
        rowan.page.get_by_role("button", name="show only these").click()
        expect(rowan.page.locator("[data-mark]")).to_have_count(3)
        rowan.page.get_by_role("button", name="Seat them…").click()
        dialog = rowan.page.get_by_role("dialog")
        dialog.get_by_label("Seating", exact=True).select_option("quartet")
        dialog.get_by_role("radio", name="from the players").click()
        for name, seat in (("Plucked bass", "Fourth"), ("Concertina I", "First"), ("Shaker", "Second")):
            standing = dialog.get_by_label("Not seated").get_by_role("button", name=name, exact=True)
            if standing.count():
                standing.drag_to(dialog.get_by_role("button", name=f"Seat {seat}"))
        dialog.get_by_role("button", name="Seat 3 sources").click()
        self.until(rowan.page, lambda: rowan.document()["sources"]["plucked-bass"]["pan"] == -0.55, "not seated")
        self.assertEqual(rowan.document()["sources"]["concertina-1"]["pan"], 0.55)

    @full
    def test_a_colleague_sees_and_hears_what_is_brought_in_and_sent(self) -> None:
        rowan, ines = self.engineer("rowan", desk="place"), self.engineer("ines", desk="place")
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "Ship's clock.wav"
            soundfile.write(path, noise(11, 1, 3.0), RATE, subtype="PCM_24")
            rowan.page.get_by_role("button", name="+ add").click()
            rowan.page.get_by_label("Files to bring in").set_input_files(str(path))
            rowan.page.get_by_role("button", name="Bring in 1 source").click()
        row = ines.page.locator(".row", has_text="Ship's clock")
        expect(row).to_be_visible()
        key = row.get_attribute("data-source")
        rowan.operate("place-source", source=key, pan=0.7)
        rowan.operate("set-send", source=key, to="quay", level=0.0, before=True, place="opposite")
        expect(ines.place_of(key)).to_have_attribute("aria-valuetext", "R70")
        row.get_by_role("button", name="Ship's clock", exact=True).click()
        send = ines.page.get_by_label("Send of Ship's clock to Quay")
        expect(send).to_have_value("0 dB")
        self.assertGreater(lean(ines.rendered(1, 1, solo=key).astype(float)), 3.0)
        # When the clock has stopped, only its echo from the other side is left.
        self.assertLess(lean(ines.rendered(7, 1, solo=key).astype(float)), -3.0)
        ines.page.get_by_role("button", name="Solo Ship's clock, only you hear it").click()
        ines.play()
        self.until(ines.page, lambda: np.abs(ines.listen(0.1)).max() > 1e-4, "nothing is heard")
        self.assert_heard(ines.listen(0.5), ines.rendered(0, 16, solo=key))
        rowan.operate("remove-source", source=key)
        expect(row).to_have_count(0)

    @full
    def test_what_is_placed_while_away_is_kept_and_joined_with_the_colleagues_work(self) -> None:
        rowan, ines = self.engineer("rowan", desk="place"), self.engineer("ines", desk="place")
        ines.row("deck-voices").get_by_role("button", name="Deck voices", exact=True).click()
        rowan.row("foghorn").get_by_role("button", name="Foghorn", exact=True).click()
        expect(rowan.page.get_by_label("Send of Foghorn to Hull")).to_be_visible()
        before = rowan.document()["sources"]
        shifted = pan_words(before["concertina-1"]["pan"] - 0.1)
        right = pan_words(before["deck-voices"]["pan_right"])
        rowan.go_away()
        expect(rowan.page.get_by_text("The connection is down.")).to_be_visible()
        rowan.page.get_by_label("Send of Foghorn to Hull").fill("-10")
        rowan.page.get_by_label("Send of Foghorn to Hull").press("Enter")
        rowan.page.get_by_label("Shift of Concertinas").fill("L10")
        rowan.page.get_by_label("Shift of Concertinas").press("Enter")
        self.mark(rowan, "foghorn").press("ArrowUp")
        expect(rowan.place_of("concertina-1")).to_have_attribute("aria-valuetext", shifted)
        expect(rowan.page.locator(".saved")).to_have_text("3 changes waiting")
        ines.page.get_by_label("Left side now").fill("L70")
        ines.page.get_by_label("Left side now").press("Enter")
        self.until(ines.page, lambda: ines.document()["sources"]["deck-voices"]["pan_left"] == -0.7, "not placed")
        rowan.come_back()
        for person in (rowan, ines):
            expect(person.place_of("deck-voices")).to_have_attribute("aria-valuetext", f"L70 to {right}")
            expect(person.place_of("concertina-1")).to_have_attribute("aria-valuetext", shifted)
            expect(person.page.locator("[data-mark='foghorn']")).to_have_attribute(
                "aria-label", "Foghorn L55 · −7.5 dB"
            )
        found = rowan.document()
        self.assertEqual(found["sends"]["foghorn/hull"]["level"], -10.0)
        self.assertEqual(found, ines.document())

    @full
    def test_what_is_chosen_goes_along_with_the_hand(self) -> None:
        rowan = self.engineer("rowan", desk="place")
        rowan.row("deck-voices").get_by_role("button", name="Deck voices", exact=True).click()
        rowan.row("ferry-engine").get_by_role("button", name="Ferry engine", exact=True).click(
            modifiers=["ControlOrMeta"]
        )
        before = rowan.document()["sources"]
        self.drag(rowan, "ferry-engine", -100.0, 50.0)
        self.until(rowan.page, lambda: rowan.document()["sources"] != before, "not dragged")
        after = rowan.document()["sources"]
        by = after["ferry-engine"]["pan"] - before["ferry-engine"]["pan"]
        self.assertLess(by, -0.2)
        for side in ("pan_left", "pan_right"):
            self.assertAlmostEqual(after["deck-voices"][side] - before["deck-voices"][side], by, places=6)
        levels = [after[key]["level"] - before[key]["level"] for key in ("ferry-engine", "deck-voices")]
        self.assertLess(levels[0], -0.9)
        self.assertAlmostEqual(levels[0], levels[1], places=6)
        rowan.page.keyboard.press("Control+z")
        self.until(rowan.page, lambda: rowan.document()["sources"] == before, "not one change")

    @full
    def test_a_group_shifts_what_is_drawn_and_heard(self) -> None:
        rowan, ines = self.engineer("rowan", desk="place"), self.engineer("ines")
        rowan.dry()
        rowan.page.get_by_label("Shift of Rhythm").fill("R30")
        rowan.page.get_by_label("Shift of Rhythm").press("Enter")
        for person in (rowan, ines):
            expect(person.place_of("hand-drum")).to_have_attribute("aria-valuetext", "R48")
        self.assertEqual(rowan.document()["sources"]["hand-drum"]["pan"], 0.18)
        at = round(16 * 4 * 60 / 90 * 2)
        measured = lean(rowan.rendered(at, 2, solo="hand-drum").astype(float))
        self.assertAlmostEqual(measured, 20 * np.log10(np.tan(1.48 * np.pi / 4)), delta=0.02)
        rowan.page.get_by_role("button", name="Mute Rhythm for everybody").click()
        self.until(rowan.page, lambda: rowan.document()["groups"]["rhythm"]["muted"], "not muted")
        silent, loud = rowan.rendered(at, 2), rowan.rendered(at, 2, solo="hand-drum")
        self.assertGreater(np.abs(loud).max(), 0.01)
        self.assertTrue(np.isfinite(silent).all())

    @full
    def test_sending_from_the_picture_of_a_return(self) -> None:
        rowan = self.engineer("rowan", desk="place")
        rowan.page.get_by_label("What the field shows").get_by_role("button", name="Quay").click()
        self.drag(rowan, "ferry-engine", 200.0, -250.0)

        def send() -> dict:
            return rowan.document()["sends"].get("ferry-engine/quay", {"level": -96.0})

        self.until(rowan.page, lambda: send()["level"] > -40.0, "nothing is sent")
        self.assertEqual(send()["place"], "own")
        self.assertGreater(send()["pan"], 0.4)
        self.mark(rowan, "ferry-engine").locator(".grip").dblclick()
        self.until(rowan.page, lambda: send()["place"] == "same", "its own place was not given up")

    @full
    def test_with_and_without_is_heard_only_by_oneself_and_as_loud(self) -> None:
        rowan = self.engineer("rowan", desk="place")
        rowan.dry()
        rowan.operate("place-source", source="concertina-2", timing="far-side", timing_ms=0.6)
        rowan.row("concertina-2").get_by_role("button", name="Concertina II", exact=True).click()
        rowan.row("concertina-2").get_by_role("button", name="Solo").click()
        rowan.page.get_by_label("What to hear away").select_option(label="without timing")
        rowan.jump("17.1")
        rowan.play()
        revision = rowan.revision()

        def one_sided() -> bool:
            left, right = np.abs(rowan.listen(0.2)).max(axis=1)
            return left < 0.7 * right

        self.assertFalse(one_sided())
        rowan.page.keyboard.down("w")
        self.until(rowan.page, one_sided, "it is not heard without")
        rowan.page.keyboard.up("w")
        self.until(rowan.page, lambda: not one_sided(), "it does not come back")
        self.assertEqual(rowan.revision(), revision)
        rowan.stop()

    @full
    def test_timing_shows_its_price_and_takes_the_better_delay(self) -> None:
        rowan = self.engineer("rowan", desk="place")
        rowan.row("foghorn").get_by_role("button", name="Foghorn", exact=True).click()
        rowan.page.get_by_role("button", name="Timing").click()
        rowan.page.get_by_role("radio", name="both sides").click()
        expect(rowan.page.get_by_text("In mono this source loses")).to_be_visible()
        before = rowan.get("/sources/foghorn/placement", revision=rowan.revision())["mono"]
        self.assertAlmostEqual(before["notches"][0], 1 / (2 * 0.55 * 0.7e-3), places=1)
        rowan.page.get_by_role("button", name="Take 0").click()
        self.until(
            rowan.page, lambda: rowan.document()["sources"]["foghorn"]["timing_ms"] == before["better"], "not taken"
        )
        after = rowan.get("/sources/foghorn/placement", revision=rowan.revision())["mono"]
        self.assertAlmostEqual(after["loss"], before["better_loss"], places=2)

    @full
    def test_a_passage_is_drawn_on_the_margin_and_named(self) -> None:
        rowan = self.engineer("rowan")
        box = rowan.page.locator(".chart svg").bounding_box()
        y = [box["y"] + 16 + bar * 4 * 60 / 90 * 18.75 for bar in (1.1, 4.9)]
        rowan.page.mouse.move(box["x"] + 34, y[0])
        rowan.page.mouse.down()
        rowan.page.mouse.move(box["x"] + 34, y[1], steps=5)
        rowan.page.mouse.up()
        name = rowan.page.get_by_label("Name of the passage")
        name.fill("Fog")
        name.press("Enter")

        def fog() -> list[dict]:
            return [p for p in rowan.document()["passages"].values() if p["name"] == "Fog"]

        self.until(rowan.page, fog, "no passage of that name")
        self.assertEqual((fog()[0]["start"], fog()[0]["end"]), (4.0, 20.0))

    @full
    def test_nothing_jumps_under_the_hand_when_a_source_has_been_read(self) -> None:
        rowan = self.engineer("rowan", desk="place")
        page = rowan.page
        as_one, below = page.get_by_role("radio", name="mono"), page.get_by_role("button", name="List and group")
        with held_back(page, r"/placement\?") as held:
            rowan.row("deck-voices").get_by_role("button", name="Deck voices", exact=True).click()
            self.until(page, lambda: held, "the source is not read")
            expect(as_one).to_be_disabled()
            before = below.bounding_box()
        expect(as_one).to_be_enabled()
        expect(as_one).to_contain_text("dB")
        self.assertEqual(below.bounding_box(), before)

    @full
    def test_kept_placements_are_used_elsewhere_with_their_author(self) -> None:
        rowan = self.engineer("rowan", desk="place")
        rowan.row("deck-voices").get_by_role("button", name="Deck voices", exact=True).click()
        rowan.page.get_by_role("button", name="List and group").click()
        rowan.page.get_by_label("Name to keep this placement by").fill("Half wide")
        rowan.page.get_by_role("button", name="keep", exact=True).click()
        expect(rowan.page.get_by_text("“Half wide” is kept.")).to_be_visible()
        ines = self.engineer("ines", desk="place")
        ines.row("wind-pad").get_by_role("button", name="Wind pad", exact=True).click()
        ines.page.get_by_role("button", name="List and group").click()
        ines.page.get_by_label("Use a kept placement").select_option(label="Half wide (Rowan Oake)")
        self.until(ines.page, lambda: ines.document()["sources"]["wind-pad"]["mode"] == "sides", "not used")
        placed = ines.document()["sources"]["wind-pad"]
        self.assertEqual((placed["pan_left"], placed["pan_right"]), (-0.5, 0.5))

    @full
    def test_a_listener_may_look_and_changes_nothing(self) -> None:
        tam = self.engineer("tam", desk="place")
        before = tam.document()
        self.drag(tam, "foghorn", 100.0, 40.0)
        self.mark(tam, "foghorn").press("ArrowRight")
        for name in ("+ add", "+ return"):
            expect(tam.page.get_by_role("button", name=name)).to_have_count(0)
        self.assertEqual(tam.document(), before)

    def test_the_desk_fits_a_phone(self) -> None:
        phone = self.engineer("ines", width=390, height=844, desk="place")
        self.assertLessEqual(phone.page.evaluate("document.documentElement.scrollWidth"), 390)
        boxes = [m.bounding_box() for m in phone.page.locator("[data-mark] .grip").all()]
        self.assertTrue(all(b and -14 <= b["x"] <= 390 for b in boxes), boxes)
        for a, b in itertools.pairwise(["Place", "Move"]):
            expect(phone.page.get_by_role("link", name=a, exact=True)).to_be_visible()
            expect(phone.page.get_by_role("link", name=b, exact=True)).to_be_visible()
