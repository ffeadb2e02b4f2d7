"""Making a plan of a mix: which sounds there are, through which gains and effects they go, and what comes out.

This is pure: it reads no sample. Who compiles again after an edit gives the cache of its runs, so that responses that
are still the same are not worked out again.
"""

import itertools
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from needle.automation.curve import Lane, Values
from needle.dsp.pan_laws import Gains
from needle.dsp.pan_modes import SIDE_BANDS, STEM
from needle.effects.base import Around
from needle.effects.chain import Chain
from needle.mix.listening import EVERYTHING, Listening
from needle.mix.model import Mix, MixLayer, MixReturn, MixSource, taken_by
from needle.mix.monitors import MONITORS
from needle.mix.partition import Part
from needle.mix.side_bands import SideBands, StillBands
from needle.mix.stem_parts import StemParts
from needle.render import input_gains
from needle.render.batches import Batch, Element, corners_of, kind_of
from needle.render.bus import Bus
from needle.render.cache import RenderCache
from needle.render.delays import LateStage
from needle.render.effect_stages import (
    SINGLE_ROUTING,
    STEREO_ROUTING,
    DryStage,
    RoutedStage,
    Routing,
    StackStage,
    Ways,
    diffuse_stage,
    step_stage,
)
from needle.render.fingerprints import layer_text, sent_text
from needle.render.gain_envelopes import Members, MovingGains
from needle.render.lfe_filter import LowPassStage
from needle.render.plan import Describe, InputGroup, Plan, PlanOutput, Recorded, Sound, Stage, StageOutput
from needle.render.source_gains import LEVELS, SIDE_ROWS, two_sided
from needle.units import db_to_gain

MIX = "mix"
"""The output of a plan that is made of a whole mix."""

_SMALL = 64 << 20

_numbers = itertools.count()


def compile_mix(mix: Mix, listening: Listening = EVERYTHING, *, cache: RenderCache | None = None) -> Plan:
    """The plan of a mix as somebody hears it, with one output, ``MIX``, in the channels of the layout.

    A stereo mix comes as the one who listens hears it; of a room all channels come, whatever the way of listening
    (``needle.mix.monitors.to_ears``).

    Parameters
    ----------
    mix
        What sounds.
    listening
        Who hears what of it.
    cache
        The cache that the plan will be run with, and others too: it keeps plans, and the responses of their effects.
    """
    if cache is not None:
        return cache.plan(mix, listening, lambda: _compiled(mix, listening, cache))
    return _compiled(mix, listening, None)


def _compiled(mix: Mix, listening: Listening, cache: RenderCache | None) -> Plan:
    builder = _Builder(mix.rate, cache)
    stages = (builder.add_mix(mix, listening),)
    return builder.plan([PlanOutput(MIX, mix.outputs, stages, _ear_matrix(mix, listening))])


def compile_parts(
    mix: Mix, parts: Sequence[Part], with_mix: bool = True, *, cache: RenderCache | None = None
) -> Plan:
    """The plan of parts that add up to a mix (``needle.mix.partition``): an output for each, by its kind and id.

    ``with_mix``: with an output ``MIX`` besides, which is their sum.
    """
    builder = _Builder(mix.rate, cache)
    stages = [builder.add_mix(part.mix, part.listening) for part in parts]
    outputs = [PlanOutput(part.key, mix.outputs, (stage,)) for part, stage in zip(parts, stages, strict=True)]
    return builder.plan([PlanOutput(MIX, mix.outputs, tuple(stages))] * with_mix + outputs)


def compile_before_placement(mix: Mix, source_id: str, with_level: bool = True, for_hand: bool = False) -> Plan:
    """The plan of one source, as ``MIX``, after gain, level, width, swap and polarity, before its place.

    ``for_hand``: two channels for each side that has a width, and twice as many if something pulses after its place.
    Without ``with_level`` its level and trim are left out, for a hand that holds those. What a hand that moves the
    source needs: the placement's gains applied to this, added to the mix without its direct sound, are the mix.
    """
    source = next(s for s in mix.sources if s.id == source_id)
    if not with_level:
        lanes = {name: lane for name, lane in source.lanes.items() if name not in ("level", "trim")}
        levels: dict[str, Any] = {"level": 0.0, "trim": 0.0}
        source = replace(source, **levels, lanes=lanes)
    source = source.in_bands(mix.rate) if for_hand else source
    builder = _Builder(mix.rate)
    stage = builder.before_placement(mix, source, for_hand)
    return builder.plan([PlanOutput(MIX, stage.channels, (stage.index,))])


