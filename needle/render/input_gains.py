"""The gains with which every kind of input reaches the channels of a bus, at any times.

Each function takes the mix, what the input belongs to (or a view of a batch of such, ``needle.render.batches``), and
times (s), and gives (outputs, inputs, times), or of length 1 where nothing moves.
"""

import numpy as np
from numpy.typing import NDArray

from needle.automation.curve import Values
from needle.dsp.direct_ambient import ambient_powers
from needle.dsp.fractional_delay import timing_of
from needle.dsp.pan_laws import LAWS, Gains, law_named
from needle.dsp.pan_modes import MODES, SIDE_BANDS, before_placing
from needle.dsp.room_panner import Where, room_powers
from needle.layouts import Layout
from needle.mix.model import Mix, MixLayer, MixReturn, MixSend, MixSource
from needle.render.source_gains import (
    LEVELS,
    after,
    doubler_gains,
    ends,
    in_room,
    input_matrix,
    level_gain,
    on_sides,
    output_sides,
    placement,
    side_rows,
    values_at,
    with_input_pulse,
    with_lfe,
    with_offset,
    with_output_pulse,
)
from needle.units import db_to_gain

SIDES = 2
"""Left and right: what a layer's effects take and give."""


def level_at(source: MixSource, times: Values) -> Values:
    """A source's gain, level, trim and group level at each time, or once where none of them moves."""
    return level_gain(source, {name: source.value(name, times) for name in LEVELS})


def place_gains(mix: Mix, source: MixSource, times: Values) -> Gains:
    """A source's own sound, its level left out: its place, what pulses there, swap, polarity and width."""
    values = values_at(source, times)
    matrix = placement(mix, source, values, times)
    direct, copy = doubler_gains(source)
    if copy and not source.double_ms:
        matrix = direct * matrix + copy * matrix[mix.room.mirrored]
    elif direct != 1.0:
        matrix = direct * matrix
    matrix = with_input_pulse(with_output_pulse(mix.room, matrix, source, times), source, times)
    return after(matrix, input_matrix(source, values))


def direct_gains(mix: Mix, source: MixSource, times: Values) -> Gains:
    """A source's own sound that is not late."""
    return place_gains(mix, source, times) * level_at(source, times)


def late_gains(mix: Mix, source: MixSource, times: Values) -> Gains:
    """What arrives late of a source: where it is placed by timing, and then its double, if there is one.

    Each has 2 × the source's channels as inputs: what reaches the left, then what reaches the right.
    """
    mirrored = [False] * (source.delay_panning != "off") + [True] * source.double
    return np.concatenate([_late_part(mix, source, times, each) for each in mirrored], axis=1)


def _late_part(mix: Mix, source: MixSource, times: Values, mirrored: bool) -> Gains:
    """The source where it is placed by timing, or ``mirrored`` its double, which stands opposite."""
    timing = timing_of(source.delay_panning, source.delay_panning_ms, source.level_share)
    share = timing.share if timing else 1.0
    gain = doubler_gains(source)[1 if mirrored else 0]
    room, channels = mix.room, source.channels
    values = values_at(source, times)
    if not room.surround:
        matrix = placement(mix, source, values, times, share) * gain
        matrix = with_output_pulse(room, matrix[::-1] if mirrored else matrix, source, times)
        gains = np.zeros((2, 2 * channels, matrix.shape[2]))
        for output in range(2):
            gains[output, output * channels : (output + 1) * channels] = matrix[output]
        return gains
    if timing is None:
        # A copy that is only later has the source's own place, mirrored.
        matrix = placement(mix, source, values, times)[room.mirrored] * gain
        matrix = with_output_pulse(room, matrix, source, times)
        return np.concatenate([matrix, np.zeros_like(matrix)], axis=1)
    sides = source.panning.gains(law_named(mix.law), values, channels, mix.centre_zero, share) * gain
    both = ends(mix, source, values, times)
    if mirrored:
        both, sides = both[room.mirrored][:, ::-1], sides[::-1]
    gains = np.concatenate([both[:, side : side + 1] * sides[side] for side in range(2)], axis=1)
    return with_output_pulse(room, gains, source, times)


