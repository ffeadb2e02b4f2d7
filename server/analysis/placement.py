"""Readings over HTTP: what a placement loses and changes, and what a pan law would do to every source."""

from dataclasses import replace
from typing import Annotated
from uuid import UUID

from django.http import HttpRequest
from ninja import Query, Router, Schema
from pydantic import Field

from needle.render import placement_analysis
from needle.render.preview_tables import law_curves
from server.common import pool
from server.media.assets import source_spectrum
from server.media.mixes import mix_at, source_of
from server.mixsessions.access import membership
from server.mixsessions.document_cache import document_for
from server.mixsessions.models import MixSession

router = Router(tags=["readings"])


class When(Schema):
    """The revision and the moment (s) at which something is read."""

    revision: Annotated[int, Field(ge=0)]
    at: Annotated[float, Field(ge=0, allow_inf_nan=False)] = 0.0


class ModeChoice(Schema):
    """A way of panning: the ``values`` with which it stands where the source stands now, what it would do to the
    level (dB), the ``gain`` with which it is as loud, and the share of its power that it throws away (0…1)."""

    name: str
    values: dict[str, float | str]
    change: float
    gain: float
    lost: float


class MonoOut(Schema):
    """The mono reading (``needle.render.placement_analysis.MonoReading``); ``bands`` by the ``centres``."""

    difference: float
    notches: list[float]
    centres: list[float]
    bands: list[float | None]
    loss: float
    better: float
    better_loss: float


class PlacementOut(Schema):
    """What a source's placement does at a moment: ``lost`` 0…1 of its power, and the choices there are.

    ``lost_db``: the part that leaves, in dB of the source; ``kept_db``: how much weaker the source is without it.
    """

    lost: float
    lost_db: float
    kept_db: float
    modes: list[ModeChoice]
    double_change: float
    double_evened: float
    mono: MonoOut


class LawChange(Schema):
    """What another pan law does to a source (dB)."""

    source: str
    change: float


class LawOut(Schema):
    """Every law's curve (dB of the right side at even positions), and what the asked one changes."""

    curves: dict[str, list[float]]
    changes: list[LawChange]


class LawIn(When):
    """A law to be tried."""

    law: str
    centre_zero: bool = False


@router.get("/{uuid:session_id}/sources/{source}/placement", response=PlacementOut)
def get_placement_analysis(request: HttpRequest, session_id: UUID, source: str, when: Query[When]) -> PlacementOut:
    """What the source's placement loses, what other ways of panning would change, what it costs in mono."""
    session = membership(request.user, session_id).session
    return pool.call(request.user.pk, analyse_placement, session, source, when)


def analyse_placement(session: MixSession, key: str, when: When) -> PlacementOut:
    """What a source's placement does at a moment."""
    mix = mix_at(session, when.revision)
    source = source_of(mix, key)
    spectrum = source_spectrum(document_for(session, when.revision), key)
    mono = placement_analysis.mono_reading(mix, source, spectrum, when.at)
    lost = placement_analysis.lost(mix, source, spectrum, when.at)
    double = placement_analysis.double_change(mix, source, spectrum, when.at)
    return PlacementOut(
        lost=lost,
        lost_db=placement_analysis.share_db(lost),
        kept_db=placement_analysis.share_db(1.0 - lost),
        modes=placement_analysis.mode_choices(mix, source, spectrum, when.at),
        double_change=double,
        double_evened=placement_analysis.double_evened(double),
        mono=MonoOut(centres=placement_analysis.BAND_NAMES, **vars(mono)),
    )


@router.get("/{uuid:session_id}/law", response=LawOut)
def compare_law(request: HttpRequest, session_id: UUID, query: Query[LawIn]) -> LawOut:
    """What another pan law would do to every source."""
    session = membership(request.user, session_id).session
    return pool.call(request.user.pk, analyse_law, session, query)


def analyse_law(session: MixSession, query: LawIn) -> LawOut:
    """What another pan law would do to every source."""
    mix, document = mix_at(session, query.revision), document_for(session, query.revision)
    other = replace(mix, law=query.law, centre_zero=query.centre_zero)
    changes = [
        LawChange(
            source=s.id,
            change=placement_analysis.law_change(mix, other, s, source_spectrum(document, s.id), query.at),
        )
        for s in mix.sources
    ]
    return LawOut(curves=law_curves(query.centre_zero), changes=changes)
