"""The Pulse desk: a pulse falls silent where its reading says, and notes stand where they are dealt."""

import itertools

import numpy as np
from playwright.sync_api import expect

from needle.pulsing.pulse import Pulse, Pulsing
from needle.pulsing.reading import side_gains
from needle.session import tempo_map
from tests import full
from tests.browser.stage import RATE, BrowserCase, Engineer
from tests.core.test_dealing import midi_file

BEAT = 60 / 90
BAR = 4 * BEAT
OPEN_WATER = 17
"""The bar in which the passage begins that is exported."""


def direction(audio: np.ndarray) -> float:
    """Where a sound stands by the constant-power law, -1…1, (2, frames)."""
    left, right = np.sqrt((audio.astype(float) ** 2).mean(axis=1))
    return float(np.arctan2(right, left) * 4 / np.pi - 1.0)


class Desk(BrowserCase):
    def setUp(self) -> None:
        self.rowan = self.engineer("rowan", desk="pulse")
        self.page = self.rowan.page
        self.as_at_first()

    def as_at_first(self) -> None:
        """Take away what an earlier test has made of the session."""
        document = self.rowan.document()
        onsets = [key for key, found in document["events"].items() if key != "glass-mallets"]
        gone = {"pulses": document["pulses"], "deals": document["deals"], "events": onsets}
        if any(gone.values()):
            self.rowan.operate("restore-rhythm", **{part: dict.fromkeys(keys) for part, keys in gone.items()})
        for key, one in document["sources"].items():
            if one["muted"]:
                self.rowan.operate("mute-source", source=key, muted=False)

    def choose(self, source: str) -> None:
        self.rowan.row(source).locator("button.name").click()
        expect(self.page.get_by_label("Name of the source")).to_have_value(
            self.rowan.document()["sources"][source]["name"]
        )

    def pulse(self, owner: str = "wind-pad") -> dict:
        return self.rowan.document()["pulses"].get(owner, {})

    def settled(self, condition, told: str = "it does not come about"):
        return self.until(self.page, condition, told)

    def begin(self, **values) -> None:
        """Begin a pulse of the wind pad and set what is needed of it."""
        self.choose("wind-pad")
        self.page.get_by_role("button", name="Begin a pulse").first.click()
        self.settled(lambda: self.pulse().get("on"), "the pulse does not begin")
        if values:
            self.rowan.operate("set-pulse", source="wind-pad", **values)

    def alone(self) -> None:
        """Mute everything else for everybody, so that an export holds the wind pad alone."""
        self.rowan.dry()
        for key in self.rowan.document()["sources"]:
            if key != "wind-pad":
                self.rowan.operate("mute-source", source=key, muted=True)


