"""Balance over HTTP: the overview of what one hears, causes of a lean, pairs, counterweights, what mono thins out.

All of it is long work: asked again, each answer says how far it is (``done`` 0…1) and at last what was found.
"""

from dataclasses import asdict
from threading import Lock
from typing import Annotated, Any
from uuid import UUID

from cachetools import LRUCache
from django.http import HttpRequest
from ninja import Query, Router, Schema
from pydantic import Field

from needle.balance.causes import Shares, causes, ranked
from needle.balance.counterweight import counterweight
from needle.balance.lean_model import Adjustable
from needle.balance.mono import thinned
from needle.balance.pairs import compared
from needle.balance.progress import Steps
from needle.errors import NeedleError
from needle.metering.frames import FRAMES_PER_HOP, Frames
from needle.metering.lean import (
    HOP_SECONDS,
    LONG_HOPS,
    Tolerance,
    hops_between,
    hops_in,
    lean_curve,
    lean_db,
    leaning_stretches,
)
from needle.metering.overview import Overview, finite, listed
from needle.metering.spectra import THIRD_OCTAVES
from needle.mix.listening import Listening
from needle.mix.model import Mix
from server.common import pool
from server.common.errors import ApiError
from server.common.pool import poll_job
from server.media.mixes import mix_at
from server.media.monitoring import Ids, MonitorParams, ids, spectra
from server.media.segments import content_between, known_covariances, known_frames, known_shares
from server.mixsessions.access import membership
from server.mixsessions.models import MixSession

router = Router(tags=["balance"])

Seconds = Annotated[float, Field(ge=0, allow_inf_nan=False)]
NOTHING_DB = 1e-6
"""A source with a smaller share of the power is not there."""

_lock = Lock()
_shares: LRUCache[str, Shares] = LRUCache(16)
"""Shares of stretches, by exactly what sounds there."""


class StretchOut(Schema):
    """A stretch (s) through which the mix leans one way (dB, + right)."""

    start: float
    end: float
    mean_db: float
    worst_db: float


class Tolerant(Schema):
    """What counts as leaning: more than ``tolerance_db`` for at least ``tolerance_seconds``."""

    tolerance_db: Annotated[float, Field(allow_inf_nan=False)] = Tolerance.db
    tolerance_seconds: Annotated[float, Field(allow_inf_nan=False)] = Tolerance.seconds

    def tolerance(self) -> Tolerance:
        return Tolerance(self.tolerance_db, self.tolerance_seconds)


