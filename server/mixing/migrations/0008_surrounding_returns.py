"""Returns say how much of a reverb's tail comes from everywhere: in rooms that there were before, none. Sends have a
spread in a room: before, none."""

from django.db import migrations

_FRESH = 0.7


def _whole(part, value, envelop):
    """A return or a send with what it has now."""
    if value is None:
        return None
    return {**{"returns": {"envelop": envelop}, "sends": {"spread": 0.0}}.get(part, {}), **value}


def _added(told, envelop):
    """What an operation says, with every return that it adds told whole."""
    if isinstance(told, list):
        return [_added(one, envelop) for one in told]
    if not isinstance(told, dict):
        return told
    if told.get("kind") == "add-return":
        return {**told, "to": _whole("returns", told["to"], envelop)}
    return {key: _added(value, envelop) for key, value in told.items()}


def complete(apps, _editor):
    """A return in a room sounds as it did; one in stereo is as a fresh one, for when it comes into a room."""
    thing, operation = apps.get_model("mixing", "Thing"), apps.get_model("mixing", "Operation")
    for session in apps.get_model("mixing", "Session").objects.all():
        envelop = _FRESH if session.layout == "0+2+0" else 0.0
        for row in thing.objects.filter(session=session, part__in=("returns", "sends")).iterator():
            row.value = _whole(row.part, row.value, envelop)
            row.save(update_fields=["value"])
        for part in ("returns", "sends"):
            there = session.opened.get(part, {})
            session.opened[part] = {key: _whole(part, value, envelop) for key, value in there.items()}
        session.save(update_fields=["opened"])
        for row in operation.objects.filter(session=session).iterator():
            for change in row.changes:
                change["value"] = _whole(change["part"], change["value"], envelop)
            row.body, row.inverse = _added(row.body, envelop), _added(row.inverse, envelop)
            row.save(update_fields=["changes", "body", "inverse"])


class Migration(migrations.Migration):
    dependencies = [
        ("mixing", "0007_member_put_away"),
    ]

    operations = [
        migrations.RunPython(complete, migrations.RunPython.noop),
    ]
