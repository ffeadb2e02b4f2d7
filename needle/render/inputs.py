"""Feeds: what the engine adds up, each some audio and the gains with which it reaches the channels of the mix.

A source gives its direct sound; where a part of it is late (timing, a delayed double) that part is a feed of its own,
already delayed. What comes through effects is in ``needle.render.buses``.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from needle.automation.curve import Lane, Values
from needle.dsp.direct_ambient import ambient_powers
from needle.dsp.fractional_delay import REACH, Timing, delayed, interpolated, timing_of
from needle.dsp.pan_laws import Gains, law_named
from needle.dsp.pan_modes import SIDE_BANDS, STEM
from needle.mix.dealt_sounds import GeneratedAudio
from needle.mix.model import BLOCK, Mix, MixSource
from needle.mix.side_bands import SideBands, StillBands
from needle.mix.stem_parts import StemParts
from needle.render.source_gains import (
    LEVELS,
    after,
    doubler_gains,
    ends,
    in_room,
    input_matrix,
    level_gain,
    output_sides,
    placement,
    side_rows,
    two_sided,
    value_of,
    values_at,
    with_input_pulse,
    with_output_pulse,
)
from needle.units import db_to_gain

Audio = NDArray[np.float32]

DELAY_STEP = 16
"""Samples from one to the next at which a moving delay is evaluated; a block is a whole number of them.

In between it is linear: for 8 ms swept at 2 Hz off by less than 1e-4 of a wave of 10 kHz, or -65 dB.
"""


@dataclass(frozen=True)
class Input:
    """``audio`` (channels, frames) from frame ``offset`` of the session on; silent where it has none.

    ``gains(times)``: (outputs, channels, times), or of length 1 where nothing moves. ``lanes`` are what they follow;
    ``pulses``, whether they move in rhythm as well.
    """

    audio: Audio | GeneratedAudio
    offset: int
    gains: Callable[[Values], Gains]
    lanes: tuple[Lane, ...] = ()
    pulses: bool = False

    @property
    def channels(self) -> int:
        return self.audio.shape[0]

    @property
    def moves(self) -> bool:
        """Whether its gains change at all."""
        return bool(self.lanes) or self.pulses

    def sounds_between(self, start: int, stop: int) -> bool:
        """Whether any of its audio lies between two frames of the session."""
        return self.offset < stop and start < self.offset + self.audio.shape[1]

    def read(self, start: int, stop: int, out: Audio) -> None:
        """Put its samples between two frames into ``out`` (channels, stop - start), silence where it has none."""
        low = max(start, self.offset, 0)
        high = max(min(stop, self.offset + self.audio.shape[1]), low)
        out[:, : low - start] = 0.0
        out[:, low - start : high - start] = self.audio[:, low - self.offset : high - self.offset]
        out[:, high - start :] = 0.0


Render = Callable[[list[Input], int, int, int], Audio]
"""Adds feeds up: (feeds, outputs, first frame, last frame) → (outputs, frames)."""


def direct_inputs(mix: Mix, source: MixSource, first: int, last: int, render: Render) -> Iterator[Input]:
    """The source's own sound from frame ``first`` to ``last`` (whole blocks), as feeds to the channels of the mix."""
    if source.frozen is not None:
        yield _frozen_input(mix, source, source.frozen)
        return
    if source.mode == STEM and mix.room.surround:
        yield from _stem_inputs(mix, source)
        return
    timing = timing_of(source.timing, source.timing_ms, source.timing_share)
    here, copy = doubler_gains(source)
    late_copy = source.double_ms / 1000.0 * mix.rate if copy else 0.0

    def place(times: Values) -> Gains:
        values = values_at(source, times)
        matrix = placement(mix, source, values, times)
        if copy and not late_copy:
            matrix = here * matrix + copy * matrix[mix.room.mirrored]
        elif here != 1.0:
            matrix = here * matrix
        matrix = with_input_pulse(with_output_pulse(mix.room, matrix, source, times), source, times)
        return after(matrix, input_matrix(source, values))

    def at_once(times: Values) -> Gains:
        return place(times) * _level(source, times)

    if timing is None:
        yield _still_bands(mix, source, place) or Input(
            source.audio, source.offset, at_once, moved_by(source), bool(source.pulses)
        )
        if not late_copy:
            return
    late = source.longest_delay(mix.rate)
    if not source.sounds_between(first, last, late):
        return
    sound = render([before_placement(source)], source.channels, first - late, last + REACH + BLOCK)
    delays = _Delays(mix, source, timing, first, last)
    if timing is not None:
        yield _late(mix, source, sound, first - late, delays, here, 0.0, mirrored=False)
    if copy:
        yield _late(mix, source, sound, first - late, delays, copy, late_copy, mirrored=True)


