"""Random lanes, mixes and operations for property tests."""

from collections.abc import Iterable

import numpy as np
from hypothesis import strategies as st

from needle.automation.curve import RAMP_SECONDS, SHAPES, Lane, Point
from needle.mix.model import Mix, MixSource

RATE = 48000

pans = st.floats(-1.0, 1.0)
levels = st.floats(-96.0, 12.0)


def times(last: float) -> st.SearchStrategy[float]:
    """Times in the piece, some of them exactly together and some exactly on the block grid."""
    return st.one_of(
        st.floats(0.0, last),
        st.integers(0, int(last * 100)).map(lambda hundredths: hundredths / 100),
        st.integers(0, int(last * RATE / 64)).map(lambda block: block * 64 / RATE),
    )


def lanes(values: st.SearchStrategy[float], last: float = 1.0, most: int = 8) -> st.SearchStrategy[Lane]:
    """Lanes of any shapes, with jumps."""
    point = st.builds(Point, times(last), values, st.sampled_from(sorted(SHAPES)), st.floats(-1.0, 1.0))
    return st.lists(point, min_size=1, max_size=most).map(
        lambda points: Lane(tuple(sorted(points, key=lambda p: p.t)))
    )


def outside_of(times: np.ndarray, start: float, end: float, jumps: Iterable[float] = ()) -> np.ndarray:
    """Those of ``times`` (s) that lie before ``start`` or after the ramp of the jump at ``end``.

    A ramp that another of the ``jumps`` (s) takes over ends with that one's.
    """
    settled = end + RAMP_SECONDS
    for jump in sorted(jumps):
        if end < jump < settled:
            settled = jump + RAMP_SECONDS
    return times[(times < start) | (times >= settled + 1e-9)]


def tone(frequency: float, seconds: float, channels: int = 1, amplitude: float = 1.0) -> np.ndarray:
    """A sine, float32 (channels, frames)."""
    t = np.arange(round(seconds * RATE)) / RATE
    return np.tile((amplitude * np.sin(2 * np.pi * frequency * t)).astype(np.float32), (channels, 1))


@st.composite
def mixes(draw, seconds: float = 0.5) -> Mix:
    """A few sources, mono and stereo, some of them moving, starting anywhere."""
    sources = []
    for number in range(draw(st.integers(1, 4))):
        channels = draw(st.sampled_from([1, 2]))
        found = {}
        if draw(st.booleans()):
            found["pan"] = draw(lanes(pans, seconds))
        if draw(st.booleans()):
            found["level"] = draw(lanes(levels, seconds))
        sources.append(
            MixSource(
                id=f"s{number}",
                audio=tone(200.0 + 170.0 * number, seconds * draw(st.floats(0.2, 1.0)), channels),
                offset=draw(st.integers(0, round(seconds * RATE / 2))),
                level=draw(st.floats(-40.0, 6.0)),
                muted=draw(st.booleans()) and number > 0,
                mode="pan" if channels == 1 else "balance",
                pan=draw(pans),
                lanes=found,
            )
        )
    law = draw(st.sampled_from(["constant-power", "compromise", "constant-gain", "balance"]))
    return Mix(rate=RATE, length=seconds, sources=tuple(sources), law=law, centre_zero=draw(st.booleans()))
