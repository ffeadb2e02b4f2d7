"""Objects that move: a renderer by BS.2127-0 7.3 makes of our files what we render, and of theirs what we take in."""

import tempfile
from pathlib import Path

import numpy as np
from django.test import SimpleTestCase
from hypothesis import example, given
from hypothesis import strategies as st

from needle.automation.curve import Lane, Point
from needle.autopan.pulse import Pulse, Pulsing
from needle.io.adm.from_mix import mix_to_adm, moves_of
from needle.io.adm.read import read_programme
from needle.io.adm.steps import crossfade_moves
from needle.io.adm.to_session import import_adm
from needle.io.adm.write import write_adm
from needle.io.audio import AudioInfo
from needle.io.bundle import Bundle
from needle.io.bw64 import Bw64Writer, TrackRow, opened
from needle.layouts import LAYOUTS
from needle.mix.model import Mix, MixSource
from needle.render.engine import render_audio
from needle.session.document import mix_of
from tests import examples
from tests.core.adm_renderer import rendered, residual_db
from tests.core.strategies import RATE

SECONDS = 4.0
DENSE = ("4+7+0", "0+5+0")


def lane(*points: tuple, shape: str = "straight") -> Lane:
    return Lane(tuple(Point(at, value, *(more or (shape,))) for at, value, *more in points))


def noise() -> np.ndarray:
    return (0.2 * np.random.default_rng(4).standard_normal((1, round(SECONDS * RATE)))).astype(np.float32)


def quick_moves() -> dict[str, Lane]:
    """32 moves in 8 seconds, all over the room."""
    rng = np.random.default_rng(8)
    times = np.arange(17) * 0.25
    return {
        name: Lane(
            tuple(Point(float(t), float(v), "ease") for t, v in zip(times, rng.uniform(-1, 1, 17), strict=True))
        )
        for name in ("pan", "front")
    }


CASES: dict[str, dict] = {
    "a turn in a second": {"lanes": {"rotation": lane((1.0, 0.0), (2.0, 90.0))}},
    "several turns": {"lanes": {"rotation": lane((0.0, 0.0), (4.0, 1440.0))}},
    "a sweep across": {"lanes": {"pan": lane((0.0, -1.0, "ease"), (2.0, 1.0, "ease"), (4.0, -1.0))}},
    "a sweep from front to back": {"pan": 0.7, "lanes": {"front": lane((0.0, 1.0), (3.0, -1.0))}},
    "a pulse of places": {"pulse": Pulsing(Pulse(form="place", wave="sine", period=1.0))},
    "a pulse that leaps": {"pulse": Pulsing(Pulse(form="place", wave="square", period=0.5))},
    "a pulse that turns": {"pulse": Pulsing(Pulse(form="turn", wave="triangle", period=4.0))},
    "jumps": {"lanes": {"pan": lane((0.0, -1.0), (1.0, 1.0), (1.5, -0.4), (3.0, 0.6), shape="hold")}},
    "a rise with a jump": {"lanes": {"height": lane((0.5, 0.0), (2.0, 1.0), (2.0, 0.2), (3.5, 0.8))}},
    "quick moves": {"lanes": quick_moves()},
    "a fade while it goes": {
        "lanes": {"level": lane((0.0, -40.0), (3.0, 0.0)), "pan": lane((0.0, 1.0), (4.0, -1.0))}
    },
    "divergence on the way": {"centre_level": 0.3, "lanes": {"pan": lane((0.0, -1.0), (4.0, 1.0))}},
}


def in_a_room(session: Path) -> np.ndarray:
    """A session rendered in the densest room: (speakers, frames)."""
    with Bundle(session) as bundle:
        settings = {**bundle.document["session"], "layout": "4+7+0"}
        mix = mix_of({**bundle.document, "session": settings}, bundle.audio)
        return render_audio(mix, 0, mix.frames)[LAYOUTS["4+7+0"].standing].astype(float)


