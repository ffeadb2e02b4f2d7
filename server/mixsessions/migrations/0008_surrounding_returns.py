"""Returns have ``envelop``, 0 in the rooms that exist, so that they sound as they did; sends have ``spread``, 0."""

from django.db import migrations

_DEFAULT = 0.7


def _completed(part, value, envelop):
    """A return or a send with the values that are new; anything else as it is."""
    if value is None:
        return None
    return {**{"returns": {"envelop": envelop}, "sends": {"spread": 0.0}}.get(part, {}), **value}


def _with_completed_returns(body, envelop):
    """An operation's body, or a part of it, with every return that it adds completed."""
    if isinstance(body, list):
        return [_with_completed_returns(item, envelop) for item in body]
    if not isinstance(body, dict):
        return body
    if body.get("kind") == "add-return":
        return {**body, "to": _completed("returns", body["to"], envelop)}
    return {key: _with_completed_returns(value, envelop) for key, value in body.items()}


def complete(apps, _editor):
    """Complete what is stored, what sessions were opened with, and the log; returns in stereo take the default."""
    thing, operation = apps.get_model("mixsessions", "Thing"), apps.get_model("mixsessions", "Operation")
    for session in apps.get_model("mixsessions", "Session").objects.all():
        envelop = _DEFAULT if session.layout == "0+2+0" else 0.0
        for row in thing.objects.filter(session=session, part__in=("returns", "sends")).iterator():
            row.value = _completed(row.part, row.value, envelop)
            row.save(update_fields=["value"])
        for part in ("returns", "sends"):
            rows = session.opened.get(part, {})
            session.opened[part] = {key: _completed(part, value, envelop) for key, value in rows.items()}
        session.save(update_fields=["opened"])
        for row in operation.objects.filter(session=session).iterator():
            for change in row.changes:
                change["value"] = _completed(change["part"], change["value"], envelop)
            row.body = _with_completed_returns(row.body, envelop)
            row.inverse = _with_completed_returns(row.inverse, envelop)
            row.save(update_fields=["changes", "body", "inverse"])


class Migration(migrations.Migration):
    dependencies = [
        ("mixsessions", "0007_member_put_away"),
    ]

    operations = [
        migrations.RunPython(complete, migrations.RunPython.noop),
    ]
