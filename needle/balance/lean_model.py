"""A quadratic model of what any change of level and place of some sources does to the lean, and its least change.

The K-weighted covariances of the mix and of what each source brings before its place, half a second at a time, are
seen through the very gains that would be rendered.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
import scipy
from numpy.typing import NDArray

from needle.balance.bounds import Bounds
from needle.balance.progress import Steps, stretches
from needle.balance.trial import Change, changed
from needle.dsp.fractional_delay import timing_of
from needle.dsp.k_weighting import KWeighting
from needle.dsp.pan_modes import STEM
from needle.errors import NeedleError
from needle.layouts import STEREO
from needle.metering.frames import FRAMES_PER_HOP, hop_frames, warm_up_frames
from needle.metering.lean import HOP_SECONDS, LONG_HOPS, centred_mean, lean_db
from needle.mix.listening import Listening
from needle.mix.model import Mix, MixSource
from needle.render.cache import RenderCache
from needle.render.engine import render_audio, render_before_placement
from needle.render.source_gains import doubler_gains, placement, two_sided, values_at
from needle.units import db_to_gain

Values = NDArray[np.float64]

MOST_LEVEL_DB = 3.0
MOST_PLACE = 0.25
"""How far a source gives way unless something else is said."""

_HOPS = 5
"""Tenths of a second that are taken together."""

_CACHE_BYTES = 256 << 20
BLOCKS_AT_ONCE = 16
"""Half seconds whose covariances are gathered at a time."""

_ROUNDING = 0.05
_PLACE_GRID = 0.0125
"""Shifts between which gains are interpolated."""

_SLACK_COSTS = np.array([100.0, 300.0])
_LEVEL_STEP, _PLACE_STEP = 0.1, 0.01


@dataclass(frozen=True)
class Adjustable:
    """A source that may give way: by ``level`` dB louder or softer, by ``place`` to either side, at the most."""

    source: str
    level: float = MOST_LEVEL_DB
    place: float = MOST_PLACE

    def __post_init__(self) -> None:
        if not 0.0 <= self.level <= 12.0 or not 0.0 <= self.place <= 1.0:
            raise NeedleError("balance.adjustment_out_of_range")


@dataclass(frozen=True)
class Model:
    """P(x) = Σ wᵀ M w per side and half second, over the channels that stand there: ``covariances`` (blocks, K, K) of
    the mix's channels and every channel of the givers; ``correction`` (2, blocks) is what measuring has taught."""

    mix: Mix
    givers: tuple[Adjustable, ...]
    sources: tuple[MixSource, ...]
    covariances: Values
    correction: Values
    _known: dict[tuple[int, int], Values] = field(default_factory=dict, compare=False, repr=False)

    @property
    def _times(self) -> Values:
        return np.asarray((np.arange(len(self.covariances)) + 0.5) * _HOPS * HOP_SECONDS, dtype=np.float64)

    def _gains(self, index: int, place: float) -> Values:
        """Gains of a giver's channels at a shifted place, (outputs, channels, blocks)."""
        source = changed(self.sources[index], Change(self.sources[index].id, 0.0, place))
        timing = timing_of(source.delay_panning, source.delay_panning_ms, source.level_share)
        times = self._times
        matrix = placement(self.mix, source, values_at(source, times), times, timing.share if timing else 1.0)
        direct, copy = doubler_gains(source)
        matrix = direct * matrix + copy * matrix[self.mix.room.mirrored]
        return np.broadcast_to(matrix, (self.mix.outputs, source.channels, len(times)))

    def _gains_at_step(self, index: int, step: int) -> Values:
        """The same at a place that is shifted by so many ``_PLACE_GRID``; each is worked out once."""
        key = index, step
        if key not in self._known:
            self._known[key] = self._gains(index, step * _PLACE_GRID)
        return self._known[key]

    def _gains_and_slope(self, index: int, place: float) -> tuple[Values, Values]:
        """Gains at any shift between those, by a cubic through them, and how they change with it."""
        step = int(np.floor(place / _PLACE_GRID))
        x = place / _PLACE_GRID - step
        before, low, high, behind = (self._gains_at_step(index, step + k) for k in (-1, 0, 1, 2))
        rise, end = (high - before) / 2.0, (behind - low) / 2.0
        square, cube = 3.0 * (high - low) - 2.0 * rise - end, 2.0 * (low - high) + rise + end
        gains = low + x * (rise + x * (square + x * cube))
        return gains, (rise + x * (2.0 * square + 3.0 * x * cube)) / _PLACE_GRID

    def _weights(self, x: Values) -> tuple[Values, Values]:
        """w (outputs, blocks, K) and its derivative by each value of x, (values, outputs, blocks, K)."""
        blocks, width = self.covariances.shape[:2]
        outputs = self.mix.outputs
        weights = np.zeros((outputs, blocks, width))
        weights[np.arange(outputs), :, np.arange(outputs)] = 1.0
        slopes = np.zeros((len(x), outputs, blocks, width))
        at = outputs
        for index, source in enumerate(self.sources):
            level, place = x[2 * index] * MOST_LEVEL_DB, x[2 * index + 1] * MOST_PLACE
            channels = slice(at, at + source.channels)
            louder = float(db_to_gain(level))
            now = self._gains_at_step(index, 0)
            there, turning = self._gains_and_slope(index, place)
            weights[:, :, channels] += (louder * there - now).transpose(0, 2, 1)
            slopes[2 * index, :, :, channels] = (louder * np.log(10.0) / 20.0 * there).transpose(0, 2, 1)
            slopes[2 * index] *= MOST_LEVEL_DB
            slopes[2 * index + 1, :, :, channels] = (louder * MOST_PLACE * turning).transpose(0, 2, 1)
            at += source.channels
        return weights, slopes

    def powers(self, x: Values) -> tuple[Values, Values]:
        """Mean squares (2, blocks), and their derivative (values, 2, blocks)."""
        weights, slopes = self._weights(x)
        through = np.einsum("tjk,otk->otj", self.covariances, weights)
        sides = self.mix.room.sides
        power = np.maximum(sides @ np.einsum("otk,otk->ot", weights, through), 1e-30)
        slope = 2.0 * np.einsum("so,xotk,otk->xst", sides, slopes, through, optimize=True)
        return power * self.correction, slope * self.correction

    def lean(self, x: Values) -> tuple[Values, Values]:
        """The 3 s lean (blocks,) and its derivative (values, blocks)."""
        power, slope = (centred_mean(values, LONG_HOPS // _HOPS) for values in self.powers(x))
        power = np.maximum(power, 1e-30)
        rise = 10.0 / np.log(10.0) * (slope[:, 1] / power[1] - slope[:, 0] / power[0])
        return lean_db(power[0], power[1]), rise

    def solved(self, bounds: Bounds, margin: float) -> tuple[Change, ...]:
        """The least change that keeps within the bounds, or comes as near as the givers may go."""
        blocks = len(self.covariances)
        limits = _per_block(bounds.limits, blocks)
        defined = ~np.isnan(limits) & ~np.isnan(self.lean(np.zeros(2 * len(self.givers)))[0])
        inside = ~np.isnan(_per_block(np.where(bounds.inside, 1.0, np.nan), blocks)[defined])
        limits = np.where(inside, np.maximum(limits[defined] - margin, bounds.tolerance.db / 2.0), limits[defined])
        # What cannot be kept is let go as little as can be, where it was to be evened and elsewhere by itself.
        slack = np.stack([inside, ~inside], axis=1).astype(float)
        many = slack.shape[1]

        def room(v: Values) -> Values:
            lean, loose = np.nan_to_num(self.lean(v[:-many])[0][defined]), limits + slack @ v[-many:]
            return np.concatenate([loose - lean, loose + lean])

        def room_slope(v: Values) -> Values:
            rise = self.lean(v[:-many])[1][:, defined].T
            return np.concatenate([np.hstack([-rise, slack]), np.hstack([rise, slack])])

        def cost(v: Values) -> tuple[float, Values]:
            size = np.sqrt(v[:-many] ** 2 + _ROUNDING**2)
            return float(size.sum() + _SLACK_COSTS @ v[-many:]), np.append(v[:-many] / size, _SLACK_COSTS)

        most = np.array([limit for g in self.givers for limit in (g.level / MOST_LEVEL_DB, g.place / MOST_PLACE)])

        def tried_from(start: Values) -> scipy.optimize.OptimizeResult:
            missing = max(-float(room(np.append(start, [0.0] * many)).min(initial=0.0)), 0.0)
            return scipy.optimize.minimize(
                cost,
                np.append(start, [missing] * many),
                jac=True,
                method="SLSQP",
                bounds=[(-limit, limit) for limit in most] + [(0.0, None)] * many,
                constraints={"type": "ineq", "fun": room, "jac": room_slope},
                options={"maxiter": 80, "ftol": 1e-5},
            )

        # Bounds on both sides leave hollows: it is looked for from nothing, and from either turn of each value.
        nearest = tried_from(np.zeros(len(most)))
        if nearest.x[-many:].sum() > 1e-3:
            turns = np.diag(most) / 2.0
            nearest = min([nearest, *map(tried_from, [*turns, *-turns])], key=lambda result: result.fun)
        return self._changes(np.clip(nearest.x[:-many], -most, most))

    def _changes(self, x: Values) -> tuple[Change, ...]:
        levels, places = MOST_LEVEL_DB * x[::2], MOST_PLACE * x[1::2]
        return tuple(rounded(g.source, *values) for g, *values in zip(self.givers, levels, places, strict=True))

    def corrected(self, changes: Sequence[Change], powers: Values) -> "Model":
        """The model taught by what has been measured with some changes."""
        x = np.array([v for c in changes for v in (c.level / MOST_LEVEL_DB, c.place / MOST_PLACE)])
        predicted = self.powers(x)[0]
        blocks = len(self.covariances)
        measured_powers = np.stack([_means_per_block(side, blocks) for side in powers])
        return replace(
            self, correction=self.correction * np.maximum(measured_powers, 1e-30) / np.maximum(predicted, 1e-30)
        )


def rounded(source: str, level: float, place: float) -> Change:
    """A change in steps that can be told: tenths of a dB, hundredths of the half field. A single step is none."""
    return Change(source, _stepped(level, _LEVEL_STEP), _stepped(place, _PLACE_STEP))


def _stepped(value: float, step: float) -> float:
    steps = round(value / step)
    return round(steps * step, 6) if abs(steps) > 1 else 0.0


def _per_block(values: Values, blocks: int) -> Values:
    """The strictest of each half second; nan where none is told."""
    padded = np.pad(values, (0, blocks * _HOPS - len(values)), constant_values=np.nan).reshape(blocks, _HOPS)
    return np.where(np.isnan(padded).all(axis=1), np.nan, np.nanmin(np.nan_to_num(padded, nan=np.inf), axis=1))


def _means_per_block(values: Values, blocks: int) -> Values:
    return np.pad(values, (0, blocks * _HOPS - len(values))).reshape(blocks, _HOPS).mean(axis=1)


Covariances = Callable[[Mix, Sequence[str], int], Steps[Values]]
"""Gathers the covariances of a mix and of some sources by id, in so many half seconds."""


def model_of(mix: Mix, givers: Sequence[Adjustable], hops: int, gather: Covariances | None = None) -> Steps[Model]:
    """The covariances of the mix and its givers, half a second at a time."""
    by_id = {source.id: source for source in mix.sources}
    givers = [replace(giver, place=0.0) if _made_up(by_id[giver.source]) else giver for giver in givers]
    sources = tuple(_standing_for(by_id[giver.source]) for giver in givers)
    blocks = -(-hops // _HOPS)
    gathered = yield from (gather or covariances)(mix, [source.id for source in sources], blocks)
    return Model(mix, tuple(givers), sources, gathered, np.ones((2, blocks)))


def covariances(mix: Mix, sources: Sequence[str], blocks: int) -> Steps[Values]:
    """The covariances of a mix and some sources (``covariances_between``), all in one process."""
    parts, cache = [], RenderCache(_CACHE_BYTES)
    for low, high, done in stretches(0, blocks, BLOCKS_AT_ONCE):
        parts.append(covariances_between(mix, sources, low, high, cache=cache))
        yield done
    return np.concatenate(parts)


def covariances_between(
    mix: Mix, sources: Sequence[str], low: int, high: int, *, cache: RenderCache | None = None
) -> Values:
    """The K-weighted covariances of the mix's channels and of what some sources bring, of half seconds.

    Parameters
    ----------
    sources
        By id.
    low, high
        The first half second, and the one after the last.
    cache
        What is kept of returns.

    Returns
    -------
    float64, shape (high - low, K, K)
        K: the channels of the mix, and then those of each source before its place.
    """
    by_id = {source.id: source for source in mix.sources}
    size, past = _HOPS * FRAMES_PER_HOP * hop_frames(mix.rate), warm_up_frames(mix.rate)
    start, stop = low * size - past, high * size
    signals = [render_audio(mix, start, stop, cache=cache)]
    for source in (by_id[key] for key in sources):
        silent = np.zeros((_standing_for(source).channels, stop - start), np.float32)
        signals.append(silent if source.muted else _brought(mix, source, start, stop))
    together = np.concatenate(signals)
    weighted = KWeighting(mix.rate, len(together))(together)[:, past:].astype(np.float32)
    each = weighted.reshape(len(together), high - low, size).transpose(1, 0, 2)
    return (each @ each.transpose(0, 2, 1) / size).astype(np.float64)


def _made_up(source: MixSource) -> bool:
    """Whether what it brings has a place of its own making already: dealt, frozen, in bands, or pulsed by side."""
    made_of_parts = source.deal is not None or source.frozen is not None or bool(source.layers)
    return made_of_parts or source.mode == STEM or source.has_side_width or two_sided(source)


def _standing_for(source: MixSource) -> MixSource:
    """The source, or for one whose place is made up two sides that stay where they are."""
    if not _made_up(source):
        return source
    return MixSource(source.id, np.zeros((2, 1), np.float32), mode="sides", muted=source.muted)


def _folded(mix: Mix) -> Mix:
    """The mix as a stereo one, for what is made up: its places count as they are from left to right."""
    return replace(mix, layout=STEREO.name)


def _brought(mix: Mix, source: MixSource, start: int, stop: int) -> NDArray[np.float32]:
    """What a source brings before its place, or both sides of it where its place is made up."""
    if not _made_up(source):
        return render_before_placement(mix, source.id, start, stop)
    return render_audio(replace(_folded(mix), returns=()), start, stop, Listening(solo=frozenset({source.id})))
