"""Databases of versions before: what they hold, and their history, is there under today's names."""

import gzip
import json
import subprocess
import sys
from pathlib import Path
from typing import Any
from uuid import uuid4

from django.contrib.auth import get_user_model
from django.core.management import call_command
from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from django.test import TransactionTestCase

from needle.session.migrations import renamed, with_todays_names
from needle.session.validation import check_document
from server.analysis.models import Report
from server.delivery.models import Delivery
from server.editing.models import Draft, Preset
from server.editing.operations import operation_from
from server.editing.services import replayed
from server.media.models import Freeze, Upload
from server.mixsessions.log import document_at
from server.mixsessions.models import MixSession, OperationRecord
from server.mixsessions.state import DocumentState, stored_document
from server.project.app_labels import LABELS, adopt_labels
from tests.browser.prepared import environment
from tests.runner import new_folder
from tests.server.sessions import source

DATABASE_OF_BEFORE = Path(__file__).parent / "data" / "database-before-apps.gz"
"""A database whose apps had other names: a session with 120 revisions, and a row of everything that people make."""

CHECKED = """
from django.contrib.auth.models import User
from server.accounts.models import Preferences
from server.analysis.models import Report
from server.collaboration.models import Comment, Invitation, Version
from server.delivery.models import Delivery
from server.editing.models import Draft, Preset
from server.editing.services import replayed, undo
from server.media.models import Asset, AssetUse, Freeze, MeasuredHead, Upload
from server.mixsessions.log import document_at
from server.mixsessions.models import Entity, MixSession, OperationRecord
from server.mixsessions.state import stored_document
from uuid import uuid4
import json
(session,) = MixSession.objects.all()
rowan = User.objects.get(username="rowan")
counts = {model.__name__: model.objects.count() for model in (
    Preferences, Report, Comment, Invitation, Version, Delivery, Draft, Preset, Asset, AssetUse, Freeze, MeasuredHead,
    Upload, OperationRecord,
)}
bounce = Upload.objects.get(name="crossing.wav")
print(json.dumps({
    "counts": counts,
    "members": sorted(session.members.values_list("user__username", "role", "archived")),
    "purposes": dict(Upload.objects.values_list("name", "purpose")),
    "report of a file": bounce.report.title,
    "replayed": replayed(session) == stored_document(session) == document_at(session.pk, session.revision),
    "kinds": sorted(set(Entity.objects.values_list("kind", flat=True))),
    "read by": list(Comment.objects.get(parent=None).read_by.values_list("username", flat=True)),
    "undone": undo(rowan, session.pk, uuid4()).row.revision,
}))
"""

LOG_OF_BEFORE = Path(__file__).parent / "data" / "log-v7.json.gz"
"""A session of version 7 with operations of every kind: as it was opened, its log, and as it stood after it."""


class OfOtherApps(TransactionTestCase):
    """A database from when the apps had other names and other models is migrated as it is opened."""

    def test_everything_of_everybody_s_is_there(self) -> None:
        data = new_folder("before")
        (data / "needle.sqlite3").write_bytes(gzip.decompress(DATABASE_OF_BEFORE.read_bytes()))

        def manage(*arguments: str) -> str:
            command = [sys.executable, "manage.py", *arguments]
            done = subprocess.run(command, env=environment(data), check=True, capture_output=True, text=True)
            return done.stdout

        manage("migrate", "--verbosity=0")
        state = json.loads(manage("shell", "--verbosity=0", "--command", CHECKED))
        once = dict.fromkeys(state["counts"], 1)
        several = {"Report": 2, "Comment": 2, "Upload": 3, "OperationRecord": 120}
        self.assertEqual(state.pop("counts"), once | several)
        self.assertEqual(
            state,
            {
                "members": [["ines", "engineer", True], ["rowan", "owner", False]],
                "purposes": {"low.wav": "stem", "crossing.wav": "report", "bundle.zip": "session"},
                "report of a file": "crossing.wav",
                "replayed": True,
                "kinds": ["events", "groups", "pulses", "room", "sources"],
                "read by": ["rowan"],
                "undone": 121,
            },
        )

    def test_tables_are_renamed_once_wherever_they_are(self) -> None:
        self.addCleanup(adopt_labels, connection)
        before = adopt_labels(connection, {new: old for old, new in LABELS.items()})
        self.assertIn("mixing_operationrecord", connection.introspection.table_names())
        call_command("migrate", verbosity=0)
        self.assertGreater(before, 10)
        self.assertEqual(OperationRecord.objects.count(), 0)
        self.assertEqual(adopt_labels(connection), 0)