def _level(source: MixSource, times: Values) -> Values:
    """Its gain, level, trim and group level at each time, or once where none of them moves."""
    return level_gain(source, {name: value_of(source, name, times) for name in LEVELS})


def _still_bands(mix: Mix, source: MixSource, place: Callable[[Values], Gains]) -> Input | None:
    """The bands of a source of which nothing but its level moves, mixed where they are made; None for any other."""
    if not isinstance(source.audio, SideBands) or source.pulses or source.ways.lanes:
        return None
    if not set(source.lanes) <= set(LEVELS):
        return None

    matrix = place(np.zeros(1))[:, :, 0]
    playing = np.flatnonzero(matrix.any(axis=1))
    to_outputs = np.eye(mix.outputs)[:, playing, np.newaxis]

    def gains(times: Values) -> Gains:
        return to_outputs * _level(source, times)

    return Input(StillBands(source.audio, matrix[playing]), source.offset, gains, tuple(source.lanes.values()))


def _frozen_input(mix: Mix, source: MixSource, frozen: Audio) -> Input:
    """What was frozen of a source at its level, which is still to be set, and with its group's level."""

    def gains(times: Values) -> Gains:
        return np.eye(mix.outputs)[:, :, np.newaxis] * (_level(source, times) / db_to_gain(source.gain))

    return Input(frozen, 0, gains, tuple(lane for name, lane in source.lanes.items() if name in LEVELS))


def before_placement(source: MixSource, for_hand: bool = False) -> Input:
    """The source before its placement: exchange, polarity, width, level and what pulses there done.

    Each channel comes by itself. ``for_hand``: with what pulses after the placement as well; where something does,
    every channel comes twice, first as it is turned down for the left and then for the right. The bands of a side
    come as two channels then (``side_rows``).
    """
    straight = np.eye(source.channels)[:, :, np.newaxis]

    def gains(times: Values) -> Gains:
        values = values_at(source, times)
        matrix = after(with_input_pulse(straight, source, times), input_matrix(source, values)) * level_gain(
            source, values
        )
        if for_hand and source.mode == SIDE_BANDS:
            matrix = after(side_rows(values), matrix)
        if not for_hand or not two_sided(source):
            return matrix
        sides = output_sides(source, times)
        return np.concatenate([matrix * sides[0], matrix * sides[1]])

    return Input(source.audio, source.offset, gains, tuple(source.lanes.values()), bool(source.pulses))


@dataclass(frozen=True)
class _Delays:
    """How late each channel of a source is at either side, at every sample of a stretch (samples)."""

    mix: Mix
    source: MixSource
    timing: Timing | None
    first: int
    last: int

    def samples(self) -> Values:
        """(2, channels, frames)."""
        source, count = self.source, self.last - self.first
        if self.timing is None:
            return np.zeros((2, source.channels, count))
        edges = np.arange(self.first, self.last + 1, DELAY_STEP) / self.mix.rate
        positions = source.panning.positions(values_at(source, edges), source.channels)
        late = self.timing.delays(positions) * self.mix.rate
        if late.shape[2] > 1:
            late = interpolated(late, DELAY_STEP)
        return np.broadcast_to(late, (2, source.channels, count))


