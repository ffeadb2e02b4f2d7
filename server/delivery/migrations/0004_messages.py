"""What is said of deliveries is a list of messages; what was said until now stays as the text that it was."""

from django.db import migrations

import server.common.messages


def keep_texts(apps, schema_editor):
    model = apps.get_model("delivery", "Delivery")
    for row in model.objects.exclude(message="").only("pk", "message"):
        message = {"code": "plain.text", "parameters": {"text": row.message}, "text": row.message}
        model.objects.filter(pk=row.pk).update(messages=[message])
    schema_editor.connection.check_constraints()  # PostgreSQL alters no table whose checks wait


def notes_as_messages(apps, schema_editor):
    model = apps.get_model("delivery", "Delivery")
    for row in model.objects.exclude(notes=[]).only("pk", "notes"):
        notes = [{"code": "plain.text", "parameters": {"text": note}, "text": note} for note in row.notes]
        model.objects.filter(pk=row.pk).update(notes=notes)
    schema_editor.connection.check_constraints()  # PostgreSQL alters no table whose checks wait


class Migration(migrations.Migration):
    dependencies = [("delivery", "0003_attempts")]

    operations = [
        migrations.AddField("Delivery", "messages", server.common.messages.MessagesField()),
        migrations.RunPython(keep_texts, migrations.RunPython.noop),
        migrations.RemoveField("Delivery", "message"),
        migrations.RunPython(notes_as_messages, migrations.RunPython.noop),
        migrations.AlterField("Delivery", "notes", server.common.messages.MessagesField()),
        migrations.RemoveField("Delivery", "doing"),
        migrations.AddField("Delivery", "doing", server.common.messages.MessageField()),
    ]
