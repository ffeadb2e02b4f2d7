"""Preferences over HTTP: what somebody likes, kept for all their browsers."""

from typing import Literal

from django.http import HttpRequest
from ninja import Router, Schema

from server.accounts.models import Preferences

router = Router(tags=["preferences"])


class PreferencesSchema(Schema):
    """``paper`` is light or dark, or as the machine has it; ``colours`` may be further ``apart`` for who sees few.

    ``places`` are told as L31 or as −31, ``times`` in bars or in minutes. ``keys``: whether single letters, numbers
    and signs are shortcuts, or only named keys and those with Ctrl. ``tour``: whether the first look round is still
    to come.
    """

    paper: Literal["day", "night", "system"] = "day"
    colours: Literal["usual", "apart"] = "usual"
    places: Literal["letters", "signed"] = "letters"
    times: Literal["bars", "clock"] = "bars"
    keys: Literal["all", "named"] = "all"
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
