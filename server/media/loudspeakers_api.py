"""Loudspeakers over HTTP: what each is told from the others by."""

from functools import lru_cache
from uuid import UUID

import numpy as np
from django.http import HttpRequest, HttpResponse
from ninja import Router

from needle.dsp.pink_noise import LOW_RANGE, WHOLE_RANGE, pink_burst
from needle.layouts import LAYOUTS
from server.common.errors import ApiError
from server.media.wire import file_bytes
from server.mixsessions.access import membership
from server.mixsessions.document_cache import document_for

router = Router(tags=["sound"])


@router.get("/{uuid:session_id}/loudspeakers/{channel}/burst", response=bytes)
def get_burst(request: HttpRequest, session_id: UUID, channel: str) -> HttpResponse:
    """A short burst of pink noise for a channel of the session's layout (``M+030``), as a WAV file at its rate."""
    session = membership(request.user, session_id).session
    settings = document_for(session, session.revision)["session"]
    found = next((one for one in LAYOUTS[settings["layout"]].channels if one.name == channel), None)
    if found is None:
        raise ApiError("media.no_such_channel", 404, channel=channel)
    response = HttpResponse(_burst_file(settings["rate"], found.lfe), content_type="audio/wav")
    response["Cache-Control"] = "private, max-age=86400"
    return response


@lru_cache(maxsize=16)
def _burst_file(rate: int, low: bool) -> bytes:
    burst = pink_burst(rate, band=LOW_RANGE if low else WHOLE_RANGE)
    return file_bytes(burst[np.newaxis], rate, format="WAV", subtype="FLOAT")
