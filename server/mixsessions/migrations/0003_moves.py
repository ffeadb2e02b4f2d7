"""Drafts of moves, and the trim of every source there is."""

import django.db.models.deletion
import uuid
from django.conf import settings
from django.db import migrations, models


def _trimmed(part, value):
    return {"trim": 0.0, **value} if part == "sources" and value is not None else value


def add_trims(apps, _editor):
    """What was kept before sources had a trim gets one that changes nothing."""
    thing = apps.get_model("mixsessions", "Thing")
    for row in thing.objects.filter(part="sources").iterator():
        row.value = _trimmed("sources", row.value)
        row.save(update_fields=["value"])
    for session in apps.get_model("mixsessions", "Session").objects.all():
        sources = session.opened["sources"]
        session.opened["sources"] = {key: _trimmed("sources", value) for key, value in sources.items()}
        session.save(update_fields=["opened"])
    for operation in apps.get_model("mixsessions", "Operation").objects.all().iterator():
        for change in operation.changes:
            change["value"] = _trimmed(change["part"], change["value"])
        operation.save(update_fields=["changes"])


class Migration(migrations.Migration):
    dependencies = [
        ("mixsessions", "0002_things"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="Draft",
            fields=[
                ("id", models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ("kind", models.CharField(choices=[("preview", "Preview"), ("take", "Take")], max_length=16)),
                ("revision", models.PositiveIntegerField()),
                ("writes", models.JSONField()),
                ("about", models.JSONField(default=dict)),
                ("made_at", models.DateTimeField(auto_now_add=True)),
                (
                    "author",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="+", to=settings.AUTH_USER_MODEL
                    ),
                ),
                (
                    "session",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="drafts", to="mixsessions.session"
                    ),
                ),
            ],
            options={
                "ordering": ["-made_at"],
            },
        ),
        migrations.RunPython(add_trims, migrations.RunPython.noop),
    ]
