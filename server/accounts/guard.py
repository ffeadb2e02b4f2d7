"""What every door to an account asks for: a page of this site's own."""

from django.http import HttpRequest
from ninja.utils import check_csrf

from server.common.errors import ApiError


def guard(request: HttpRequest) -> None:
    """ApiError if the request does not come from this site's own page."""
    if check_csrf(request):
        raise ApiError("account.page_too_old", 403)
