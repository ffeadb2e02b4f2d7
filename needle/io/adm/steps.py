"""Steps from block to block as a renderer hears them: gains go straight (ITU-R BS.2127-0, 7.3), places need not.

Between near places a sound moves while its gains go straight. Between places farther apart it does only by and by:
the sum of both ends' gains is softer half way, and across the room it is in two places at once. So a step becomes a
move along the way that the sum of both directions takes, softer by as much; and where that is not what a renderer
plays, the sound crossfades from one place to the other, which takes two sources that alternate.
"""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from needle.io.adm.gains import CHECKED_LAYOUTS, rendered_gains
from needle.io.adm.model import NUMBERS, Moves, Values
from needle.room_coordinates import unit_vectors

_GOOD, _POOR = 10.0 ** (-42.0 / 10.0), 10.0 ** (-36.5 / 10.0)
"""Up to what power of the error, of a step's own, its place moves evenly; and beyond what it fades.

All loudspeakers together, at -36.5 dB no gain is off by more than 0.015 of them.
"""

_SOFT = 10.0 ** (-6.0 / 10.0)

_SHORTEST = 0.006
"""A quicker step (s) is a jump, over which we take 5 ms ourselves."""

_WITHIN = np.linspace(0.0, 1.0, 9)[1:-1]
"""Where within a step it is looked at."""

_DEGREES = 1.0
"""How far apart the points of a way that is no straight line may be."""

_MOST_POINTS = 90


def crossfade_moves(moves: Moves) -> tuple[Moves, ...]:
    """The moves that sound as a renderer plays ``moves``: of one source, or of two between which it crossfades."""
    if moves.still:
        return (moves,)
    kinds = _kinds(moves)
    if not kinds.any():
        return (moves,)
    turns = np.concatenate([[0], np.cumsum(kinds == _FADES)]) % 2
    return tuple(_of_turn(moves, kinds, turns, turn) for turn in range(1 + int(turns.any())))


def crossfade_times(moves: Moves) -> Values:
    """The times (s) at which a step begins that a moving place cannot sound like."""
    return moves.times[:-1][_kinds(moves) == _FADES] if not moves.still else np.zeros(0)


_MOVES, _BENDS, _FADES = range(3)


def _kinds(moves: Moves) -> NDArray[np.intp]:
    """Of every step: whether its place moves evenly, or as the sum of its ends does, or it fades."""
    kinds = np.full(len(moves.times) - 1, _MOVES, dtype=np.intp)
    steps = np.flatnonzero(np.diff(moves.times) > _SHORTEST)
    if not steps.size:
        return kinds
    corners = {name: getattr(moves, name) for name in NUMBERS}
    at_corners = rendered_gains(corners, [moves.zones[0]] * len(moves.times), any(moves.lock))
    ends = at_corners[:, steps, np.newaxis], at_corners[:, steps + 1, np.newaxis]
    wanted = (1.0 - _WITHIN) * ends[0] + _WITHIN * ends[1]
    # What is softer than the loudest by more than this may be off as if it were not.
    floor = _SOFT * float((at_corners**2).sum(axis=0).max())
    even, bent = (_residuals(moves, way(moves, steps, _WITHIN, wanted), wanted, floor) for way in (_along, _bent))
    bends = (even > _GOOD) & (bent < even)
    kinds[steps[bends]] = _BENDS
    kinds[steps[np.minimum(even, bent) > _POOR]] = _FADES
    return kinds


def _residuals(moves: Moves, numbers: dict[str, Values], target: Values, floor: float) -> Values:
    """The power of the error of every step, of its own power or of ``floor``, all loudspeakers together: (steps,)."""
    flat = {name: np.ascontiguousarray(values.ravel()) for name, values in numbers.items()}
    gains = rendered_gains(flat, [moves.zones[0]] * len(flat["gain"]), any(moves.lock)).reshape(target.shape)
    power = (target**2).sum(axis=0).mean(axis=1)
    return ((gains - target) ** 2).sum(axis=0).mean(axis=1) / np.maximum(np.maximum(power, floor), 1e-12)


