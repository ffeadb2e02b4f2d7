"""One table for everything a session holds, and presets; what was in tables of its own moves over."""

import uuid

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


_SOURCE = ("name", "ink", "order", "asset", "channels", "start", "gain", "level", "muted", "mode", "pan")
_OLD = {
    "sources": ("Source", _SOURCE),
    "lanes": ("Lane", ("source", "parameter", "points")),
    "passages": ("Passage", ("name", "start", "end")),
}

_SOURCE_DEFAULTS = {
    "seconds": 0.0, "first": 0, "start": 0.0, "gain": 0.0, "muted": False, "group": "", "exchange": False,
    "invert_left": False, "invert_right": False, "timing": "off", "timing_ms": 0.7, "timing_share": 0.0,
    "double": False, "double_ms": 0.0, "double_trim": 0.0, "frozen": "", "frozen_key": "", "snap": False,
    "direct_muted": False, "pan": 0.0, "level": 0.0, "trim": 0.0, "pan_left": -1.0, "pan_right": 1.0,
    "level_left": 0.0, "level_right": 0.0, "width_left": 0.0, "width_right": 0.0, "span": 1.0, "width": 1.0,
    "front": 1.0, "height": 0.0, "front_left": 1.0, "front_right": 1.0, "height_left": 0.0, "height_right": 0.0,
    "spread": 0.0, "rotation": 0.0, "centre": 1.0, "lfe": -96.0,
}  # fmt: skip
"""A source where nobody had set anything, under the names that version 7 of documents gave to its fields."""


def _upgraded(part, value, seconds):
    if part != "sources" or value is None:
        return value
    return {**_SOURCE_DEFAULTS, "seconds": seconds.get(value.get("asset"), 0.0), **value}


def move(apps, _editor):
    thing, asset = apps.get_model("mixsessions", "Thing"), apps.get_model("media", "Asset")
    seconds = {a.sha256: a.frames / a.rate for a in asset.objects.all()}
    for part, (name, fields) in _OLD.items():
        for row in apps.get_model("mixsessions", name).objects.all().iterator():
            value = {"id": row.key, **{field: getattr(row, field) for field in fields}}
            thing.objects.create(
                session_id=row.session_id, part=part, key=row.key, value=_upgraded(part, value, seconds)
            )
    for session in apps.get_model("mixsessions", "Session").objects.all():
        opened = session.opened
        opened.update({part: opened.get(part, {}) for part in ("groups", "returns", "sends")})
        opened["sources"] = {key: _upgraded("sources", value, seconds) for key, value in opened["sources"].items()}
        session.save(update_fields=["opened"])
    for operation in apps.get_model("mixsessions", "Operation").objects.all().iterator():
        for body in (operation.body, operation.inverse):
            if body.get("kind") == "add-source":
                body["source"] = _upgraded("sources", body["source"], seconds)
        for change in operation.changes:
            change["value"] = _upgraded(change["part"], change["value"], seconds)
        operation.save(update_fields=["body", "inverse", "changes"])


class Migration(migrations.Migration):
    dependencies = [
        ("mixsessions", "0001_initial"),
        ("media", "0001_initial"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AlterField(
            model_name="session",
            name="length",
            field=models.FloatField(help_text="seconds; 0 follows the sources"),
        ),
        migrations.CreateModel(
            name="Thing",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("part", models.CharField(max_length=16)),
                ("key", models.CharField(max_length=130)),
                ("value", models.JSONField()),
                (
                    "session",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="things", to="mixsessions.session"
                    ),
                ),
            ],
            options={
                "constraints": [models.UniqueConstraint(fields=("session", "part", "key"), name="one_thing_a_key")]
            },
        ),
        migrations.CreateModel(
            name="Preset",
            fields=[
                ("id", models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                (
                    "kind",
                    models.CharField(
                        choices=[("placement", "Placement"), ("return", "Return"), ("seating", "Seating")],
                        max_length=16,
                    ),
                ),
                ("name", models.CharField(max_length=120)),
                ("content", models.JSONField()),
                ("made_at", models.DateTimeField(auto_now_add=True)),
                (
                    "author",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="presets",
                        to=settings.AUTH_USER_MODEL,
                    ),
                ),
            ],
            options={"ordering": ["kind", "name", "made_at"]},
        ),
        migrations.RunPython(move, migrations.RunPython.noop),
        migrations.DeleteModel(name="Lane"),
        migrations.DeleteModel(name="Passage"),
        migrations.DeleteModel(name="Source"),
    ]
