"""The API as a whole: its parts, and how refusals are worded."""

import json
from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import NinjaAPI
from ninja.errors import HttpError, Throttled, ValidationError
from ninja.operation import Operation
from ninja.parser import Parser
from ninja.security import django_auth

from needle.errors import NeedleError
from needle.messages import Message
from server.accounts.api import router as accounts
from server.accounts.preferences import router as preferences
from server.accounts.second_factor import router as second_factor
from server.analysis.balance import router as balance
from server.analysis.placement import router as placement
from server.analysis.reports_api import router as reports
from server.analysis.rhythm import router as rhythm
from server.analysis.room import router as room
from server.analysis.stems import router as stems
from server.collaboration.comments import router as comments
from server.collaboration.history import router as history
from server.collaboration.people import invitations
from server.collaboration.people import router as people
from server.common.errors import ApiError
from server.common.messages import refusal
from server.common.pool_group import PoolBusy
from server.common.pool_process import ProcessLost
from server.common.texts import is_whole
from server.common.throttling import AddressRateThrottle, UserRateThrottle
from server.delivery.api import router as deliveries
from server.delivery.import_moves import router as import_moves
from server.delivery.imports_api import router as imports
from server.editing.api import router as operations
from server.editing.library import router as library
from server.editing.moves import router as moves
from server.editing.paths import router as paths
from server.editing.presets import router as presets
from server.editing.pulses import router as pulses
from server.editing.tempo import router as tempo
from server.media.freezing_api import router as freezing
from server.media.heads import router as heads
from server.media.loudspeakers_api import router as loudspeakers
from server.media.segments_api import router as segments
from server.media.uploads_api import router as uploads
from server.mixsessions.api import router as mixsessions
from server.project.demo_api import router as demo
from server.project.health import router as health


class WholeTexts(Parser):
    """Takes no text that a database could not keep."""

    def parse_body(self, request: HttpRequest) -> Any:
        value = json.loads(request.body)
        # Either can only be written as an escape.
        if (b"\\u0000" in request.body or b"\\ud" in request.body.lower()) and not is_whole(value):
            raise ApiError("request.text_not_whole", 422)
        return value


class Api(NinjaAPI):
    """The API; its operations are named by their functions, wherever those live."""

    def get_openapi_operation_id(self, operation: Operation) -> str:
        return operation.view_func.__name__


_USUAL = [UserRateThrottle("usual", "3000/m"), AddressRateThrottle("usual", "600/m")]
"""How often one may ask for anything for which nothing else is said."""

api = Api(
    title="Wandering Needle", version="1", auth=django_auth, docs_url=None, throttle=_USUAL, parser=WholeTexts()
)

api.add_router("", accounts)
api.add_router("", second_factor)
api.add_router("", demo)
api.add_router("/preferences", preferences)
api.add_router("/sessions", mixsessions)
api.add_router("/sessions", operations)
api.add_router("/sessions", tempo)
api.add_router("/sessions", moves)
api.add_router("/sessions", paths)
api.add_router("/sessions", pulses)
api.add_router("", library)
api.add_router("", presets)
api.add_router("/sessions", uploads)
api.add_router("/sessions", segments)
api.add_router("/sessions", loudspeakers)
api.add_router("/sessions", freezing)
api.add_router("/heads", heads)
api.add_router("/sessions", placement)
api.add_router("/sessions", balance)
api.add_router("/sessions", stems)
api.add_router("/sessions", rhythm)
api.add_router("/sessions", room)
api.add_router("/sessions", reports)
api.add_router("/sessions", deliveries)
api.add_router("/sessions", import_moves)
api.add_router("/imports", imports)
api.add_router("/sessions", people)
api.add_router("/sessions", history)
api.add_router("/sessions", comments)
api.add_router("", health)
api.add_router("/invitations", invitations)


@api.exception_handler(NeedleError)
def _broken_rule(request: HttpRequest, error: NeedleError) -> HttpResponse:
    return api.create_response(request, refusal(error.message), status=422)


@api.exception_handler(ApiError)
def _refused(request: HttpRequest, error: ApiError) -> HttpResponse:
    response = api.create_response(request, {**refusal(error.message), **error.more}, status=error.status)
    if error.retry_after is not None:
        response["Retry-After"] = str(error.retry_after)
    return response


@api.exception_handler(HttpError)
def _unreadable(request: HttpRequest, error: HttpError) -> HttpResponse:
    if isinstance(error.__cause__, ApiError):
        return _refused(request, error.__cause__)
    message = Message("request.unreadable") if error.status_code == 400 else error.message
    body = refusal(message) if isinstance(message, Message) else {"detail": message}
    return api.create_response(request, body, status=error.status_code)


@api.exception_handler(PoolBusy)
def _too_much_at_once(request: HttpRequest, error: PoolBusy) -> HttpResponse:
    return api.create_response(request, refusal(Message("request.too_many_at_once")), status=429)


@api.exception_handler(Throttled)
def _too_often(request: HttpRequest, error: Throttled) -> HttpResponse:
    return api.create_response(request, refusal(Message("request.too_often")), status=429)


@api.exception_handler(ProcessLost)
def _lost(request: HttpRequest, error: ProcessLost) -> HttpResponse:
    return api.create_response(request, refusal(error.message), status=503)


@api.exception_handler(ValidationError)
def _malformed(request: HttpRequest, error: ValidationError) -> HttpResponse:
    """Name each field that is wrong and say why; what was sent is not repeated (it may not be JSON)."""
    problems = [
        {"field": ".".join(str(part) for part in problem["loc"]), "problem": problem["msg"]}
        for problem in error.errors
    ]
    message = Message("request.malformed", problems="; ".join(f"{p['field']}: {p['problem']}" for p in problems))
    return api.create_response(request, {**refusal(message), "fields": problems}, status=422)
