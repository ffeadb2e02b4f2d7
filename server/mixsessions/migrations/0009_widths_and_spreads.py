"""Each side of a source has a width and every return a spread, 0 in what exists."""

from django.db import migrations

_NEW = {"sources": {"width_left": 0.0, "width_right": 0.0}, "returns": {"spread": 0.0}}
_ADDED = {"add-source": ("source", "sources"), "add-return": ("to", "returns")}


def _completed(part, value):
    """A source or a return with the values that are new; anything else as it is."""
    return {**_NEW[part], **value} if part in _NEW and value is not None else value


def _with_completed(body):
    """An operation's body, or a part of it, with every source and return that it adds completed."""
    if isinstance(body, list):
        return [_with_completed(item) for item in body]
    if not isinstance(body, dict):
        return body
    if body.get("kind") in _ADDED:
        field, part = _ADDED[body["kind"]]
        return {**body, field: _completed(part, body[field])}
    return {key: _with_completed(value) for key, value in body.items()}


def complete(apps, _editor):
    """Complete what is stored, what sessions were opened with, and the log."""
    session, thing = apps.get_model("mixsessions", "Session"), apps.get_model("mixsessions", "Thing")
    for row in thing.objects.filter(part__in=_NEW).iterator():
        row.value = _completed(row.part, row.value)
        row.save(update_fields=["value"])
    for row in session.objects.iterator():
        for part in _NEW:
            things = row.opened.get(part, {})
            row.opened[part] = {key: _completed(part, value) for key, value in things.items()}
        row.save(update_fields=["opened"])
    for row in apps.get_model("mixsessions", "Operation").objects.iterator():
        for change in row.changes:
            change["value"] = _completed(change["part"], change["value"])
        row.body = _with_completed(row.body)
        row.inverse = _with_completed(row.inverse)
        row.save(update_fields=["changes", "body", "inverse"])


class Migration(migrations.Migration):
    dependencies = [
        ("mixsessions", "0008_surrounding_returns"),
    ]

    operations = [
        migrations.RunPython(complete, migrations.RunPython.noop),
    ]
