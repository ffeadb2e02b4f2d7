"""Passwords: what a new one must be."""

from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError

from server.common.errors import ApiError


def check_current_password(user, password: str) -> None:
    """ApiError if it is not the user's: nothing is changed then."""
    if not user.check_password(password):
        raise ApiError("account.wrong_password_nothing_changed", 403)


def check_password(password: str, user) -> None:
    """ApiError that says what is wrong, where the password may not be the user's."""
    try:
        validate_password(password, user)
    except ValidationError as error:
        raise ApiError("account.password_refused", 422, reasons=" ".join(error.messages)) from error
