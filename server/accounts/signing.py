"""Sign-ins of one person, wherever they are."""

from django.contrib.auth import SESSION_KEY
from django.contrib.sessions.models import Session
from django.utils import timezone

from server.common.announcing import announce_to


def sign_out_everywhere(user, but: str | None = None) -> int:
    """End every sign-in of somebody, but one by its session key; their open browsers are told. How many ended."""
    mine = [
        one.session_key
        for one in Session.objects.filter(expire_date__gt=timezone.now()).iterator()
        if one.session_key != but and one.get_decoded().get(SESSION_KEY) == str(user.pk)
    ]
    ended, _ = Session.objects.filter(session_key__in=mine).delete()
    announce_to(user.pk, "signed_out", but=but or "")
    return ended
