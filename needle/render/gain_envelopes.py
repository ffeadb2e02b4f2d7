"""How the gains of many inputs run over a stretch, on a grid that is fixed to the session's first frame.

Gains are linear in each block of ``BLOCK`` samples. Where they bend too much for that (a point, a jump's ramp, a very
quick move) they are told for every sample, so that the result stays within -80 dB of full evaluation. A block's gains
come out the same however a piece is divided and whatever else is evaluated beside it.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from needle.automation.curve import Values
from needle.dsp.kernels.envelope_nodes import fill_between, mark_bends, mark_rough
from needle.dsp.kernels.lane_values import cornered_blocks
from needle.dsp.pan_laws import Gains
from needle.mix.model import BLOCK

Members = NDArray[np.int64]
GainsAt = Callable[[Members, Values], Gains]
"""Gains (outputs, inputs, moments or 1) of members at times (s), both (moments,)."""

MAX_SECOND_DIFFERENCE = 1e-4
"""Second difference of a gain beyond which a block is not linear.

Linear interpolation over a block is off by an eighth of it: 1.3e-5, or -98 dB.
"""

_FINE = 16
"""Samples between the nodes of the finer grid on which bending blocks are candidates first."""

_COARSE = 4
"""Nodes from one that is asked first to the next."""

_MAX_COARSE_SECOND_DIFFERENCE = MAX_SECOND_DIFFERENCE / 2.0
"""Second difference over such a way up to which the nodes between are taken as linear: off by 6e-6, or -104 dB."""


@dataclass(frozen=True)
class MovingGains:
    """What the gains of a batch of inputs follow.

    ``at`` gives them at any moments. The lanes of member k have their corners (s) from ``corner_starts[k]`` up to
    ``corner_starts[k + 1]`` of ``corner_at``. ``pulses``: whether they move in rhythm as well.
    """

    at: GainsAt
    corner_starts: Members
    corner_at: Values
    pulses: bool = False


@dataclass(frozen=True)
class Envelopes:
    """The gains of some inputs over a run of blocks.

    ``start`` and ``rise``: float32 (outputs, inputs, members, blocks), at each block's start and until its end. In
    the blocks where ``exact_of`` (members, blocks) is not negative they are ``exact`` instead: float32 (outputs,
    inputs, exact blocks, BLOCK), sample by sample.
    """

    start: NDArray[np.float32]
    rise: NDArray[np.float32]
    exact_of: Members
    exact: NDArray[np.float32]


def envelopes(moving: MovingGains, members: Members, rate: int, first: int, last: int) -> Envelopes:
    """The gains of ``members`` from block ``first`` up to ``last`` (not included)."""

    def gains_at(of: Members, times: Values) -> Gains:
        gains = moving.at(of, times)
        return np.broadcast_to(gains, (*gains.shape[:2], len(times)))

    # One node more on each side, so that a block's bend is told the same in every division.
    count = last - first
    if moving.pulses:
        times = np.tile(np.arange(first - 1, last + 2) * (BLOCK / rate), len(members))
        grid = gains_at(np.repeat(members, count + 3), times)
        shape = grid.shape[:2]
        nodes = grid.reshape(-1, len(members), count + 3).astype(np.float32)
        may_bend = np.ones((len(members), count), dtype=bool)
    else:
        shape, nodes, may_bend = _nodes(moving, gains_at, members, rate, first, last)
    cornered = np.zeros((len(members), count), dtype=bool)
    cornered_blocks(moving.corner_starts, moving.corner_at, members, first, rate / BLOCK, cornered)
    nonlinear = cornered.copy()
    mark_bends(nodes, may_bend, MAX_SECOND_DIFFERENCE, nonlinear)
    exact_of = np.full(nonlinear.shape, -1)
    member, block = np.nonzero(nonlinear)
    exact_of[member, block] = np.arange(len(member))
    frames = (first + block) * BLOCK
    exact = _exact(gains_at, members[member], frames, cornered[member, block], rate, shape)
    nodes = nodes.reshape(*shape, len(members), -1)
    return Envelopes(nodes[..., 1:-2], nodes[..., 2:-1] - nodes[..., 1:-2], exact_of, exact)


def _nodes(
    moving: MovingGains, gains_at: GainsAt, members: Members, rate: int, first: int, last: int
) -> tuple[tuple[int, int], NDArray[np.float32], NDArray[np.bool_]]:
    """The gains at the start of every block, of one before and of two after them, and the blocks that may bend.

    How many (outputs, inputs), and shapes (gains, members, blocks + 3) and (members, blocks). They are linear between
    every fourth node where nothing bends there. Every fourth node of the session is asked, so that the same ones are
    in every division.
    """
    low, high = ((first - 1) // _COARSE - 1) * _COARSE, (-(-(last + 1) // _COARSE) + 1) * _COARSE
    coarse = np.arange(low, high + 1, _COARSE)
    count, seconds = len(coarse), BLOCK / rate
    grid = gains_at(np.repeat(members, count), np.tile(coarse * seconds, len(members)))
    shape, at = grid.shape[:2], grid.reshape(-1, len(members), count)
    corners = np.zeros((len(members), count - 1), dtype=bool)
    cornered_blocks(
        moving.corner_starts, moving.corner_at, members, low // _COARSE, 1.0 / (_COARSE * seconds), corners
    )
    rough = corners[:, :-2] | corners[:, 1:-1] | corners[:, 2:]
    mark_rough(at, _MAX_COARSE_SECOND_DIFFERENCE, rough)
    nodes = np.empty((len(at), len(members), (count - 3) * _COARSE + 1), np.float32)
    fill_between(at, _COARSE, nodes)
    member, cell = np.nonzero(rough)
    if member.size:
        steps = _COARSE * cell[:, np.newaxis] + np.arange(1, _COARSE)
        times: Values = np.asarray((low + _COARSE + steps).ravel() * seconds, dtype=np.float64)
        between = gains_at(np.repeat(members[member], _COARSE - 1), times)
        nodes[:, member[:, np.newaxis], steps] = between.reshape(-1, *steps.shape)
    begin, blocks = first - 1 - low - _COARSE, last - first
    # A bend at a node is one of the blocks on both its sides.
    bending = np.repeat(rough, _COARSE, axis=1)[:, begin : begin + blocks + 2]
    may_bend = bending[:, 1:-1] | bending[:, :-2] | bending[:, 2:]
    return (shape[0], shape[1]), nodes[..., begin : begin + blocks + 3], may_bend


def _exact(
    gains_at: GainsAt,
    members: Members,
    frames: Members,
    cornered: NDArray[np.bool_],
    rate: int,
    shape: tuple[int, int],
) -> NDArray[np.float32]:
    """The gains at every sample of blocks that begin at ``frames``: (outputs, inputs, blocks, BLOCK).

    Where a finer grid shows that they are smooth they are linear between its nodes; not where a lane is ``cornered``.
    """
    exact = np.empty((*shape, len(frames), BLOCK), dtype=np.float32)
    smooth = ~cornered
    candidates = np.flatnonzero(smooth)
    if candidates.size:
        fine = frames[candidates, np.newaxis] + np.arange(-_FINE, BLOCK + 2 * _FINE, _FINE)
        at = gains_at(np.repeat(members[candidates], fine.shape[1]), fine.ravel() / rate)
        at = at.reshape(*at.shape[:2], *fine.shape)
        second = np.abs(at[..., 2:] - 2.0 * at[..., 1:-1] + at[..., :-2])
        is_smooth = (second <= MAX_SECOND_DIFFERENCE).all(axis=(0, 1, 3))
        low, rise = at[:, :, is_smooth, 1:-2, np.newaxis], np.diff(at[:, :, is_smooth, 1:-1])[..., np.newaxis]
        linear = low + rise * (np.arange(_FINE) / _FINE)
        exact[:, :, candidates[is_smooth]] = linear.reshape(*shape, -1, BLOCK)
        smooth[candidates[~is_smooth]] = False
    bending = np.flatnonzero(~smooth)
    if bending.size:
        every = frames[bending, np.newaxis] + np.arange(BLOCK)
        gains = gains_at(np.repeat(members[bending], BLOCK), every.ravel() / rate)
        exact[:, :, bending] = gains.reshape(*shape, -1, BLOCK)
    return exact
