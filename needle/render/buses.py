"""What comes through effects: returns with all that is sent to them, and the layers that stand under a source."""

from collections.abc import Callable
from dataclasses import replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from needle.automation.curve import Lane, Values
from needle.dsp.convolution import convolved, partitioned
from needle.dsp.pan_laws import LAWS, Gains, law_named
from needle.dsp.pan_modes import MODES, before_placing
from needle.dsp.room_panner import Where, room_powers
from needle.effects.chain import Chain
from needle.effects.room import diffuse_responses, response_settings
from needle.layouts import Layout
from needle.mix.model import Mix, MixLayer, MixReturn, MixSend, MixSource, taken_by
from needle.render.cache import assembled, digest, piece_frames
from needle.render.fingerprints import layer_text, sent_text
from needle.render.inputs import Input, Render, moved_by
from needle.render.source_gains import (
    after,
    doubler_gains,
    input_matrix,
    level_gain,
    on_sides,
    placement,
    value_of,
    values_at,
    with_input_pulse,
    with_lfe,
    with_offset,
    with_output_pulse,
)
from needle.units import db_to_gain

Audio = NDArray[np.float32]

_SIDES = 2


def send_input(mix: Mix, source: MixSource, send: MixSend) -> Input:
    """What a source gives to a return's inputs: by the pan law, or in a room by its panner.

    Tapped after its level it pulses as the source does. The send's own pulse comes last.
    """
    here, copy = doubler_gains(source)
    room = mix.room
    gain = float(db_to_gain(source.gain))

    def gains(times: Values) -> Gains:
        values = values_at(source, times)
        swing = send.pulse.shift(times) if send.pulse else None
        if send.place == "own":
            matrix = _own_place(mix, source, send, swing, times)
        else:
            matrix = placement(mix, source, values if swing is None else with_offset(values, swing), times)
            matrix = here * matrix + copy * matrix[room.mirrored] if copy else matrix
            matrix = matrix[room.mirrored] if send.place == "opposite" else matrix
        if not send.before:
            matrix = with_input_pulse(with_output_pulse(room, matrix, source, times), source, times)
        sides = send.pulse.sides(times) if send.pulse else None
        matrix = matrix if sides is None else matrix * on_sides(room, sides)[:, np.newaxis]
        level = db_to_gain(value_of(send, "level", times)) * (gain if send.before else level_gain(source, values))
        return after(matrix, input_matrix(source, values)) * level

    pulses = bool(source.pulses or send.pulse)
    return Input(source.audio, source.offset, gains, (*moved_by(source), *send.lanes.values()), pulses)


def _own_place(mix: Mix, source: MixSource, send: MixSend, swing: Values | None, times: Values) -> Gains:
    """The gains of a send's own place: all channels of the source as one sound."""
    pan = value_of(send, "pan", times)
    pan = pan if swing is None else np.clip(pan + swing[0], -1.0, 1.0)
    if not mix.room.surround:
        own = MODES["pan" if source.channels == 1 else "mono"]
        return own.gains(law_named(mix.law), {"pan": pan}, source.channels, mix.centre_zero)
    front, height, spread = (value_of(send, name, times) for name in ("front", "height", "spread"))
    where = Where(pan, front, height, spread=spread)
    gains = with_lfe(mix.room, np.sqrt(room_powers(mix.room, where)))
    return np.repeat(gains[:, np.newaxis], source.channels, axis=1) / source.channels