class Pulses(Desk):
    def silent_marks(self) -> list[str]:
        marks = self.page.locator(".marks [data-mark]")
        return [f"{m.get_attribute('data-beat')} {m.get_attribute('data-mark')}" for m in marks.all()]

    def test_the_level_falls_in_the_export_on_the_beats_that_the_reading_named(self) -> None:
        self.begin()
        self.alone()
        plain = self.rowan.rendered(80, 1, moves="wind-pad/pulse=none")
        self.assertGreater(np.abs(plain).max(), 0.01)
        self.page.get_by_role("button", name="square").click()
        self.page.get_by_label("How far the right side is ahead, degrees").fill("0")
        sentence = self.page.get_by_label("Groove reading").get_by_role("status")
        for button, note, said, silent in (
            ("× 2", "1/2 note", "Both sides fall silent on 2, 2½, 4 and 4½.", (2.0, 2.5, 4.0, 4.5)),
            ("× 2", "1/1 note", "Both sides fall silent on 3, 3½, 4 and 4½.", (3.0, 3.5, 4.0, 4.5)),
        ):
            self.page.get_by_role("button", name=button, exact=True).click()
            expect(self.page.locator(".note")).to_have_text(note)
            expect(sentence).to_have_text(said)
            self.assert_falls_silent(self.rowan.exported("Open water"), silent)
        # Weighed by the drum, another start lets more of it through: it is taken, and heard where it says.
        self.page.get_by_label("By whose accents").select_option(label="Hand drum")
        offer = self.page.get_by_role("button", name="Try: ")
        expect(offer).to_be_visible()
        promised = int(offer.inner_text().split("→ ")[1].rstrip(" %"))
        self.page.get_by_role("button", name="Take it").click()
        self.settled(lambda: self.pulse()["start"] or self.pulse()["flip"], "the offer is not taken")
        shown = self.page.get_by_label("Groove reading")
        expect(shown).to_contain_text(f"{promised} % on both sides")
        expect(offer).to_have_count(0)
        found = self.rowan.page.request.post(
            f"{self.server.address}/api/sessions/{self.rowan.session}/pulse/reading",
            data={"revision": self.rowan.revision(), "source": "wind-pad", "bar": 17},
            headers={
                "X-CSRFToken": next(c["value"] for c in self.rowan.context.cookies() if c["name"] == "csrftoken")
            },
        ).json()
        self.assert_falls_silent(self.rowan.exported("Open water"), found["silent"]["both"])

    def assert_falls_silent(self, audio: np.ndarray, beats: tuple[float, ...]) -> None:
        """That just these beats and half-beats of the first bars are silent over their first quarter."""
        level = {}
        for half in range(8):
            beat = 1.0 + half / 2.0
            first = [round(((bar * 4 + beat - 1.0) * BEAT + 0.01) * RATE) for bar in range(4)]
            parts = [audio[:, at : at + round(0.2 * BEAT * RATE)] for at in first]
            level[beat] = float(np.sqrt(np.mean([(part.astype(float) ** 2).mean() for part in parts])))
        loudest = max(level.values())
        quiet = tuple(beat for beat, found in level.items() if found < loudest * 10 ** (-12 / 20))
        self.assertEqual(quiet, tuple(beats), level)

    @full
    def test_what_is_seen_is_what_is_rendered(self) -> None:
        self.begin(wave="square", period=1.5, smooth=0.2)
        self.alone()
        marks = self.settled(self.silent_marks, "nothing is marked")
        self.assertTrue(any("silent" in mark for mark in marks))
        with_it = self.rowan.rendered(80, 4)
        without = self.rowan.rendered(80, 4, moves="wind-pad/pulse=none")
        stored = self.pulse()
        one = Pulsing(Pulse.of(stored), tempo_map(self.rowan.document()))
        times = 40.0 + np.arange(with_it.shape[1]) / RATE
        # The pad stands as a span: each side comes through the pan law, so the two are told by their powers.
        gains = side_gains(one, times)
        near = np.abs(gains[0] - gains[1]) < 0.02
        np.testing.assert_allclose(with_it[:, near], without[:, near] * gains[0, near], atol=2e-3)

    @full
    def test_keys_halve_double_flip_and_undo(self) -> None:
        self.begin()
        self.page.locator("h1").first.click()
        self.page.keyboard.press("-")
        self.settled(lambda: self.pulse()["period"] == 0.5)
        self.page.keyboard.press("+")
        self.page.keyboard.press("+")
        self.settled(lambda: self.pulse()["period"] == 2.0)
        self.page.keyboard.press("f")
        self.settled(lambda: self.pulse()["flip"])
        self.page.keyboard.press("Control+z")
        self.settled(lambda: not self.pulse()["flip"])

    @full
    def test_steps_are_drawn_by_pointer_and_keys(self) -> None:
        self.begin(wave="steps", steps=[0.0, 0.0, 0.0, 0.0])
        box = self.page.get_by_label("Drawn steps").bounding_box()
        self.page.mouse.move(box["x"] + box["width"] / 8, box["y"] + 2)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + 3 * box["width"] / 8, box["y"] + box["height"] - 2)
        self.page.mouse.up()
        self.settled(lambda: self.pulse()["steps"][0] > 0.8 and self.pulse()["steps"][1] < -0.8, "not drawn")
        third = self.page.get_by_role("slider", name="Step 3")
        third.focus()
        third.press("End")
        self.settled(lambda: self.pulse()["steps"][2] == 1.0)
        third.press("Shift+ArrowDown")
        self.settled(lambda: self.pulse()["steps"][2] == 0.75)

    @full
    def test_a_feeling_is_taken_kept_and_used_again(self) -> None:
        self.choose("wind-pad")
        self.page.get_by_role("button", name="Engine beat").click()
        self.settled(lambda: self.pulse().get("wave") == "falling" and self.pulse()["offset"] == 0.0)
        self.page.get_by_role("button", name="By feeling").click()
        self.page.get_by_label("Name to keep the pulse by").fill("Below deck")
        self.page.get_by_role("button", name="keep", exact=True).click()
        expect(self.page.get_by_text("“Below deck” is kept")).to_be_visible()
        self.choose("gulls")
        self.page.get_by_label("Kept pulses").select_option(label="Below deck")
        self.settled(lambda: self.pulse("gulls").get("wave") == "falling", "not used")

    @full
    def test_tried_heard_without_and_with_a_click_by_oneself_only(self) -> None:
        ines = self.engineer("ines", desk="pulse")
        self.begin(wave="square", period=2.0, offset=0.0, flip=True)
        self.page.get_by_label("By whose accents").select_option(label="Hand drum")
        for person in (self.rowan, ines):
            person.jump("17.1")
            person.play()
        with self.page.expect_request(lambda request: "moves=draft" in request.url) as asked:
            self.page.get_by_role("button", name="Try: ").click()
        moves = dict(p.split("=", 1) for p in asked.value.url.split("?")[1].split("&"))["moves"].replace("%3D", "=")
        self.assert_hears(self.rowan, moves=moves)
        self.assert_hears(ines)
        self.page.keyboard.press("Shift+B")
        self.page.get_by_role("button", name="Click", exact=True).click()
        self.assert_hears(self.rowan, click="true")
        self.page.keyboard.press("k")
        with self.page.expect_request(lambda request: "plain=wind-pad%3Apulse" in request.url) as asked:
            self.page.keyboard.down("w")
        at = dict(p.split("=", 1) for p in asked.value.url.split("?")[1].split("&"))["at"]
        self.assert_hears(self.rowan, plain="wind-pad:pulse", at=at)
        self.page.keyboard.up("w")
        self.assert_hears(self.rowan)

    def assert_hears(self, person: Engineer, **how: str) -> None:
        self.assert_comes_to_hear_from(person, "17.1", round((OPEN_WATER - 1) * BAR * 2), **how)

    @full
    def test_written_out_edited_and_taken_back(self) -> None:
        self.begin(wave="triangle", period=4.0)
        before = self.rowan.rendered(80, 3, solo="wind-pad")
        self.page.get_by_role("button", name="Write out points").click()
        self.settled(lambda: self.rowan.points("wind-pad", "level_left"), "not written")
        self.assertFalse(self.pulse()["on"])
        np.testing.assert_allclose(self.rowan.rendered(80, 3, solo="wind-pad"), before, atol=2e-3)
        self.page.get_by_role("button", name="Take back to a pulse").click()
        self.settled(lambda: self.pulse()["on"], "not taken back")
        self.assertEqual(self.rowan.points("wind-pad", "level_left"), [])
        np.testing.assert_array_equal(self.rowan.rendered(80, 3, solo="wind-pad"), before)

    @full
    def test_a_return_pulses_and_its_depth_follows_a_line(self) -> None:
        self.choose("foghorn")
        self.page.get_by_label("What pulses").select_option(label="Quay")
        self.page.get_by_role("button", name="Begin a pulse").first.click()
        self.settled(lambda: self.pulse("return:quay").get("on"), "the return does not pulse")
        plain = self.rowan.rendered(30, 2, moves="return:quay/pulse=none", solo="quay")
        self.assertGreater(np.abs(self.rowan.rendered(30, 2, solo="quay") - plain).max(), 1e-3)
        self.page.get_by_role("link", name="Move", exact=True).click()
        self.page.get_by_label("What the line follows").select_option("return:quay/pulse_depth")
        self.rowan.operate("write-points", source="return:quay", parameter="pulse_depth", start=0.0, end=60.0,
                           points=[{"t": 0.0, "value": 0.0, "shape": "hold"}, {"t": 60.0, "value": 1.0}])  # fmt: skip
        np.testing.assert_allclose(self.rowan.rendered(30, 2, solo="quay"), plain, atol=1e-6)

    @full
    def test_a_change_made_without_connection_is_sent_when_it_is_back(self) -> None:
        self.begin()
        ines = self.engineer("ines", desk="pulse")
        ines.row("wind-pad").locator("button.name").click()
        self.rowan.go_away()
        self.page.get_by_role("button", name="triangle").click()
        expect(self.page.get_by_role("button", name="triangle")).to_have_attribute("aria-pressed", "true")
        self.assertEqual(ines.document()["pulses"]["wind-pad"]["wave"], "sine")
        self.rowan.come_back()
        expect(ines.page.get_by_role("button", name="triangle")).to_have_attribute("aria-pressed", "true")


