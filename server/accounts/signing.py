"""Sign-ins of one person, wherever they are."""

from django.contrib.auth import SESSION_KEY
from django.contrib.sessions.models import Session
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
    announce_to(user.pk, "signed_out", but=but or "")
    return ended
