"""The demo's people, and its session."""

from dataclasses import dataclass
from pathlib import Path

from django.contrib.auth import get_user_model

from needle.io.bundle import Bundle, assets_of
from server.mixsessions.models import Membership, MixSession
from server.mixsessions.services import create_session

PASSWORD = "crossing-at-dusk"


@dataclass(frozen=True)
class DemoAccount:
    """One of the demo's people."""

    username: str
    first_name: str
    last_name: str
    role: str
    about: str

    @property
    def name(self) -> str:
        return f"{self.first_name} {self.last_name}"

    def public(self) -> dict[str, str]:
        """What the sign-in page shows."""
        return {"username": self.username, "name": self.name, "about": self.about}


ACCOUNTS = (
    DemoAccount("rowan", "Rowan", "Oake", Membership.Role.OWNER, "mixing engineer, owns the session"),
    DemoAccount("ines", "Ines", "Norden", Membership.Role.ENGINEER, "second engineer, edits with Rowan"),
    DemoAccount("tam", "Tam", "Lister", Membership.Role.LISTENER, "listener, hears and changes nothing"),
)


def make_demo_accounts() -> list:
    """The demo's users, made where they are missing."""
    users = []
    for account in ACCOUNTS:
        user, created = get_user_model().objects.get_or_create(
            username=account.username,
            defaults={"first_name": account.first_name, "last_name": account.last_name},
        )
        if created or not (user.is_active and user.has_usable_password()):
            user.is_active = True
            user.set_password(PASSWORD)
            user.save()
        users.append(user)
    return users


def close_demo_accounts() -> int:
    """Let nobody in any more with the password that everybody knows; how many accounts it opened.

    What was made with them stays, and can be gone on with when there is a demo again. Whoever has given one of them a
    password of their own keeps it.
    """
    names = [account.username for account in ACCOUNTS]
    users = [user for user in get_user_model().objects.filter(username__in=names) if user.check_password(PASSWORD)]
    for user in users:
        user.is_active = False
        user.set_unusable_password()
        user.save()
    return len(users)


def make_session(bundle: Bundle, store_asset) -> MixSession:
    """The bundle as a new session of the demo's people. ``store_asset(path, rate)`` gives an asset's hash."""
    users = make_demo_accounts()
    rate = bundle.document["session"]["rate"]
    assets = {name: store_asset(Path(bundle.asset_path(name)), rate) for name in assets_of(bundle.document)}
    sources = {key: {**row, "asset": assets[row["asset"]]} for key, row in bundle.document["sources"].items()}
    session = create_session({**bundle.document, "sources": sources}, users[0])
    for colour, (user, account) in enumerate(zip(users[1:], ACCOUNTS[1:], strict=True), start=1):
        Membership.objects.create(session=session, user=user, role=account.role, colour=colour)
    return session
