"""What panning means for a source: the gain matrix of a position, one small class a meaning."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from needle.errors import NeedleError
from needle.placing.laws import LAWS, Gains, PanLaw


@dataclass(frozen=True)
class PlacementMode:
    """A meaning of pan. ``matrix(law, pan, centre_zero)`` has shape (2, inputs, *pan.shape)."""

    name: str
    inputs: int
    matrix: Callable[[PanLaw, Gains, bool], Gains]

    def gains(self, law: PanLaw, pan: ArrayLike, centre_zero: bool = False) -> Gains:
        """The gains from each input to left and right, shape (2, inputs, *pan.shape)."""
        return self.matrix(law, np.asarray(pan, dtype=np.float64), centre_zero)


def _pan(law: PanLaw, pan: Gains, centre_zero: bool) -> Gains:
    return law.gains(pan, centre_zero)[:, np.newaxis]


def _balance(_law: PanLaw, pan: Gains, _centre_zero: bool) -> Gains:
    """Each side stays on its side; moving away turns the far side down (the balance law)."""
    left, right = LAWS["balance"].gains(pan)
    matrix = np.zeros((2, 2, *pan.shape))
    matrix[0, 0], matrix[1, 1] = left, right
    return matrix


MODES = {mode.name: mode for mode in (PlacementMode("pan", 1, _pan), PlacementMode("balance", 2, _balance))}
"""Mono sources are panned by the session's law; stereo sources are balanced."""


def mode_for(name: str, channels: int) -> PlacementMode:
    """The mode of that name, if it takes a source of so many channels; NeedleError otherwise."""
    mode = MODES.get(name)
    if mode is None:
        raise NeedleError(f"There is no placement called “{name}”. Choose {', '.join(MODES)}.")
    if mode.inputs != channels:
        raise NeedleError(f"“{name}” places a source of {mode.inputs} channel(s); this one has {channels}.")
    return mode
