"""Gains between the moments at which they have been asked, and the blocks in which they are not linear."""

import numpy as np
from numpy.typing import NDArray

from needle.dsp.kernels import kernel

Gains = NDArray[np.float64]
Nodes = NDArray[np.float32]
Marks = NDArray[np.bool_]


def _rough_twin(coarse: Gains, most: float, out: Marks) -> None:
    second = np.abs(coarse[..., 2:] - 2.0 * coarse[..., 1:-1] + coarse[..., :-2]).max(axis=0)
    out |= np.maximum(second[:, :-1], second[:, 1:]) > most


@kernel(_rough_twin, "r8[3,A]", "float64", "wb[2]")
def mark_rough(coarse: Gains, most: float, out: Marks) -> None:
    """Mark in ``out`` (members, moments - 3) where a gain bends between two moments.

    ``coarse`` (gains, members, moments); stretch j lies between moments j + 1 and j + 2. It bends where the second
    difference at either end is more than ``most``.
    """
    for gain in range(coarse.shape[0]):
        for member in range(coarse.shape[1]):
            row = coarse[gain, member]
            before = abs(row[2] - 2.0 * row[1] + row[0])
            for j in range(out.shape[1]):
                after = abs(row[j + 3] - 2.0 * row[j + 2] + row[j + 1])
                if before > most or after > most:
                    out[member, j] = True
                before = after


def _between_twin(coarse: Gains, steps: int, out: Nodes) -> None:
    inner = coarse[..., 1:-2, np.newaxis]
    rise = np.diff(coarse[..., 1:-1])[..., np.newaxis]
    out[..., :-1] = (inner + rise * (np.arange(steps) / steps)).reshape(*coarse.shape[:2], -1)
    out[..., -1] = coarse[..., -2]


@kernel(_between_twin, "r8[3,A]", "int64", "w4[3]")
def fill_between(coarse: Gains, steps: int, out: Nodes) -> None:
    """Fill ``out`` (gains, members, (moments - 3) × steps + 1) evenly from the second to the last but one moment.

    ``coarse``: (gains, members, moments).
    """
    for gain in range(coarse.shape[0]):
        for member in range(coarse.shape[1]):
            for j in range(coarse.shape[2] - 3):
                low = coarse[gain, member, j + 1]
                rise = (coarse[gain, member, j + 2] - low) / steps
                for k in range(steps):
                    out[gain, member, j * steps + k] = low + rise * k
            out[gain, member, out.shape[2] - 1] = coarse[gain, member, coarse.shape[2] - 2]


def _bends_twin(nodes: Nodes, may_bend: Marks, most: float, out: Marks) -> None:
    second = np.abs(nodes[..., 2:] - np.float32(2.0) * nodes[..., 1:-1] + nodes[..., :-2]).max(axis=0)
    out |= may_bend & (np.maximum(second[:, :-1], second[:, 1:]) > most)


@kernel(_bends_twin, "r4[3,A]", "rb[2,A]", "float64", "wb[2]")
def mark_bends(nodes: Nodes, may_bend: Marks, most: float, out: Marks) -> None:
    """Mark in ``out`` (members, blocks) the blocks that ``may_bend`` and in which a gain does.

    ``nodes`` (gains, members, blocks + 3): at the start of every block, of one before and of two after them.
    """
    for member in range(out.shape[0]):
        for b in range(out.shape[1]):
            if not may_bend[member, b]:
                continue
            for gain in range(nodes.shape[0]):
                before, start = nodes[gain, member, b], nodes[gain, member, b + 1]
                end, behind = nodes[gain, member, b + 2], nodes[gain, member, b + 3]
                if abs(end - 2.0 * start + before) > most or abs(behind - 2.0 * end + start) > most:
                    out[member, b] = True
                    break
