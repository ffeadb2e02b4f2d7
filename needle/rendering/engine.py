"""The engine: samples of a mix between two frames, the same whoever asks and however the piece is cut.

Gains are evaluated on a grid of ``BLOCK`` samples that is fixed to the session's first frame, and are
linear in between. Blocks in which a lane bends too much for that (a point, a jump's ramp, a very quick
move) are evaluated at every sample, so that the result stays within -80 dB of full evaluation.
"""

from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from needle.conventions import db_to_gain
from needle.moving.lane import Values
from needle.moving.parameters import PARAMETERS
from needle.placing.laws import law_named
from needle.placing.modes import mode_for
from needle.rendering.mix import EVERYTHING, Listening, Mix, MixSource

BLOCK = 64
"""Samples between two evaluations of a gain."""

OUTPUTS = 2

_STRETCH = 384
"""Blocks mixed at a time: few enough for the samples of many sources to stay in the cache."""

_BEND = 1.6e-4
"""Second difference of a gain beyond which a block is evaluated at every sample.

Linear interpolation over a block is off by an eighth of it: 2e-5, or -94 dB.
"""

GainsOf = Callable[[MixSource, Values], Values]
"""A source's gains at times (s): (outputs, inputs, times)."""

_SLOPE = np.arange(BLOCK, dtype=np.float32) / BLOCK


def render_audio(mix: Mix, start: int, stop: int, listening: Listening = EVERYTHING) -> NDArray[np.float32]:
    """The mix from frame ``start`` to ``stop``: float32 (2, stop - start), left first.

    Frames before 0 and after the end of the sources are silent. Any division of a stretch into calls
    gives the same samples.
    """
    heard = [s for s in mix.sources if listening.hears(s)]
    return _sum(heard, lambda source, times: gains_at(mix, source, times), OUTPUTS, mix.rate, start, stop)


def render_before_placement(mix: Mix, source_id: str, start: int, stop: int) -> NDArray[np.float32]:
    """One source after gain and level, before it is placed: float32 (its channels, stop - start).

    What a hand that moves the source needs: the placement's gains applied to this, added to the mix
    without the source, are the mix.
    """
    source = next(s for s in mix.sources if s.id == source_id)
    straight_through = np.eye(source.channels)[:, :, np.newaxis]
    return _sum(
        [source],
        lambda one, times: straight_through * np.broadcast_to(level_gain(one, times), times.shape),
        source.channels,
        mix.rate,
        start,
        stop,
    )


def gains_at(mix: Mix, source: MixSource, times: Values) -> Values:
    """The source's gains at each time (s), everything included: float64 (2, inputs, times)."""
    lane = source.lanes.get("pan")
    pan = lane.evaluate(times) if lane else np.full(times.shape, source.pan)
    matrix = mode_for(source.mode, source.channels).gains(law_named(mix.law), pan, mix.centre_zero)
    return matrix * level_gain(source, times)


def level_gain(source: MixSource, times: Values) -> Values:
    """The linear gain of the source's gain and level at each time (s); one number if it does not move."""
    lane = source.lanes.get("level")
    level = lane.evaluate(times) if lane else source.level
    return db_to_gain(np.minimum(level, PARAMETERS["level"].high)) * db_to_gain(source.gain)


def read_padded(source: MixSource, start: int, stop: int, out: NDArray[np.float32]) -> None:
    """Put the source's samples between two frames of the session into ``out``, silence where it has none."""
    low = max(start, source.offset, 0)
    high = max(min(stop, source.offset + source.audio.shape[1]), low)
    out[:, : low - start] = 0.0
    out[:, low - start : high - start] = source.audio[:, low - source.offset : high - source.offset]
    out[:, high - start :] = 0.0