def frozen_gains(mix: Mix, source: MixSource, times: Values) -> Gains:
    """What was frozen of a source, with the level that can still be set."""
    return np.eye(mix.outputs)[:, :, np.newaxis] * (level_at(source, times) / db_to_gain(source.gain))


def played_gains(mix: Mix, source: MixSource, times: Values, playing: tuple[int, ...]) -> Gains:
    """Sounds that are mixed for some channels of the layout already, at the source's level."""
    return np.eye(mix.outputs)[:, list(playing), np.newaxis] * level_at(source, times)


def before_placement_gains(_mix: Mix, source: MixSource, times: Values, for_hand: bool = False) -> Gains:
    """A source before its placement, each channel by itself: swap, polarity, width, level and what pulses there.

    ``for_hand``: with what pulses after the placement as well; where something does, every channel comes twice, first
    as it is turned down for the left and then for the right. The bands of a side come as two channels then
    (``side_rows``).
    """
    values = values_at(source, times)
    straight = with_input_pulse(np.eye(source.channels)[:, :, np.newaxis], source, times)
    matrix = after(straight, input_matrix(source, values)) * level_gain(source, values)
    if not for_hand:
        return matrix
    if source.mode == SIDE_BANDS:
        matrix = after(side_rows(values), matrix)
    sides = output_sides(source, times)
    return matrix if sides is None else np.concatenate([matrix * sides[0], matrix * sides[1]])


def hand_gains(mix: Mix, source: MixSource, times: Values) -> Gains:
    """What a hand that moves the source needs of it (``before_placement_gains``)."""
    return before_placement_gains(mix, source, times, for_hand=True)


def stem_gains(mix: Mix, source: MixSource, times: Values) -> Gains:
    """A finished stem over the room: its direct part from where it stands in front, its ambience from all round."""
    room = mix.room
    values = values_at(source, times)
    across = np.clip(values["pan"] + np.array([[-1.0], [0.0], [1.0]]), -1.0, 1.0)
    front = in_room(mix, source, across, values, times)
    direct = front * source.speaker_routing.gains("direct", times)
    around = source.speaker_routing.through(room, ambient_powers(room)[:, np.newaxis, np.newaxis], times)[:, 0]
    ambient = np.sqrt(around) * source.speaker_routing.gains("ambient", times)
    by_group = source.speaker_routing.group_gains(room, times)
    ambient = ambient if by_group is None else ambient * by_group
    each = np.zeros((mix.outputs, len(room.speakers), ambient.shape[-1]))
    each[room.standing, np.arange(len(room.speakers))] = ambient
    direct = np.broadcast_to(direct, (*direct.shape[:2], max(direct.shape[2], each.shape[2])))
    each = np.broadcast_to(each, (*each.shape[:2], direct.shape[2]))
    matrix = with_output_pulse(room, np.concatenate([direct, each], axis=1), source, times)
    return matrix * level_gain(source, values)


def lfe_gains(_mix: Mix, source: MixSource, times: Values) -> Gains:
    """What a source gives to the low-frequency channel, before that channel's filter: one output."""
    values = values_at(source, times)
    channels = SIDES if source.mode == SIDE_BANDS else source.channels
    together = np.full((1, source.channels, 1), 1.0 / np.sqrt(channels))
    level = db_to_gain(source.value("lfe", times)) + source.speaker_routing.gains("lfe", times)
    matrix = with_input_pulse(together, source, times)
    return after(matrix, input_matrix(source, values)) * (level_gain(source, values) * level)


