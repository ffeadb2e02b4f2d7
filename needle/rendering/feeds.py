"""Feeds: what the engine adds up, each some audio and the gains with which it reaches the outputs.

A source gives its direct sound; where a part of it is late (timing, a delayed double) that part is a feed of its own,
already delayed. A source also feeds returns, and a return gives its effects' output.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from needle.conventions import db_to_gain
from needle.moving.lane import Lane, Values
from needle.moving.parameters import PARAMETERS
from needle.placing.laws import Gains, law_named
from needle.placing.modes import MODES, before_placing, mode_for
from needle.placing.timing import REACH, Timing, delayed, timing_of
from needle.rendering.dealing import DealtSound
from needle.rendering.mix import BLOCK, Mix, MixReturn, MixSend, MixSource, sent_text
from needle.rendering.pieces import assembled, digest, piece_frames

OUTPUTS = 2

LEVELS = ("level", "trim", "group_level")
"""What is left out of a frozen sound, so that it can still be set."""

Audio = NDArray[np.float32]


@dataclass(frozen=True)
class Feed:
    """``audio`` (channels, frames) from frame ``offset`` of the session on; silent where it has none.

    ``gains(times)``: (outputs, channels, times), or of length 1 where nothing moves. ``lanes`` are what they follow;
    ``pulses``, whether they move in rhythm as well.
    """

    audio: Audio | DealtSound
    offset: int
    gains: Callable[[Values], Gains]
    lanes: tuple[Lane, ...] = ()
    pulses: bool = False

    @property
    def channels(self) -> int:
        return self.audio.shape[0]

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


Render = Callable[[list[Feed], int, int, int], Audio]
"""Adds feeds up: (feeds, outputs, first frame, last frame) → (outputs, frames)."""


def values_at(source: MixSource, times: Values) -> dict[str, Values]:
    """What the source's placement reads at each time (s), shifted with its group; what does not move is told once."""
    names = (*MODES[source.mode].parameters, "width", *LEVELS)
    found = {name: _value(source, name, times) for name in names}
    swings = [shift for pulse in source.pulses if (shift := pulse.shift(times)) is not None]
    if not source.shift and not swings:
        return found
    return _swung(found, source.shift + sum(swings, np.zeros((OUTPUTS, 1))))


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
    return (1.0 - across) * sides[0] + across * sides[1]


def output_sides(source: MixSource, times: Values) -> Values | None:
    """What pulses make of left and right after its place, (2, times); None if nothing."""
    own = source.pulse.sides(times) if source.pulse and not across_inputs(source) else None
    group = source.group_pulse.sides(times) if source.group_pulse else None
    if own is None or group is None:
        return group if own is None else own
    return own * group


def _pulsed_in(matrix: Gains, source: MixSource, times: Values) -> Gains:
    sides = input_sides(source, times)
    return matrix if sides is None else matrix * sides


def _pulsed_out(matrix: Gains, source: MixSource, times: Values) -> Gains:
    sides = output_sides(source, times)
    return matrix if sides is None else matrix * sides[:, np.newaxis]


def _value(thing: MixSource | MixSend | MixReturn, name: str, times: Values) -> Values:
    """A number of a thing at each time (s): by its lane, or told once."""
    lane = thing.lanes.get(name)
    return lane.evaluate(times) if lane else np.array([getattr(thing, name)])


def placement(mix: Mix, source: MixSource, values: dict[str, Values], share: float = 1.0) -> Gains:
    """The gains of its place alone, (2, channels, times)."""
    mode = mode_for(source.mode, source.channels)
    return mode.gains(law_named(mix.law), values, source.channels, mix.centre_zero, share)


def prior(source: MixSource, values: dict[str, Values]) -> Gains | None:
    """Exchange, polarity and width before it is placed, (channels, channels, times); None if nothing changes."""
    return before_placing(values, source.exchange, (source.invert_left, source.invert_right), source.channels)


def level_gain(source: MixSource, values: dict[str, Values]) -> Values:
    """The linear gain of the source's gain, level, trim and group level at each time."""
    level = db_to_gain(np.minimum(values["level"], PARAMETERS["level"].high))
    return level * (db_to_gain(source.gain) * db_to_gain(values["trim"]) * db_to_gain(values["group_level"]))


def _after(matrix: Gains, first: Gains | None) -> Gains:
    return matrix if first is None else np.einsum("oj...,ji...->oi...", matrix, first)


def doubled(source: MixSource) -> tuple[float, float]:
    """The gain of the source where it stands, and of its copy opposite (0 if there is none)."""
    if not source.double:
        return 1.0, 0.0
    trim = float(db_to_gain(source.double_trim))
    return trim, trim


