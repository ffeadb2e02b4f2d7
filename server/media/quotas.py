"""How much audio people may keep: by person, for the sessions that they own, and for the server as a whole.

What counts is what files decode to, for that is what lies on the disk: an asset in sessions of one rate counts once.
"""

from django.conf import settings
from django.contrib.auth.models import User
from django.db.models import Q, Sum

from needle.io.audio import AudioInfo, frames_at
from needle.messages import Message
from server.accounts.names import shown_name
from server.common.errors import ApiError
from server.media.models import AssetUse, Upload
from server.mixsessions.models import Membership, MixSession

TOLD_FROM = 0.8
"""The share of a quota from which on people are told."""

_OPEN = (Upload.Status.RECEIVING, Upload.Status.READING)
_BYTES_PER_SAMPLE = 4


def owner_of(session: MixSession | None, author: User) -> User:
    """Whose quota a file counts in: the session's owner's; its sender's where it is to become a session."""
    owner = session and session.members.select_related("user").filter(role=Membership.Role.OWNER).first()
    return owner.user if owner else author


def stored_bytes(owner: User | None = None) -> int:
    """Bytes of audio in the sessions that somebody owns, or in all, and of what is on its way there."""
    uses, uploads = AssetUse.objects.all(), Upload.objects.filter(status__in=_OPEN)
    if owner is not None:
        own = Q(session__members__user=owner, session__members__role=Membership.Role.OWNER)
        uses, uploads = uses.filter(own), uploads.filter(own | Q(session=None, author=owner))
    rows = uses.values_list("asset", "session__rate", "asset__frames", "asset__channels", "asset__rate").distinct()
    decoded = sum(frames * channels * rate / own_rate for _, rate, frames, channels, own_rate in rows)
    coming = uploads.aggregate(bytes=Sum("size"))["bytes"] or 0
    return round(_BYTES_PER_SAMPLE * decoded) + coming


def decoded_bytes(info: AudioInfo, rate: int) -> int:
    """Bytes that a file will take, decoded for sessions at ``rate`` (Hz)."""
    return _BYTES_PER_SAMPLE * info.channels * frames_at(info, rate)


def check_room(owner: User, size: int) -> Message | None:
    """What the owner should be told when so many more bytes come; None while there is plenty of room.

    ApiError (413) where they would go beyond a quota.
    """
    if settings.SERVER_QUOTA and stored_bytes() + size > settings.SERVER_QUOTA:
        raise ApiError("media.server_full", 413, limit=_size(settings.SERVER_QUOTA))
    if not settings.QUOTA:
        return None
    stored = stored_bytes(owner) + size
    room = {"name": shown_name(owner), "size": _size(stored), "limit": _size(settings.QUOTA)}
    if stored > settings.QUOTA:
        raise ApiError("media.quota_reached", 413, **room)
    if stored < TOLD_FROM * settings.QUOTA:
        return None
    return Message("media.quota_near", **room)


def _size(size: float) -> str:
    return f"{size / (1 << 30):.1f} GB" if size >= 1 << 30 else f"{size / (1 << 20):.1f} MB"
