"""What a list shows of sessions: how long each is and where its sources stand, without reading what moves in them."""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID

from django.db.models import FloatField, IntegerField
from django.db.models.fields.json import KT
from django.db.models.functions import Cast

from needle.session.document import piece_length
from needle.session.validation import PARTS, Document
from server.mixsessions.models import Entity, MixSession
from server.mixsessions.state import settings_of

_WITH_LENGTH = ("sources", "deals", "events", "returns", "sends")
"""The parts that decide how long a session is that follows its sources."""


@dataclass(frozen=True)
class Outline:
    """``length`` in s; ``places``: the colour and the pan of every source."""

    length: float
    places: list[tuple[int, float]]


def outlines_of(sessions: Sequence[MixSession]) -> dict[UUID, Outline]:
    """The outlines of sessions, by their ids, in a few queries however many they are."""
    entities = Entity.objects.filter(session__in=sessions)
    places = defaultdict(list)
    colour, pan = Cast(KT("value__colour"), IntegerField()), Cast(KT("value__pan"), FloatField())
    rows = entities.filter(kind="sources").order_by("key").values_list("session", colour, pan)
    for session, *place in rows:
        places[session].append(tuple(place))
    lengths = {session.pk: session.length for session in sessions}
    lengths |= _following([session for session in sessions if not session.length])
    return {session.pk: Outline(lengths[session.pk], places[session.pk]) for session in sessions}


def _following(sessions: Sequence[MixSession]) -> dict[UUID, float]:
    """The lengths (s) of sessions that follow their sources."""
    documents: dict[UUID, Document] = {
        session.pk: {"session": settings_of(session), **{part: {} for part in PARTS}} for session in sessions
    }
    entities = Entity.objects.filter(session__in=documents)
    for row in entities.filter(kind__in=_WITH_LENGTH):
        documents[row.session_id][row.kind][row.key] = row.value
    # Of a lane it counts only that it is there.
    for session, key in entities.filter(kind="lanes", key__startswith="send:").values_list("session", "key"):
        documents[session]["lanes"][key] = {}
    return {key: piece_length(document) for key, document in documents.items()}