def return_input(
    mix: Mix, one: MixReturn, sent: list[MixSource], first: int, last: int, render: Render, keep: bool = True
) -> Input | None:
    """A return's output from frame ``first`` to ``last``, kept for later if wished; None if there is none."""
    past, ahead = one.reach(mix.room, mix.around)
    if not any(s.sounds_between(first - past, last + ahead) for s in sent):
        return None
    room = mix.room

    def dry(start: int, stop: int) -> Audio:
        feeds = [send_input(mix, s, s.sends[one.id]) for s in sent if s.sounds_between(start, stop)]
        return render(feeds, mix.outputs, start, stop)

    def fingerprint(start: int, stop: int) -> str:
        return str([sent_text(mix, s, one.id, start, stop) for s in sent])

    wet = EffectOutput(mix, one.chain, mix.outputs, dry, fingerprint, keep).between(first, last)
    is_diffuse = one.is_diffuse(room)
    if is_diffuse:

        def summed(start: int, stop: int) -> Audio:
            feeds = [_total_power(send_input(mix, s, s.sends[one.id])) for s in sent if s.sounds_between(start, stop)]
            return render(feeds, 1, start, stop)

        early = EffectOutput(mix, one.chain.with_early_rooms, mix.outputs, dry, fingerprint, keep)
        diffuse = _DiffuseEffectOutput(mix, one.chain, summed, fingerprint, keep)
        wet = np.concatenate([wet, early.between(first, last), diffuse.between(first, last)])

    def gains(times: Values) -> Gains:
        pan = value_of(one, "pan", times)
        swing = one.pulse.shift(times) if one.pulse else None
        pan = pan if swing is None else np.clip(pan + swing[0], -1.0, 1.0)
        sides = one.pulse.sides(times) if one.pulse else None
        place = _balanced(mix, one, pan, times)
        place = place if sides is None else place * on_sides(room, sides)
        turned = place[:, np.newaxis] * np.eye(mix.outputs)[:, :, np.newaxis]
        turned = after(_turned(mix, one, times), turned)
        width = before_placing({"width": value_of(one, "width", times)}, False, (False, False), _SIDES)
        turned = after(turned, None if width is None else _in_pairs(room, width))
        turned = turned * db_to_gain(value_of(one, "level", times))
        if not is_diffuse:
            return turned
        # The early part stays where it was sent; the tail is crossfaded to the diffuse one, power kept.
        directional = 1.0 - value_of(one, "envelop", times)
        shares = (directional, 1.0 - directional, np.sqrt(1.0 - directional**2))
        parts = np.broadcast_arrays(*(turned * share for share in shares))
        return np.concatenate(parts, axis=1)

    return Input(wet, first, gains, tuple(one.lanes.values()), one.pulse is not None)


def _total_power(feed: Input) -> Input:
    """A feed to one output, with the power that it has at all its outputs together."""

    def gains(times: Values) -> Gains:
        return np.sqrt((feed.gains(times) ** 2).sum(axis=0, keepdims=True))

    return replace(feed, gains=gains)


def _balanced(mix: Mix, one: MixReturn, pan: Values, times: Values) -> Values:
    """The gain of every channel of a return: the balance law across, and in a room also along and upwards."""
    room = mix.room
    law = LAWS["balance"]
    gains = on_sides(room, law.gains(pan))
    if not room.surround:
        return gains
    for name, places in (("front", room.places[1]), ("height", 2.0 * room.places[2] - 1.0)):
        balance = value_of(one, name, times)
        if (name == "height" and not (room.places[2] > 0.0).any()) or not np.any(balance):
            continue
        low, high = law.gains(balance)
        share = np.full(mix.outputs, 0.5)
        share[room.standing] = (1.0 + np.clip(places, -1.0, 1.0)) / 2.0
        gains = gains * ((1.0 - share[:, np.newaxis]) * low + share[:, np.newaxis] * high)
    return gains


def _turned(mix: Mix, one: MixReturn, times: Values) -> Gains:
    """Every channel of a return as a source where its speaker stands, turned and spread.

    Shape (channels, channels, times).
    """
    room = mix.room
    spread = value_of(one, "spread", times)
    turn = value_of(one, "rotation", times) + value_of(one, "room_rotation", times)
    turn = turn if one.pulse is None or (swing := one.pulse.turn(times)) is None else turn + swing
    straight = np.eye(mix.outputs)[:, :, np.newaxis]
    if not room.surround or not (np.any(turn) or np.any(spread)):
        return straight
    x, y, z = (place[:, np.newaxis] for place in room.places)
    matrix = np.broadcast_to(straight, (mix.outputs, mix.outputs, max(len(turn), len(spread)))).copy()
    powers = room_powers(room, Where(x, y, z, turn, spread))
    matrix[np.ix_(room.standing, room.standing)] = np.sqrt(powers)
    return matrix


def _in_pairs(room: Layout, matrix: Gains) -> Gains:
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


