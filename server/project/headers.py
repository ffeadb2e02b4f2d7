"""What no package does with requests and answers: no other site has anything, and no address holds a NUL."""

from collections.abc import Callable, MutableMapping

from django.core.exceptions import BadRequest
from django.http import HttpRequest, HttpResponse


def own_resources(answer: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Middleware: no other site has anything from here (Fetch Standard, 3.7)."""

    def answered(request: HttpRequest) -> HttpResponse:
        response = answer(request)
        with_own_resources(response.headers)
        return response

    return answered


def whole_addresses(answer: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Middleware: what no database could look for is asked of none."""

    def answered(request: HttpRequest) -> HttpResponse:
        if "\0" in request.path or "%00" in request.META.get("QUERY_STRING", ""):
            raise BadRequest("An address cannot hold a NUL.")
        return answer(request)

    return answered


def with_own_resources(headers: MutableMapping[str, str], *_: object) -> None:
    """The same for headers that are written down; of files as well, which are not answered by Django."""
    headers["Cross-Origin-Resource-Policy"] = "same-origin"
