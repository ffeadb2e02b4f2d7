"""Waves: what a pulse does within a cycle, from -1 to 1, and the moving average that smooths it.

A wave is read at a phase in cycles. Smoothing averages it over a share of the cycle that lies evenly on both sides
of the moment (zero phase), so that gaps and peaks stay where they are. Every wave but the sine is made of straight
pieces, whose average is exact.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from needle.errors import NeedleError

Values = NDArray[np.float64]

FEWEST_STEPS, MOST_STEPS = 2, 32
"""How many drawn steps a cycle may have."""

_SHARPEST = 1e-7
"""Averages over less than this share of a cycle are none."""


@dataclass(frozen=True)
class Form:
    """What waves are made by: a square's ``duty`` (0…1), drawn ``steps`` (-1…1), ``seed`` and ``glide`` of chance."""

    duty: float = 0.5
    steps: tuple[float, ...] = (1.0, -1.0)
    seed: int = 1
    glide: bool = False


@dataclass(frozen=True)
class Wave:
    """A wave by name. ``read(form, phase, share)``: its mean from phase - share/2 to phase + share/2.

    ``jumps(form)``: whether it does, so that it needs a ramp.
    """

    name: str
    title: str
    sentence: str
    read: Callable[[Form, Values, Values], Values]
    jumps: Callable[[Form], bool]


class _Straight:
    """A cycle made of straight pieces, each from ``low[i]`` to ``high[i]`` between ``edges[i]`` and the next."""

    def __init__(self, edges: ArrayLike, low: ArrayLike, high: ArrayLike) -> None:
        self.edges, self.low, self.high = (np.asarray(row, dtype=np.float64) for row in (edges, low, high))
        self.spans = np.maximum(np.diff(self.edges), _SHARPEST)
        areas = (self.low + self.high) / 2.0 * np.diff(self.edges)
        self.areas = np.concatenate([[0.0], np.cumsum(areas)])

    def _piece(self, within: Values) -> tuple[NDArray[np.intp], Values]:
        piece = np.clip(np.searchsorted(self.edges, within, side="right") - 1, 0, len(self.low) - 1)
        return piece, np.clip((within - self.edges[piece]) / self.spans[piece], 0.0, 1.0)

    def _at(self, phase: Values) -> Values:
        piece, share = self._piece(phase - np.floor(phase))
        return self.low[piece] + (self.high[piece] - self.low[piece]) * share

    def _area(self, phase: Values) -> Values:
        """From the beginning of the cycle in which the phase lies."""
        piece, share = self._piece(phase)
        rise = (self.high[piece] - self.low[piece]) / 2.0
        return self.areas[piece] + self.spans[piece] * share * (self.low[piece] + rise * share)

    def read(self, phase: Values, share: Values) -> Values:
        # Within its cycle a phase is exact, however many have gone before.
        phase = phase - np.floor(phase)
        low, high = phase - share / 2.0, phase + share / 2.0
        whole = np.floor(high) - np.floor(low)
        area = self._area(high - np.floor(high)) - self._area(low - np.floor(low)) + whole * self.areas[-1]
        sharp = share <= _SHARPEST
        return np.where(sharp, self._at(phase) if sharp.any() else 0.0, area / np.where(sharp, 1.0, share))


def _straight(edges: Sequence[float], low: Sequence[float], high: Sequence[float]) -> Callable[..., Values]:
    wave = _Straight(edges, low, high)
    return lambda _form, phase, share: wave.read(phase, share)


def _sine(_form: Form, phase: Values, share: Values) -> Values:
    # The mean of a sine over a window is the sine times sinc(window).
    return np.sin(2.0 * np.pi * phase) * np.sinc(share)


def _square(form: Form, phase: Values, share: Values) -> Values:
    return _Straight([0.0, form.duty, 1.0], [1.0, -1.0], [1.0, -1.0]).read(phase, share)


def _steps(form: Form, phase: Values, share: Values) -> Values:
    edges = np.linspace(0.0, 1.0, len(form.steps) + 1)
    return _Straight(edges, form.steps, form.steps).read(phase, share)


def _chance(form: Form, phase: Values, share: Values) -> Values:
    cycle = np.floor(phase)
    values = {k: chance_values(form.seed, cycle + k) for k in (-1, 0, 1, 2)}
    width = np.maximum(share, 1e-7)
    low, high = phase - width / 2.0 - cycle, phase + width / 2.0 - cycle
    total = np.zeros_like(phase)
    for k in (-1, 0, 1):
        a, b = np.clip(low - k, 0.0, 1.0), np.clip(high - k, 0.0, 1.0)
        total += values[k] * (b - a)
        if form.glide:
            total += (values[k + 1] - values[k]) * (b * b - a * a) / 2.0
    return total / width


def chance_values(seed: int, cycle: ArrayLike) -> Values:
    """A value in -1…1 for each cycle (whole numbers), the same for the same seed: a SplitMix64 hash of both."""
    with np.errstate(over="ignore"):
        mixed = np.asarray(cycle).astype(np.int64).astype(np.uint64) + np.uint64(seed) * np.uint64(0x9E3779B97F4A7C15)
        mixed = (mixed + np.uint64(0x9E3779B97F4A7C15)) * np.uint64(0xD1342543DE82EF95)
        mixed = (mixed ^ (mixed >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        mixed = (mixed ^ (mixed >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        mixed ^= mixed >> np.uint64(31)
    return (mixed >> np.uint64(11)).astype(np.float64) * (2.0**-52) - 1.0


def _always(_form: Form) -> bool:
    return True


def _never(_form: Form) -> bool:
    return False


WAVES = {
    wave.name: wave
    for wave in (
        Wave("sine", "sine", "Round: swings evenly from one to the other.", _sine, _never),
        Wave(
            "triangle",
            "triangle",
            "Even speed there and back.",
            _straight([0.0, 0.25, 0.75, 1.0], [0.0, 1.0, -1.0], [1.0, -1.0, 0.0]),
            _never,
        ),
        Wave(
            "rising", "rising", "Grows through the cycle, then starts again.", _straight([0, 1], [-1], [1]), _always
        ),
        Wave("falling", "falling", "Begins full and fades.", _straight([0, 1], [1], [-1]), _always),
        Wave("square", "square", "Either on or off; duty is how long it is on.", _square, _always),
        Wave("steps", "steps", "Drawn by hand, step by step.", _steps, _always),
        Wave("chance", "chance", "Another value each cycle, by a seed.", _chance, lambda form: not form.glide),
    )
}
"""Every wave by name, in the order in which they are offered."""


def wave_named(name: str) -> Wave:
    """The wave of that name; NeedleError lists the names if there is none."""
    try:
        return WAVES[name]
    except KeyError:
        raise NeedleError("pulse.unknown_wave", name=name, choices=WAVES) from None


def wave_at(name: str, form: Form, phase: ArrayLike, smooth: ArrayLike = 0.0) -> Values:
    """The wave at each phase (cycles), averaged over ``smooth`` (a share 0…1 of a cycle); shapes broadcast."""
    at, share = np.broadcast_arrays(np.asarray(phase, np.float64), np.asarray(smooth, np.float64))
    return wave_named(name).read(form, at, share)
