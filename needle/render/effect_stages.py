"""Stages that are made piece by piece and kept: what goes into effects, and what comes out of each step of them.

Every stage knows of each of its pieces what it depends on, so that an edit leaves alone what it does not touch. Of a
convolution the spectra of what goes in are kept as well: each piece that comes is transformed once.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from needle.dsp.convolution import Term, block_spectra, convolve_blocks, partition_responses
from needle.effects.base import Around, Settings
from needle.effects.chain import Step
from needle.effects.room import diffuse_responses, response_settings, response_taps
from needle.layouts import Layout
from needle.render.cache import RenderCache, digest, in_pieces, piece_frames
from needle.render.plan import Describe, Run, Spans, StageOutput, merge_spans, widen_spans

Audio = NDArray[np.float32]
Spectra = NDArray[np.complex64]

_SIDES = 2


Ways = tuple[tuple[tuple[int, float], ...], ...]
"""For every channel that comes out, which channels go into it, and how strong."""


@dataclass(frozen=True)
class Routing:
    """How channels go through effects that have two sides: ``into`` pairs of sides, and ``out`` of them again.

    Opposite channels go through together; one in the middle goes in on both sides and comes out as one.
    """

    into: Ways
    out: Ways

    @classmethod
    def of_layout(cls, room: Layout) -> "Routing":
        """The routing of a layout's channels; what the low-frequency channel has stays out."""
        into: list[tuple[tuple[int, float], ...]] = []
        out: list[tuple[tuple[int, float], ...]] = [()] * len(room.channels)
        half = float(np.sqrt(0.5))
        for channel, other in enumerate(int(index) for index in room.mirrored):
            sides = len(into), len(into) + 1
            if channel == other and channel != room.lfe:
                into += [((channel, half),)] * 2
                out[channel] = ((sides[0], half), (sides[1], half))
            elif room.right[channel] < 0.5 and channel != other:
                into += [((channel, 1.0),), ((other, 1.0),)]
                out[channel], out[other] = ((sides[0], 1.0),), ((sides[1], 1.0),)
        return cls(tuple(into), tuple(out))


STEREO_ROUTING = Routing((((0, 1.0),), ((1, 1.0),)), (((0, 1.0),), ((1, 1.0),)))
SINGLE_ROUTING = Routing((((0, 1.0),), ((0, 1.0),)), (((0, 1.0),),))
"""One channel goes in on both sides, and the left comes out."""


@dataclass(frozen=True)
class RoutedStage:
    """A piecewise stage's channels, put together anew."""

    source: StageOutput
    ways: Ways
    read_at_once: bool = True

    @property
    def channels(self) -> int:
        return len(self.ways)

    @property
    def spans(self) -> Spans:
        return self.source.spans

    def key(self, run: Run, piece: int) -> str:
        """What a piece depends on."""
        return f"{run.piece_key(self.source.index, piece)} {self.ways}"

    def render(self, run: Run, start: int, stop: int) -> Audio:
        sound = run.output(self.source.index, start, stop)
        out = np.zeros((len(self.ways), stop - start), np.float32)
        for channel, ways in enumerate(self.ways):
            for source, gain in ways:
                out[channel] += sound[source] if gain == 1.0 else sound[source] * np.float32(gain)
        return out


@dataclass(frozen=True)
class DryStage:
    """A bus on its way into effects, piece by piece; ``describe`` says what it depends on between two frames."""

    source: StageOutput
    rate: int
    describe: Describe
    read_at_once: bool = True
    _keys: dict[int, str] = field(default_factory=dict, compare=False, repr=False)

    @property
    def channels(self) -> int:
        return self.source.channels

    @property
    def spans(self) -> Spans:
        return self.source.spans

    def key(self, _run: Run, piece: int) -> str:
        """What a piece depends on."""
        if piece not in self._keys:
            size = piece_frames(self.rate)
            start, stop = piece * size, (piece + 1) * size
            self._keys[piece] = digest(f"dry {self.rate} {self.channels} {start} {self.describe(start, stop)}")
        return self._keys[piece]

    def render(self, run: Run, start: int, stop: int) -> Audio:
        size = piece_frames(self.rate)

        def make(low: int, high: int) -> Audio:
            return run.output(self.source.index, low * size, high * size)

        return in_pieces(run.cache, size, start, stop, lambda piece: self.key(run, piece), make)


