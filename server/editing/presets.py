"""Presets over HTTP: placements, returns, seatings and pulses that people keep by name, and share with a session."""

from typing import Any, Literal
from uuid import UUID

from django.db.models import Prefetch, Q, QuerySet
from django.http import HttpRequest
from ninja import Router, Schema

from needle.autopan.pulse import Pulse
from needle.effects.chain import checked_effects
from needle.errors import NeedleError
from needle.session.seatings import seating_of
from server.accounts.names import shown_name
from server.common.errors import ApiError
from server.editing.models import Preset
from server.editing.operations.rhythm import SetPulse
from server.editing.operations.sources import PlaceSource
from server.mixsessions.access import membership
from server.mixsessions.entities import StoredReturn
from server.mixsessions.fields import Name
from server.mixsessions.models import MixSession

router = Router(tags=["library"])

MOST_PRESETS = 500

Kind = Literal["placement", "return", "seating", "pulse"]


class PresetIn(Schema):
    """Something to be kept by name."""

    kind: Kind
    name: Name
    content: dict[str, Any]


class PresetOut(Schema):
    """Something kept by name, who kept it, and with which of one's sessions it is shared."""

    id: UUID
    kind: str
    name: str
    author: str
    mine: bool
    sessions: list[UUID]
    content: dict[str, Any]


def _visible(user) -> QuerySet[Preset]:
    """What a person has kept, and what is shared with a session that they are in."""
    shared = Prefetch("sessions", MixSession.objects.filter(members__user=user), to_attr="shared")
    visible = Preset.objects.filter(Q(author=user) | Q(sessions__members__user=user))
    return visible.select_related("author").prefetch_related(shared).distinct()


def _preset(preset_id: UUID, user) -> PresetOut:
    """A preset as somebody sees it. ApiError if they do not."""
    preset = _visible(user).filter(pk=preset_id).first()
    if preset is None:
        raise ApiError("preset.missing", 404)
    return _preset_out(preset, user)


def _preset_out(preset: Preset, user) -> PresetOut:
    return PresetOut(
        id=preset.id,
        kind=preset.kind,
        name=preset.name,
        author=shown_name(preset.author),
        mine=preset.author_id == user.pk,
        sessions=[session.id for session in preset.shared],
        content=preset.content,
    )


@router.get("/presets", response=list[PresetOut])
def list_presets(request: HttpRequest) -> list[PresetOut]:
    """What one has kept by name, and what others share with one's sessions."""
    return [_preset_out(preset, request.user) for preset in _visible(request.user)]


@router.post("/presets", response=PresetOut)
def save_preset(request: HttpRequest, body: PresetIn) -> PresetOut:
    """Keep a placement, a return, a seating or a pulse by name. The same name again takes the place of one's own."""
    if Preset.objects.filter(author=request.user).count() >= MOST_PRESETS:
        raise ApiError("preset.too_many", 409, most=MOST_PRESETS)
    content = _checked(body.kind, body.name, body.content)
    preset, _ = Preset.objects.update_or_create(
        kind=body.kind, name=body.name, author=request.user, defaults={"content": content}
    )
    return _preset(preset.pk, request.user)


@router.put("/presets/{uuid:preset_id}/sessions/{uuid:session_id}", response=PresetOut)
def share_preset(request: HttpRequest, preset_id: UUID, session_id: UUID) -> PresetOut:
    """Let everybody in a session use a preset of one's own."""
    _own_preset(request.user, preset_id).sessions.add(membership(request.user, session_id).session)
    return _preset(preset_id, request.user)


@router.delete("/presets/{uuid:preset_id}/sessions/{uuid:session_id}", response=PresetOut)
def stop_sharing_preset(request: HttpRequest, preset_id: UUID, session_id: UUID) -> PresetOut:
    """Keep a preset of one's own from a session again; what was made with it there stays."""
    _own_preset(request.user, preset_id).sessions.remove(session_id)
    return _preset(preset_id, request.user)


def _own_preset(user, preset_id: UUID) -> Preset:
    """One's own preset. ApiError if it is not there, or somebody else's."""
    preset = Preset.objects.filter(pk=preset_id, author=user).first()
    if preset is None:
        raise ApiError("preset.missing", 404)
    return preset


@router.delete("/presets/{uuid:preset_id}", response={204: None})
def delete_preset(request: HttpRequest, preset_id: UUID) -> tuple[int, None]:
    """Take away something that one has kept; what was made with it stays."""
    _own_preset(request.user, preset_id).delete()
    return 204, None


def _checked(kind: str, name: str, content: dict[str, Any]) -> dict[str, Any]:
    """The content if the core allows it; NeedleError otherwise."""
    try:
        if kind == "placement":
            return PlaceSource.model_validate({"source": "any", **content}).changes()
        if kind == "pulse":
            pulse = Pulse.of(SetPulse.model_validate({"owner": "any", **content}).changes())
            return {name: value for name, value in pulse.as_dict().items() if name not in ("on", "origin")}
        if kind == "return":
            result = StoredReturn.model_validate({"id": "any", "name": name, **content}).model_dump()
            result["effects"] = checked_effects(result["effects"])
            return {key: value for key, value in result.items() if key not in ("id", "name", "order")}
        seating = seating_of(name, content.get("seats", []))
        return {"seats": [{"name": s.name, "pan": s.pan, "span": s.span} for s in seating.seats]}
    except (KeyError, TypeError, ValueError) as error:
        if isinstance(error, NeedleError):
            raise
        raise NeedleError("preset.incomplete") from error
