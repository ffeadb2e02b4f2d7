"""Placements: what a source's values come to at any time, and the gains with which its channels reach the outputs.

In stereo the session's pan law places a source; in a room the panner does, with the law's power where the source
stands from left to right, so that a stereo session keeps its levels there.
"""

import numpy as np

from needle.automation.curve import Values
from needle.automation.parameters import PARAMETERS
from needle.dsp.band_split import BANDS, PLACES
from needle.dsp.pan_laws import Gains, law_named
from needle.dsp.pan_modes import SIDE_BANDS, before_placing, in_each_band
from needle.dsp.room_panner import Where, room_powers
from needle.layouts import Layout
from needle.mix.model import Mix, MixSource
from needle.units import db_to_gain

LEVELS = ("level", "trim", "group_level")
"""What is left out of a frozen sound, so that it can still be set."""

IN_ROOM = ("front", "height", "spread", "rotation", "centre_level", "room_rotation")
_BY_SIDE = ("front_left", "front_right", "height_left", "height_right")


def values_at(source: MixSource, times: Values) -> dict[str, Values]:
    """What the source's placement reads at each time (s), shifted with its group; what does not move is told once."""
    names = (*source.panning.parameters, *IN_ROOM, "width", *LEVELS)
    if source.by_side:
        names = (*names, *_BY_SIDE)
    values = {name: source.value(name, times) for name in names}
    turns = [turn for pulse in source.pulses if (turn := pulse.turn(times)) is not None]
    if turns:
        values["rotation"] = values["rotation"] + sum(turns)
    swings = [shift for pulse in source.pulses if (shift := pulse.shift(times)) is not None]
    if not np.any(source.shift) and not swings:
        return values
    return with_offset(values, source.shift + sum(swings, np.zeros((2, 1))))


def across_inputs(source: MixSource) -> bool:
    """Whether its own pulse turns its sides down where they come in; what stands at one place has them only after."""
    return source.channels > 1 and source.mode != "mono"


def input_sides(source: MixSource, times: Values) -> Values | None:
    """What its own pulse makes of each channel before its place, (channels, times); None if nothing.

    Channels between the two sides have their share of both.
    """
    sides = source.pulse.sides(times) if source.pulse and across_inputs(source) else None
    if sides is None:
        return None
    across = np.linspace(0.0, 1.0, source.channels)[:, np.newaxis]
    if source.mode == SIDE_BANDS:
        across = np.repeat([[0.0], [1.0]], BANDS, axis=0)
    return (1.0 - across) * sides[0] + across * sides[1]


def output_sides(source: MixSource, times: Values) -> Values | None:
    """What pulses make of left and right after its place, (2, times); None if nothing."""
    own = source.pulse.sides(times) if source.pulse and not across_inputs(source) else None
    group = source.group_pulse.sides(times) if source.group_pulse else None
    if own is None or group is None:
        return group if own is None else own
    return own * group


def with_input_pulse(matrix: Gains, source: MixSource, times: Values) -> Gains:
    """A placement's gains, with what its pulse makes of its channels where they come in."""
    sides = input_sides(source, times)
    return matrix if sides is None else matrix * sides


def with_output_pulse(room: Layout, matrix: Gains, source: MixSource, times: Values) -> Gains:
    """A placement's gains, with what pulses make of left and right where it comes out."""
    sides = output_sides(source, times)
    return matrix if sides is None else matrix * on_sides(room, sides)[:, np.newaxis]


def on_sides(room: Layout, sides: Values) -> Values:
    """Gains of left and right (2, times) for every channel, (channels, times): what is between has of both."""
    right = room.right[:, np.newaxis]
    return (1.0 - right) * sides[0] + right * sides[1]


def placement(mix: Mix, source: MixSource, values: dict[str, Values], times: Values, share: float = 1.0) -> Gains:
    """The gains of its place alone, (channels of the layout, its channels, times).

    ``share`` 0…1 is how much of its place levels tell; in a room what is placed by timing comes from both sides.
    """
    mode, law = source.panning, law_named(mix.law)
    room = mix.room
    if not room.surround:
        return mode.gains(law, values, source.channels, mix.centre_zero, share)
    if source.delay_panning != "off":
        sides = mode.gains(law, values, source.channels, mix.centre_zero, share)
        return after(ends(mix, source, values, times), sides)
    if mode.on_its_side:
        sides = mode.gains(law, values, source.channels, mix.centre_zero)
        return in_room(mix, source, np.array([[-1.0], [1.0]]), values, times) * np.array([sides[0, 0], sides[1, 1]])
    strengths = mode.strengths(law, values, source.channels, mix.centre_zero)
    return in_room(mix, source, mode.positions(values, source.channels), values, times) * strengths


