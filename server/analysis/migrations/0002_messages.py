"""What is said of reports is a list of messages; what was said until now stays as the text that it was."""

from django.db import migrations

import server.common.messages


def keep_texts(apps, schema_editor):
    model = apps.get_model("analysis", "Report")
    for row in model.objects.exclude(message="").only("pk", "message"):
        message = {"code": "plain.text", "parameters": {"text": row.message}, "text": row.message}
        model.objects.filter(pk=row.pk).update(messages=[message])
    schema_editor.connection.check_constraints()  # PostgreSQL alters no table whose checks wait


class Migration(migrations.Migration):
    dependencies = [("analysis", "0001_initial")]

    operations = [
        migrations.AddField("Report", "messages", server.common.messages.MessagesField()),
        migrations.RunPython(keep_texts, migrations.RunPython.noop),
        migrations.RemoveField("Report", "message"),
    ]