class Deals(Desk):
    def deal(self, key: str = "glass-mallets") -> dict:
        return self.rowan.document()["deals"].get(key, {})

    def begin_dealing(self, source: str = "glass-mallets") -> None:
        self.choose(source)
        self.page.get_by_role("button", name="Dealt out").click()
        self.page.locator(".teach .strong").click()
        self.settled(lambda: self.deal(source).get("places"), "nothing is dealt")

    def events(self, key: str = "glass-mallets") -> list[dict]:
        return self.rowan.get(f"/sources/{key}/dealt", revision=self.rowan.revision())["events"]

    def test_each_note_of_the_mallets_stands_at_its_place(self) -> None:
        self.begin_dealing()
        pans = [place["pan"] for place in self.deal()["places"]]
        self.assertEqual(pans, [-1.0, -0.3333, 0.3333, 1.0])
        self.rowan.dry()
        for key in self.rowan.document()["sources"]:
            if key != "glass-mallets":
                self.rowan.operate("mute-source", source=key, muted=True)
        audio = self.rowan.exported("Open water")
        begins = (OPEN_WATER - 1) * BAR
        checked = 0
        events = self.events()
        for event, following in itertools.pairwise(events):
            start, end = event["t"] - begins, min(following["t"] - begins, 12 * BAR) - 0.01
            if start < 0.0 or end - start < 0.1 or start > 12 * BAR:
                continue
            here = audio[:, round((start + 0.002) * RATE) : round(end * RATE)]
            self.assertAlmostEqual(direction(here), pans[event["place"]], delta=0.02)
            checked += 1
        self.assertGreater(checked, 20)

    @full
    def test_the_voice_leaves_tails_where_they_began_and_a_place_is_heard_alone(self) -> None:
        self.begin_dealing()
        self.page.get_by_role("button", name="the voice").click()
        self.settled(lambda: self.deal()["sound"] == "voice", "the voice does not play")
        self.rowan.dry()
        self.page.get_by_role("button", name="Only place 1, for yourself").click()
        self.rowan.jump("13.1")
        self.rowan.play()
        key = round(12 * BAR * 2)
        rendered = self.rowan.rendered(key - 2, 12, solo="glass-mallets.p1")
        self.assertLess(np.abs(rendered[1]).max(), 1e-6)
        self.assertGreater(np.abs(rendered[0]).max(), 0.01)
        self.assert_comes_to_hear_from(self.rowan, "13.1", key, solo="glass-mallets.p1")
        self.rowan.stop()

    @full
    def test_places_are_dragged_stepped_spread_mirrored_and_duplicated(self) -> None:
        self.begin_dealing()
        strip = self.page.get_by_label("Places of the deal")
        second = strip.locator("[data-place='p2']")
        box, whole = second.bounding_box(), strip.bounding_box()
        self.page.mouse.move(box["x"] + 13, box["y"] + 13)
        self.page.mouse.down()
        self.page.mouse.move(whole["x"] + whole["width"] / 2, box["y"] + 13, steps=4)
        self.page.mouse.up()
        moved = self.settled(lambda: self.deal()["places"][1]["pan"] not in (-0.3333,) and self.deal(), "not dragged")
        self.assertLess(abs(moved["places"][1]["pan"]), 0.1)
        second.press("0")
        self.settled(lambda: self.deal()["places"][1]["pan"] == 0.0)
        second.press("Shift+ArrowLeft")
        self.settled(lambda: self.deal()["places"][1]["pan"] == -0.1)
        for button, expected in (
            ("spread", [-1.0, -0.3333, 0.3333, 1.0]),
            ("mirror", [1.0, 0.3333, -0.3333, -1.0]),
            ("reverse", [-1.0, -0.3333, 0.3333, 1.0]),
        ):
            self.page.get_by_role("button", name=button, exact=True).click()
            self.settled(lambda e=expected: [p["pan"] for p in self.deal()["places"]] == e, button)
        self.page.get_by_role("button", name="Place 2", exact=True).click()
        self.page.get_by_role("button", name="duplicate").click()
        self.settled(lambda: len(self.deal()["places"]) == 5, "not duplicated")

    @full
    def test_onsets_are_found_added_moved_and_taken_away_by_hand(self) -> None:
        self.begin_dealing("hand-drum")
        self.assertEqual(len(self.events("hand-drum")), 200)
        self.rowan.jump("20.1.50")
        surface = self.page.get_by_role("application")
        surface.focus()
        surface.press("a")
        self.settled(lambda: len(self.events("hand-drum")) == 201, "not added")
        at = 19 * BAR + BEAT / 2
        self.assertTrue(any(abs(e["t"] - at) < 0.01 for e in self.events("hand-drum")))
        surface.press("ArrowDown")
        before = self.events("hand-drum")
        surface.press("ArrowRight")
        moved = self.settled(lambda: self.events("hand-drum") != before and self.events("hand-drum"), "not moved")
        shifts = [b["t"] - a["t"] for a, b in zip(before, moved, strict=True) if a["t"] != b["t"]]
        np.testing.assert_allclose(shifts, [0.005], atol=1e-6)
        surface.press("Delete")
        self.settled(lambda: len(self.events("hand-drum")) == 200, "not taken away")

    @full
    def test_a_midi_file_is_taken_and_a_broken_one_told(self) -> None:
        self.choose("plucked-bass")
        self.page.get_by_role("button", name="Dealt out").click()
        files = self.page.get_by_label("MIDI file", exact=True)
        broken = self.server.data / "song.mid"
        broken.write_bytes(b"RIFF")
        files.set_input_files(str(broken))
        expect(self.page.get_by_text("song.mid is not a Standard MIDI File")).to_be_visible()
        files.set_input_files(
            str(midi_file(self.server.data, [(i * 2.0, 1.0, 40 + i, 90) for i in range(12)], "Low part"))
        )
        expect(self.page.get_by_text("12 notes of “Low part”").first).to_be_visible()
        self.settled(lambda: len(self.events("plucked-bass")) == 12, "the notes are not dealt")
        part = midi_file(self.server.data, [(i * 1.0, 0.5, 50 + i, 90) for i in range(6)], "Short part")
        self.rowan.drop_file("section.events", "short.mid", part.read_bytes(), "audio/midi")
        self.settled(lambda: len(self.events("plucked-bass")) == 6, "what was dropped is not dealt")
        self.page.keyboard.press("Control+z")
        self.settled(lambda: len(self.events("plucked-bass")) == 12, "the earlier part does not come back")
        self.page.get_by_role("button", name="by pitch").click()
        self.settled(lambda: [e["place"] for e in self.events("plucked-bass")] == [i * 4 // 12 for i in range(12)])

    @full
    def test_alone_on_its_stretch_and_back_where_one_was(self) -> None:
        self.choose("glass-mallets")
        self.rowan.jump("5.2")
        self.page.get_by_role("button", name="alone", exact=True).click()
        banner = self.page.get_by_text("Glass mallets alone, bars 13.1")
        expect(banner).to_be_visible()
        expect(self.page.locator(".roster .row")).to_have_count(1)
        expect(self.page.get_by_label("Playhead, bar and beat")).to_have_value("13 . 1")
        self.rowan.play()
        heard = self.rowan.rendered(62, 12, solo="glass-mallets")
        self.assert_comes_to_hear(self.rowan, heard)
        self.rowan.stop()
        self.page.keyboard.press("Escape")
        expect(banner).to_have_count(0)
        expect(self.page.get_by_label("Playhead, bar and beat")).to_have_value("5 . 2")
        self.assertGreater(self.page.locator(".roster .row").count(), 10)

    @full
    def test_frozen_it_sounds_the_same_is_seen_by_a_colleague_and_thaws(self) -> None:
        ines = self.engineer("ines", desk="pulse")
        self.begin_dealing()
        before = self.rowan.rendered(64, 2, solo="glass-mallets")
        self.page.get_by_role("button", name="freeze", exact=True).click()
        thaw = self.page.get_by_role("button", name="frozen · thaw")
        expect(thaw).to_be_visible(timeout=60_000)
        expect(ines.row("glass-mallets").get_by_label("frozen")).to_be_visible()
        np.testing.assert_allclose(self.rowan.rendered(64, 2, solo="glass-mallets"), before, atol=1e-5)
        expect(self.page.get_by_role("button", name="by pitch")).to_be_disabled()
        thaw.click()
        expect(ines.row("glass-mallets").get_by_label("frozen")).to_have_count(0)
        np.testing.assert_array_equal(self.rowan.rendered(64, 2, solo="glass-mallets"), before)
