"""A small session of three tones with an owner, an engineer, a listener and an outsider, for server tests."""

import json
import os
import shutil
import sys
import tempfile
from collections import defaultdict
from functools import cache
from pathlib import Path
from typing import Any
from uuid import uuid4

import numpy as np
from cachetools import Cache
from django.contrib.auth import get_user_model
from django.core.cache import cache as cache_of_django
from django.test import Client, TestCase, TransactionTestCase, override_settings

from needle.io.audio import write_audio
from needle.session.document import SOURCE_DEFAULTS, empty_document
from server.editing.operations.passages import AddPassage
from server.editing.operations.sources import AddSource
from server.editing.services import submit
from server.media.assets import store_asset
from server.media.models import Asset
from server.mixsessions.models import Membership
from server.mixsessions.services import create_session
from tests.runner import new_folder

RATE = 48000
LENGTH = 4.0
TONES = {"low": (220.0, 1), "high": (880.0, 1), "wide": (440.0, 2)}
"""The session's sources: frequency (Hz) and channels."""


def messages_text(messages: list[dict[str, Any]]) -> str:
    """What an answer's messages say."""
    return " ".join(message["text"] for message in messages)


def tone(frequency: float, channels: int = 1) -> np.ndarray:
    t = np.arange(round(LENGTH * RATE)) / RATE
    return np.tile((0.25 * np.sin(2 * np.pi * frequency * t)).astype(np.float32), (channels, 1))


def source(key: str, asset: str, order: int, channels: int = 1, **values: Any) -> dict[str, Any]:
    """A source's stored values."""
    found = {
        **SOURCE_DEFAULTS, "seconds": LENGTH,
        "id": key, "name": key.title(), "colour": order, "order": order, "asset": asset, "channels": channels,
        "start": 0.0, "gain": 0.0, "level": 0.0, "muted": False,
        "mode": "pan" if channels == 1 else "balance", "pan": 0.0,
    }  # fmt: skip
    return {**found, **values}


@cache
def _prepared() -> tuple[Path, dict[str, dict[str, Any]]]:
    """The three tones as assets, decoded and measured once a process: a data folder, and their rows by key."""
    folder, rows = new_folder("tones"), {}
    with override_settings(DATA_DIR=folder):
        for key, (frequency, channels) in TONES.items():
            path = folder / f"{key}.wav"
            write_audio(path, tone(frequency, channels), RATE)
            row = Asset.objects.get(pk=store_asset(path, RATE))
            rows[key] = {field.attname: getattr(row, field.attname) for field in Asset._meta.concrete_fields}
            path.unlink()
    return folder, rows


class CommittingClient(Client):
    """Does what is to be done after a commit as soon as a request has ended: a test's own transaction never does."""

    def request(self, **request: Any) -> Any:
        with TestCase.captureOnCommitCallbacks(execute=True):
            return super().request(**request)


def forget() -> None:
    """Empty whatever the server keeps in memory: revisions count from the same number in every test."""
    cache_of_django.clear()
    for name, module in list(sys.modules.items()):
        if name.startswith("server."):
            for value in list(vars(module).values()):
                if isinstance(value, Cache | defaultdict):
                    value.clear()
                elif hasattr(value, "cache_clear") and value.__module__ == name:
                    value.cache_clear()
                elif isinstance(getattr(value, "cache", None), Cache):
                    value.cache.clear()


class Tones:
    """The session and who is in it; each test has a data folder of its own, ``self.data``."""

    client_class = Client

    @classmethod
    def make_session(cls) -> None:
        """Users, the session, its assets, and the operations that lay it out."""
        _, rows = _prepared()
        for row in rows.values():
            Asset.objects.update_or_create(sha256=row["sha256"], defaults=row)
        create = get_user_model().objects.create_user
        cls.users = {
            name: create(name, password="a long password", first_name=name.title())
            for name in ("olga", "emil", "lisa", "uwe")
        }
        cls.session = create_session(empty_document("Tones", RATE, LENGTH), cls.users["olga"])
        for colour, (name, role) in enumerate((("emil", "engineer"), ("lisa", "listener")), start=1):
            Membership.objects.create(session=cls.session, user=cls.users[name], role=role, colour=colour)
        values = [source(key, rows[key]["sha256"], i, TONES[key][1]) for i, key in enumerate(TONES)]
        laid_out = [AddSource.model_validate({"source": source}) for source in values]
        for revision, operation in enumerate([*laid_out, AddPassage(id="first", name="First", start=0, end=4)]):
            submit(cls.users["olga"], cls.session.id, uuid4(), revision, operation)
        cls.session.refresh_from_db()

    def setUp(self) -> None:
        super().setUp()
        folder, _ = _prepared()
        self.data = Path(tempfile.mkdtemp(prefix="needle-test-"))
        self.addCleanup(shutil.rmtree, self.data, ignore_errors=True)
        # Nothing ever writes into an asset, so it may lie in many folders.
        shutil.copytree(folder, self.data, copy_function=os.link, dirs_exist_ok=True)
        settings = override_settings(DATA_DIR=self.data)
        settings.enable()
        self.addCleanup(settings.disable)
        forget()

    def submit(self, name: str, operation: Any) -> Any:
        with TestCase.captureOnCommitCallbacks(execute=True):
            return submit(self.users[name], self.session.id, uuid4(), self.revision(), operation)

    def revision(self) -> int:
        self.session.refresh_from_db()
        return self.session.revision

    def as_(self, name: str | None) -> Client:
        client = self.client_class()
        if name:
            client.force_login(self.users[name])
        return client

    def url(self, rest: str = "") -> str:
        return f"/api/sessions/{self.session.id}{rest}"

    def operate(
        self, client: Client, operation: dict[str, Any], client_id: Any = None, base_revision: int | None = None
    ) -> Any:
        body = {"client_id": str(client_id or uuid4()), "base_revision": base_revision, "operation": operation}
        return self.post(client, "/operations", body)

    def turn(self, client: Client, which: str, **how: Any) -> Any:
        return self.post(client, f"/{which}", {"client_id": str(uuid4()), **how})

    def post(self, client: Client, rest: str, body: dict[str, Any]) -> Any:
        # NaN and infinities are written as JavaScript never would, but as a hostile client may.
        return client.post(self.url(rest), json.dumps(body), content_type="application/json")

    def state(self) -> dict[str, Any]:
        return self.as_("olga").get(self.url()).json()["document"]


class SessionCase(Tones, TestCase):
    """Everything of a test in one transaction, which is rolled back: for whatever needs no thread and no socket."""

    client_class = CommittingClient

    @classmethod
    def setUpTestData(cls) -> None:
        cls.make_session()


class CommittedCase(Tones, TransactionTestCase):
    """Everything is committed, as other threads, processes and sockets have to see it."""

    def setUp(self) -> None:
        self.make_session()
        super().setUp()