def layer_input(
    mix: Mix, source: MixSource, layer: MixLayer, first: int, last: int, render: Render, keep: bool = True
) -> Input | None:
    """A layer's output from frame ``first`` to ``last``: two sides at its place; None where there is none."""
    reaches = [one.chain.reach(mix.around) for one in taken_by(source, layer)]
    past, ahead = (sum(reach[i] for reach in reaches) for i in (0, 1))
    if not source.sounds_between(first - past, last + ahead):
        return None
    wet = _layer_wet(mix, source, layer, render, keep).between(first, last)
    law = law_named(mix.law)
    governed = taken_by(source, layer)[-1].before_level

    def gains(times: Values) -> Gains:
        values = {
            name: value_of(layer, name, times) for name in ("pan", "span", "front", "height", "spread", "rotation")
        }
        positions = MODES["span"].positions(values, _SIDES)
        if mix.room.surround:
            turned = values["rotation"] + value_of(source, "room_rotation", times)
            where = Where(positions, values["front"], values["height"], turned, values["spread"])
            matrix = with_lfe(mix.room, np.sqrt(room_powers(mix.room, where)))
        else:
            matrix = law.gains(positions, mix.centre_zero)
        level = db_to_gain(value_of(layer, "level", times))
        if governed:
            level = level * level_gain(source, values_at(source, times)) / db_to_gain(source.gain)
        return matrix * level

    lanes = (*layer.lanes.values(), *(source.lanes.values() if governed else ()))
    return Input(wet, first, gains, lanes, governed and bool(source.pulses))


def _layer_wet(mix: Mix, source: MixSource, layer: MixLayer, render: Render, keep: bool) -> "EffectOutput":
    """What comes out of a layer's effects: two sides."""
    below = taken_by(source, layer)[1:]
    if below:
        other = _layer_wet(mix, source, below[0], render, keep)

        def level_of(times: Values) -> Gains:
            gain = np.ones(1) if layer.before_level else db_to_gain(value_of(below[0], "level", times))
            return np.eye(_SIDES)[:, :, np.newaxis] * gain

        def dry(start: int, stop: int) -> Audio:
            lanes: tuple[Lane, ...] = () if layer.before_level else tuple(below[0].lanes.values())
            return render([Input(other.between(start, stop), start, level_of, lanes)], _SIDES, start, stop)
    else:

        def dry(start: int, stop: int) -> Audio:
            return render([_layer_source_input(source, layer)], _SIDES, start, stop)

    def fingerprint(start: int, stop: int) -> str:
        return f"{source.id} {bool(below)} {layer.before_level} " + layer_text(
            mix, source, below[0] if below else layer, start, stop
        )

    return EffectOutput(mix, layer.chain, _SIDES, dry, fingerprint, keep)


def _layer_source_input(source: MixSource, layer: MixLayer) -> Input:
    """A source as a layer takes it: its sides, or one sound on both; before or after its level."""
    if source.channels == 1:
        straight = np.full((_SIDES, 1, 1), np.sqrt(0.5))
    else:
        across = np.linspace(0.0, 1.0, source.channels)
        straight = np.sqrt(np.array([1.0 - across, across]))[:, :, np.newaxis]

    def gains(times: Values) -> Gains:
        values = values_at(source, times)
        matrix = straight if layer.before_level else with_input_pulse(straight, source, times)
        level = db_to_gain(source.gain) if layer.before_level else level_gain(source, values)
        return after(matrix, input_matrix(source, values)) * level

    return Input(source.audio, source.offset, gains, tuple(source.lanes.values()), bool(source.pulses))