def _ear_matrix(mix: Mix, listening: Listening) -> NDArray[np.float32] | None:
    """What is done to the channels for the one who listens."""
    trim = np.float32(db_to_gain(listening.trim))
    if not mix.room.surround and listening.monitor in MONITORS and listening.monitor != "stereo":
        return MONITORS[listening.monitor].matrix * trim
    return np.eye(mix.outputs, dtype=np.float32) * trim if listening.trim else None


@dataclass(frozen=True)
class _Input:
    """A sound on its way to a bus: its gains are ``function(mix, *elements, times, **options)``.

    ``lanes`` are what they follow; ``pulses``, whether they move in rhythm as well. ``apart``: what nothing else has
    in common with it.
    """

    sound: Sound
    function: Callable[..., Gains]
    elements: tuple[Element, ...]
    lanes: tuple[Lane, ...] = ()
    pulses: bool = False
    options: tuple[tuple[str, Any], ...] = ()
    apart: str = ""

    @property
    def moves(self) -> bool:
        return bool(self.lanes) or self.pulses

    @property
    def kind(self) -> tuple[Any, ...]:
        """What inputs have in common whose gains are worked out together."""
        kinds = tuple(kind_of(element) for element in self.elements)
        return self.function, self.options, self.apart, self.moves, self.sound.channels, *kinds


@dataclass(frozen=True)
class _GainsOf:
    """The gains of a group's members at any moments."""

    mix: Mix
    function: Callable[..., Gains]
    batches: tuple[Batch, ...]
    options: tuple[tuple[str, Any], ...]

    def __call__(self, members: Members, times: Values) -> Gains:
        views = (batch.at(members) for batch in self.batches)
        return self.function(self.mix, *views, times, **dict(self.options))


