"""Tables for hands: what a page may look up while something is held, made by the rules that render it."""

from typing import Any

import numpy as np

from needle.moving.lane import SHAPES
from needle.placing.laws import law_named
from needle.placing.modes import MODES

PAN_STEPS = 401
SHAPE_STEPS = 65
TENSION_STEPS = 41


def gain_table(law: str, centre_zero: bool = False) -> dict[str, Any]:
    """Gains at ``PAN_STEPS`` even positions from left to right.

    ``modes``: by placement mode, a matrix (positions, 2 × inputs): left from each input, then right.
    """
    positions = np.linspace(-1.0, 1.0, PAN_STEPS)
    modes = {
        name: mode.gains(law_named(law), positions, centre_zero).reshape(2 * mode.inputs, -1).T.tolist()
        for name, mode in MODES.items()
    }
    return {"positions": PAN_STEPS, "modes": modes}


def shape_tables() -> dict[str, Any]:
    """Progress 0…1 at ``SHAPE_STEPS`` even shares of the way, per shape and tension.

    ``shapes``: by name, rows for ``TENSION_STEPS`` tensions from -1 to 1 (one row where it has no say).
    """
    x = np.linspace(0.0, 1.0, SHAPE_STEPS)
    shapes = {}
    for name, progress in SHAPES.items():
        tensions = np.linspace(-1.0, 1.0, TENSION_STEPS) if name == "curve" else [0.0]
        shapes[name] = [progress(x, np.full_like(x, tension)).tolist() for tension in tensions]
    return {"steps": SHAPE_STEPS, "shapes": shapes}
