"""A small session of three tones with an owner, an engineer, a listener and an outsider, for server tests."""

import json
import tempfile
from pathlib import Path
from typing import Any
from uuid import uuid4

import numpy as np
from django.contrib.auth import get_user_model
from django.core.cache import cache
from django.test import Client, TransactionTestCase, override_settings

from needle.files.audio import write_audio
from needle.session import SOURCE_AT_FIRST, empty_document
from server.audio.assets import asset_audio, store_asset
from server.mixing.models import Member, Session
from server.mixing.operations.passages import AddPassage
from server.mixing.operations.sources import AddSource
from server.mixing.revisions import submit

RATE = 48000
LENGTH = 4.0


def tone(frequency: float, channels: int = 1) -> np.ndarray:
    t = np.arange(round(LENGTH * RATE)) / RATE
    return np.tile((0.25 * np.sin(2 * np.pi * frequency * t)).astype(np.float32), (channels, 1))


def source(key: str, asset: str, order: int, channels: int = 1, **values: Any) -> dict[str, Any]:
    """A source's stored values."""
    found = {
        **SOURCE_AT_FIRST, "seconds": LENGTH,
        "id": key, "name": key.title(), "ink": order, "order": order, "asset": asset, "channels": channels,
        "start": 0.0, "gain": 0.0, "level": 0.0, "muted": False,
        "mode": "pan" if channels == 1 else "balance", "pan": 0.0,
    }  # fmt: skip
    return {**found, **values}


class SessionCase(TransactionTestCase):
    """Each test has its own data folder and session ``self.session``; ``self.as_(name)`` is a client."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.data = Path(folder.name)
        settings = override_settings(DATA_DIR=self.data)
        settings.enable()
        self.addCleanup(settings.disable)
        asset_audio.cache_clear()
        cache.clear()
        self.users = {
            name: get_user_model().objects.create_user(name, password="a long password", first_name=name.title())
            for name in ("olga", "emil", "lisa", "uwe")
        }
        opened = empty_document("Tones", RATE, LENGTH)
        self.session = Session.objects.create(opened=opened, **opened["session"])
        for colour, (name, role) in enumerate((("olga", "owner"), ("emil", "engineer"), ("lisa", "listener"))):
            Member.objects.create(session=self.session, user=self.users[name], role=role, colour=colour)
        for order, (key, frequency, channels) in enumerate((("low", 220, 1), ("high", 880, 1), ("wide", 440, 2))):
            path = self.data / f"{key}.wav"
            write_audio(path, tone(frequency, channels), RATE)
            values = source(key, store_asset(path, RATE), order, channels)
            self.submit("olga", AddSource.model_validate({"source": values}))
        self.submit("olga", AddPassage(id="first", name="First", start=0, end=4))

    def submit(self, name: str, operation: Any) -> Any:
        return submit(self.users[name], self.session.id, uuid4(), self.revision(), operation)

    def revision(self) -> int:
        self.session.refresh_from_db()
        return self.session.revision

    def as_(self, name: str | None) -> Client:
        client = Client()
        if name:
            client.force_login(self.users[name])
        return client

    def url(self, rest: str = "") -> str:
        return f"/api/sessions/{self.session.id}{rest}"

    def operate(
        self, client: Client, operation: dict[str, Any], client_id: Any = None, made_on: int | None = None
    ) -> Any:
        body = {"client_id": str(client_id or uuid4()), "made_on": made_on, "operation": operation}
        return self.post(client, "/operations", body)

    def turn(self, client: Client, which: str) -> Any:
        return self.post(client, f"/{which}", {"client_id": str(uuid4())})

    def post(self, client: Client, rest: str, body: dict[str, Any]) -> Any:
        # NaN and infinities are written as JavaScript never would, but as a hostile client may.
        return client.post(self.url(rest), json.dumps(body), content_type="application/json")

    def state(self) -> dict[str, Any]:
        return self.as_("olga").get(self.url()).json()["document"]