class _Builder:
    """Collects the stages of a plan."""

    def __init__(self, rate: int, cache: RenderCache | None = None) -> None:
        self.rate = rate
        self.cache = cache if cache is not None else RenderCache(_SMALL)
        # Without a cache that others use too, what a plan keeps needs no other name than its own.
        self.token = "" if cache is not None else f"plan {next(_numbers)}"
        self.stages: list[Stage] = []

    def plan(self, outputs: Sequence[PlanOutput]) -> Plan:
        return Plan(self.rate, tuple(self.stages), tuple(outputs))

    def add(self, stage: Stage) -> StageOutput:
        self.stages.append(stage)
        return StageOutput(len(self.stages) - 1, stage.channels, stage.spans, stage.read_at_once)

    def add_mix(self, mix: Mix, listening: Listening) -> int:
        """The stage that adds up all that is heard of a mix; its index."""
        direct = listening.direct(mix)
        inputs = [item for source in direct for item in self._direct(mix, source)]
        layers: dict[tuple[str, str], StageOutput] = {}
        inputs += [self._layer(mix, source, layer, layers) for source, layer in listening.layered(mix)]
        inputs += [item for ret in mix.returns for item in self._return(mix, ret, listening.sent(mix, ret))]
        groups = _grouped(mix, inputs, mix.outputs)
        if mix.room.lfe is not None:
            # What was frozen has its own already.
            sending = [s for s in direct if s.to_lfe and s.frozen is None]
            lfe = [
                _Input(Recorded(s.audio, s.offset), input_gains.lfe_gains, (s,), moved_by(s), bool(s.pulses))
                for s in sending
            ]
            if lfe:
                low = self.add(LowPassStage(self.add(Bus(1, _grouped(mix, lfe, 1))), self.rate))
                to_lfe = np.zeros((1, mix.outputs, 1), np.float32)
                to_lfe[0, mix.room.lfe] = 1.0
                groups = (*groups, InputGroup((low,), None, to_lfe))
        return self.add(Bus(mix.outputs, groups)).index

    def before_placement(self, mix: Mix, source: MixSource, for_hand: bool = False) -> StageOutput:
        """A source before its place (``compile_before_placement``)."""
        rows = SIDE_ROWS if for_hand and source.mode == SIDE_BANDS else source.channels
        channels = 2 * rows if for_hand and two_sided(source) else rows
        function = input_gains.hand_gains if for_hand else input_gains.before_placement_gains
        lanes = tuple(source.lanes.values())
        item = _Input(Recorded(source.audio, source.offset), function, (source,), lanes, bool(source.pulses))
        return self.add(Bus(channels, _grouped(mix, [item], channels)))

    def _direct(self, mix: Mix, source: MixSource) -> Iterable[_Input]:
        """A source's own sound."""
        lanes, pulses = moved_by(source), bool(source.pulses)
        if source.frozen is not None:
            levels = tuple(lane for name, lane in source.lanes.items() if name in LEVELS)
            yield _Input(Recorded(source.frozen, 0), input_gains.frozen_gains, (source,), levels)
            return
        if source.mode == STEM and mix.room.surround:
            invert = source.invert_left, source.invert_right
            parts = StemParts(source.audio, source.audio_description, mix.room, source.swap_channels, invert)
            yield _Input(Recorded(parts, source.offset), input_gains.stem_gains, (source,), lanes, pulses)
            return
        late_copy = source.double and source.double_ms > 0.0
        if source.delay_panning == "off":
            sound = Recorded(source.audio, source.offset)
            yield _still_bands(mix, source) or _Input(sound, input_gains.direct_gains, (source,), lanes, pulses)
        if source.delay_panning != "off" or late_copy:
            before = self.before_placement(mix, source)
            late = self.add(LateStage(before, source, self.rate))
            yield _Input(late, input_gains.late_gains, (source,), lanes, pulses)

    def _layer(
        self, mix: Mix, source: MixSource, layer: MixLayer, outputs: dict[tuple[str, str], StageOutput]
    ) -> _Input:
        """A layer's output: two sides at its place."""
        governed = taken_by(source, layer)[-1].pre
        lanes = (*layer.lanes.values(), *(source.lanes.values() if governed else ()))
        wet = self._layer_wet(mix, source, layer, outputs)
        options = (("governed", governed),)
        pulses = governed and bool(source.pulses)
        return _Input(wet, input_gains.layer_gains, (source, layer), lanes, pulses, options)

    def _layer_wet(
        self, mix: Mix, source: MixSource, layer: MixLayer, outputs: dict[tuple[str, str], StageOutput]
    ) -> StageOutput:
        """What comes out of a layer's effects: two sides."""
        key = source.id, layer.id
        if key in outputs:
            return outputs[key]
        below = taken_by(source, layer)[1:]
        if below:
            other = self._layer_wet(mix, source, below[0], outputs)
            lanes = () if layer.pre else tuple(below[0].lanes.values())
            item = _Input(other, input_gains.layer_below_gains, (below[0], layer), lanes)
        else:
            sound, lanes = Recorded(source.audio, source.offset), tuple(source.lanes.values())
            item = _Input(sound, input_gains.layer_source_gains, (source, layer), lanes, bool(source.pulses))

        def describe(start: int, stop: int) -> str:
            text = layer_text(mix, source, below[0] if below else layer, start, stop)
            return f"{source.id} {bool(below)} {layer.pre} {_common(mix)} {text}"

        bus = self.add(Bus(input_gains.SIDES, _grouped(mix, [item], input_gains.SIDES)))
        outputs[key] = self.through(bus, layer.chain, mix.around, STEREO_ROUTING, describe)
        return outputs[key]

    def _return(self, mix: Mix, mix_return: MixReturn, senders: list[MixSource]) -> Iterable[_Input]:
        """A return's output: the channels of the layout, in a room with a diffuse tail three times as many."""
        if not senders:
            return

        def describe(start: int, stop: int) -> str:
            return f"{_common(mix)} {[sent_text(mix, s, mix_return.id, start, stop) for s in senders]}"

        def sends(function: Callable[..., Gains], channels: int) -> StageOutput:
            inputs = [
                _Input(
                    Recorded(s.audio, s.offset),
                    function,
                    (s, s.sends[mix_return.id]),
                    (*moved_by(s), *s.sends[mix_return.id].lanes.values()),
                    bool(s.pulses or s.sends[mix_return.id].pulse),
                )
                for s in senders
            ]
            return self.add(Bus(channels, _grouped(mix, inputs, channels)))

        routing = Routing.of_layout(mix.room) if mix.room.surround else STEREO_ROUTING
        bus = sends(input_gains.send_gains, mix.outputs)
        dry = self._dry(bus, describe)
        wet = self._steps(dry, mix_return.chain, mix.around, routing)
        diffuse = mix_return.is_diffuse(mix.room)
        if diffuse:
            early = self._steps(dry, mix_return.chain.with_early_rooms, mix.around, routing)
            summed = sends(input_gains.send_power_gains, 1)
            before, settings, after = mix_return.chain.split_at_room()
            single = self.through(summed, before, mix.around, SINGLE_ROUTING, describe)
            tail = self.add(diffuse_stage(single, settings, mix.room, mix.around, self.cache))
            wet = self.add(StackStage((wet, early, self._steps(tail, after, mix.around, routing))))
        options = (("diffuse", diffuse),)
        yield _Input(
            wet,
            input_gains.return_gains,
            (mix_return,),
            tuple(mix_return.lanes.values()),
            mix_return.pulse is not None,
            options,
            mix_return.id,
        )

    def through(
        self, bus: StageOutput, chain: Chain, around: Around, routing: Routing, describe: Describe
    ) -> StageOutput:
        """A bus through effects; ``describe`` says what it depends on."""
        return self._steps(self._dry(bus, describe), chain, around, routing)

    def _dry(self, bus: StageOutput, describe: Describe) -> StageOutput:
        token = f"{self.token} {bus.index}"
        return self.add(DryStage(bus, self.rate, (lambda _start, _stop: token) if self.token else describe))

    def _steps(self, source: StageOutput, chain: Chain, around: Around, routing: Routing) -> StageOutput:
        if not chain.steps:
            return source
        source = self._routed(source, routing.into)
        for step in chain.steps:
            source = self.add(step_stage(source, step, around, self.cache))
        return self._routed(source, routing.out)

    def _routed(self, source: StageOutput, ways: Ways) -> StageOutput:
        straight = tuple(((channel, 1.0),) for channel in range(source.channels))
        return source if ways == straight else self.add(RoutedStage(source, ways))


