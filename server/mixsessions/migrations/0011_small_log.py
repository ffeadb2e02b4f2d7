"""The log stores deltas instead of whole entities; snapshots and subjects of operations are made by replaying it."""

import django.db.models.deletion
from django.db import migrations, models

from needle.session.validation import PARTS
from server.mixsessions.deltas import SETTINGS_KEY, change_between, entity_after, entity_in, packed, subject_rows, subjects_of

_EVERY = 500
_AT_ONCE = 200


class _Replay:
    """A session as its log makes it, step by step."""

    def __init__(self, opened):
        self.document = {"session": {}, **{part: {} for part in PARTS}, **opened}

    def get(self, part, key):
        return entity_in(self.document, part, key)

    def put(self, part, key, value):
        if part == "session":
            self.document[part] = value
        elif value is None:
            self.document[part].pop(key, None)
        else:
            self.document[part][key] = value

    def layer_source(self, layer):
        return (self.get("layers", layer) or {}).get("source", "")


def shrink(apps, _editor):
    """Make the deltas of every operation from what it changed, and check that they give the session as it stands."""
    session_model, thing = apps.get_model("mixsessions", "Session"), apps.get_model("mixsessions", "Thing")
    for session in session_model.objects.iterator():
        replay = _replayed(apps, session)
        stored = {"session": {name: getattr(session, name) for name in replay.document["session"]}}
        stored |= {part: {} for part in PARTS}
        for row in thing.objects.filter(session=session).iterator():
            stored[row.part][row.key] = row.value
        if replay.document != stored:
            raise RuntimeError(
                f"The log of “{session.name}” ({session.pk}) does not give the session as it stands. Nothing has been "
                "changed: go on with the version before, and report this."
            )


def rename_drafts(apps, _editor):
    """What drafts say of themselves goes by the name that operations use."""
    for row in apps.get_model("mixsessions", "Draft").objects.iterator():
        if "said" in row.about:
            row.about["summary"] = row.about.pop("said")
            row.save(update_fields=["about"])


def _replayed(apps, session):
    operations, subject = apps.get_model("mixsessions", "Operation"), apps.get_model("mixsessions", "OperationSubject")
    replay = _Replay(session.opened)
    beginning = [("session", SETTINGS_KEY), *((part, key) for part in PARTS for key in replay.document[part])]
    _snapshot(apps, session, 0, replay, beginning)
    changed = set()
    for row in operations.objects.filter(session=session).order_by("revision").iterator(chunk_size=_AT_ONCE):
        before, delta = {}, []
        for old in row.changes:
            part, key = old["part"], old["key"]
            before[part, key] = replay.get(part, key)
            change = change_between(part, key, before[part, key], old["value"])
            if change is not None:
                delta.append(change)
                replay.put(part, key, entity_after(change, before[part, key]))
                changed.add((part, key))
        row.delta = delta
        row.save(update_fields=["delta"])
        subjects = subjects_of(delta, before, replay.layer_source)
        subject.objects.bulk_create(
            subject(operation=row, session=session, revision=row.revision, **fields)
            for fields in subject_rows(subjects, row.touches)
        )
        if row.revision % _EVERY == 0:
            _snapshot(apps, session, row.revision, replay, sorted(changed))
            changed = set()
            session.snapshot_revision = row.revision
            session.save(update_fields=["snapshot_revision"])
    return replay


def _snapshot(apps, session, revision, replay, entities):
    version = apps.get_model("mixsessions", "EntityVersion")
    version.objects.bulk_create(
        (
            version(session=session, revision=revision, part=part, key=key, value=packed(replay.get(part, key)))
            for part, key in entities
        ),
        batch_size=_AT_ONCE,
    )


class Migration(migrations.Migration):
    dependencies = [
        ("mixsessions", "0010_todays_names"),
    ]

    operations = [
        migrations.RenameField("operation", "said", "summary"),
        migrations.RenameField("operation", "over", "overwrote"),
        migrations.RenameField("operation", "made_on", "base_revision"),
        migrations.RenameField("operation", "made_at", "created_at"),
        migrations.RenameField("draft", "made_at", "created_at"),
        migrations.RenameField("preset", "made_at", "created_at"),
        migrations.AlterModelOptions("draft", {"ordering": ["-created_at"]}),
        migrations.AlterModelOptions("preset", {"ordering": ["kind", "name", "created_at"]}),
        migrations.AddField("session", "snapshot_revision", models.PositiveIntegerField(default=0)),
        migrations.AddField("operation", "delta", models.JSONField(default=list), preserve_default=False),
        migrations.CreateModel(
            "OperationSubject",
            [
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("revision", models.PositiveIntegerField()),
                ("name", models.CharField(max_length=200)),
                ("changed", models.BooleanField(default=True)),
                ("removed", models.BooleanField(default=False)),
                (
                    "operation",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="subjects", to="mixsessions.operation"
                    ),
                ),
                (
                    "session",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="+", to="mixsessions.session"
                    ),
                ),
            ],
            options={
                "indexes": [
                    models.Index(fields=["session", "name", "revision"], name="subject_by_name"),
                    models.Index(
                        fields=["session", "revision"], condition=models.Q(removed=True), name="subject_removed"
                    ),
                ],
            },
        ),
        migrations.CreateModel(
            "EntityVersion",
            [
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("revision", models.PositiveIntegerField()),
                ("part", models.CharField(max_length=16)),
                ("key", models.CharField(max_length=130)),
                ("value", models.BinaryField(null=True)),
                (
                    "session",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="versions_of_entities",
                        to="mixsessions.session",
                    ),
                ),
            ],
            options={
                "constraints": [
                    models.UniqueConstraint(
                        fields=["session", "part", "key", "revision"], name="one_version_a_snapshot"
                    )
                ],
            },
        ),
        migrations.RunPython(rename_drafts, migrations.RunPython.noop),
        migrations.RunPython(shrink, migrations.RunPython.noop),
        migrations.RemoveField("operation", "changes"),
        migrations.RemoveField("session", "opened"),
        migrations.AddIndex(
            "operation", models.Index(fields=["session", "author", "revision"], name="own_operations")
        ),
    ]
