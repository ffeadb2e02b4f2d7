"""Ways of listening that change nothing in the mix: mono, one side, sides exchanged, the difference."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from needle.errors import NeedleError


@dataclass(frozen=True)
class Monitor:
    """What reaches a listener's left and right of the mix's left and right: ``rows[output][input]``."""

    name: str
    title: str
    sentence: str
    rows: tuple[tuple[float, float], tuple[float, float]]

    @property
    def matrix(self) -> NDArray[np.float32]:
        """The gains, float32 (2 outputs, 2 inputs)."""
        return np.array(self.rows, dtype=np.float32)


MONITORS = {
    one.name: one
    for one in (
        Monitor("stereo", "Stereo", "Both sides, as they are delivered.", ((1.0, 0.0), (0.0, 1.0))),
        Monitor("mono", "Mono", "Half of left plus right, on both sides.", ((0.5, 0.5), (0.5, 0.5))),
        Monitor("left", "Left", "The left side alone, where it is.", ((1.0, 0.0), (0.0, 0.0))),
        Monitor("right", "Right", "The right side alone, where it is.", ((0.0, 0.0), (0.0, 1.0))),
        Monitor("swap", "Swap", "Left and right exchanged.", ((0.0, 1.0), (1.0, 0.0))),
        Monitor("difference", "Difference", "Half of left minus right: what mono loses.", ((0.5, -0.5), (0.5, -0.5))),
    )
}
"""Every way of listening to a stereo mix by name."""


def monitor_named(name: str) -> Monitor:
    """The way of listening of that name; NeedleError lists the names if there is none."""
    try:
        return MONITORS[name]
    except KeyError:
        raise NeedleError(f"There is no way of listening “{name}”. Choose {', '.join(MONITORS)}.") from None
