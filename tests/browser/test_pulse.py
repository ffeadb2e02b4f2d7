"""The Pulse desk: a pulse falls silent where its reading says, and notes stand where they are dealt."""

import itertools

import numpy as np
from playwright.sync_api import expect

from tests.browser.stage import RATE, BrowserCase

BEAT = 60 / 90
BAR = 4 * BEAT
OPEN_WATER = 17
"""The bar in which the passage begins that is exported."""


def direction(audio: np.ndarray) -> float:
    """Where a sound stands by the constant-power law, -1…1, (2, frames)."""
    left, right = np.sqrt((audio.astype(float) ** 2).mean(axis=1))
    return float(np.arctan2(right, left) * 4 / np.pi - 1.0)


_SAID = (
    "Both sides fall silent on 2½ and 4½; both sides are weak (−20 dB) on 2 and 4.",
    "Both sides fall silent on 3½, 4 and 4½; both sides are weak (−20 dB) on 3.",
)
"""What the reading says of a square wave: where it switches off, the ramp of its edge is still heard."""


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
        self.page.get_by_role("button", name="Add pulse").first.click()
        self.settled(lambda: self.pulse().get("on"), "the pulse does not begin")
        if values:
            self.rowan.operate("set-pulse", owner="wind-pad", **values)

    def alone(self) -> None:
        """Mute everything else for everybody, so that an export holds the wind pad alone."""
        self.rowan.dry()
        for key in self.rowan.document()["sources"]:
            if key != "wind-pad":
                self.rowan.operate("mute-source", source=key, muted=True)


class Pulses(Desk):
    def test_the_level_falls_in_the_export_on_the_beats_that_the_reading_named(self) -> None:
        self.begin()
        self.alone()
        plain = self.rowan.rendered(80, 1, moves="wind-pad/pulse=none")
        self.assertGreater(np.abs(plain).max(), 0.01)
        self.page.get_by_role("button", name="square").click()
        self.page.get_by_label("Phase offset of the right side, degrees").fill("0")
        sentence = self.page.get_by_label("Groove reading").get_by_role("status")
        for button, note, said, silent in (
            ("× 2", "1/2 note", _SAID[0], (2.0, 2.5, 4.0, 4.5)),
            ("× 2", "1/1 note", _SAID[1], (3.0, 3.5, 4.0, 4.5)),
        ):
            self.page.get_by_role("button", name=button, exact=True).click()
            expect(self.page.locator(".note")).to_have_text(note)
            expect(sentence).to_have_text(said)
            self.assert_falls_silent(self.rowan.exported("Open water"), silent)
        # Weighed by the drum, another start lets more of it through: it is taken, and heard where it says.
        self.page.get_by_label("Accents from").select_option(label="Hand drum")
        offer = self.page.get_by_role("button", name="Try: ")
        expect(offer).to_be_visible()
        promised = int(offer.inner_text().split("→ ")[1].rstrip(" %"))
        self.page.get_by_role("button", name="Apply").click()
        self.settled(lambda: self.pulse()["start_phase"] or self.pulse()["flip"], "the offer is not taken")
        shown = self.page.get_by_label("Groove reading")
        expect(shown).to_contain_text(f"{promised} % on both sides")
        expect(offer).to_have_count(0)
        found = self.rowan.page.request.post(
            f"{self.server.address}/api/sessions/{self.rowan.session}/pulse/reading",
            data={"revision": self.rowan.revision(), "owner": "wind-pad", "bar": 17},
            headers={
                "X-CSRFToken": next(c["value"] for c in self.rowan.context.cookies() if c["name"] == "csrftoken")
            },
        ).json()
        quiet = [one["beat"] for one in found["marks"] if max(one["left"], one["right"]) < 10.0 ** (-9.0 / 20.0)]
        self.assert_falls_silent(self.rowan.exported("Open water"), quiet)

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


class Deals(Desk):
    def deal(self, key: str = "glass-mallets") -> dict:
        return self.rowan.document()["deals"].get(key, {})

    def begin_dealing(self, source: str = "glass-mallets") -> None:
        self.choose(source)
        self.page.get_by_role("button", name="Deal", exact=True).click()
        self.page.locator(".teach .ant-btn-primary").click()
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