class OurFiles(SimpleTestCase):
    def folder(self) -> Path:
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        return Path(made.name)

    def file(self, mix: Mix) -> Path:
        path = self.folder() / "objects.wav"
        list(write_adm(path, mix, mix_to_adm(mix, "Objects", {"one": "One"})))
        return path

    def assert_same(self, found: np.ndarray, wanted: np.ndarray, within: float = 0.02) -> None:
        self.assertLess(residual_db(found, wanted), -35.0)
        # The first block of an object only holds, for 50 µs.
        self.assertLess(np.abs(found - wanted)[:, 5:].max(), within)

    def test_a_renderer_of_the_recommendation_makes_of_them_what_we_render(self) -> None:
        for name, values in CASES.items():
            for layout in DENSE:
                with self.subTest(f"{name}, {layout}"):
                    steady = np.full((1, round(SECONDS * RATE)), 0.5, np.float32)
                    source = MixSource("one", steady, **values)
                    mix = Mix(RATE, SECONDS, (source,), layout=layout)
                    heard = render_audio(mix, 0, mix.frames)[LAYOUTS[layout].standing].astype(float)
                    self.assert_same(rendered(self.file(mix), LAYOUTS[layout]) / 0.5, heard / 0.5)

    def test_what_we_write_moves_evenly_when_it_comes_back(self) -> None:
        for name, values in CASES.items():
            with self.subTest(name):
                source = MixSource("one", noise(), **values)
                (moves,) = moves_of(Mix(RATE, SECONDS, (source,), layout="4+7+0"), source)
                self.assertEqual(len(crossfade_moves(moves)), 1)

    def test_few_blocks_where_nothing_moves(self) -> None:
        still = Mix(RATE, SECONDS, (MixSource("one", noise(), pan=0.3),), layout="4+7+0")
        self.assertEqual(len(moves_of(still, still.sources[0])[0].times), 1)
        source = MixSource("one", noise(), lanes={"pan": lane((3.0, -1.0), (3.5, 1.0))})
        late = Mix(RATE, SECONDS, (source,), layout="4+7+0")
        times = moves_of(late, source)[0].times
        self.assertLess((times < 2.9).sum() + (times > 3.6).sum(), 4)
        self.assertLess(len(times), 80)

    def test_a_turn_that_is_hardly_heard_goes_the_same_way_round(self) -> None:
        turning = MixSource("one", noise(), spread=330.0, lanes={"rotation": lane((0.0, 0.0), (4.0, 256.0))})
        moves = moves_of(Mix(RATE, SECONDS, (turning,), layout="0+5+0"), turning)[0]
        self.assertLess(np.abs(np.diff(moves.azimuth)).max(), 180.0)
        self.assertAlmostEqual(float(moves.azimuth[-1] - moves.azimuth[0]), 256.0, delta=0.01)

    def test_what_comes_back_sounds_as_a_renderer_makes_it(self) -> None:
        for name in ("several turns", "a sweep across", "quick moves", "a rise with a jump", "a fade while it goes"):
            with self.subTest(name):
                source = MixSource("one", noise(), **CASES[name])
                path = self.file(Mix(RATE, SECONDS, (source,), layout="4+7+0"))
                folder = self.folder()
                list(import_adm(path, folder))
                self.assertLess(residual_db(in_a_room(folder), rendered(path, LAYOUTS["4+7+0"])), -35.0)


HAND_MADE = """<ebuCoreMain><coreMetadata><format><audioFormatExtended>
<audioObject audioObjectID="AO_1001" audioObjectName="Bee"><audioTrackUIDRef>ATU_00000001</audioTrackUIDRef>
</audioObject>
<audioChannelFormat audioChannelFormatID="AC_00031001" typeDefinition="Objects">{blocks}</audioChannelFormat>
<audioTrackUID UID="ATU_00000001"><audioChannelFormatIDRef>AC_00031001</audioChannelFormatIDRef></audioTrackUID>
</audioFormatExtended></format></coreMetadata></ebuCoreMain>"""


def block(at: float, lasts: float, place: str, more: str = "") -> str:
    start, duration = (f"00:00:{value:08.5f}" for value in (at, lasts))
    positions = "".join(
        f'<position coordinate="{name}">{value}</position>'
        for name, value in (one.split("=") for one in place.split())
    )
    return f'<audioBlockFormat rtime="{start}" duration="{duration}">{positions}{more}</audioBlockFormat>'


@st.composite
def anything(draw) -> tuple[str, str]:
    """A block's place and what else it says."""
    limits = {"azimuth": (-180.0, 180.0), "elevation": (-60.0, 90.0), "distance": (0.1, 1.0)}
    place = " ".join(f"{name}={draw(st.floats(*ends)):.3f}" for name, ends in limits.items())
    more = f"<gain>{draw(st.floats(0.05, 1.0)):.3f}</gain>"
    if draw(st.booleans()):
        more += f"<width>{draw(st.floats(0.0, 180.0)):.1f}</width>"
    if draw(st.booleans()):
        more += f'<objectDivergence azimuthRange="30">{draw(st.floats(0.0, 1.0)):.3f}</objectDivergence>'
    if draw(st.booleans()):
        more += f'<jumpPosition interpolationLength="{draw(st.floats(0.05, 0.5)):.3f}">1</jumpPosition>'
    return place, more