@dataclass(frozen=True)
class ConvolutionStage:
    """A piecewise stage through responses: ``terms`` say which input reaches which output through which."""

    source: StageOutput
    rate: int
    channels: int
    taps: int
    parts: Spectra
    terms: Sequence[Term]
    name: str
    read_at_once: bool = True
    _keys: dict[int, str] = field(default_factory=dict, compare=False, repr=False)

    @cached_property
    def spans(self) -> Spans:
        return widen_spans(self.source.spans, 0, self.taps)

    def key(self, run: Run, piece: int) -> str:
        """What a piece depends on."""
        if piece not in self._keys:
            first = piece - self.parts.shape[1]
            inputs = " ".join(run.piece_key(self.source.index, i) for i in range(first, piece + 1))
            self._keys[piece] = digest(f"convolved {self.name} {self.channels} {inputs}")
        return self._keys[piece]

    def render(self, run: Run, start: int, stop: int) -> Audio:
        size, count = piece_frames(self.rate), self.parts.shape[1]

        def make(low: int, high: int) -> Audio:
            spectra = self._spectra(run, low - count + 1, high)
            return convolve_blocks(spectra, self.parts, self.terms, self.channels)

        return in_pieces(run.cache, size, start, stop, lambda piece: self.key(run, piece), make)

    def _spectra(self, run: Run, low: int, high: int) -> list[Spectra]:
        """The spectra of what goes in, of pieces ``low`` up to ``high``: (inputs, bins) each."""
        size, source = piece_frames(self.rate), self.source.index
        keys = {i: f"spectrum {run.piece_key(source, i - 1)} {run.piece_key(source, i)}" for i in range(low, high)}
        pieces: dict[int, Spectra] = {}
        for i, key in keys.items():
            cached = run.cache.get(key)
            if cached is not None:
                pieces[i] = cached.astype(np.complex64, copy=False)
        missing = [i for i in keys if i not in pieces]
        while missing:
            neighbours = [i for place, i in enumerate(missing) if i == missing[0] + place]
            dry = run.output(source, (neighbours[0] - 1) * size, (neighbours[-1] + 1) * size)
            for i, spectra in zip(neighbours, block_spectra(dry, size), strict=True):
                # A view would keep all its neighbours as well.
                pieces[i] = spectra.copy()
                run.cache.put(keys[i], pieces[i])
            del missing[: len(neighbours)]
        return [pieces[i] for i in range(low, high)]


@dataclass(frozen=True)
class ProcessStage:
    """A piecewise stage through an effect that is no response."""

    source: StageOutput
    rate: int
    step: Step
    around: Around
    read_at_once: bool = True
    _keys: dict[int, str] = field(default_factory=dict, compare=False, repr=False)

    @property
    def channels(self) -> int:
        return self.source.channels

    @cached_property
    def spans(self) -> Spans:
        past, ahead = self.step.reach(self.around)
        return widen_spans(self.source.spans, ahead, past)

    def key(self, run: Run, piece: int) -> str:
        """What a piece depends on."""
        if piece not in self._keys:
            size, (past, ahead) = piece_frames(self.rate), self.step.reach(self.around)
            first, last = (piece * size - past) // size, -(-((piece + 1) * size + ahead) // size)
            inputs = " ".join(run.piece_key(self.source.index, i) for i in range(first, last))
            tempo = self.around.tempo.tempos
            self._keys[piece] = digest(f"processed {self.step.key} {tempo} {piece} {inputs}")
        return self._keys[piece]

    def render(self, run: Run, start: int, stop: int) -> Audio:
        size, (past, ahead) = piece_frames(self.rate), self.step.reach(self.around)

        def make(low: int, high: int) -> Audio:
            begins = low * size - past
            dry = run.output(self.source.index, begins, high * size + ahead)
            out = np.zeros((self.channels, (high - low) * size), np.float32)
            for side in range(0, self.channels, _SIDES):
                pair = dry[side : side + _SIDES]
                if pair.any():
                    out[side : side + _SIDES] = self.step.process(np.ascontiguousarray(pair), begins, self.around)
            return out

        return in_pieces(run.cache, size, start, stop, lambda piece: self.key(run, piece), make)


def step_stage(
    source: StageOutput, step: Step, around: Around, cache: RenderCache
) -> ConvolutionStage | ProcessStage:
    """The stage that a step of a chain makes of pairs of sides."""
    rate = around.rate
    if not step.responds:
        return ProcessStage(source, rate, step, around)
    name = digest(f"{step.key} {rate}")

    def prepare() -> tuple[Spectra, list[tuple[int, int]]]:
        response = step.response(around)
        ways = [(output, side) for output in range(_SIDES) for side in range(_SIDES) if response[output, side].any()]
        return partition_responses(np.stack([response[pair] for pair in ways]), piece_frames(rate)), ways

    parts, ways = cache.once(name, prepare)
    pairs = range(0, source.channels, _SIDES)
    terms = [(pair + output, pair + side, number) for pair in pairs for number, (output, side) in enumerate(ways)]
    return ConvolutionStage(source, rate, source.channels, step.taps(around), parts, terms, name)


def diffuse_stage(
    source: StageOutput, settings: Settings, room: Layout, around: Around, cache: RenderCache
) -> ConvolutionStage:
    """The stage that makes of one channel a room's diffuse tail in every loudspeaker."""
    rate, count = around.rate, len(room.speakers)
    name = digest(f"diffuse {response_settings(settings)} {room.name} {rate}")
    terms = [(int(channel), 0, number) for number, channel in enumerate(room.standing)]

    def prepare() -> Spectra:
        return partition_responses(diffuse_responses(rate, count, *response_settings(settings)), piece_frames(rate))

    taps = response_taps(settings, rate)
    return ConvolutionStage(source, rate, len(room.channels), taps, cache.once(name, prepare), terms, name)


@dataclass(frozen=True)
class StackStage:
    """The channels of several stages one below the other."""

    sources: tuple[StageOutput, ...]
    read_at_once: bool = True

    @property
    def channels(self) -> int:
        return sum(source.channels for source in self.sources)

    @cached_property
    def spans(self) -> Spans:
        return merge_spans(span for source in self.sources for span in source.spans)

    def render(self, run: Run, start: int, stop: int) -> Audio:
        return np.concatenate([run.output(source.index, start, stop) for source in self.sources])