class EffectOutput:
    """What comes out of effects, and what goes into them, piece by piece.

    ``dry(start, stop)`` renders what goes in, (channels, frames); ``told(start, stop)`` says what it depends on.
    """

    def __init__(
        self,
        mix: Mix,
        chain: Chain,
        channels: int,
        dry: Callable[[int, int], Audio],
        fingerprint: Callable[[int, int], str],
        keep: bool,
    ) -> None:
        self.mix, self.chain, self.channels, self.dry, self.fingerprint, self.keep = (
            mix,
            chain,
            channels,
            dry,
            fingerprint,
            keep,
        )
        self.size = piece_frames(mix.rate)
        self.past, self.ahead = chain.reach(mix.around)
        self._keys: dict[int, str] = {}

    def between(self, first: int, last: int) -> Audio:
        """The output from frame ``first`` to ``last``."""
        return assembled(self.size, first, last, self._key, self._make, self.keep)

    def _make(self, low: int, high: int) -> Audio:
        start, stop = low * self.size - self.past, high * self.size + self.ahead
        dry = assembled(self.size, start, stop, self._dry_key, self._make_dry, self.keep)
        if self.channels == _SIDES:
            return self.chain.process(dry, start, self.mix.around)
        return self._in_pairs(self.chain, dry, start, (high - low) * self.size)

    def _in_pairs(self, chain: Chain, audio: Audio, start: int, frames: int) -> Audio:
        """Channels of the layout through effects, two and two."""
        out = np.zeros((len(audio), frames), np.float32)
        for pair, sides in self._pairs:
            # What stands in the middle goes in on both sides and comes out as one.
            given = audio[list(pair)] if len(pair) == _SIDES else np.repeat(audio[list(pair)], 2, 0) * sides
            if given.any():
                made = chain.process(np.ascontiguousarray(given), start, self.mix.around)
                out[list(pair)] += made if len(pair) == _SIDES else made.sum(axis=0, keepdims=True) * sides
        return out

    @cached_property
    def _pairs(self) -> list[tuple[tuple[int, ...], np.float32]]:
        """The channels that go through the effects together: opposite ones, or one in the middle by itself."""
        room = self.mix.room
        opposite = [(i, int(other)) for i, other in enumerate(room.mirrored) if room.right[i] < 0.5]
        middle = [(i,) for i, other in enumerate(room.mirrored) if i == other and i != room.lfe]
        return [(pair, np.float32(np.sqrt(0.5))) for pair in (*opposite, *middle)]

    def _key(self, piece: int) -> str:
        first = (piece * self.size - self.past) // self.size
        last = -(-((piece + 1) * self.size + self.ahead) // self.size)
        inputs = " ".join(self._dry_key(i) for i in range(first, last))
        mix = self.mix
        return digest(f"wet {self.chain.key} {mix.rate} {mix.layout} {mix.tempo.tempos} {inputs}")

    def _make_dry(self, low: int, high: int) -> Audio:
        return self.dry(low * self.size, high * self.size)

    def _dry_key(self, piece: int) -> str:
        if piece not in self._keys:
            start, stop = piece * self.size, (piece + 1) * self.size
            mix, fingerprint = self.mix, self.fingerprint(start, stop)
            self._keys[piece] = digest(
                f"dry {mix.rate} {mix.law} {mix.layout} {self.channels} {mix.centre_zero} {start} {fingerprint}"
            )
        return self._keys[piece]


class _DiffuseEffectOutput(EffectOutput):
    """The tail of a return's room from every loudspeaker alike, uncorrelated.

    All that is sent goes in as one sound. Effects before the room work on that, those after it on what the
    loudspeakers play.
    """

    def __init__(
        self,
        mix: Mix,
        chain: Chain,
        dry: Callable[[int, int], Audio],
        fingerprint: Callable[[int, int], str],
        keep: bool,
    ) -> None:
        super().__init__(mix, chain, 1, dry, fingerprint, keep)
        self.past, self.ahead = chain.diffuse_reach(mix.around)

    def _make(self, low: int, high: int) -> Audio:
        start, stop = low * self.size - self.past, high * self.size + self.ahead
        around, room = self.mix.around, self.mix.room
        before, settings, after = self.chain.split_at_room()
        dry = assembled(self.size, start, stop, self._dry_key, self._make_dry, self.keep)
        sound = before.process(np.repeat(dry, _SIDES, axis=0), start, around)[:1]
        responses = diffuse_responses(self.mix.rate, len(room.speakers), *response_settings(settings))
        sound_start = start + before.reach(around)[0]
        tails = convolved(sound, sound_start, partitioned(responses[:, np.newaxis]), responses.shape[1])
        out = np.zeros((self.mix.outputs, tails.shape[1]), np.float32)
        out[room.standing] = tails
        if not after.links:
            return out
        tails_stop = stop - self.ahead + after.reach(around)[1]
        return self._in_pairs(after, out, tails_stop - tails.shape[1], (high - low) * self.size)