def direct_feeds(mix: Mix, source: MixSource, first: int, last: int, render: Render) -> Iterator[Feed]:
    """The source's own sound from frame ``first`` to ``last`` (whole blocks), as feeds to left and right."""
    if source.frozen is not None:
        yield _frozen_feed(source, source.frozen)
        return
    timing = timing_of(source.timing, source.timing_ms, source.timing_share)
    here, copy = doubled(source)
    late_copy = source.double_ms / 1000.0 * mix.rate if copy else 0.0

    def at_once(times: Values) -> Gains:
        values = values_at(source, times)
        matrix = placement(mix, source, values)
        if copy and not late_copy:
            matrix = here * matrix + copy * matrix[::-1]
        elif here != 1.0:
            matrix = here * matrix
        matrix = _pulsed_in(_pulsed_out(matrix, source, times), source, times)
        return _after(matrix, prior(source, values)) * level_gain(source, values)

    if timing is None:
        yield Feed(source.audio, source.offset, at_once, tuple(source.lanes.values()), bool(source.pulses))
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


def _frozen_feed(source: MixSource, frozen: Audio) -> Feed:
    """What was frozen of a source at its level, which is still to be set, and with its group's level."""

    def gains(times: Values) -> Gains:
        values = {name: _value(source, name, times) for name in LEVELS}
        return np.eye(OUTPUTS)[:, :, np.newaxis] * (level_gain(source, values) / db_to_gain(source.gain))

    return Feed(frozen, 0, gains, tuple(lane for name, lane in source.lanes.items() if name in LEVELS))


def before_placement(source: MixSource, for_hand: bool = False) -> Feed:
    """The source before its placement: exchange, polarity, width, level and what pulses there done.

    Each channel comes by itself. ``for_hand``: with what pulses after the placement as well; where something does,
    every channel comes twice, first as it is turned down for the left and then for the right.
    """
    straight = np.eye(source.channels)[:, :, np.newaxis]

    def gains(times: Values) -> Gains:
        values = values_at(source, times)
        found = _after(_pulsed_in(straight, source, times), prior(source, values)) * level_gain(source, values)
        if not for_hand or not two_sided(source):
            return found
        sides = output_sides(source, times)
        return np.concatenate([found * sides[0], found * sides[1]])

    return Feed(source.audio, source.offset, gains, tuple(source.lanes.values()), bool(source.pulses))


def two_sided(source: MixSource) -> bool:
    """Whether pulses turn its left and right down after its placement."""
    return output_sides(source, np.zeros(1)) is not None


@dataclass(frozen=True)
class _Delays:
    """How late each channel of a source is at either side, at the edges of the blocks of a stretch (samples)."""

    mix: Mix
    source: MixSource
    timing: Timing | None
    first: int
    last: int

    def samples(self) -> Values:
        """(2, channels, edges)."""
        edges = np.arange(self.first, self.last + 1, BLOCK) / self.mix.rate
        source = self.source
        if self.timing is None:
            return np.zeros((OUTPUTS, source.channels, len(edges)))
        positions = MODES[source.mode].positions(values_at(source, edges), source.channels)
        late = self.timing.delays(positions) * self.mix.rate
        return np.broadcast_to(late, (OUTPUTS, source.channels, len(edges)))


def _late(
    mix: Mix, source: MixSource, sound: Audio, begins: int, delays: _Delays, gain: float, more: float, mirrored: bool
) -> Feed:
    """A delayed part of a source as a feed of 2 × channels: what reaches the left, then what reaches the right."""
    channels = source.channels
    samples = delays.samples()[:: -1 if mirrored else 1] + more
    late = [
        delayed(sound[channel], begins, samples[output, channel], BLOCK, delays.first)
        for output in range(OUTPUTS)
        for channel in range(channels)
    ]
    share = delays.timing.share if delays.timing else 1.0

    def gains(times: Values) -> Gains:
        matrix = placement(mix, source, values_at(source, times), share) * gain
        if mirrored:
            matrix = matrix[::-1]
        matrix = _pulsed_out(matrix, source, times)
        found = np.zeros((OUTPUTS, OUTPUTS * channels, matrix.shape[2]))
        for output in range(OUTPUTS):
            found[output, output * channels : (output + 1) * channels] = matrix[output]
        return found

    moving = tuple(lane for name, lane in source.lanes.items() if name in MODES[source.mode].parameters)
    return Feed(np.stack(late), delays.first, gains, moving, bool(source.pulses))


