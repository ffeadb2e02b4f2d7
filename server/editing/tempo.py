"""Another tempo over HTTP, with what it is to leave where it sounds, and what it is to take along with the bars."""

from typing import Annotated, Literal
from uuid import UUID

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from needle.errors import NeedleError
from needle.session.retiming import retimed
from needle.session.validation import check_document
from server.editing import services
from server.editing.api import EDITING, Answer, TurnIn, answer_of
from server.editing.operations import PutThings
from server.editing.operations.settings import MOST_STEPS, Pair, Triple
from server.mixsessions.access import membership
from server.mixsessions.models import MixSession
from server.mixsessions.state import stored_document

router = Router(tags=["operations"])

With = Literal["sound", "bars"]


class Keep(Schema):
    """What each kind keeps with: the sound, as it lies in seconds, or the bars, as they lie in beats."""

    automation: With = "sound"
    passages: With = "bars"
    pulses: With = "bars"
    notes: With = "bars"


class TempoIn(TurnIn):
    """Another tempo map: tempos by beat, metres by bar, and what keeps with the sound or with the bars."""

    tempos: Annotated[list[Pair], Field(min_length=1, max_length=MOST_STEPS)]
    metres: Annotated[list[Triple], Field(min_length=1, max_length=MOST_STEPS)]
    keep: Keep = Keep()


@router.post("/{uuid:session_id}/tempo", response=Answer, throttle=EDITING)
def change_tempo(request: HttpRequest, session_id: UUID, body: TempoIn) -> Answer:
    """Change the tempo map, and with it whatever is to keep with the sound or with the bars, as one change."""
    membership(request.user, session_id, to_edit=True)

    def operation(session: MixSession) -> PutThings:
        now = stored_document(session)
        then = retimed(now, body.tempos, body.metres, body.keep.dict())
        check_document(then)
        result = PutThings.between(f"Tempo {body.tempos[0][1]:g} bpm", now, then)
        if not result.things:
            raise NeedleError("edit.nothing_to_change")
        return result

    return answer_of(services.submit_derived(request.user, session_id, body.client_id, operation))
