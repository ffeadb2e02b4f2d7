"""Sign-ins of one person, wherever they are."""

from django.contrib.auth import SESSION_KEY, logout
from django.contrib.sessions.models import Session
from django.http import HttpRequest
from django.utils import timezone

from server.common.announcing import announce_to


def sign_out_everywhere(user, but: str | None = None) -> int:
    """End every sign-in of somebody, but one by its session key; their open browsers are told. How many ended."""
    keys = [
        session.session_key
        for session in Session.objects.filter(expire_date__gt=timezone.now()).iterator()
        if session.session_key != but and session.get_decoded().get(SESSION_KEY) == str(user.pk)
    ]
    ended, _ = Session.objects.filter(session_key__in=keys).delete()
    announce_to(user.pk, "signed_out", but=but or "", only="")
    return ended


def sign_out_here(request: HttpRequest) -> None:
    """End the sign-in that a request comes by; whatever that browser has open is told."""
    user, key = request.user.pk, request.session.session_key
    logout(request)
    announce_to(user, "signed_out", but="", only=key)


def note_changes(sender: type, instance, update_fields, **_: object) -> None:
    """Before an account is saved: note whether somebody else closes it, or gives it another password.

    Whoever changes their own password saves that alone, and goes on in the browser in which they did.
    """
    stands = None if update_fields or instance.pk is None else sender.objects.filter(pk=instance.pk).first()
    closed = stands is not None and stands.is_active and not instance.is_active
    instance.signed_out_when_saved = closed or (stands is not None and stands.password != instance.password)


def sign_out_where_due(sender: type, instance, **_: object) -> None:
    """After an account was saved: whoever may not come in any more is out at once."""
    if getattr(instance, "signed_out_when_saved", False):
        sign_out_everywhere(instance)
