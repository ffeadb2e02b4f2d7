"""The API as a whole: its parts, and how refusals are worded."""

from django.http import HttpRequest, HttpResponse
from ninja import NinjaAPI
from ninja.errors import ValidationError
from ninja.security import django_auth

from needle.errors import NeedleError
from server.accounts.api import router as accounts
from server.accounts.preferences import router as preferences
from server.audio.api import router as audio
from server.audio.balance import router as balance
from server.audio.heads import router as heads
from server.audio.moves import router as moves
from server.audio.reading import router as readings
from server.audio.reporting import router as reports
from server.audio.rhythm import router as rhythm
from server.audio.room import router as room
from server.audio.sending import router as files
from server.common.errors import ApiError
from server.common.pool_group import PoolBusy
from server.common.pool_process import ProcessLost
from server.config.health import router as health
from server.delivery.api import router as deliveries
from server.delivery.arrivals import router as arrivals
from server.delivery.landing import router as landing
from server.mixing.api import router as mixing
from server.mixing.library import router as library
from server.sharing.comments import router as comments
from server.sharing.history import router as history
from server.sharing.people import doors
from server.sharing.people import router as people

api = NinjaAPI(title="Wandering Needle", version="1", auth=django_auth, docs_url=None)
api.add_router("", accounts)
api.add_router("/sessions", mixing)
api.add_router("/sessions", audio)
api.add_router("/sessions", files)
api.add_router("/sessions", readings)
api.add_router("/sessions", balance)
api.add_router("/sessions", moves)
api.add_router("/sessions", rhythm)
api.add_router("/sessions", room)
api.add_router("/sessions", reports)
api.add_router("/sessions", people)
api.add_router("/sessions", deliveries)
api.add_router("/sessions", landing)
api.add_router("/arrivals", arrivals)
api.add_router("/preferences", preferences)
api.add_router("/sessions", history)
api.add_router("/sessions", comments)
api.add_router("/heads", heads)
api.add_router("", doors)
api.add_router("", health)
api.add_router("", library)


@api.exception_handler(NeedleError)
def _broken_rule(request: HttpRequest, error: NeedleError) -> HttpResponse:
    return api.create_response(request, {"detail": str(error)}, status=422)


@api.exception_handler(ApiError)
def _refused(request: HttpRequest, error: ApiError) -> HttpResponse:
    return api.create_response(request, {"detail": str(error), **error.more}, status=error.status)


@api.exception_handler(PoolBusy)
def _too_much_at_once(request: HttpRequest, error: PoolBusy) -> HttpResponse:
    text = "You ask for a great deal at once. Wait until some of it has been answered."
    return api.create_response(request, {"detail": text}, status=429)


@api.exception_handler(ProcessLost)
def _lost(request: HttpRequest, error: ProcessLost) -> HttpResponse:
    return api.create_response(request, {"detail": str(error)}, status=503)


@api.exception_handler(ValidationError)
def _malformed(request: HttpRequest, error: ValidationError) -> HttpResponse:
    """Name each field that is wrong and say why; what was sent is not repeated (it may not be JSON)."""
    problems = [
        {"field": ".".join(str(part) for part in problem["loc"]), "problem": problem["msg"]}
        for problem in error.errors
    ]
    told = "; ".join(f"{p['field']}: {p['problem']}" for p in problems)
    return api.create_response(request, {"detail": told, "fields": problems}, status=422)
