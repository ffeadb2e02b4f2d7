"""Pulses can be kept by name, and every source there is is not frozen."""

from django.db import migrations, models


def _unfrozen(part, value):
    return {"frozen": "", "frozen_key": "", **value} if part == "sources" and value is not None else value


def add_frozen(apps, _editor):
    """What was kept before sources could be frozen is told not to be."""
    thing = apps.get_model("mixsessions", "Thing")
    for row in thing.objects.filter(part="sources").iterator():
        row.value = _unfrozen("sources", row.value)
        row.save(update_fields=["value"])
    for session in apps.get_model("mixsessions", "Session").objects.all():
        sources = session.opened["sources"]
        session.opened["sources"] = {key: _unfrozen("sources", value) for key, value in sources.items()}
        for part in ("pulses", "deals", "events"):
            session.opened.setdefault(part, {})
        session.save(update_fields=["opened"])
    for operation in apps.get_model("mixsessions", "Operation").objects.all().iterator():
        for change in operation.changes:
            change["value"] = _unfrozen(change["part"], change["value"])
        operation.save(update_fields=["changes"])


class Migration(migrations.Migration):
    dependencies = [
        ("mixsessions", "0003_moves"),
    ]

    operations = [
        migrations.AlterField(
            model_name="preset",
            name="kind",
            field=models.CharField(
                choices=[
                    ("placement", "Placement"),
                    ("return", "Return"),
                    ("seating", "Seating"),
                    ("pulse", "Pulse"),
                ],
                max_length=16,
            ),
        ),
        migrations.RunPython(add_frozen, migrations.RunPython.noop),
    ]
