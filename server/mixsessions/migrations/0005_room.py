"""Sources, returns and sends have a place in the room; sessions have ways, layers and a turn of the room."""

from django.db import migrations

_FRESH = {
    "sources": {
        "front": 1.0,
        "height": 0.0,
        "front_left": 1.0,
        "front_right": 1.0,
        "height_left": 0.0,
        "height_right": 0.0,
        "spread": 0.0,
        "rotation": 0.0,
        "centre": 1.0,
        "lfe": -96.0,
        "snap": False,
        "direct_muted": False,
    },
    "returns": {"front": 0.0, "height": 0.0, "rotation": 0.0},
    "sends": {"front": 1.0, "height": 0.0},
}
_PARTS = ("rooms", "layers", "turns")


def _placed(part, value):
    return {**_FRESH[part], **value} if part in _FRESH and value is not None else value


def add_places(apps, _editor):
    """What was kept before there was a room stands in its front."""
    thing = apps.get_model("mixsessions", "Thing")
    for row in thing.objects.filter(part__in=_FRESH).iterator():
        row.value = _placed(row.part, row.value)
        row.save(update_fields=["value"])
    for session in apps.get_model("mixsessions", "Session").objects.all():
        for part in _FRESH:
            session.opened[part] = {key: _placed(part, value) for key, value in session.opened[part].items()}
        for part in _PARTS:
            session.opened.setdefault(part, {})
        session.save(update_fields=["opened"])
    for operation in apps.get_model("mixsessions", "Operation").objects.all().iterator():
        for change in operation.changes:
            change["value"] = _placed(change["part"], change["value"])
        operation.save(update_fields=["changes"])


class Migration(migrations.Migration):
    dependencies = [
        ("mixsessions", "0004_rhythm"),
    ]

    operations = [
        migrations.RunPython(add_places, migrations.RunPython.noop),
    ]
