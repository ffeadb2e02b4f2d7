"""Which sessions use an asset is told by a table of its own, filled from all that sessions hold and have held."""

import re

import django.db.models.deletion
from django.db import migrations, models

from server.mixsessions.deltas import unpacked

_HASH = re.compile(r"[0-9a-f]{64}")
_AT_ONCE = 200


def fill(apps, _editor):
    """Find the assets that are named anywhere in a session, its snapshots, or its log."""
    asset, use = apps.get_model("media", "Asset"), apps.get_model("media", "AssetUse")
    existing = set(asset.objects.values_list("pk", flat=True))
    for session in apps.get_model("mixsessions", "Session").objects.iterator():
        named = _named(apps.get_model("mixsessions", "Thing").objects.filter(session=session, part="sources"), ["value"])
        versions = apps.get_model("mixsessions", "EntityVersion").objects.filter(session=session, part="sources")
        for value in versions.exclude(value=None).values_list("value", flat=True):
            named |= set(_HASH.findall(str(unpacked(value))))
        named |= _named(apps.get_model("mixsessions", "Operation").objects.filter(session=session), ["body", "inverse"])
        use.objects.bulk_create(use(session=session, asset_id=key) for key in sorted(named & existing))


def _named(rows, fields):
    values = rows.values_list(*fields).iterator(chunk_size=_AT_ONCE)
    return {key for row in values for key in _HASH.findall(str(row))}


class Migration(migrations.Migration):
    dependencies = [
        ("media", "0009_created_at"),
        ("mixsessions", "0011_small_log"),
    ]

    operations = [
        migrations.CreateModel(
            "AssetUse",
            [
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                (
                    "asset",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.PROTECT, related_name="uses", to="media.asset"
                    ),
                ),
                (
                    "session",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="asset_uses", to="mixsessions.session"
                    ),
                ),
            ],
            options={
                "constraints": [models.UniqueConstraint(fields=["session", "asset"], name="one_use_a_session")],
            },
        ),
        migrations.RunPython(fill, migrations.RunPython.noop),
    ]