class During(Schema):
    """A stretch of the piece (s); to its end where ``end`` is 0."""

    start: Seconds = 0.0
    end: Seconds = 0.0

    def hops(self, count: int) -> tuple[int, int]:
        """The tenths of a second that it covers; ApiError if there are none."""
        first, last = hops_between(self.start, self.end, count)
        if first >= last:
            raise ApiError("analysis.range_is_empty", 422)
        return first, last

    def measured(self, mix: Mix, listening: Listening) -> Steps[Frames]:
        """The frames of what it covers of a mix; those that are known are not measured again."""
        frames = yield from known_frames(mix, listening)
        first, last = self.hops(frames.count // FRAMES_PER_HOP)
        return frames.between(first * FRAMES_PER_HOP, last * FRAMES_PER_HOP)


class FiguresOut(Schema):
    """What is measured over a stretch as one number each (``Overview.figures``); None where there is nothing."""

    integrated_lufs: float | None
    momentary_max_lufs: float | None
    short_term_max_lufs: float | None
    loudness_range_lu: float | None
    true_peak_dbtp: float | None
    sample_peak_dbfs: float | None
    lean_db: float | None
    correlation: float | None
    mono_loss_db: float | None


class BandsOut(Schema):
    """By thirds of an octave about the ``centres`` (Hz): dB of both sides and the fold, and what mono loses."""

    centres: list[float]
    left: list[float]
    right: list[float]
    mono: list[float]
    loss: list[float | None]


class OverviewOut(Schema):
    """The lean over the piece per ``hop`` seconds (dB, + right; None where there is none), its stretches, and
    the figures and bands of the stretch that was asked for."""

    hop: float = HOP_SECONDS
    short: list[float | None]
    long: list[float | None]
    stretches: list[StretchOut]
    tolerance_db: float
    tolerance_seconds: float
    figures: FiguresOut
    bands: BandsOut


class BalanceOut(Schema):
    """The overview at a revision, once ``done`` is 1."""

    revision: int
    done: float
    overview: OverviewOut | None


class CauseOut(Schema):
    """What a source or a return adds to a lean (``needle.balance.causes.Cause``)."""

    id: str
    kind: str
    adds: float
    without: float | None
    lean: float | None
    loudness: float | None
    share: float


class CausesOut(Schema):
    """What pulls a stretch to the side that it leans to, most first: all that is not silent there."""

    revision: int
    done: float
    lean: float | None
    causes: list[CauseOut]


class SideOut(Schema):
    """One side of a pair: loudness (LUFS) and lean (dB) by itself."""

    loudness: float | None
    lean: float | None


class PairFound(Schema):
    """A pair side by side (``needle.balance.pairs.Pair``)."""

    first: SideOut
    second: SideOut
    difference: float | None
    trims: list[tuple[float, float]]


class PairOut(Schema):
    """A pair at a revision, once ``done`` is 1."""

    revision: int
    done: float
    pair: PairFound | None


class ChangeOut(Schema):
    """What a counterweight would add to a source's level (dB) and place."""

    source: str
    level: float
    place: float


class CounterweightFound(Schema):
    """A counterweight (``needle.balance.counterweight.Counterweight``) with the lean as it would be."""

    changes: list[ChangeOut]
    before: float
    after: float
    reached: bool
    trim: float
    long: list[float | None]
    stretches: list[StretchOut]


class CounterweightOut(Schema):
    """A counterweight at a revision, once ``done`` is 1."""

    revision: int
    done: float
    counterweight: CounterweightFound | None


class ThinnedOut(Schema):
    """What a source loses in mono (``needle.balance.mono.Thinned``)."""

    source: str
    loss: float
    band: float
    band_loss: float
    weight: float


@router.get("/{uuid:session_id}/balance", response=BalanceOut)
def get_balance(
    request: HttpRequest,
    session_id: UUID,
    revision: int,
    monitoring: Query[MonitorParams],
    tolerant: Query[Tolerant],
    during: Query[During],
) -> dict[str, Any]:
    """The overview of what one hears; the lean of the whole piece, the figures of a stretch of it."""
    session = membership(request.user, session_id).session
    tolerant.tolerance()
    about = monitoring.model_dump_json(), tolerant.model_dump_json(), during.model_dump_json()
    key = ("balance", session_id, revision, *about)
    done, overview = poll_job(request.user.pk, key, find_overview, session, revision, monitoring, tolerant, during)
    return {"revision": revision, "done": done, "overview": overview}


def find_overview(
    session: MixSession, revision: int, monitoring: MonitorParams, tolerant: Tolerant, during: During
) -> Steps[dict[str, Any]]:
    """The overview of a mix as somebody hears it."""
    tolerance = tolerant.tolerance()
    whole = Overview((yield from known_frames(monitoring.mix(session, revision), monitoring.listening())))
    first, last = during.hops(whole.hops) if whole.hops else (0, 0)
    part = Overview(whole.frames.between(first * FRAMES_PER_HOP, last * FRAMES_PER_HOP))
    thirds = part.bands().in_thirds()
    return {
        "short": listed(whole.short_lean),
        "long": listed(whole.lean()),
        "stretches": [asdict(stretch) for stretch in whole.stretches(tolerance)],
        "tolerance_db": tolerance.db,
        "tolerance_seconds": tolerance.seconds,
        "figures": part.figures(),
        "bands": {
            "centres": [round(float(centre), 1) for centre in THIRD_OCTAVES],
            **{name: row.round(2).tolist() for name, row in thirds.in_db().items()},
            "loss": listed(thirds.mono_loss(), 2),
        },
    }


@router.get("/{uuid:session_id}/causes", response=CausesOut)
def get_causes(request: HttpRequest, session_id: UUID, revision: int, during: Query[During]) -> dict[str, Any]:
    """What every source and return adds to the lean of a stretch."""
    session = membership(request.user, session_id).session
    key = ("causes", session_id, revision, during.model_dump_json())
    done, result = poll_job(request.user.pk, key, find_causes, session, revision, during)
    return {"revision": revision, "done": done, **(result or {"lean": None, "causes": []})}


def find_causes(session: MixSession, revision: int, during: During) -> Steps[dict[str, Any]]:
    """The causes of a stretch's lean, most first. What edits elsewhere leave as it is, is not gathered again."""
    mix = mix_at(session, revision)
    first, last = during.hops(hops_in(mix.length))
    content = content_between(session.pk, revision, first, last, mix)
    with _lock:
        shares = _shares.get(content)
    if shares is None:
        shares = yield from known_shares(mix, first, last)
        with _lock:
            _shares[content] = shares
    lean = float(lean_db(*shares.whole.mean(axis=1)))
    adding = [cause for cause in ranked(causes(shares), lean) if cause.share > NOTHING_DB]
    return {"lean": finite(lean), "causes": [asdict(cause) for cause in adding]}


@router.get("/{uuid:session_id}/pair", response=PairOut)
def get_pair(
    request: HttpRequest, session_id: UUID, revision: int, first: Ids, second: Ids, during: Query[During]
) -> dict[str, Any]:
    """Two sources, or two sets of them, side by side over a stretch."""
    session = membership(request.user, session_id).session
    key = ("pair", session_id, revision, first, second, during.model_dump_json())
    arguments = session, revision, ids(first), ids(second), during
    done, result = poll_job(request.user.pk, key, compare_pair, *arguments)
    return {"revision": revision, "done": done, "pair": result}


def compare_pair(
    session: MixSession, revision: int, first: list[str], second: list[str], during: During
) -> Steps[dict[str, Any]]:
    """Two sets of sources side by side."""
    result = yield from compared(mix_at(session, revision), first, second, during.measured)
    return {**asdict(result), "trims": list(result.trims)}


@router.get("/{uuid:session_id}/counterweight", response=CounterweightOut)
def get_counterweight(
    request: HttpRequest,
    session_id: UUID,
    revision: int,
    givers: Annotated[str, Field(max_length=8000)],
    tolerant: Query[Tolerant],
    during: Query[During],
) -> dict[str, Any]:
    """The least change of level and place that evens a stretch, or every stretch where none is named.

    ``givers``: the sources that may give way and how far, source:dB:place separated by commas.
    """
    session = membership(request.user, session_id).session
    tolerant.tolerance()
    key = ("counterweight", session_id, revision, givers, during.model_dump_json(), tolerant.model_dump_json())
    arguments = session, revision, _givers(givers), tolerant, during
    done, result = poll_job(request.user.pk, key, work_out_counterweight, *arguments)
    return {"revision": revision, "done": done, "counterweight": result}


def work_out_counterweight(
    session: MixSession, revision: int, may: list[Adjustable], tolerant: Tolerant, during: During
) -> Steps[dict[str, Any]]:
    """What evens a stretch, or every stretch out of tolerance."""
    mix, tolerance = mix_at(session, revision), tolerant.tolerance()
    scope = [(during.start, during.end)]
    if not during.end:
        frames = yield from known_frames(mix)
        leaning = leaning_stretches(Overview(frames).powers, tolerance)
        if not leaning:
            raise NeedleError("analysis.within_tolerance")
        scope = [(stretch.start, stretch.end) for stretch in leaning]
    result = yield from counterweight(mix, may, scope, known_frames, tolerance, known_covariances)
    return {
        "changes": [asdict(change) for change in result.changes],
        "before": result.before,
        "after": result.after,
        "reached": result.reached,
        "trim": result.trim,
        "long": listed(lean_curve(result.powers, LONG_HOPS)),
        "stretches": [asdict(stretch) for stretch in leaning_stretches(result.powers, tolerance)],
    }


def _givers(text: str) -> list[Adjustable]:
    try:
        parts = [part.split(":") for part in ids(text)]
        numbers = [(source, float(level), float(place)) for source, level, place in parts]
    except ValueError as error:
        raise ApiError("analysis.adjustments_malformed", 422) from error
    return [Adjustable(*values) for values in numbers]


@router.get("/{uuid:session_id}/mono", response=list[ThinnedOut])
def get_mono_loss(request: HttpRequest, session_id: UUID, revision: int, at: Seconds = 0.0) -> list[dict[str, Any]]:
    """Which sources lose in mono where they stand at a moment (s), and in which band."""
    session = membership(request.user, session_id).session
    return pool.call(request.user.pk, find_thinned, session, revision, at)


def find_thinned(session: MixSession, revision: int, at: float) -> list[dict[str, Any]]:
    """Which sources lose in mono at a moment."""
    return [asdict(result) for result in thinned(mix_at(session, revision), spectra(session, revision), at)]
