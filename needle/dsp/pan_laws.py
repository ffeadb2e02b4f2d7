"""The stereo pan laws: the left and right gain of a position."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from needle.errors import NeedleError

Gains = NDArray[np.float64]
_CENTRE = 0.5


@dataclass(frozen=True)
class PanLaw:
    """A law by name: ``right(u)`` is the right gain at u = (pan + 1) / 2; the left is its mirror image."""

    name: str
    title: str
    right: Callable[[Gains], Gains]

    def gains(self, pan: ArrayLike, centre_zero: bool = False) -> Gains:
        """Give the gains of positions.

        Parameters
        ----------
        pan : array_like
            -1 (left) to 1 (right), limited to it.
        centre_zero
            Whether all gains are divided by the centre's, so that the centre stands at 0 dB.

        Returns
        -------
        float64, shape (2, *pan.shape)
            Left first.

        Examples
        --------
        >>> law_named("constant-power").gains(0.5).round(5).tolist()
        [0.38268, 0.92388]
        >>> law_named("balance").gains([0.0, 0.5]).tolist()
        [[1.0, 0.5], [1.0, 1.0]]
        """
        u = (np.minimum(np.maximum(np.asarray(pan, dtype=np.float64), -1.0), 1.0) + 1.0) / 2.0
        gains = self.right(np.array([1.0 - u, u]))
        if centre_zero:
            gains /= self.right(np.array(_CENTRE))
        return gains

    def strength(self, pan: ArrayLike, centre_zero: bool = False) -> Gains:
        """The amplitude of both sides together, the root of their powers: shape of ``pan``."""
        return np.sqrt((self.gains(pan, centre_zero) ** 2).sum(axis=0))


def _constant_power(u: Gains) -> Gains:
    return np.sin(u * (np.pi / 2.0))


def _compromise(u: Gains) -> Gains:
    return np.sqrt(u * np.sin(u * (np.pi / 2.0)))


def _constant_gain(u: Gains) -> Gains:
    return np.asarray(u, dtype=np.float64)


def _balance(u: Gains) -> Gains:
    return np.minimum(1.0, 2.0 * u)


LAWS = {
    law.name: law
    for law in (
        PanLaw("constant-power", "constant power", _constant_power),
        PanLaw("compromise", "compromise", _compromise),
        PanLaw("constant-gain", "constant gain", _constant_gain),
        PanLaw("balance", "balance", _balance),
    )
}
"""Every law by name; the session's default is ``constant-power``."""


def law_named(name: str) -> PanLaw:
    """The law of that name; NeedleError lists the names if there is none."""
    try:
        return LAWS[name]
    except KeyError:
        raise NeedleError("pan_law.unknown", name=name, choices=LAWS) from None