def moved_by(source: MixSource) -> tuple[Lane, ...]:
    """The lanes that move a source's placement."""
    return (*source.lanes.values(), *source.speaker_routing.lanes)


def _common(mix: Mix) -> str:
    return f"{mix.law} {mix.layout} {mix.centre_zero}"


def _still_bands(mix: Mix, source: MixSource) -> _Input | None:
    """The bands of a source of which nothing but its level moves, mixed where they are made; None for any other."""
    if not isinstance(source.audio, SideBands) or source.pulses or source.speaker_routing.lanes:
        return None
    if not set(source.lanes) <= set(LEVELS):
        return None
    matrix = input_gains.place_gains(mix, source, np.zeros(1))[:, :, 0]
    playing = np.flatnonzero(matrix.any(axis=1))
    sound = Recorded(StillBands(source.audio, matrix[playing]), source.offset)
    return _Input(
        sound,
        input_gains.played_gains,
        (source,),
        tuple(source.lanes.values()),
        options=(("playing", tuple(playing.tolist())),),
    )


def _grouped(mix: Mix, inputs: Iterable[_Input], channels: int) -> tuple[InputGroup, ...]:
    """Inputs of one kind together, those that stand with their gains worked out."""
    by_kind: dict[tuple[Any, ...], list[_Input]] = {}
    for item in inputs:
        by_kind.setdefault(item.kind, []).append(item)
    return tuple(_group(mix, members, channels) for members in by_kind.values())


def _group(mix: Mix, inputs: list[_Input], channels: int) -> InputGroup:
    first, sounds = inputs[0], tuple(item.sound for item in inputs)
    batches = tuple(Batch(elements) for elements in zip(*(item.elements for item in inputs), strict=True))
    gains = _GainsOf(mix, first.function, batches, first.options)
    if first.moves:
        starts, corners = corners_of(item.lanes for item in inputs)
        return InputGroup(sounds, MovingGains(gains, starts, corners, any(item.pulses for item in inputs)))
    members = np.arange(len(inputs))
    standing = gains(members, np.zeros(len(inputs)))
    standing = np.broadcast_to(standing, (channels, first.sound.channels, len(inputs)))
    return InputGroup(sounds, None, np.ascontiguousarray(standing.transpose(2, 0, 1), dtype=np.float32))