def send_gains(mix: Mix, source: MixSource, send: MixSend, times: Values) -> Gains:
    """What a source gives to a return's inputs: by the pan law, or in a room by its panner.

    Tapped after its level it pulses as the source does. The send's own pulse comes last.
    """
    direct, copy = doubler_gains(source)
    room = mix.room
    values = values_at(source, times)
    swing = send.pulse.shift(times) if send.pulse else None
    if send.place == "own":
        matrix = _own_place(mix, source, send, swing, times)
    else:
        matrix = placement(mix, source, values if swing is None else with_offset(values, swing), times)
        matrix = direct * matrix + copy * matrix[room.mirrored] if copy else matrix
        matrix = matrix[room.mirrored] if send.place == "opposite" else matrix
    if not send.pre:
        matrix = with_input_pulse(with_output_pulse(room, matrix, source, times), source, times)
    sides = send.pulse.sides(times) if send.pulse else None
    matrix = matrix if sides is None else matrix * on_sides(room, sides)[:, np.newaxis]
    level = db_to_gain(send.value("level", times))
    level = level * (db_to_gain(source.gain) if send.pre else level_gain(source, values))
    return after(matrix, input_matrix(source, values)) * level


def send_power_gains(mix: Mix, source: MixSource, send: MixSend, times: Values) -> Gains:
    """The same to one output, with the power that it has at all of them together."""
    return np.sqrt((send_gains(mix, source, send, times) ** 2).sum(axis=0, keepdims=True))


def _own_place(mix: Mix, source: MixSource, send: MixSend, swing: Values | None, times: Values) -> Gains:
    """The gains of a send's own place: all channels of the source as one sound."""
    pan = send.value("pan", times)
    pan = pan if swing is None else np.clip(pan + swing[0], -1.0, 1.0)
    if not mix.room.surround:
        own = MODES["pan" if source.channels == 1 else "mono"]
        return own.gains(law_named(mix.law), {"pan": pan}, source.channels, mix.centre_zero)
    front, height, spread = (send.value(name, times) for name in ("front", "height", "spread"))
    where = Where(pan, front, height, spread=spread)
    gains = with_lfe(mix.room, np.sqrt(room_powers(mix.room, where)))
    return np.repeat(gains[:, np.newaxis], source.channels, axis=1) / source.channels


def layer_gains(mix: Mix, source: MixSource, layer: MixLayer, times: Values, governed: bool) -> Gains:
    """A layer's two sides at its place; ``governed`` by its source's level, if what it takes is tapped before it."""
    names = ("pan", "span", "front", "height", "spread", "rotation")
    values = {name: layer.value(name, times) for name in names}
    positions = MODES["span"].positions(values, SIDES)
    if mix.room.surround:
        turned = values["rotation"] + source.value("room_rotation", times)
        where = Where(positions, values["front"], values["height"], turned, values["spread"])
        matrix = with_lfe(mix.room, np.sqrt(room_powers(mix.room, where)))
    else:
        matrix = law_named(mix.law).gains(positions, mix.centre_zero)
    level = db_to_gain(layer.value("level", times))
    if governed:
        level = level * level_gain(source, values_at(source, times)) / db_to_gain(source.gain)
    return matrix * level


def layer_source_gains(_mix: Mix, source: MixSource, layer: MixLayer, times: Values) -> Gains:
    """A source as a layer takes it: its sides, or one sound on both; before or after its level."""
    if source.channels == 1:
        straight = np.full((SIDES, 1, 1), np.sqrt(0.5))
    else:
        across = np.linspace(0.0, 1.0, source.channels)
        straight = np.sqrt(np.array([1.0 - across, across]))[:, :, np.newaxis]
    values = values_at(source, times)
    matrix = straight if layer.pre else with_input_pulse(straight, source, times)
    level = db_to_gain(source.gain) if layer.pre else level_gain(source, values)
    return after(matrix, input_matrix(source, values)) * level


def layer_below_gains(_mix: Mix, below: MixLayer, layer: MixLayer, times: Values) -> Gains:
    """What a layer takes from the layer before it: two sides, before or after that one's level."""
    gain = np.ones(1) if layer.pre else db_to_gain(below.value("level", times))
    return np.eye(SIDES)[:, :, np.newaxis] * gain


