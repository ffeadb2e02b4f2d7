"""Gain plans: how a feed's gains run over a stretch, on a grid that is fixed to the session's first frame."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from needle.automation.curve import Lane, Values
from needle.mix.model import BLOCK
from needle.render.inputs import Input

_MAX_SECOND_DIFFERENCE = 1e-4
"""Second difference of a gain beyond which a block is evaluated at every sample.

Linear interpolation over a block is off by an eighth of it: 1.3e-5, or -98 dB.
"""

_FINE = 16
"""Samples between the nodes of the finer grid on which bending blocks are tried first."""

_COARSE = 4
"""Nodes from one that is asked first to the next."""

_MAX_COARSE_SECOND_DIFFERENCE = _MAX_SECOND_DIFFERENCE / 2.0
"""Second difference over such a way up to which the nodes between are taken as linear: off by 6e-6, or -104 dB."""


class GainEnvelope:
    """The gains of a feed that moves over a run of blocks: linear in each block, but for the nonlinear ones.

    ``gains``: float32 (blocks, 2 × outputs, inputs), at each block's start and then their rise.
    """

    def __init__(self, feed: Input, outputs: int, rate: int, first: int, last: int) -> None:
        self.feed = feed
        self.gains = np.zeros((last - first, 2 * outputs, feed.channels), dtype=np.float32)
        self.nonlinear: NDArray[np.intp] | None = None
        # One node more on each side, so that a block's bend is told the same in every division.
        nodes = np.arange(first - 1, last + 2) * BLOCK
        if feed.pulses:
            at_nodes, rough = self._at(nodes / rate), np.arange(last - first)
        else:
            at_nodes, rough = self._at_nodes(first - 1, last + 1, rate)
        self.gains[:, :outputs] = at_nodes[:, :, 1:-2].transpose(2, 0, 1)
        self.gains[:, outputs:] = (at_nodes[:, :, 2:-1] - at_nodes[:, :, 1:-2]).transpose(2, 0, 1)
        nonlinear = _nonlinear_blocks(feed.lanes, at_nodes, nodes, rate, rough)
        if nonlinear is not None:
            self.nonlinear, cornered = nonlinear
            self.gains[self.nonlinear] = 0.0
            self.exact = self._exact((self.nonlinear + first) * BLOCK, cornered, rate)

    def _at(self, times: Values) -> Values:
        """The feed's gains at each time; what does not move it tells only once."""
        gains = self.feed.gains(times)
        return np.broadcast_to(gains, (*gains.shape[:2], len(times)))

    def _at_nodes(self, first: int, last: int, rate: int) -> tuple[NDArray[np.floating], NDArray[np.intp]]:
        """The gains at consecutive nodes, ``last`` included, and the blocks among them that may bend.

        They are linear between every fourth where nothing bends there. Every fourth node of the session is asked, so
        that the same ones are in every division.
        """
        low, high = (first // _COARSE - 1) * _COARSE, (-(-last // _COARSE) + 1) * _COARSE
        coarse = np.arange(low, high + 1, _COARSE) * BLOCK / rate
        at = self._at(coarse)
        second = np.abs(at[:, :, 2:] - 2.0 * at[:, :, 1:-1] + at[:, :, :-2]).max(axis=(0, 1))
        rough = np.maximum(second[:-1], second[1:]) > _MAX_COARSE_SECOND_DIFFERENCE
        for lane in self.feed.lanes:
            here = np.searchsorted(lane.corners, coarse)
            rough |= here[3:] > here[:-3]
        inner = at[:, :, 1:-2, np.newaxis].astype(np.float32)
        slope = (np.arange(_COARSE) / _COARSE).astype(np.float32)
        at_nodes = inner + np.diff(at[:, :, 1:-1])[..., np.newaxis].astype(np.float32) * slope
        if rough.any():
            between = low + _COARSE * (1 + np.flatnonzero(rough)[:, np.newaxis]) + np.arange(1, _COARSE)
            between_nodes = self._at(between.ravel() * BLOCK / rate)
            at_nodes[:, :, rough, 1:] = between_nodes.reshape(*at.shape[:2], *between.shape)
        at_nodes = np.concatenate([at_nodes.reshape(*at.shape[:2], -1), at[:, :, -2:-1].astype(np.float32)], axis=2)
        begin = first - low - _COARSE
        # A bend at a node is one of the blocks on both its sides.
        bending = np.repeat(rough, _COARSE)[begin : begin + last - first]
        wide = bending.copy()
        wide[1:] |= bending[:-1]
        wide[:-1] |= bending[1:]
        return at_nodes[:, :, begin : begin + last - first + 1], np.flatnonzero(wide[1:-1])

    def _exact(self, starts: NDArray[np.intp], cornered: NDArray[np.bool_], rate: int) -> NDArray[np.float32]:
        """The gains at every sample of the blocks that begin at some frames: (outputs, inputs, blocks, BLOCK).

        Where a finer grid shows that they are smooth they are linear between its nodes; not where a lane is
        ``cornered``.
        """
        fine = starts[:, np.newaxis] + np.arange(-_FINE, BLOCK + 2 * _FINE, _FINE)
        at = self._at(fine.ravel() / rate)
        at = at.reshape(*at.shape[:2], *fine.shape)
        second = at[..., 2:] - 2.0 * at[..., 1:-1] + at[..., :-2]
        smooth = (np.abs(second) <= _MAX_SECOND_DIFFERENCE).all(axis=(0, 1, 3)) & ~cornered
        exact = np.empty((*at.shape[:2], len(starts), BLOCK), dtype=np.float32)
        low, rise = at[:, :, smooth, 1:-2, np.newaxis], np.diff(at[:, :, smooth, 1:-1])[..., np.newaxis]
        exact[:, :, smooth] = (low + rise * (np.arange(_FINE) / _FINE)).reshape(*at.shape[:2], -1, BLOCK)
        if not smooth.all():
            frames = starts[~smooth, np.newaxis] + np.arange(BLOCK)
            every = self._at(frames.ravel() / rate).astype(np.float32)
            exact[:, :, ~smooth] = every.reshape(*at.shape[:2], -1, BLOCK)
        return exact

    def add_nonlinear(self, signal: NDArray[np.float32], total: NDArray[np.float32], low: int, high: int) -> None:
        """Add the nonlinear blocks from ``low`` to ``high`` to ``total`` (blocks, outputs, BLOCK)."""
        if self.nonlinear is None:
            return
        a, b = np.searchsorted(self.nonlinear, (low, high))
        if a < b:
            here = self.nonlinear[a:b] - low
            total[here] += np.einsum("oibt,ibt->bot", self.exact[:, :, a:b], signal[:, here])


def _nonlinear_blocks(
    lanes: Sequence[Lane], at_nodes: NDArray[np.floating], nodes: Values, rate: int, rough: NDArray[np.intp]
) -> tuple[NDArray[np.intp], NDArray[np.bool_]] | None:
    """The blocks, if any, in which a gain may not be taken as linear, and whether a corner of a lane is the reason.

    ``at_nodes`` are the gains at ``nodes`` (frames), which hold one node more than the blocks on each side. Only the
    ``rough`` blocks may bend.
    """
    if not rough.size:
        return None
    count = len(nodes) - 3
    before, start, end, behind = (at_nodes[:, :, rough + step] for step in range(4))
    bend = (np.abs(end - 2.0 * start + before) > _MAX_SECOND_DIFFERENCE) | (
        np.abs(behind - 2.0 * end + start) > _MAX_SECOND_DIFFERENCE
    )
    nonlinear = np.zeros(count, dtype=bool)
    nonlinear[rough] = bend.any(axis=(0, 1))
    cornered = np.zeros(count, dtype=bool)
    low, high = nodes[1], nodes[-2]
    for lane in lanes:
        first, last = np.searchsorted(lane.corners, [low / rate - 1e-9, high / rate + 1e-9])
        if first == last:
            continue
        place = (lane.corners[first:last] * rate - low) / BLOCK
        for block in (np.floor(place - 1e-6), np.floor(place + 1e-6)):
            cornered[block[(block >= 0) & (block < count)].astype(int)] = True
    which = np.flatnonzero(nonlinear | cornered)
    return (which, cornered[which]) if which.size else None
