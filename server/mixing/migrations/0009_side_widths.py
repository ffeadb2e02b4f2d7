"""Each side of a source has a width, 0 in what exists."""

from django.db import migrations

_SIDE_WIDTHS = {"width_left": 0.0, "width_right": 0.0}


def _completed(part, value):
    """A source with the values that are new; anything else as it is."""
    return {**_SIDE_WIDTHS, **value} if part == "sources" and value is not None else value


def _with_completed_sources(body):
    """An operation's body, or a part of it, with every source that it adds completed."""
    if isinstance(body, list):
        return [_with_completed_sources(item) for item in body]
    if not isinstance(body, dict):
        return body
    if body.get("kind") == "add-source":
        return {**body, "source": _completed("sources", body["source"])}
    return {key: _with_completed_sources(value) for key, value in body.items()}


def complete(apps, _editor):
    """Complete what is stored, what sessions were opened with, and the log."""
    session, thing = apps.get_model("mixing", "Session"), apps.get_model("mixing", "Thing")
    for row in thing.objects.filter(part="sources").iterator():
        row.value = _completed("sources", row.value)
        row.save(update_fields=["value"])
    for row in session.objects.iterator():
        sources = row.opened.get("sources", {})
        row.opened["sources"] = {key: _completed("sources", value) for key, value in sources.items()}
        row.save(update_fields=["opened"])
    for row in apps.get_model("mixing", "Operation").objects.iterator():
        for change in row.changes:
            change["value"] = _completed(change["part"], change["value"])
        row.body = _with_completed_sources(row.body)
        row.inverse = _with_completed_sources(row.inverse)
        row.save(update_fields=["changes", "body", "inverse"])


class Migration(migrations.Migration):
    dependencies = [
        ("mixing", "0008_surrounding_returns"),
    ]

    operations = [
        migrations.RunPython(complete, migrations.RunPython.noop),
    ]
