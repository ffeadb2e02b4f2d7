"""A session's document as it is told and kept: every part with its types, which the core's rules go beyond."""

from ninja import Schema

from server.mixsessions.entities import (
    StoredDeal,
    StoredEvents,
    StoredGroup,
    StoredLayer,
    StoredPassage,
    StoredPoint,
    StoredPulse,
    StoredReturn,
    StoredRoom,
    StoredRouting,
    StoredSend,
    StoredSource,
)


class SettingsOut(Schema):
    """The session's own settings; ``length`` (s) is 0 where it follows the sources."""

    name: str
    rate: int
    length: float
    layout: str
    tempos: list[tuple[float, float]]
    metres: list[tuple[int, int, int]]
    law: str
    centre_zero: bool


class LaneOut(Schema):
    """A lane; ``owner`` is what it belongs to. Switched ``off``, the static value holds."""

    id: str
    owner: str
    parameter: str
    points: list[StoredPoint]
    off: bool = False


class DocumentOut(Schema):
    """A session's whole state."""

    session: SettingsOut
    sources: dict[str, StoredSource]
    lanes: dict[str, LaneOut]
    passages: dict[str, StoredPassage]
    groups: dict[str, StoredGroup]
    returns: dict[str, StoredReturn]
    sends: dict[str, StoredSend]
    pulses: dict[str, StoredPulse]
    deals: dict[str, StoredDeal]
    events: dict[str, StoredEvents]
    speaker_routing: dict[str, StoredRouting]
    layers: dict[str, StoredLayer]
    room: dict[str, StoredRoom]
