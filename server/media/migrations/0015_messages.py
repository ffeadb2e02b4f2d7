"""What is said of files and freezing is a list of messages; what was said until now stays as the text that it was."""

from django.db import migrations

import server.common.messages


def keep_texts(apps, schema_editor):
    for name in ("Upload", "Freeze"):
        model = apps.get_model("media", name)
        for row in model.objects.exclude(message="").only("pk", "message"):
            message = {"code": "plain.text", "parameters": {"text": row.message}, "text": row.message}
            model.objects.filter(pk=row.pk).update(messages=[message])
    schema_editor.connection.check_constraints()  # PostgreSQL alters no table whose checks wait


class Migration(migrations.Migration):
    dependencies = [("media", "0014_purposes")]

    operations = [
        migrations.AddField("Upload", "messages", server.common.messages.MessagesField()),
        migrations.AddField("Freeze", "messages", server.common.messages.MessagesField()),
        migrations.RunPython(keep_texts, migrations.RunPython.noop),
        migrations.RemoveField("Upload", "message"),
        migrations.RemoveField("Freeze", "message"),
    ]
