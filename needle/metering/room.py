"""What the meters show of a room: every channel, front against back, and where the energy comes from."""

import numpy as np
from numpy.typing import NDArray

from needle.layouts import Layout
from needle.metering.frames import LONG_FRAMES, SHORT_FRAMES, Frames, window
from needle.metering.lean import lean_db
from needle.room_coordinates import unit_vectors
from needle.units import power_to_db

Values = NDArray[np.float64]

_FLOOR = 1e-12


def room_columns(layout: Layout) -> tuple[str, ...]:
    """What ``room_readings`` gives, in order: dB; the lean of depth is + to the front; the vector has no unit."""
    each = [f"{kind}:{channel.name}" for kind in ("rms", "peak") for channel in layout.channels]
    return (*each, "depth_short", "depth_long", "energy_x", "energy_y", "energy_z", "energy_azimuth", "energy_length")


def room_readings(layout: Layout, frames: Frames, count: int) -> NDArray[np.float32]:
    """What the meters show at the last ``count`` frames: float32 (count, len(room_columns)); nan for silence.

    The energy vector points where the K-weighted power of 400 ms comes from: the mean of the speakers' directions,
    each as strong as what it plays (Gerzon 1992); its length is 1 where it is all one speaker's.
    """
    missing = max(count + LONG_FRAMES - 1 - frames.count, 0)
    frames = Frames.joined([Frames.silence(missing, frames.channels.shape[1]), frames])
    peak, power, weighted = frames.channels
    short, long = (window(weighted, length, count) for length in (SHORT_FRAMES, LONG_FRAMES))
    vector = energy_vector(layout, short)
    columns = [
        *power_to_db(power[:, -count:]),
        *power_to_db(np.square(peak[:, -count:])),
        lean_db(*(layout.depths @ short)),
        lean_db(*(layout.depths @ long)),
        *vector,
        np.degrees(np.arctan2(-vector[0], vector[1])),
        np.sqrt((vector**2).sum(axis=0)),
    ]
    return np.stack(columns, axis=1).astype(np.float32)


def energy_vector(layout: Layout, powers: Values) -> Values:
    """The energy vector (3, n): to the right, to the front, up; of powers (channels, n). nan for silence."""
    spoken = powers[layout.standing]
    total = spoken.sum(axis=0)
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(total > _FLOOR, unit_vectors(*layout.directions) @ spoken / total, np.nan)
