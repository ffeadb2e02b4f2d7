"""The room: 64 sources in 4+7+0 against real time, the panner, headphones, and a stem over the room.

Run: OMP_NUM_THREADS=1 python -m benchmarks.room
"""

from dataclasses import replace
from typing import Any

import numpy as np

from benchmarks.rendering import tell, took
from needle.automation.curve import Lane, Point
from needle.dsp.point_source_panner import point_panner
from needle.effects.chain import Chain, effect_named
from needle.layouts import LAYOUTS
from needle.metering.frames import measure_frames
from needle.mix.model import Mix, MixReturn, MixSend, MixSource
from needle.mix.monitors import PAST, to_ears
from needle.render.cache import RenderCache
from needle.render.engine import render_audio
from needle.render.segments import render_segments

RATE, SECONDS, SOURCES = 48000, 32, 64
LAYOUT = "4+7+0"


def moving(rng: np.random.Generator, low: float, high: float, every: float = 4.0) -> Lane:
    """A place every few seconds, eased."""
    times = np.arange(0.0, SECONDS + every, every)
    return Lane(tuple(Point(float(t), float(rng.uniform(low, high)), "ease") for t in times))


def main() -> None:
    rng = np.random.default_rng(1)
    sounds = [(0.05 * rng.standard_normal((1, RATE * SECONDS))).astype(np.float32) for _ in range(SOURCES)]
    still = [
        MixSource(f"s{i}", sound, pan=float(rng.uniform(-1, 1)), front=float(rng.uniform(-1, 1)))
        for i, sound in enumerate(sounds)
    ]

    def mix(sources: list[MixSource], **more: Any) -> Mix:
        return Mix(RATE, float(SECONDS), tuple(sources), layout=LAYOUT, **more)

    def speed(title: str, timed_mix: Mix) -> None:
        tell(title, f"{SECONDS / took(lambda: render_audio(timed_mix, 0, SECONDS * RATE)):.1f} x real time")

    across = [replace(s, lanes={"pan": moving(rng, -1, 1), "front": moving(rng, -1, 1)}) for s in still]
    speed(f"{SOURCES} sources in {LAYOUT}, standing", mix(still))
    speed(f"{SOURCES} sources in {LAYOUT}, 16 of them moving on the level", mix([*across[:16], *still[16:]]))
    speed(f"{SOURCES} sources in {LAYOUT}, all moving on the level", mix(across))
    rising = [replace(s, lanes={**s.lanes, "height": moving(rng, 0, 1)}) for s in across]
    speed(f"{SOURCES} sources in {LAYOUT}, all moving and rising", mix(rising))
    spread = [replace(s, spread=60.0) for s in across[:4]]
    speed("4 moving sources spread over 60 degrees", mix(spread))

    vectors = rng.standard_normal((3, 1_000_000))
    vectors /= np.linalg.norm(vectors, axis=0)
    panner = point_panner(LAYOUT)
    tell("directions through the panner", f"{1.0 / took(lambda: panner.gains_of(vectors)):.1f} million a second")

    room = LAYOUTS[LAYOUT]
    audio = render_audio(mix(still), 0, SECONDS * RATE)
    for monitor in ("stereo", "headphones"):
        folding = took(lambda monitor=monitor: to_ears(room, monitor, RATE, audio, PAST))
        tell(f"listening as {monitor}", f"{SECONDS / folding:.1f} x real time")
    measuring = took(lambda: measure_frames(audio, RATE, 0, room))
    tell("meters of twelve channels", f"{SECONDS / measuring:.1f} x real time")
    moving_mix = mix(across[:16])
    warm = 1000.0 * took(lambda: list(render_segments(moving_mix, 20, 21)), 5)
    tell("a segment of 16 moving sources, warm, with meters", f"{warm:.1f} ms")

    dry = sounds[0]
    stem = MixSource("stem", np.concatenate([dry + sounds[1], dry + sounds[2]]), mode="stem")
    speed("a stem over the room", mix([stem]))
    hall = effect_named("room")
    chain = Chain(((hall, hall.checked({"length": 2.0})),))
    sent = [replace(s, sends={"hall": MixSend(-6.0)}) for s in still[:16]]
    sent_mix = mix(sent, returns=(MixReturn("hall", chain),))
    cache = RenderCache(0)
    rendering = took(lambda: render_audio(sent_mix, 0, SECONDS * RATE, cache=cache), 1)
    tell("16 sources in a room of 2 s, all channels", f"{SECONDS / rendering:.1f} x real time")


if __name__ == "__main__":
    main()
