"""Whereabouts: where everything in a room is over time, what plays it, and what another layout would move."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from needle.automation.curve import Values
from needle.automation.parameters import PARAMETERS
from needle.dsp.band_split import BAND_POWER, BANDS
from needle.dsp.pan_modes import MODES, STEM
from needle.errors import NeedleError
from needle.layouts import layout_named
from needle.metering.room import energy_vector
from needle.mix.model import Mix, MixLayer, MixSource
from needle.render.source_gains import by_side, placement, values_at
from needle.room_coordinates import polar_to_room, room_to_polar
from needle.units import power_to_db

Places = NDArray[np.float64]


def places(mix: Mix, source: MixSource, times: Values) -> Places:
    """Where each end of a source is in the room, turned, swung and shifted: (ends, 3, times), x, y and z.

    A mono source has one end, any other its first and its last channel's.
    """
    values = values_at(source, times)
    x = np.broadcast_to(MODES[source.mode].positions(values, source.channels), (source.channels, len(times)))
    if MODES[source.mode].on_its_side:
        # Each side stays on its side; what is turned down tells the place.
        x = np.broadcast_to(values["pan"], (1, len(times)))
    elif source.mode in ("mono", "pan"):
        x = x[:1]
    ends = x[[0, -1]] if len(x) > 1 else x
    if source.by_side:
        y, z = by_side(values, 2)
    else:
        y, z = values["front"], values["height"]
    return _turned(ends, y, z, values["rotation"] + values["room_rotation"], times)


def side_parts(mix: Mix, source: MixSource, times: Values) -> Places:
    """The part of the room that each side stands over, from end to end: (sides, BANDS, 3, times), x, y and z.

    There are no sides where none has a width.
    """
    if not source.has_side_width:
        return np.zeros((0, BANDS, 3, len(times)))
    banded = source.in_bands(mix.rate)
    values = values_at(banded, times)
    across = np.broadcast_to(banded.panning.positions(values, banded.channels), (banded.channels, len(times)))
    depth, height = by_side(values, banded.channels)
    turned = _turned(across, depth, height, values["rotation"] + values["room_rotation"], times)
    return turned.reshape(2, BANDS, 3, len(times))


def layer_places(source: MixSource, layer: MixLayer, times: Values) -> Places:
    """Where the two ends of a layer are: (2, 3, times)."""
    values = {name: layer.value(name, times) for name in ("pan", "span", "front", "height", "rotation")}
    x = np.broadcast_to(MODES["span"].positions(values, 2), (2, len(times)))
    turned = values["rotation"] + source.value("room_rotation", times)
    return _turned(x, values["front"], values["height"], turned, times)


def _turned(x: Values, y: Values, z: Values, rotation: Values, times: Values) -> Places:
    shape = (len(x), len(times))
    x, y, z, rotation = (np.broadcast_to(value, shape) for value in (x, y, z, rotation))
    still = np.array([x, y, z])
    if not rotation.any():
        return still.transpose(1, 0, 2).copy()
    azimuth, elevation, distance = room_to_polar(x, y, z)
    turned = np.where(rotation == 0.0, still, polar_to_room(azimuth + rotation, elevation, distance))
    return turned.transpose(1, 0, 2)


def spreads(source: MixSource, times: Values) -> Values:
    """How far a source is spread (degrees) at each time."""
    return np.broadcast_to(source.value("spread", times), (len(times),))


def channel_gains(mix: Mix, source: MixSource, times: Values) -> Values:
    """How strong a source is in every channel at each time, its level left out: (channels, times).

    A stem over the room is told by its direct part.
    """
    as_span: dict[str, Any] = {"mode": "span", "span": 1.0}
    placed = replace(source, **as_span) if source.mode == STEM else source.in_bands(mix.rate)
    powers = placement(mix, placed, values_at(placed, times), times) ** 2
    powers = powers * (BAND_POWER if source.has_side_width else 1.0)
    return np.broadcast_to(np.sqrt(powers.sum(axis=1)), (mix.outputs, len(times)))


@dataclass(frozen=True)
class Moved:
    """What another layout does to a source at a moment.

    How far its sound moves (``degrees``), from which direction to which (azimuths, + to the left); ``louder`` (dB)
    all in all; ``folded`` whether it has a depth, height or spread that the new layout cannot play.
    """

    source: str
    degrees: float
    before: float
    after: float
    louder: float
    folded: bool


def layout_changes(mix: Mix, layout: str, at: float) -> list[Moved]:
    """What another layout would do to every source at a time (s). NeedleError for a layout that is not there."""
    other = replace(mix, layout=layout_named(layout).name)
    times = np.array([at])
    changes = []
    for source in mix.sources:
        now, then = (_heard(either, source, times) for either in (mix, other))
        apart = np.degrees(np.arccos(np.clip(_cosine(now[0], then[0]), -1.0, 1.0)))
        azimuth, azimuth_after = (float(np.degrees(np.arctan2(-v[0], v[1]))) for v in (now[0], then[0]))
        louder = float(power_to_db(then[1]) - power_to_db(now[1]))
        values = {name: float(value[0]) for name, value in values_at(source, times).items()}
        changes.append(Moved(source.id, float(apart), azimuth, azimuth_after, louder, _is_folded(other, values)))
    return changes


def _heard(mix: Mix, source: MixSource, times: Values) -> tuple[Values, float]:
    powers = channel_gains(mix, source, times) ** 2
    return energy_vector(mix.room, powers)[:, 0], float(powers.sum())


def _cosine(one: Values, other: Values) -> float:
    lengths = np.linalg.norm(one) * np.linalg.norm(other)
    return 1.0 if not lengths > 1e-9 else float(one @ other / lengths)


def _is_folded(mix: Mix, values: Mapping[str, float]) -> bool:
    """Whether a place has what a layout cannot play."""
    high = any(abs(values.get(name, 0.0)) > 1e-6 for name in ("height", "height_left", "height_right"))
    deep = any(values.get(name, 1.0) < 1.0 for name in ("front", "front_left", "front_right"))
    above = any(speaker.elevation > 0.0 for speaker in mix.room.speakers)
    behind = any(abs(speaker.azimuth) > 90.0 for speaker in mix.room.speakers)
    return (high and not above) or (deep and not behind) or (values["spread"] > 0.0 and not mix.room.surround)


def with_values(source: MixSource, given: Mapping[str, float]) -> MixSource:
    """The source with some values as a hand holds them, whatever their lanes say.

    Places are given as they are to sound: its group's shift is taken off. NeedleError for an unknown value.
    """
    own: dict[str, Any] = {
        name: float(np.clip(value - source.shift, -1.0, 1.0)) if _is_across(name) else value
        for name, value in given.items()
        if hasattr(source, name)
    }
    if len(own) < len(given):
        raise NeedleError("room.no_such_value")
    lanes = {name: lane for name, lane in source.lanes.items() if name not in own}
    return replace(source, lanes=lanes, **own)


def _is_across(name: str) -> bool:
    return name in PARAMETERS and PARAMETERS[name].place


def values_at_polar(
    source: MixSource, at: float, azimuth: float, elevation: float, distance: float
) -> dict[str, float]:
    """The place ("pan", "front", "height") with which a source is heard from a direction (degrees) at a time (s).

    What turns it then, itself, with the room or by a pulse, is taken off; its group's shift is not.
    """
    values = values_at(source, np.array([at]))
    turned = float((values["rotation"] + values["room_rotation"])[0])
    place = polar_to_room(azimuth - turned, elevation, abs(distance))
    return dict(zip(("pan", "front", "height"), map(float, place), strict=True))