def ends(mix: Mix, source: MixSource, values: dict[str, Values], times: Values) -> Gains:
    """The gains of a left and a right end at the source's depth and height, (channels of the layout, 2, times)."""
    return in_room(mix, source, np.array([[-1.0], [1.0]]), values, times)


def in_room(mix: Mix, source: MixSource, x: Values, values: dict[str, Values], times: Values) -> Gains:
    """The gains of places at ``x`` (places, times or 1) for a source: (channels of the layout, places, times)."""
    if source.by_side and len(x) in (2, source.channels):
        y, z = by_side(values, len(x))
    else:
        y, z = values["front"], values["height"]
    turned = values["rotation"] + values["room_rotation"]
    position = Where(x, y, z, turned, values["spread"], values["centre_level"], source.snap)
    room = mix.room
    gains = np.sqrt(source.speaker_routing.through(room, room_powers(room, position), times))
    by_group = source.speaker_routing.group_gains(room, times)
    return with_lfe(room, gains if by_group is None else gains * by_group[:, np.newaxis])


def by_side(values: dict[str, Values], count: int) -> tuple[Values, Values]:
    """The depth and height of both sides, half of ``count`` rows for each: (count, times or 1) both."""
    sides = (np.array(np.broadcast_arrays(values[f"{n}_left"], values[f"{n}_right"])) for n in ("front", "height"))
    front, height = (np.repeat(rows, count // 2, axis=0) for rows in sides)
    return front, height


def with_lfe(room: Layout, gains: Gains) -> Gains:
    """Gains (speakers, …) as gains of all channels, the LFE's 0."""
    if room.lfe is None:
        return gains
    by_channel = np.zeros((len(room.channels), *gains.shape[1:]))
    by_channel[room.standing] = gains
    return by_channel


def input_matrix(source: MixSource, values: dict[str, Values]) -> Gains | None:
    """Exchange, polarity and width before it is placed, (channels, channels, times); None if nothing changes."""
    turned = (source.invert_left, source.invert_right)
    if source.mode != SIDE_BANDS:
        return before_placing(values, source.swap_channels, turned, source.channels)
    sides = before_placing(values, source.swap_channels, turned, 2)
    return None if sides is None else in_each_band(sides)


SIDE_ROWS = 4
"""As how many channels a hand gets two sides of which one has a width."""


def side_rows(values: dict[str, Values]) -> Gains:
    """The bands of two sides as two channels each: (SIDE_ROWS, 2 × BANDS, times or 1).

    A band that stands δ beside the middle of its part sounds by the constant-power law as cos δ of it in the middle
    and sin δ a right angle beside: the first channel is for the middle, the second for what lies beside.
    """
    widths = np.array(np.broadcast_arrays(values["width_left"], values["width_right"]))
    angles = widths[:, np.newaxis] * np.array([PLACES, -PLACES])[:, :, np.newaxis] * (np.pi / 4.0)
    matrix = np.zeros((2, 2, 2, BANDS, angles.shape[2]))
    for side in range(2):
        matrix[side, :, side] = np.cos(angles[side]), np.sin(angles[side])
    return matrix.reshape(SIDE_ROWS, 2 * BANDS, -1)


def level_gain(source: MixSource, values: dict[str, Values]) -> Values:
    """The linear gain of the source's gain, level, trim and group level at each time."""
    level = db_to_gain(np.minimum(values["level"], PARAMETERS["level"].high))
    return level * (db_to_gain(source.gain) * db_to_gain(values["trim"]) * db_to_gain(values["group_level"]))


def after(matrix: Gains, first: Gains | None) -> Gains:
    """A matrix of gains behind another one, if there is one."""
    return matrix if first is None else np.einsum("oj...,ji...->oi...", matrix, first)


def doubler_gains(source: MixSource) -> tuple[float, float]:
    """The gain of the source where it stands, and of its copy opposite (0 if there is none)."""
    if not source.double:
        return 1.0, 0.0
    trim = float(db_to_gain(source.double_trim))
    return trim, trim


def with_offset(values: dict[str, Values], swing: Values) -> dict[str, Values]:
    """Values with every place moved by a pulse's swing."""
    return {
        name: np.clip(value + swing[1 if name == "pan_right" else 0], -1.0, 1.0)
        if name in PARAMETERS and PARAMETERS[name].place
        else value
        for name, value in values.items()
    }


def two_sided(source: MixSource) -> bool:
    """Whether pulses turn its left and right down after its placement."""
    return output_sides(source, np.zeros(1)) is not None
