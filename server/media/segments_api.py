"""Sound over HTTP: segments with their meter readings."""

from threading import Lock
from typing import Annotated
from uuid import UUID

from asgiref.sync import sync_to_async
from cachetools import TTLCache
from django.conf import settings
from django.db import close_old_connections, connection
from django.http import HttpRequest, HttpResponse
from ninja import Query, Router
from pydantic import Field

from server.common.pool import Job, Urgency, pool
from server.common.throttling import UserRateThrottle
from server.media.monitoring import MonitorParams
from server.media.segment_format import SegmentQuery, segment_answer
from server.media.wire import Form
from server.mixsessions.access import membership
from server.mixsessions.models import Membership

router = Router(tags=["sound"])

NOW_SECONDS = 1.5
"""What is needed sooner than that goes before all else."""

_LOOKED_UP_EVERY = 2.0
"""Seconds for which it is known who listens; a change that this process sees is known at once."""

_lock = Lock()
_listeners: TTLCache[tuple[str, UUID], Membership] = TTLCache(4096, _LOOKED_UP_EVERY)


async def listener(request: HttpRequest) -> Membership | None:
    """Who listens, looked up at one go and known for a moment; None for who is not signed in."""
    session_id = request.resolver_match.kwargs["session_id"]
    key = request.COOKIES.get(settings.SESSION_COOKIE_NAME, ""), session_id

    def look_up() -> Membership | None:
        # This thread goes on from request to request, where Django would close what is too old or broken.
        if not connection.in_atomic_block:
            close_old_connections()
        user = request.user
        return membership(user, session_id) if user.is_authenticated else None

    with _lock:
        member = _listeners.get(key)
    if member is None and (member := await sync_to_async(look_up)()):
        with _lock:
            _listeners[key] = member
    return member


def forget_listeners(sender: object, **_: object) -> None:
    """Look everybody up again: somebody may no longer hear what they did."""
    with _lock:
        _listeners.clear()


class ListenerRateThrottle(UserRateThrottle):
    """So many times by one who listens, as whom ``listener`` has found them."""

    def who(self, request: HttpRequest) -> str:
        return str(request.auth.user_id)


_KEY = "[0-9a-f]{32}"
# Twice what a hand that moves all the time has rendered, beside all that sounds.
_OFTEN = [ListenerRateThrottle("segment", "6000/m")]


@router.get(
    "/{uuid:session_id}/segments/{int:index}", response={200: bytes, 304: None}, auth=listener, throttle=_OFTEN
)
async def get_segment(
    request: HttpRequest,
    session_id: UUID,
    index: int,
    revision: int,
    monitoring: Query[MonitorParams],
    hand: str = "",
    free: bool = False,
    past: Annotated[str, Field(max_length=200, pattern=rf"^({_KEY})?(,({_KEY})?){{0,5}}$")] = "",
    form: Form = "float",
    has: Annotated[str, Field(pattern=rf"^({_KEY})?$")] = "",
    unmeasured: bool = False,
    ahead: Annotated[float, Field(ge=0, allow_inf_nan=False)] = 0.0,
) -> HttpResponse:
    """Half a second of the mix at a revision, as it is heard in one way of listening.

    ``past``: the keys of up to six segments before it as they sounded to whoever asks, the nearest last, separated by
    commas and empty where they were as this revision has them: what meters show of the time before is what sounded.
    ``ETag`` is of the sound and its readings: who sends it as ``If-None-Match`` is answered 304 where an edit left
    both alone. Who ``has`` the sound by its key gets the readings alone; ``unmeasured`` the sound comes alone, and
    sooner. ``ahead``: it sounds in so many seconds.

    The body: a 32-bit length (little-endian), that many bytes of the side (deflated, RFC 1950), then the blocks of
    sound. The side: a 32-bit length, that many bytes of JSON, the head; then in 16 bits, counted in 1/256, row by row
    as what each row differs by from the one before (-32768 stands for nothing): the meter readings frame by frame,
    and the spectra of left, right and mono in dB; then in 8 bits, counted in 1/127, the phase picture's points
    (across, up) frame by frame. Blocks are as ``form`` says: ``float``: one for each channel, 32-bit floats;
    ``flac``: files of up to eight channels with 24 bits; ``opus-…``: files of two channels, at so many kbit/s. All
    are to be multiplied by ``gain``, begin ``lead`` frames before the half second and end ``tail`` frames after it.

    With ``hand`` the last channels are that source before its placement; the others are without its direct sound,
    and the head's ``reading`` says what its place makes of it. A hand that holds the level too is ``free``: the
    source comes without its level and trim.
    """
    member = request.auth
    session, person = member.session, member.user_id
    urgency = Urgency.SOUNDS_NOW if ahead < NOW_SECONDS else Urgency.SOUNDS_SOON
    tag = request.headers.get("If-None-Match", "").removeprefix("W/").strip('"')
    query = SegmentQuery(index, revision, hand, free, past, form, has, tag, unmeasured)
    job = Job(segment_answer, (person, session, monitoring, query), person, urgency)
    # Measured heads are one's own; what else is heard is the same for all who hear it.
    whose = person if monitoring.is_personal() else None
    answer = await pool().ask(job, (whose, session_id, monitoring.model_dump_json(), query))
    unchanged = answer.body is None
    response = HttpResponse(
        answer.body or b"", status=304 if unchanged else 200, content_type="application/octet-stream"
    )
    response["Cache-Control"] = "private, no-store"
    # Weak: the same sound may come in several forms.
    response["ETag"] = f'W/"{answer.tag}"'
    return response
