"""The demo's people, and putting its session into the database the way any engineer's changes get there."""

from dataclasses import dataclass
from pathlib import Path
from uuid import uuid4

from django.contrib.auth import get_user_model

from needle.io.bundle import Bundle
from needle.session.document import empty_document, lane_key
from server.mixing.models import Member, Session
from server.mixing.operations.groups import AddGroup
from server.mixing.operations.passages import AddPassage
from server.mixing.operations.returns import AddReturn
from server.mixing.operations.sources import AddSource
from server.mixing.revisions import submit

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
    DemoAccount("rowan", "Rowan", "Oake", Member.Role.OWNER, "mixing engineer, owns the session"),
    DemoAccount("ines", "Ines", "Norden", Member.Role.ENGINEER, "second engineer, edits with Rowan"),
    DemoAccount("tam", "Tam", "Lister", Member.Role.LISTENER, "listener, hears and changes nothing"),
)


def make_demo_accounts() -> list:
    """The demo's users, made where they are missing."""
    users = []
    for account in ACCOUNTS:
        user, made = get_user_model().objects.get_or_create(
            username=account.username,
            defaults={"first_name": account.first_name, "last_name": account.last_name},
        )
        if made:
            user.set_password(PASSWORD)
            user.save()
        users.append(user)
    return users


def take_in(bundle: Bundle, store_asset) -> Session:
    """The bundle as a new session of the demo's people. ``store_asset(path, rate)`` gives an asset's hash."""
    users = make_demo_accounts()
    settings = bundle.document["session"]
    opened = empty_document(settings["name"], settings["rate"], settings["length"])
    opened["session"] = settings
    session = Session.objects.create(opened=opened, **settings)
    for colour, (user, account) in enumerate(zip(users, ACCOUNTS, strict=True)):
        Member.objects.create(session=session, user=user, role=account.role, colour=colour)
    document = bundle.document
    for source in sorted(document["sources"].values(), key=lambda s: s["order"]):
        asset = store_asset(Path(bundle.asset_path(source["asset"])), settings["rate"])
        lanes = {
            lane["parameter"]: lane["points"]
            for lane in document["lanes"].values()
            if lane["id"] == lane_key(source["id"], lane["parameter"])
        }
        own = ((part, document[part].get(source["id"])) for part in ("pulses", "deals", "events"))
        rhythm = {part: {source["id"]: thing} for part, thing in own if thing}
        body = {"source": {**source, "asset": asset, "group": ""}, "lanes": lanes, "rhythm": rhythm or None}
        operation = AddSource.model_validate(body)
        submit(users[0], session.id, uuid4(), session.revision, operation)
    for to in sorted(document["returns"].values(), key=lambda r: r["order"]):
        sends = [send for send in document["sends"].values() if send["return"] == to["id"]]
        operation = AddReturn.model_validate({"to": to, "sends": sends})
        submit(users[0], session.id, uuid4(), session.revision, operation)
    for group in document["groups"].values():
        members = [source["id"] for source in document["sources"].values() if source["group"] == group["id"]]
        operation = AddGroup.model_validate({"group": group, "members": members})
        submit(users[0], session.id, uuid4(), session.revision, operation)
    for passage in document["passages"].values():
        submit(users[0], session.id, uuid4(), session.revision, AddPassage(**passage))
    return session