class TheirFiles(SimpleTestCase):
    def file(self, blocks: str) -> Path:
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        path = Path(made.name) / "theirs.wav"
        with Bw64Writer(path, RATE, 1, round(SECONDS * RATE)) as writer:
            writer.write(noise())
            writer.describe(
                [TrackRow(0, "ATU_00000001", "AC_00031001_00", "")], HAND_MADE.format(blocks=blocks).encode()
            )
        return path

    def taken(self, blocks: str) -> tuple[np.ndarray, np.ndarray]:
        """What we make of a hand-made file, and what a renderer does: (speakers, frames) each."""
        path = self.file(blocks)
        list(import_adm(path, path.parent / "session"))
        return in_a_room(path.parent / "session"), rendered(path, LAYOUTS["4+7+0"])

    def test_blocks_near_to_each_other(self) -> None:
        steps = [block(i * 0.1, 0.1, f"azimuth={i * 4.0 - 80.0} elevation={i * 0.5} distance=1") for i in range(40)]
        self.assertLess(residual_db(*self.taken("".join(steps))), -35.0)

    def test_blocks_far_from_each_other(self) -> None:
        apart = {
            "nine degrees every 100 ms": [(i * 0.1, 0.1, i * 9.0 - 180.0, 0.0) for i in range(40)],
            "twenty every 250 ms": [(i * 0.25, 0.25, i * 20.0 - 160.0, 10.0) for i in range(16)],
            "across the room": [(0.0, 1.0, 110.0, 0.0), (1.0, 1.0, -110.0, 0.0), (2.0, 1.0, 30.0, 40.0)],
            "over the head": [(0.0, 1.0, 30.0, 0.0), (1.0, 2.0, -150.0, 0.0), (3.0, 1.0, -150.0, 0.0)],
        }
        for name, steps in apart.items():
            with self.subTest(name):
                blocks = [block(at, lasts, f"azimuth={a} elevation={e} distance=1") for at, lasts, a, e in steps]
                self.assertLess(residual_db(*self.taken("".join(blocks))), -35.0)

    @examples(12)
    @example(
        [
            ("azimuth=0 elevation=0 distance=1", "<gain>0.5</gain>"),
            ("azimuth=0 elevation=0 distance=0.5", "<gain>0.5</gain>"),
            ("azimuth=0 elevation=0 distance=0.625", "<gain>1.0</gain>"),
        ]
    )
    @given(st.lists(anything(), min_size=2, max_size=5))
    def test_blocks_of_any_kind(self, steps: list[tuple[str, str]]) -> None:
        lasts = SECONDS / len(steps)
        blocks = [block(i * lasts, lasts, place, more) for i, (place, more) in enumerate(steps)]
        self.assertLess(residual_db(*self.taken("".join(blocks))), -35.0)

    def test_what_fades_across_is_told_and_takes_two_sources_of_one_sound(self) -> None:
        places = [block(i * 2.0, 2.0, f"azimuth={110 - i * 220} elevation=0 distance=1") for i in range(2)]
        path = self.file("".join(places))
        folder = path.parent / "session"
        list(import_adm(path, folder))
        with Bundle(folder) as bundle:
            sources = list(bundle.document["sources"].values())
            self.assertEqual([one["name"] for one in sources], ["Bee", "Bee (crossfade)"])
            self.assertEqual(len({one["asset"] for one in sources}), 1)
            self.assertEqual(len({one["group"] for one in sources}), 1)
        with opened(path) as file:
            notes = read_programme(path, AudioInfo(file.samplerate, file.channels, file.frames)).notes
        self.assertIn("Bee, at 0:02.00: its gains crossfade from position to position", " ".join(map(str, notes)))

    def test_what_stands_and_jumps(self) -> None:
        jump = "<jumpPosition>1</jumpPosition>"
        places = ("azimuth=110", "azimuth=-30", "azimuth=0")
        found = self.taken(
            "".join(block(i * 1.2, 1.2, f"{one} elevation=0 distance=1", jump) for i, one in enumerate(places))
        )
        # We come over within 5 ms, so that nothing clicks.
        self.assertLess(residual_db(*found), -25.0)

    def test_gain_lock_divergence_and_room_coordinates(self) -> None:
        more = '<gain gainUnit="dB">-7</gain><objectDivergence azimuthRange="30">0.5</objectDivergence>'
        self.assertLess(residual_db(*self.taken(block(0.0, 4.0, "azimuth=15 elevation=0 distance=1", more))), -50.0)
        locked = block(0.0, 4.0, "azimuth=80 elevation=8 distance=1", "<channelLock>1</channelLock>")
        self.assertLess(residual_db(*self.taken(locked)), -50.0)
        cartesian = block(0.0, 4.0, "x=-0.5 y=-1 z=0.2", "<cartesian>1</cartesian>")
        self.assertLess(residual_db(*self.taken(cartesian)), -50.0)
