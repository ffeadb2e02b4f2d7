"""Mixes in a room to test with: drawn at random, or room_mix of a source or two; and how loud each speaker is."""

from dataclasses import replace

import numpy as np
from hypothesis import strategies as st

from needle.effects.chain import Chain, effect_named
from needle.mix.listening import Listening
from needle.mix.model import Mix, MixLayer, MixReturn, MixSend, MixSource
from needle.mix.speaker_routing import SpeakerRoute, SpeakerRouting
from needle.render.cache import RenderCache
from needle.render.engine import render_audio
from tests.core.strategies import RATE, lanes, tone

FRAMES = RATE // 2
ROOMS = ["quad", "0+5+0", "0+7+0", "4+5+0", "4+7+0"]


def noise(seed: int, channels: int = 1, seconds: float = 2.0) -> np.ndarray:
    rng = np.random.default_rng(seed)
    return (0.1 * rng.standard_normal((channels, round(seconds * RATE)))).astype(np.float32)


def db(audio: np.ndarray) -> np.ndarray:
    return 10.0 * np.log10((audio.astype(np.float64) ** 2).mean(axis=-1) + 1e-14)


RESPONSES = RenderCache(0)
"""Keeps nothing between two renders but the responses of their effects."""


def effects(*kinds: str) -> Chain:
    return Chain(tuple((effect_named(kind), effect_named(kind).defaults()) for kind in kinds))


def mix(*sources: MixSource, layout: str = "0+5+0", **more) -> Mix:
    return Mix(RATE, 2.0, tuple(sources), layout=layout, **more)


def channel_levels(
    room_mix: Mix, start: float = 0.5, stop: float = 1.5, listening: Listening | None = None
) -> dict[str, float]:
    first, last = round(start * RATE), round(stop * RATE)
    audio = render_audio(room_mix, first, last, listening or Listening(), cache=RESPONSES)
    return dict(zip([channel.label for channel in room_mix.room.channels], db(audio), strict=True))


MOVED = (("pan", -1.0, 1.0), ("front", -1.0, 1.0), ("height", -1.0, 1.0), ("rotation", -400.0, 400.0))


@st.composite
def room_mixes(draw) -> Mix:
    """Sources anywhere, moving in all that a room has, with layers, sends and ways."""
    sources = []
    for number in range(draw(st.integers(1, 3))):
        stereo = draw(st.booleans())
        moving = {name: draw(lanes(st.floats(low, high), 0.5, 4)) for name, low, high in MOVED if draw(st.booleans())}
        if stereo and draw(st.booleans()):
            moving["width_left"] = draw(lanes(st.floats(0.0, 1.0), 0.5, 4))
        routing = SpeakerRouting(
            SpeakerRoute(), ((0.1, draw(st.floats(0.15, 0.4)), SpeakerRoute(("M+030", "M-030", "M+135"))),)
        )
        sources.append(
            MixSource(
                f"s{number}",
                tone(200.0 + 130.0 * number, 0.5, 2 if stereo else 1, 0.3),
                mode=draw(st.sampled_from(["span", "sides", "balance"])) if stereo else "pan",
                width_right=draw(st.sampled_from([0.0, 0.6])),
                spread=draw(st.sampled_from([0.0, 45.0])),
                lfe=draw(st.sampled_from([-96.0, -6.0])),
                lanes=moving,
                speaker_routing=routing if draw(st.booleans()) else SpeakerRouting(),
                sends={"hull": MixSend(-6.0)} if draw(st.booleans()) else {},
                layers=(MixLayer("wide", effects("echo"), front=-1.0),) if draw(st.booleans()) else (),
            )
        )
    layout = draw(st.sampled_from(ROOMS))
    chain = effects(*draw(st.sampled_from([("echo",), ("room",), ("high-pass", "room", "drive")])))
    spread = draw(st.sampled_from([0.0, 60.0]))
    hull = MixReturn("hull", chain, envelopment=draw(st.floats(0.0, 1.0)), spread=spread)
    if draw(st.booleans()):
        hull = replace(hull, lanes={"envelopment": draw(lanes(st.floats(0.0, 1.0), 0.5, 4))})
    return Mix(RATE, 0.5, tuple(sources), layout=layout, returns=(hull,))