def _sum(
    sources: Sequence[MixSource], gains_of: GainsOf, outputs: int, rate: int, start: int, stop: int
) -> NDArray[np.float32]:
    """The sources through their gains, added up, from frame ``start`` to ``stop``: (outputs, frames)."""
    first, last = start // BLOCK, -(-stop // BLOCK)
    blocks = last - first
    heard = [s for s in sources if s.sounds_between(first * BLOCK, last * BLOCK)]
    if not heard or blocks <= 0:
        return np.zeros((outputs, max(stop - start, 0)), dtype=np.float32)
    plan = [_GainPlan(source, gains_of, outputs, rate, first, last) for source in heard]
    gains = np.concatenate([p.gains for p in plan], axis=2)
    rows = np.cumsum([0] + [s.channels for s in heard])
    signal = np.empty((rows[-1], min(_STRETCH, blocks) * BLOCK), dtype=np.float32)
    out = np.empty((outputs, blocks, BLOCK), dtype=np.float32)
    for low in range(0, blocks, _STRETCH):
        high = min(low + _STRETCH, blocks)
        here = signal[:, : (high - low) * BLOCK]
        for source, row in zip(heard, rows, strict=False):
            read_padded(source, (first + low) * BLOCK, (first + high) * BLOCK, here[row : row + source.channels])
        in_blocks = here.reshape(rows[-1], -1, BLOCK)
        # One small matrix product a block: gains at its start, and their rise, times the samples.
        mixed = np.matmul(gains[low:high], in_blocks.transpose(1, 0, 2))
        total = mixed[:, :outputs] + mixed[:, outputs:] * _SLOPE
        for p, row in zip(plan, rows, strict=False):
            p.add_crooked(in_blocks[row : row + p.source.channels], total, low, high)
        out[:, low:high] = total.transpose(1, 0, 2)
    offset = start - first * BLOCK
    return out.reshape(outputs, -1)[:, offset : offset + stop - start]


class _GainPlan:
    """The gains of one source over a run of blocks: linear in each block, but for the crooked ones.

    ``gains``: float32 (blocks, 2 × outputs, inputs), at each block's start and then their rise.
    """

    def __init__(self, source: MixSource, gains_of: GainsOf, outputs: int, rate: int, first: int, last: int) -> None:
        self.source = source
        self.gains = np.zeros((last - first, 2 * outputs, source.channels), dtype=np.float32)
        self.crooked: NDArray[np.intp] | None = None
        if not source.lanes:
            self.gains[:, :outputs] = gains_of(source, np.zeros(1))[:, :, 0]
            return
        # One node more on each side, so that a block's bend is told the same in every division.
        nodes = np.arange(first - 1, last + 2) * BLOCK
        at_nodes = gains_of(source, nodes / rate)
        self.gains[:, :outputs] = at_nodes[:, :, 1:-2].transpose(2, 0, 1)
        self.gains[:, outputs:] = (at_nodes[:, :, 2:-1] - at_nodes[:, :, 1:-2]).transpose(2, 0, 1)
        self.crooked = _crooked_blocks(source, at_nodes, nodes, rate)
        if self.crooked is not None:
            self.gains[self.crooked] = 0.0
            frames = (self.crooked[:, np.newaxis] + first) * BLOCK + np.arange(BLOCK)
            exact = gains_of(source, frames.ravel() / rate).astype(np.float32)
            self.exact = exact.reshape(outputs, source.channels, -1, BLOCK)

    def add_crooked(self, signal: NDArray[np.float32], total: NDArray[np.float32], low: int, high: int) -> None:
        """Add the crooked blocks from ``low`` to ``high`` to ``total`` (blocks, outputs, BLOCK)."""
        if self.crooked is None:
            return
        a, b = np.searchsorted(self.crooked, (low, high))
        if a < b:
            here = self.crooked[a:b] - low
            total[here] += np.einsum("oibt,ibt->bot", self.exact[:, :, a:b], signal[:, here])


def _crooked_blocks(source: MixSource, at_nodes: Values, nodes: Values, rate: int) -> NDArray[np.intp] | None:
    """The blocks, if any, in which a gain may not be taken as linear.

    ``at_nodes`` are the gains at ``nodes`` (frames), which hold one node more than the blocks on each side.
    """
    count = len(nodes) - 3
    second = at_nodes[:, :, 2:] - 2.0 * at_nodes[:, :, 1:-1] + at_nodes[:, :, :-2]
    bend = (np.abs(second) > _BEND).any(axis=(0, 1))
    crooked = bend[:-1] | bend[1:]
    low, high = nodes[1], nodes[-2]
    for lane in source.lanes.values():
        first, last = np.searchsorted(lane.corners, [low / rate - 1e-9, high / rate + 1e-9])
        if first == last:
            continue
        place = (lane.corners[first:last] * rate - low) / BLOCK
        for block in (np.floor(place - 1e-6), np.floor(place + 1e-6)):
            crooked[block[(block >= 0) & (block < count)].astype(int)] = True
    return np.flatnonzero(crooked) if crooked.any() else None
