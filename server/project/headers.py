"""Headers that no package sets: what is here is for this site's own pages."""

from collections.abc import Callable, MutableMapping

from django.http import HttpRequest, HttpResponse


def own_resources(answer: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Middleware: no other site has anything from here (Fetch Standard, 3.7)."""

    def answered(request: HttpRequest) -> HttpResponse:
        response = answer(request)
        with_own_resources(response.headers)
        return response

    return answered


def with_own_resources(headers: MutableMapping[str, str], *_: object) -> None:
    """The same for headers that are written down; of files as well, which are not answered by Django."""
    headers["Cross-Origin-Resource-Policy"] = "same-origin"
