"""An upload says what it is for, and no longer for which report; tasks that wait are found where they are now."""

from typing import Any

from django.db import migrations, models

_TASK = ("server.media.tasks.make", "server.media.tasks.make")


def say_purposes(apps: Any, schema_editor: Any) -> None:
    upload = apps.get_model("media", "Upload")
    upload.objects.filter(session=None).update(purpose="session")
    upload.objects.exclude(report_id=None).update(purpose="report")
    for row in upload.objects.exclude(report_id=None).iterator():
        apps.get_model("analysis", "Report").objects.filter(pk=row.report_id).update(upload=row.pk)


def find_tasks(apps: Any, schema_editor: Any) -> None:
    results = apps.get_model("django_tasks_database", "DBTaskResult")
    results.objects.filter(task_path=_TASK[0]).update(task_path=_TASK[1])


def lose_tasks(apps: Any, schema_editor: Any) -> None:
    results = apps.get_model("django_tasks_database", "DBTaskResult")
    results.objects.filter(task_path=_TASK[1]).update(task_path=_TASK[0])


class Migration(migrations.Migration):
    dependencies = [
        ("media", "0013_reports_move"),
        ("analysis", "0001_initial"),
        ("django_tasks_database", "0001_initial"),
    ]

    operations = [
        migrations.AddField("Upload", "purpose", models.CharField(default="stem", max_length=16)),
        migrations.RunPython(say_purposes, migrations.RunPython.noop),
        migrations.RunPython(find_tasks, lose_tasks),
        migrations.RemoveField("Upload", "report"),
        migrations.SeparateDatabaseAndState(state_operations=[migrations.DeleteModel("Report")]),
    ]
