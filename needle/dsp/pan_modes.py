"""What panning means for a source: where each of its channels stands and how strong it is, one small class a meaning.

A meaning reads *values*: the source's parameters by name, arrays of one shape, or of length 1 where they do not move.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from needle.dsp.band_split import BANDS, PLACES
from needle.dsp.pan_laws import LAWS, Gains, PanLaw
from needle.errors import NeedleError
from needle.units import db_to_gain

Values = Mapping[str, NDArray[np.float64]]
PerChannel = Callable[[Values, int], Gains]

MOST_INPUTS = 64
"""No source has more channels."""


@dataclass(frozen=True)
class PlacementMode:
    """A meaning of panning, for sources of ``fewest`` to ``most`` channels.

    ``parameters`` are the values that it reads. ``positions(values, inputs)`` is where each channel stands and
    ``weights(values, inputs)`` its gain, both (inputs, *shape). ``on_its_side``: each channel sounds on its own side
    only, turned down by the balance law; otherwise the session's pan law places every channel on both. ``for_rooms``:
    it is offered where there are loudspeakers behind the listener too. ``levels_at``: the positions whose strength by
    the law the channels have, where that is not their own.
    """

    name: str
    title: str
    sentence: str
    fewest: int
    most: int
    parameters: tuple[str, ...]
    positions: PerChannel
    weights: PerChannel
    on_its_side: bool = False
    for_rooms: bool = False
    levels_at: PerChannel | None = None

    def takes(self, inputs: int) -> bool:
        """Whether a source of so many channels can be placed in this way."""
        return self.fewest <= inputs <= self.most

    def law(self, session: PanLaw) -> PanLaw:
        """The law that it follows in a session."""
        return LAWS["balance"] if self.on_its_side else session

    def gains(
        self,
        law: PanLaw,
        values: Mapping[str, ArrayLike],
        inputs: int,
        centre_zero: bool = False,
        share: float = 1.0,
    ) -> Gains:
        """The gains from each channel to left and right, shape (2, inputs, *shape of the values).

        ``share`` 0…1 is how much of each channel's position the levels tell; the rest is left to timing.
        """
        read = {name: np.asarray(values[name], dtype=np.float64) for name in self.parameters}
        positions = self.positions(read, inputs)
        gains = self.law(law).gains(share * positions, centre_zero)
        if self.on_its_side:
            gains[0, 1] = gains[1, 0] = 0.0
        if self.levels_at is not None:
            own = law.strength(share * positions, centre_zero)
            gains *= law.strength(share * self.levels_at(read, inputs), centre_zero) / own
        return gains * self.weights(read, inputs)

    def strengths(self, law: PanLaw, values: Mapping[str, ArrayLike], inputs: int, centre_zero: bool) -> Gains:
        """The amplitude that a law gives each channel, both sides together, its weight included."""
        read = {name: np.asarray(values[name], dtype=np.float64) for name in self.parameters}
        positions = (self.levels_at or self.positions)(read, inputs)
        return law.strength(positions, centre_zero) * self.weights(read, inputs)


def _one(values: Values, inputs: int) -> Gains:
    return np.broadcast_to(_limited(values["pan"]), (inputs, *values["pan"].shape))


def _each_side(values: Values, _inputs: int) -> Gains:
    return _limited(np.array(np.broadcast_arrays(values["pan_left"], values["pan_right"])))


def _spread(values: Values, inputs: int) -> Gains:
    """Channels evenly from centre - width to centre + width; a negative width turns their order round."""
    across = np.linspace(-1.0, 1.0, inputs).reshape(-1, *[1] * values["pan"].ndim)
    return _limited(values["pan"] + across * values["span"])


def _limited(pan: Gains) -> Gains:
    return np.minimum(np.maximum(pan, -1.0), 1.0)


def _as_they_are(values: Values, inputs: int) -> Gains:
    return np.ones((inputs, *[1] * next(iter(values.values())).ndim))


def _each_band(values: Values, inputs: int) -> Gains:
    """The bands of the left side and then those of the right, which stand as in a mirror, over a part of the field.

    The part is as wide as the side's width says, about the side's place as far as the field has room.
    """
    widths = np.array(np.broadcast_arrays(values["width_left"], values["width_right"]))
    middle = np.minimum(np.maximum(_each_side(values, inputs), widths - 1.0), 1.0 - widths)
    bands = np.array([PLACES, -PLACES]).reshape(2, BANDS, *[1] * (widths.ndim - 1))
    places = middle[:, np.newaxis] + widths[:, np.newaxis] * bands
    return places.reshape(2 * BANDS, *places.shape[2:])


def _each_bands_side(values: Values, inputs: int) -> Gains:
    return np.repeat(_each_side(values, inputs), BANDS, axis=0)


def _band_levels(values: Values, inputs: int) -> Gains:
    return np.repeat(_side_levels(values, inputs), BANDS, axis=0)


def _side_levels(values: Values, _inputs: int) -> Gains:
    return db_to_gain(np.array(np.broadcast_arrays(values["level_left"], values["level_right"])))


def _in_equal_parts(values: Values, inputs: int) -> Gains:
    """As one sound: (L + R) / 2."""
    return _as_they_are(values, inputs) / inputs


def _both_ends(values: Values, inputs: int) -> Gains:
    return _spread({**values, "span": np.ones_like(values["pan"])}, inputs)


STEM = "stem"
"""The name of the way in which a finished stem is spread over the room."""

SIDES = "sides"
"""The name of the way in which each side has a place of its own."""

SIDE_BANDS = "side bands"
"""The name of ``BANDED``."""

MODES = {
    mode.name: mode
    for mode in (
        PlacementMode(
            "pan",
            "place",
            "One sound at one place, by the session's pan law.",
            1,
            1,
            ("pan",),
            _one,
            _as_they_are,
        ),
        PlacementMode(
            "balance",
            "balance",
            "Each side stays on its side. Moving away turns the far side down: what is only there is lost.",
            2,
            2,
            ("pan",),
            _one,
            _as_they_are,
            on_its_side=True,
        ),
        PlacementMode(
            SIDES,
            "sides",
            "Each side has a place, a width and a level of its own. Nothing is lost.",
            2,
            2,
            ("pan_left", "pan_right", "level_left", "level_right", "width_left", "width_right"),
            _each_side,
            _side_levels,
        ),
        PlacementMode(
            "span",
            "span",
            "The whole picture is moved and narrowed as one. A width below 0 exchanges its sides.",
            2,
            MOST_INPUTS,
            ("pan", "span"),
            _spread,
            _as_they_are,
        ),
        PlacementMode(
            "mono",
            "mono",
            "All channels are added to one sound at one place. What is opposite on the sides is lost.",
            2,
            MOST_INPUTS,
            ("pan",),
            _one,
            _in_equal_parts,
        ),
        PlacementMode(
            STEM,
            "stem",
            "A finished stem over the room: what is direct stays in front, its ambience comes from all round.",
            2,
            2,
            ("pan",),
            _both_ends,
            _as_they_are,
            for_rooms=True,
        ),
    )
}
"""Every meaning by name, in the order in which they are offered."""

BANDED = PlacementMode(
    SIDE_BANDS,
    "sides in bands",
    "Each side of two stands over a part of the field, band by band.",
    2 * BANDS,
    2 * BANDS,
    MODES[SIDES].parameters,
    _each_band,
    _band_levels,
    levels_at=_each_bands_side,
)
"""How the bands of two sides are panned that have a width; no source is stored with it."""


def modes_for(channels: int, in_room: bool) -> list[PlacementMode]:
    """The modes that are offered to a source of so many channels, in stereo or in a room of loudspeakers."""
    return [mode for mode in MODES.values() if mode.takes(channels) and (in_room or not mode.for_rooms)]


def mode_for(name: str, channels: int) -> PlacementMode:
    """The mode of that name, if it takes a source of so many channels; NeedleError otherwise."""
    mode = MODES.get(name)
    if mode is None:
        raise NeedleError("pan_mode.unknown", name=name, choices=MODES)
    if not mode.takes(channels):
        choices = [m.name for m in MODES.values() if m.takes(channels)]
        raise NeedleError("pan_mode.wrong_channel_count", name=name, count=channels, choices=choices)
    return mode


def before_placing(values: Values, swap_channels: bool, invert: tuple[bool, bool], inputs: int) -> Gains | None:
    """Exchange of the sides, polarity and width, in this order: (inputs, inputs, *shape); None if nothing changes.

    ``values["width"]`` is 0 (mono) to 2; 1 leaves the sides as they are: M = (L + R) / 2 and S = (L - R) / 2
    become M ± width · S. ``invert`` turns the polarity of left and right; a mono source has only the first.
    """
    width = np.asarray(values["width"], dtype=np.float64)
    if inputs == 1:
        return -np.ones((1, 1, *width.shape)) if invert[0] else None
    if inputs != 2 or (not swap_channels and not any(invert) and np.all(width == 1.0)):
        return None
    near, far = (1.0 + width) / 2.0, (1.0 - width) / 2.0
    signs = np.where(invert, -1.0, 1.0)
    matrix = np.array([[near * signs[0], far * signs[1]], [far * signs[0], near * signs[1]]])
    return matrix[:, ::-1] if swap_channels else matrix


def in_each_band(matrix: Gains) -> Gains:
    """A matrix of two sides (2, 2, *shape) for every band of both: (2 × BANDS, 2 × BANDS, *shape)."""
    bands = np.eye(BANDS).reshape(1, BANDS, 1, BANDS, *[1] * (matrix.ndim - 2))
    by_band = matrix[:, np.newaxis, :, np.newaxis] * bands
    return by_band.reshape(2 * BANDS, 2 * BANDS, *matrix.shape[2:])
