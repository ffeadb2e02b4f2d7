"""Preferences over HTTP: what somebody likes, kept for all their browsers."""

from typing import Annotated, Literal

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from server.accounts.models import Preferences

Key = Annotated[str, Field(min_length=1, max_length=1)]
OwnKey = Annotated[str, Field(max_length=1)]

router = Router(tags=["preferences"])


class PreferencesSchema(Schema):
    """``paper`` is light or dark, or as the machine has it; ``colours`` may be further ``apart`` for who sees few.

    ``places`` are told as L31 or as −31, ``times`` in bars or in minutes. ``keys``: whether single letters, numbers
    and signs are shortcuts, or only named keys and those with Ctrl. ``shortcuts``: the key of each shortcut that has
    another than it comes with, by the one that it comes with; empty where it is switched off. ``sound``: the form in
    which sound comes over the line, or as the line carries it. ``hands``: whether what ``all`` hold is heard before
    they let go, or what one holds of one's ``own``. ``automated``: what setting a value of something automated does:
    the whole ``line`` moves by as much, or it gets a ``point``; until one has been asked, the line moves.
    ``tour``: whether the first look round is still to
    come.
    """

    paper: Literal["day", "night", "system"] = "day"
    colours: Literal["usual", "apart"] = "usual"
    places: Literal["letters", "signed"] = "letters"
    times: Literal["bars", "clock"] = "bars"
    keys: Literal["all", "named"] = "all"
    sound: Literal["auto", "float", "flac", "opus-256", "opus-160", "opus-96"] = "auto"
    hands: Literal["own", "all"] = "own"
    shortcuts: Annotated[dict[Key, OwnKey], Field(max_length=40)] = {}
    automated: Literal["ask", "line", "point"] = "ask"
    tour: Literal["new", "done"] = "new"


@router.get("", response=PreferencesSchema)
def get_preferences(request: HttpRequest) -> PreferencesSchema:
    """One's own preferences."""
    result = Preferences.objects.filter(user=request.user).first()
    return PreferencesSchema(**result.values) if result else PreferencesSchema()


@router.put("", response=PreferencesSchema)
def set_preferences(request: HttpRequest, body: PreferencesSchema) -> PreferencesSchema:
    """Keep one's own preferences."""
    Preferences.objects.update_or_create(user=request.user, defaults={"values": body.dict()})
    return body