def _late(
    mix: Mix, source: MixSource, sound: Audio, begins: int, delays: _Delays, gain: float, more: float, mirrored: bool
) -> Input:
    """A delayed part of a source as a feed of 2 × channels: what reaches the left, then what reaches the right."""
    channels = source.channels
    samples = delays.samples()[:: -1 if mirrored else 1] + more
    late = [
        delayed(sound[channel], begins, samples[output, channel], delays.first)
        for output in range(2)
        for channel in range(channels)
    ]
    share = delays.timing.share if delays.timing else 1.0

    room = mix.room
    law = law_named(mix.law)

    def sides_at(values: dict[str, Values]) -> Gains:
        """What reaches the left and the right end: (2, channels, times)."""
        return source.panning.gains(law, values, channels, mix.centre_zero, share)

    def gains(times: Values) -> Gains:
        values = values_at(source, times)
        if not room.surround:
            matrix = placement(mix, source, values, times, share) * gain
            matrix = with_output_pulse(room, matrix[::-1] if mirrored else matrix, source, times)
            late_gains = np.zeros((2, 2 * channels, matrix.shape[2]))
            for output in range(2):
                late_gains[output, output * channels : (output + 1) * channels] = matrix[output]
            return late_gains
        if delays.timing is None:
            # A copy that is only later has the source's own place, mirrored.
            matrix = with_output_pulse(
                room, placement(mix, source, values, times)[room.mirrored] * gain, source, times
            )
            return np.concatenate([matrix, np.zeros_like(matrix)], axis=1)
        both, sides = ends(mix, source, values, times), sides_at(values) * gain
        if mirrored:
            both, sides = both[room.mirrored][:, ::-1], sides[::-1]
        late_gains = np.concatenate([both[:, side : side + 1] * sides[side] for side in range(2)], axis=1)
        return with_output_pulse(room, late_gains, source, times)

    return Input(np.stack(late), delays.first, gains, moved_by(source), bool(source.pulses))


def moved_by(source: MixSource) -> tuple[Lane, ...]:
    """The lanes that move a source's placement."""
    return (*source.lanes.values(), *source.ways.lanes)


def _stem_inputs(mix: Mix, source: MixSource) -> Iterator[Input]:
    """A finished stem over the room: its direct part from where it stands in front, its ambience from all round."""
    room = mix.room
    parts = StemParts(
        source.audio, source.audio_description, room, source.exchange, (source.invert_left, source.invert_right)
    )
    all_round = ambient_powers(room)[:, np.newaxis, np.newaxis]

    def gains(times: Values) -> Gains:
        values = values_at(source, times)
        across = np.clip(values["pan"] + np.array([[-1.0], [0.0], [1.0]]), -1.0, 1.0)
        front = in_room(mix, source, across, values, times)
        direct = front * source.ways.gains("direct", times)
        around = source.ways.through(room, all_round, times)[:, 0]
        ambient = np.sqrt(around) * source.ways.gains("ambient", times)
        by_group = source.ways.group_gains(room, times)
        ambient = ambient if by_group is None else ambient * by_group
        each = np.zeros((mix.outputs, len(room.speakers), ambient.shape[-1]))
        each[room.standing, np.arange(len(room.speakers))] = ambient
        direct = np.broadcast_to(direct, (*direct.shape[:2], max(direct.shape[2], each.shape[2])))
        each = np.broadcast_to(each, (*each.shape[:2], direct.shape[2]))
        matrix = with_output_pulse(room, np.concatenate([direct, each], axis=1), source, times)
        return matrix * level_gain(source, values)

    yield Input(parts, source.offset, gains, moved_by(source), bool(source.pulses))


def lfe_input(source: MixSource) -> Input:
    """What a source gives to the low-frequency channel, before that channel's filter: one output."""

    def gains(times: Values) -> Gains:
        values = values_at(source, times)
        channels = 2 if source.mode == SIDE_BANDS else source.channels
        together = np.full((1, source.channels, 1), 1.0 / np.sqrt(channels))
        level = db_to_gain(value_of(source, "lfe", times)) + source.ways.gains("lfe", times)
        matrix = with_input_pulse(together, source, times)
        return after(matrix, input_matrix(source, values)) * (level_gain(source, values) * level)

    return Input(source.audio, source.offset, gains, moved_by(source), bool(source.pulses))