def send_feed(mix: Mix, source: MixSource, send: MixSend) -> Feed:
    """What a source gives to a return's two inputs: by the pan law, wherever its own sound is told by timing.

    Tapped after its level it pulses as the source does. The send's own pulse comes last.
    """
    here, copy = doubled(source)
    own = MODES["pan" if source.channels == 1 else "mono"]
    gain = float(db_to_gain(source.gain))

    def gains(times: Values) -> Gains:
        values = values_at(source, times)
        swing = send.pulse.shift(times) if send.pulse else None
        if send.place == "own":
            pan = _value(send, "pan", times)
            pan = {"pan": pan if swing is None else np.clip(pan + swing[0], -1.0, 1.0)}
            matrix = own.gains(law_named(mix.law), pan, source.channels, mix.centre_zero)
        else:
            matrix = placement(mix, source, values if swing is None else _swung(values, swing))
            matrix = here * matrix + copy * matrix[::-1] if copy else matrix
            matrix = matrix[::-1] if send.place == "opposite" else matrix
        if not send.before:
            matrix = _pulsed_in(_pulsed_out(matrix, source, times), source, times)
        sides = send.pulse.sides(times) if send.pulse else None
        matrix = matrix if sides is None else matrix * sides[:, np.newaxis]
        level = db_to_gain(_value(send, "level", times)) * (gain if send.before else level_gain(source, values))
        return _after(matrix, prior(source, values)) * level

    pulses = bool(source.pulses or send.pulse)
    return Feed(source.audio, source.offset, gains, (*source.lanes.values(), *send.lanes.values()), pulses)


def _swung(values: dict[str, Values], swing: Values) -> dict[str, Values]:
    """Values with every place moved by a pulse's swing."""
    return {
        name: np.clip(value + swing[1 if name == "pan_right" else 0], -1.0, 1.0)
        if name in PARAMETERS and PARAMETERS[name].place
        else value
        for name, value in values.items()
    }


def return_feed(
    mix: Mix, one: MixReturn, sent: list[MixSource], first: int, last: int, render: Render, keep: bool = True
) -> Feed | None:
    """A return's output from frame ``first`` to ``last``, kept for later if wished; None if there is none."""
    past, ahead = one.chain.reach(mix.around)
    if not any(s.sounds_between(first - past, last + ahead) for s in sent):
        return None
    wet = _Wet(mix, one, sent, render, keep).between(first, last)

    def gains(times: Values) -> Gains:
        pan = _value(one, "pan", times)
        swing = one.pulse.shift(times) if one.pulse else None
        pan = pan if swing is None else np.clip(pan + swing[0], -1.0, 1.0)
        place = MODES["balance"].gains(law_named(mix.law), {"pan": pan}, OUTPUTS)
        sides = one.pulse.sides(times) if one.pulse else None
        place = place if sides is None else place * sides
        width = {"width": _value(one, "width", times)}
        turned = _after(place, before_placing(width, False, (False, False), OUTPUTS))
        return turned * db_to_gain(_value(one, "level", times))

    return Feed(wet, first, gains, tuple(one.lanes.values()), one.pulse is not None)


class _Wet:
    """What comes out of a return's effects, and what goes into them, piece by piece."""

    def __init__(self, mix: Mix, one: MixReturn, sent: list[MixSource], render: Render, keep: bool) -> None:
        self.mix, self.one, self.sent, self.render, self.keep = mix, one, sent, render, keep
        self.size = piece_frames(mix.rate)
        self.past, self.ahead = one.chain.reach(mix.around)
        self._keys: dict[int, str] = {}

    def between(self, first: int, last: int) -> Audio:
        """The output from frame ``first`` to ``last``."""
        return assembled(self.size, first, last, self._key, self._make, self.keep)

    def _make(self, low: int, high: int) -> Audio:
        start, stop = low * self.size - self.past, high * self.size + self.ahead
        dry = assembled(self.size, start, stop, self._dry_key, self._make_dry, self.keep)
        return self.one.chain.process(dry, start, self.mix.around)

    def _key(self, piece: int) -> str:
        first = (piece * self.size - self.past) // self.size
        last = -(-((piece + 1) * self.size + self.ahead) // self.size)
        inputs = " ".join(self._dry_key(i) for i in range(first, last))
        return digest(f"wet {self.one.chain.key} {self.mix.rate} {self.mix.tempo.tempos} {inputs}")

    def _make_dry(self, low: int, high: int) -> Audio:
        start, stop = low * self.size, high * self.size
        feeds = [send_feed(self.mix, s, s.sends[self.one.id]) for s in self.sent if s.sounds_between(start, stop)]
        return self.render(feeds, OUTPUTS, start, stop)

    def _dry_key(self, piece: int) -> str:
        if piece not in self._keys:
            start, stop = piece * self.size, (piece + 1) * self.size
            parts = [sent_text(self.mix, s, self.one.id, start, stop) for s in self.sent]
            self._keys[piece] = digest(f"dry {self.mix.rate} {self.mix.law} {self.mix.centre_zero} {start} {parts}")
        return self._keys[piece]
