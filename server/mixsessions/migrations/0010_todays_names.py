"""Parts and fields of the document take the names that the trade has for them, in everything that is stored."""

from django.db import migrations

from needle.session.migrations import PARTS_7, lane_key_from_7, row_from_7, with_todays_names
from server.mixsessions.stored_names import body_with_todays_names, change_from_7, preset_from_7, touch_from_7, write_from_7

_BEFORE = 7


def rename(apps, _editor):
    """Rename what is stored, what sessions were opened with, the log, drafts and presets."""
    for row in apps.get_model("mixsessions", "Thing").objects.iterator():
        row.value = row_from_7(row.part, row.value)
        row.key = lane_key_from_7(row.key) if row.part == "lanes" else row.key
        row.part = PARTS_7.get(row.part, row.part)
        row.save(update_fields=["part", "key", "value"])
    for row in apps.get_model("mixsessions", "Session").objects.iterator():
        row.opened = with_todays_names(row.opened, _BEFORE)
        row.save(update_fields=["opened"])
    for row in apps.get_model("mixsessions", "Operation").objects.iterator():
        row.kind = body_with_todays_names(row.body, _BEFORE)["kind"] if row.kind == row.body["kind"] else row.kind
        row.body = body_with_todays_names(row.body, _BEFORE)
        row.inverse = body_with_todays_names(row.inverse, _BEFORE)
        row.changes = [change_from_7(change) for change in row.changes]
        row.touches = [touch_from_7(touch) for touch in row.touches]
        row.save(update_fields=["kind", "body", "inverse", "changes", "touches"])
    for row in apps.get_model("mixsessions", "Draft").objects.iterator():
        row.writes = [write_from_7(write) for write in row.writes]
        row.save(update_fields=["writes"])
    for row in apps.get_model("mixsessions", "Preset").objects.iterator():
        row.content = preset_from_7(row.kind, row.content)
        row.save(update_fields=["content"])


class Migration(migrations.Migration):
    dependencies = [
        ("mixsessions", "0009_widths_and_spreads"),
    ]

    operations = [
        migrations.RunPython(rename, migrations.RunPython.noop),
    ]
