"""The counterweight: the least change of level and place, of the sources that may give way, that evens a lean.

A quadratic model (``needle.balance.lean_model``) proposes. What it does not know (what changes in returns, timing,
moves within half a second) is learnt by measuring each proposal as it would sound and correcting the model by it. So
what is foretold has been measured.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from needle.balance.bounds import Bounds
from needle.balance.lean_model import Adjustable, Covariances, model_of, rounded
from needle.balance.measuring import Measure, measured
from needle.balance.progress import Steps, within
from needle.balance.trial import Change, tried
from needle.errors import NeedleError
from needle.metering.lean import LONG_HOPS, Tolerance, lean_curve, weighted_lean
from needle.metering.overview import Overview
from needle.mix.listening import EVERYTHING
from needle.mix.model import Mix

Values = NDArray[np.float64]

MOST_GIVERS = 24
_ROUNDS = 4
_PARTLY = (0.5, 0.25)
_MARGIN_DB = 0.04


@dataclass(frozen=True)
class Counterweight:
    """What would even a lean: ``changes``, and the K-weighted ``powers`` (2, n) as measured with them.

    ``before`` and ``after``: the worst 3 s lean (dB, signed) in the stretches that were to be evened. ``reached``:
    whether it is within tolerance there, and nowhere else out of it or farther out than before. No stretch ever leans
    farther than it did: where nothing helps within the limits, ``changes`` is empty. ``trim`` (dB) makes the changed
    mix as loud as it was there.
    """

    changes: tuple[Change, ...]
    powers: Values
    before: float
    after: float
    reached: bool
    trim: float


def counterweight(
    mix: Mix,
    givers: Sequence[Adjustable],
    scope: Sequence[tuple[float, float]],
    measure: Measure = measured,
    tolerance: Tolerance = Tolerance(),
    gather: Covariances | None = None,
) -> Steps[Counterweight]:
    """Even the mix within the stretches of ``scope`` (s) by the least change of the ``givers``.

    ``measure`` and ``gather`` are those of whoever has more hands.

    NeedleError if nobody may give way, or too many, or one is not there; or if there is nothing to even.
    """
    if not 0 < len(givers) <= MOST_GIVERS:
        raise NeedleError("balance.adjustable_count", most=MOST_GIVERS)
    tried(mix, [Change(giver.source) for giver in givers])
    now = yield from _powers(measure, mix, 0.0, 0.2)
    bounds = Bounds.of(now, scope, tolerance)
    model = yield from within(model_of(mix, givers, now.shape[1], gather), 0.2, 0.6)
    best: tuple[float, tuple[Change, ...], Values, bool] = bounds.violation(now), (), now, False
    margin, part = _MARGIN_DB, 0.4 / (_ROUNDS + len(_PARTLY))
    first: tuple[Change, ...] = ()
    for attempt in range(_ROUNDS + len(_PARTLY)):
        if attempt < _ROUNDS:
            proposal = model.solved(bounds, margin)
            first = first or proposal
        elif best[1]:
            break
        else:
            # Nothing did more good than harm: part of the way may.
            share = _PARTLY[attempt - _ROUNDS]
            proposal = tuple(rounded(c.source, share * c.level, share * c.place) for c in first)
        done = 0.6 + part * attempt
        powers = yield from _powers(measure, tried(mix, proposal), done, done + part)
        reached, violation = bounds.excess(powers) <= 0.0, bounds.violation(powers)
        if reached or (violation < best[0] and bounds.none_worse(powers)):
            best = violation, proposal, powers, reached
        if reached:
            break
        if attempt < _ROUNDS:
            model, bounds = model.corrected(proposal, powers), bounds.narrowed(powers)
            margin += min(max(bounds.excess_inside(powers), 0.0), 0.1)
    _, proposal, powers, reached = best
    inside = bounds.inside
    loud = 10.0 * np.log10(max(now[:, inside].sum(), 1e-30) / max(powers[:, inside].sum(), 1e-30))
    return Counterweight(
        changes=tuple(change for change in proposal if change.level or change.place),
        powers=powers,
        before=_worst(now, inside),
        after=_worst(powers, inside),
        reached=reached,
        trim=float(np.clip(loud, -12.0, 12.0)),
    )


def _powers(measure: Measure, mix: Mix, start: float, end: float) -> Steps[Values]:
    frames = yield from within(measure(mix, EVERYTHING), start, end)
    return Overview(frames).powers


def _worst(powers: Values, inside: NDArray[np.bool_]) -> float:
    """The lean (dB, signed) where its weighted lean is the largest."""
    lean, weighted = lean_curve(powers, LONG_HOPS)[inside], weighted_lean(powers)[inside]
    defined = ~np.isnan(weighted)
    return float(lean[defined][np.argmax(np.abs(weighted[defined]))]) if defined.any() else 0.0
