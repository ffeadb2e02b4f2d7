"""A lost password: whoever runs the server gives its owner a link that sets a new one, once and for a while."""

from django.contrib.auth.models import User
from django.contrib.auth.tokens import default_token_generator
from django.utils.encoding import force_bytes, force_str
from django.utils.http import urlsafe_base64_decode, urlsafe_base64_encode

from server.common.errors import ApiError


def secret_for(user: User) -> str:
    """What the link carries: it is of no use any more once the password has changed, or after some days.

    How long is Django's ``PASSWORD_RESET_TIMEOUT``.
    """
    return f"{urlsafe_base64_encode(force_bytes(user.pk))}.{default_token_generator.make_token(user)}"


def owner_of(secret: str) -> User:
    """Whose password the link may set; ApiError (422) if it is not valid, or not any more."""
    encoded, _, token = secret.partition(".")
    try:
        user = User.objects.get(pk=int(force_str(urlsafe_base64_decode(encoded))), is_active=True)
    except (ValueError, OverflowError, User.DoesNotExist):
        raise ApiError("account.link_not_valid", 422) from None
    if not default_token_generator.check_token(user, token):
        raise ApiError("account.link_not_valid", 422)
    return user
