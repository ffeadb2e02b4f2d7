"""Plans: what is to be rendered as a flat list of stages, each of which reads only those before it.

A plan is made once for a mix and a way of listening (``needle.render.compile``) and run as often as one likes
(``needle.render.engine``). It never changes, and knows no source, lane or session: only sounds, gains and filters.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from functools import cached_property
from typing import Protocol, cast

import numpy as np
from numpy.typing import NDArray

from needle.mix.dealt_sounds import GeneratedAudio
from needle.render.cache import RenderCache
from needle.render.gain_envelopes import MovingGains

Audio = NDArray[np.float32]

Spans = tuple[tuple[int, int], ...]
"""From which to which frames of the session something may sound, in order, none touching the next."""


class Stage(Protocol):
    """A step of a plan: (channels, frames) of sound between any two frames, the same in every division.

    ``read_at_once``: who reads it reads all it needs at once, for what is made for a piece serves the next.
    """

    @property
    def channels(self) -> int: ...

    @property
    def spans(self) -> Spans: ...

    @property
    def read_at_once(self) -> bool: ...

    def render(self, run: "Run", start: int, stop: int) -> Audio:
        """The sound from frame ``start`` to ``stop``: float32 (channels, stop - start)."""
        ...


class PieceStage(Stage, Protocol):
    """A stage that is made piece by piece (``needle.render.cache``), each kept by what it depends on."""

    def key(self, run: "Run", piece: int) -> str:
        """What a piece depends on, as text."""
        ...


@dataclass(frozen=True)
class Recorded:
    """``audio`` (channels, frames) from frame ``offset`` of the session on; silent where it has none and before 0."""

    audio: Audio | GeneratedAudio
    offset: int

    @property
    def channels(self) -> int:
        return self.audio.shape[0]

    @property
    def spans(self) -> Spans:
        return ((max(self.offset, 0), self.offset + self.audio.shape[1]),)

    @cached_property
    def _readable(self) -> Audio | GeneratedAudio:
        # A plain array on a mapped file is cut faster than the map itself.
        return self.audio if isinstance(self.audio, GeneratedAudio) else np.asarray(self.audio, dtype=np.float32)

    def read(self, start: int, stop: int) -> Audio:
        """Its samples between two frames: float32 (channels, stop - start), each channel contiguous."""
        low = min(max(start, self.offset, 0), stop)
        high = max(min(stop, self.offset + self.audio.shape[1]), low)
        samples = self._readable[:, low - self.offset : high - self.offset]
        if (low, high) == (start, stop) and samples.strides[1] == samples.itemsize:
            return samples
        out = np.zeros((self.channels, stop - start), np.float32)
        out[:, low - start : high - start] = samples
        return out


@dataclass(frozen=True)
class StageOutput:
    """What comes out of the stage at an ``index`` of the plan."""

    index: int
    channels: int
    spans: Spans
    read_at_once: bool


Sound = Recorded | StageOutput


@dataclass(frozen=True)
class InputGroup:
    """Sounds that reach a bus in the same manner, so that the gains of all are told at once.

    ``gains`` is how they move; None where they stand: at ``standing``, float32 (sounds, outputs, inputs).
    """

    sounds: tuple[Sound, ...]
    gains: MovingGains | None
    standing: NDArray[np.float32] = field(default_factory=lambda: np.zeros((0, 0, 0), np.float32))


@dataclass(frozen=True)
class PlanOutput:
    """A result of a plan by name: the sum of some ``stages``, through a ``matrix`` of gains if there is one."""

    name: str
    channels: int
    stages: tuple[int, ...]
    matrix: NDArray[np.float32] | None = None


@dataclass(frozen=True)
class Plan:
    """Stages in the order in which sound passes them, and the ``outputs`` that are asked for; ``rate`` in Hz."""

    rate: int
    stages: tuple[Stage, ...]
    outputs: tuple[PlanOutput, ...]


@dataclass(frozen=True)
class Run:
    """A plan at work: the stages read each other through it."""

    plan: Plan
    cache: RenderCache

    def output(self, stage: int, start: int, stop: int) -> Audio:
        """What comes out of a stage from frame ``start`` to ``stop``: float32 (channels, stop - start)."""
        return self.plan.stages[stage].render(self, start, stop)

    def piece_key(self, stage: int, piece: int) -> str:
        """What a piece of a ``PieceStage`` depends on."""
        return cast(PieceStage, self.plan.stages[stage]).key(self, piece)


def overlap(spans: Spans, start: int, stop: int) -> bool:
    """Whether anything may sound between two frames."""
    return any(low < stop and start < high for low, high in spans)


def widen_spans(spans: Spans, before: int, after: int) -> Spans:
    """Spans that begin so many frames earlier and end so many later."""
    return merge_spans((low - before, high + after) for low, high in spans)


def merge_spans(spans: Iterable[tuple[int, int]]) -> Spans:
    """Spans in order, those that touch as one."""
    merged: list[tuple[int, int]] = []
    for low, high in sorted(span for span in spans if span[0] < span[1]):
        if merged and low <= merged[-1][1]:
            merged[-1] = merged[-1][0], max(merged[-1][1], high)
        else:
            merged.append((low, high))
    return tuple(merged)


Describe = Callable[[int, int], str]
"""What a stage's sound depends on between two frames, as text: what caches go by."""