class Upgrading(TransactionTestCase):
    """A database from before groups and returns opens as it was, its history too."""

    OLD = (("mixsessions", "0001_initial"), ("media", "0001_initial"))

    def migrate(self, to: list[tuple[str, str]]) -> None:
        executor = MigrationExecutor(connection)
        executor.migrate(to)
        self.apps = MigrationExecutor(connection).loader.project_state(to).apps

    def old(self, model: str, app: str = "mixsessions") -> Any:
        """Rows of a model as the version had it that was migrated to last."""
        return self.apps.get_model(app, model).objects

    def tearDown(self) -> None:
        executor = MigrationExecutor(connection)
        executor.migrate(executor.loader.graph.leaf_nodes())
        super().tearDown()

    def test_reverbs_in_a_room_go_on_as_they_did(self) -> None:
        leaves = MigrationExecutor(connection).loader.graph.leaf_nodes()
        self.migrate([("mixsessions", "0007_member_put_away")])
        user = get_user_model().objects.create(username="old")
        hall = {
            "id": "hall", "name": "Hall", "ink": 0, "order": 0, "level": 0.0, "muted": False, "pan": 0.0,
            "width": 1.0, "effects": [], "front": 0.0, "height": 0.0, "rotation": 0.0,
        }  # fmt: skip
        send = {
            "id": "low/hall", "source": "low", "return": "hall", "level": -6.0, "before": False, "place": "own",
            "pan": 0.5, "front": -1.0, "height": 0.0,
        }  # fmt: skip
        sessions = {}
        for layout in ("0+2+0", "4+7+0"):
            settings = {
                "name": "Old", "rate": 48000, "length": 2.0, "layout": layout, "tempos": [[0.0, 120.0]],
                "metres": [[1, 4, 4]], "law": "constant-power", "centre_zero": False,
            }  # fmt: skip
            opened = {"session": settings, "returns": {}, "sends": {}}
            session = self.old("Session").create(opened=opened, revision=1, **settings)
            self.old("Thing").create(session=session, part="returns", key="hall", value=hall)
            self.old("Thing").create(session=session, part="sends", key="low/hall", value=send)
            self.old("Operation").create(
                session=session, revision=1, client_id="0" * 32, author_id=user.pk, made_on=0, kind="add-return",
                body={"kind": "add-return", "to": hall}, inverse={"kind": "remove-return", "to": "hall"},
                changes=[
                    {"part": "returns", "key": "hall", "value": hall},
                    {"part": "sends", "key": "low/hall", "value": send},
                ],
                touches=[], said="Hall added",
            )  # fmt: skip
            sessions[layout] = session.pk

        self.migrate(leaves)
        for layout, envelopment in (("0+2+0", 0.7), ("4+7+0", 0.0)):
            migrated = MixSession.objects.get(pk=sessions[layout])
            self.assertEqual(
                stored_document(migrated)["returns"]["hall"],
                {**renamed(hall, {"ink": "colour"}), "envelopment": envelopment, "spread": 0.0},
            )
            expected = {**renamed(send, {"before": "pre"}), "spread": 0.0}
            self.assertEqual(stored_document(migrated)["sends"]["low/hall"], expected)
            self.assertEqual(replayed(migrated)["returns"]["hall"]["envelopment"], envelopment)

    def test_sides_have_no_width_and_returns_no_spread_where_there_was_none(self) -> None:
        leaves = MigrationExecutor(connection).loader.graph.leaf_nodes()
        self.migrate([("mixsessions", "0008_surrounding_returns")])
        user = get_user_model().objects.create(username="old")
        low = {"id": "low", "name": "Low", "mode": "sides", "pan_left": -0.4, "pan_right": 0.2}
        settings = {
            "name": "Old", "rate": 48000, "length": 2.0, "layout": "0+2+0", "tempos": [[0.0, 120.0]],
            "metres": [[1, 4, 4]], "law": "constant-power", "centre_zero": False,
        }  # fmt: skip
        hall = {"id": "hall", "name": "Hall", "effects": [], "envelop": 0.4}
        opened = {"session": settings, "sources": {"low": low}, "returns": {"hall": hall}}
        session = self.old("Session").create(opened=opened, revision=1, **settings)
        self.old("Thing").create(session=session, part="sources", key="low", value=low)
        self.old("Thing").create(session=session, part="returns", key="hall", value=hall)
        added = [{"kind": "add-source", "source": low}, {"kind": "add-return", "to": hall}]
        self.old("Operation").create(
            session=session, revision=1, client_id="0" * 32, author_id=user.pk, made_on=0, kind="together",
            body={"kind": "together", "what": "Two", "operations": added},
            inverse={"kind": "remove-source", "source": "low"},
            changes=[
                {"part": "sources", "key": "low", "value": low}, {"part": "returns", "key": "hall", "value": hall},
            ],
            touches=[], said="Two added",
        )  # fmt: skip

        self.migrate(leaves)
        expected = {**low, "width_left": 0.0, "width_right": 0.0}
        hall = {"id": "hall", "name": "Hall", "effects": [], "envelopment": 0.4, "spread": 0.0}
        migrated = MixSession.objects.get(pk=session.pk)
        self.assertEqual(stored_document(migrated)["sources"]["low"], expected)
        self.assertEqual(document_at(migrated.pk, 0)["sources"]["low"], expected)
        self.assertEqual(stored_document(migrated)["returns"]["hall"], hall)
        self.assertEqual(document_at(migrated.pk, 0)["returns"]["hall"], hall)
        (row,) = OperationRecord.objects.filter(session=migrated)
        self.assertEqual(row.body["operations"][0]["source"], expected)
        self.assertEqual(row.body["operations"][1]["to"], hall)
        self.assertEqual(row.inverse, {"kind": "remove-source", "source": "low"})

    def test_what_was_said_of_files_and_tasks_stays_said(self) -> None:
        leaves = MigrationExecutor(connection).loader.graph.leaf_nodes()
        self.migrate([("media", "0014_purposes"), ("analysis", "0001_initial"), ("delivery", "0003_attempts")])
        rowan = self.old("User", "auth").create(username="rowan")
        session = self.old("MixSession").create(
            name="Night Ferry",
            rate=48000,
            length=0.0,
            layout="stereo",
            tempos=[],
            metres=[],
            law="sine",
            centre_zero=False,
        )
        common = {"session": session, "author": rowan, "status": "failed", "message": "The disk was full."}
        upload = self.old("Upload", "media").create(**common, name="bell.wav", size=3)
        self.old("Freeze", "media").create(**common, revision=0, source="bell")
        self.old("Report", "analysis").create(**{**common, "message": ""}, title="Night Ferry")
        self.old("Delivery", "delivery").create(
            **common, revision=0, start=0, stop=1, order={}, doing="the mix", notes=["Nothing sounds.", "Two."]
        )
        self.migrate(leaves)
        self.assertEqual([str(message) for message in Upload.objects.get(pk=upload.pk).messages], [common["message"]])
        self.assertEqual([str(message) for message in Freeze.objects.get().messages], [common["message"]])
        self.assertEqual(Report.objects.get().messages, [])
        delivery = Delivery.objects.get()
        self.assertEqual([str(message) for message in delivery.messages], [common["message"]])
        self.assertEqual([str(note) for note in delivery.notes], ["Nothing sounds.", "Two."])
        self.assertIsNone(delivery.doing)

    def test_names_change_in_everything_that_is_stored(self) -> None:
        before = json.loads(gzip.decompress(LOG_OF_BEFORE.read_bytes()))
        leaves = MigrationExecutor(connection).loader.graph.leaf_nodes()
        self.migrate([("mixsessions", "0009_widths_and_spreads")])
        user = get_user_model().objects.create(username="old")
        session = self.old("Session").create(
            opened=before["opened"], revision=len(before["rows"]), **before["document"]["session"]
        )
        for part, rows in before["document"].items():
            for key, value in rows.items() if part != "session" else ():
                self.old("Thing").create(session=session, part=part, key=key, value=value)
        for revision, row in enumerate(before["rows"], start=1):
            self.old("Operation").create(
                session=session, revision=revision, client_id=uuid4(), author_id=user.pk, made_on=revision - 1, **row
            )
        lane = {"source": "low", "parameter": "centre", "start": 0.0, "end": 1.0}
        writes = [{**lane, "points": [{"t": 0.0, "value": 1.0, "shape": "ease", "begins": 0.5}]}]
        writes.append({"pulse": "low", "values": {"start": 0.5, "even_power": True}})
        of_user = {"author_id": user.pk, "kind": "preview", "revision": 1, "about": {}}
        self.old("Draft").create(session=session, writes=writes, **of_user)
        presets = {
            "placement": {"exchange": True, "timing": "symmetric"}, "return": {"ink": 3, "envelop": 0.2},
            "pulse": {"start": 0.5}, "seating": {"seats": [{"name": "Low", "pan": 0.5}]},
        }  # fmt: skip
        for kind, content in presets.items():
            self.old("Preset").create(author_id=user.pk, kind=kind, name=kind, content=content)

        self.migrate(leaves)
        migrated = MixSession.objects.get(pk=session.pk)
        self.assertEqual(stored_document(migrated), check_document(with_todays_names(before["document"], 7)))
        self.assertEqual(replayed(migrated), stored_document(migrated))
        opened = with_todays_names(before["opened"], 7)
        self.assertEqual(document_at(migrated.pk, 0), opened)
        state = DocumentState(opened)
        for row in OperationRecord.objects.filter(session=migrated):
            operation = operation_from(row.body)
            self.assertEqual(row.kind, operation.kind)
            self.assertCountEqual([tuple(touch) for touch in row.touches], operation.touches(), row.summary)
            operation.apply(state)
            self.assertEqual(document_at(migrated.pk, row.revision), state.document, row.summary)
        (draft,) = Draft.objects.filter(session=migrated)
        point = {"t": 0.0, "value": 1.0, "shape": "ease", "shape_start": 0.5}
        lane = {"owner": "low", "parameter": "centre_level", "start": 0.0, "end": 1.0, "points": [point]}
        self.assertEqual(
            draft.writes, [lane, {"pulse": "low", "values": {"start_phase": 0.5, "constant_power": True}}]
        )
        self.assertEqual(
            dict(Preset.objects.filter(author=user.pk).values_list("kind", "content")),
            {
                "placement": {"swap_channels": True, "delay_panning": "symmetric"},
                "return": {"colour": 3, "envelopment": 0.2}, "pulse": {"start_phase": 0.5},
                "seating": presets["seating"],
            },
        )  # fmt: skip

    def test_sources_lanes_passages_and_the_log_move_over(self) -> None:
        leaves = MigrationExecutor(connection).loader.graph.leaf_nodes()
        self.migrate(list(self.OLD))
        user = get_user_model().objects.create(username="old")
        settings = {
            "name": "Old", "rate": 48000, "length": 2.0, "layout": "0+2+0", "tempos": [[0.0, 120.0]],
            "metres": [[1, 4, 4]], "law": "constant-power", "centre_zero": False,
        }  # fmt: skip
        asset = "a" * 64
        self.old("Asset", "media").create(sha256=asset, channels=1, frames=88200, rate=44100)
        passage = {"name": "All", "start": 0.0, "end": 4.0}
        opened = {"session": settings, "sources": {}, "lanes": {}, "passages": {"all": {"id": "all", **passage}}}
        session = self.old("Session").create(opened=opened, revision=1, **settings)
        new = source("low", asset, 0)
        names = ("name", "colour", "order", "asset", "channels", "start", "gain", "level", "muted", "mode", "pan")
        plain = renamed({name: new[name] for name in names}, {"colour": "ink"})
        self.old("Source").create(session=session, key="low", **plain)
        points = [{"t": 0.0, "value": 0.5, "shape": "straight", "tension": 0.0}]
        lane = {"source": "low", "parameter": "pan", "points": points}
        self.old("Lane").create(session=session, key="low/pan", **lane)
        self.old("Passage").create(session=session, key="all", **passage)
        changes = [
            {"part": "sources", "key": "low", "value": {"id": "low", **plain}},
            {"part": "lanes", "key": "low/pan", "value": {"id": "low/pan", **lane}},
        ]
        self.old("Operation").create(
            session=session, revision=1, client_id="0" * 32, author_id=user.pk, made_on=0, kind="add-source",
            body={"kind": "add-source", "source": {"id": "low", **plain}, "lanes": {"pan": points}},
            inverse={"kind": "remove-source", "source": "low"}, changes=changes, touches=[["low.pan", None, None]],
            said="Low added",
        )  # fmt: skip

        self.migrate(leaves)
        migrated = MixSession.objects.get(pk=session.pk)
        document = stored_document(migrated)
        self.assertEqual(document["sources"]["low"], {**new, "seconds": 2.0})
        self.assertEqual(document["lanes"]["low/pan"]["points"], points)
        self.assertEqual(document["passages"]["all"], {"id": "all", **passage})
        self.assertEqual((document["groups"], document["returns"], document["sends"]), ({}, {}, {}))
        self.assertEqual(replayed(migrated)["sources"], document["sources"])