def return_gains(mix: Mix, mix_return: MixReturn, times: Values, diffuse: bool) -> Gains:
    """A return's channels at its level, balance, width and turn.

    ``diffuse``: with a third of its inputs its early part as it was sent, with another its diffuse tail; they are
    crossfaded by ``envelopment``, power kept.
    """
    room = mix.room
    pan = mix_return.value("pan", times)
    swing = mix_return.pulse.shift(times) if mix_return.pulse else None
    pan = pan if swing is None else np.clip(pan + swing[0], -1.0, 1.0)
    sides = mix_return.pulse.sides(times) if mix_return.pulse else None
    place = _balanced(mix, mix_return, pan, times)
    place = place if sides is None else place * on_sides(room, sides)
    result = place[:, np.newaxis] * np.eye(mix.outputs)[:, :, np.newaxis]
    result = after(_turned(mix, mix_return, times), result)
    width = before_placing({"width": mix_return.value("width", times)}, False, (False, False), SIDES)
    result = after(result, None if width is None else _in_pairs(room, width))
    result = result * db_to_gain(mix_return.value("level", times))
    if not diffuse:
        return result
    # The early part stays where it was sent; the tail is crossfaded to the diffuse one, power kept.
    directional = 1.0 - mix_return.value("envelopment", times)
    shares = (directional, 1.0 - directional, np.sqrt(1.0 - directional**2))
    parts = np.broadcast_arrays(*(result * share for share in shares))
    return np.concatenate(parts, axis=1)


def _balanced(mix: Mix, mix_return: MixReturn, pan: Values, times: Values) -> Values:
    """The gain of every channel of a return: the balance law across, and in a room also along and upwards."""
    room = mix.room
    law = LAWS["balance"]
    gains = on_sides(room, law.gains(pan))
    if not room.surround:
        return gains
    for name, places in (("front", room.places[1]), ("height", 2.0 * room.places[2] - 1.0)):
        balance = mix_return.value(name, times)
        if (name == "height" and not (room.places[2] > 0.0).any()) or not np.any(balance):
            continue
        low, high = law.gains(balance)
        share = np.full(mix.outputs, 0.5)
        share[room.standing] = (1.0 + np.clip(places, -1.0, 1.0)) / 2.0
        gains = gains * ((1.0 - share[:, np.newaxis]) * low + share[:, np.newaxis] * high)
    return gains


def _turned(mix: Mix, mix_return: MixReturn, times: Values) -> Gains:
    """Every channel of a return as a source where its speaker stands, turned and spread.

    Shape (channels, channels, times).
    """
    room = mix.room
    spread = mix_return.value("spread", times)
    turn = mix_return.value("rotation", times) + mix_return.value("room_rotation", times)
    turn = turn if mix_return.pulse is None or (swing := mix_return.pulse.turn(times)) is None else turn + swing
    straight = np.eye(mix.outputs)[:, :, np.newaxis]
    if not room.surround or not (np.any(turn) or np.any(spread)):
        return straight
    x, y, z = (place[:, np.newaxis] for place in room.places)
    matrix = np.broadcast_to(straight, (mix.outputs, mix.outputs, max(len(turn), len(spread)))).copy()
    powers = room_powers(room, Where(x, y, z, turn, spread))
    matrix[np.ix_(room.standing, room.standing)] = np.sqrt(powers)
    return matrix


def _in_pairs(room: Layout, matrix: Gains) -> NDArray[np.float64]:
    """A matrix of left and right (2, 2, times) for every two channels that are opposite: (channels, channels, …)."""
    count = len(room.channels)
    by_channel = np.zeros((count, count, matrix.shape[2]))
    for index, other in enumerate(room.mirrored):
        side = 0 if room.right[index] < 0.5 else 1
        if index == other:
            by_channel[index, index] = 1.0
        else:
            by_channel[index, index], by_channel[index, other] = matrix[side, side], matrix[side, 1 - side]
    return by_channel