def _along(moves: Moves, steps: NDArray[np.intp], shares: Values, _wanted: Values) -> dict[str, Values]:
    """The numbers at shares of some steps, each going evenly: (steps, shares)."""
    rows = {name: getattr(moves, name) for name in NUMBERS}
    return {
        name: (1.0 - shares) * row[steps, np.newaxis] + shares * row[steps + 1, np.newaxis]
        for name, row in rows.items()
    }


def _bent(moves: Moves, steps: NDArray[np.intp], shares: Values, wanted: Values) -> dict[str, Values]:
    """The same with the direction of the sum of both ends, as strong as the gains that are wanted.

    An end counts by its gain, and by its distance: what is in the middle has no direction.
    """
    numbers = _along(moves, steps, shares, wanted)
    low, high = (
        (unit_vectors(moves.azimuth[i], moves.elevation[i]) * moves.gain[i] * moves.distance[i])[..., np.newaxis]
        for i in (steps, steps + 1)
    )
    x, y, z = (1.0 - shares) * low + shares * high
    azimuth = np.degrees(np.arctan2(-x, y))
    middle = numbers["azimuth"]
    return {
        **numbers,
        "azimuth": azimuth + 360.0 * np.round((middle - azimuth) / 360.0),
        "elevation": np.degrees(np.arctan2(z, np.hypot(x, y))),
        "gain": np.sqrt((wanted**2).sum(axis=0) / len(CHECKED_LAYOUTS)),
    }


def _of_turn(moves: Moves, kinds: NDArray[np.intp], turns: NDArray[np.intp], turn: int) -> Moves:
    """What the source of one turn does: it stands at its next place before it comes in, and at its last one after."""
    times: list[float] = []
    rows: list[dict[str, float]] = []

    def corner(at: float, numbers: dict[str, float]) -> None:
        later = np.nextafter(times[-1], np.inf) if times and at <= times[-1] else at
        times.append(float(later))
        rows.append(numbers)

    def numbers_at(index: int, gain: float | None = None) -> dict[str, float]:
        numbers = {name: float(getattr(moves, name)[index]) for name in NUMBERS}
        return numbers if gain is None else {**numbers, "gain": gain}

    mine = turns == turn
    for index, at in enumerate(moves.times):
        comes_in = mine[index] and index > 0 and kinds[index - 1] == _FADES
        if mine[index]:
            if comes_in:
                # Silent at the place where it is to come in, from where the other begins to go out.
                corner(float(moves.times[index - 1]), numbers_at(index, 0.0))
            corner(float(at), numbers_at(index))
            if index < len(kinds) and kinds[index] == _BENDS:
                for share, numbers in _bent_points(moves, index):
                    corner(float(at + share * (moves.times[index + 1] - at)), numbers)
            if index < len(kinds) and kinds[index] == _FADES:
                corner(float(moves.times[index + 1]), numbers_at(index, 0.0))
        elif not times:
            corner(float(at), numbers_at(int(np.argmax(mine)), 0.0))
    columns = {name: np.array([row[name] for row in rows]) for name in NUMBERS}
    return replace(
        moves,
        times=np.array(times),
        zones=(moves.zones[0],) * len(times),
        lock=(any(moves.lock),) * len(times),
        **columns,
    )


def _bent_points(moves: Moves, index: int) -> list[tuple[float, dict[str, float]]]:
    """The points within a step that bends: (share of the step, numbers) each."""
    ends = np.array([[moves.azimuth[i], moves.elevation[i]] for i in (index, index + 1)])
    count = int(np.clip(np.ceil(np.abs(np.diff(ends, axis=0)).max() / _DEGREES), 4, _MOST_POINTS))
    shares = np.linspace(0.0, 1.0, count + 1)[1:-1]
    corners = {name: getattr(moves, name)[index : index + 2] for name in NUMBERS}
    gains = rendered_gains(corners, [moves.zones[0]] * 2, any(moves.lock))
    wanted = (1.0 - shares) * gains[:, :1, np.newaxis] + shares * gains[:, 1:, np.newaxis]
    numbers = _bent(moves, np.array([index]), shares, wanted)
    return [(float(share), {name: float(numbers[name][0, i]) for name in NUMBERS}) for i, share in enumerate(shares)]
