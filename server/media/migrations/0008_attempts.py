"""Uploads count how often reading them was begun."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("media", "0007_arriving"),
    ]

    operations = [
        migrations.AddField(
            model_name="upload",
            name="attempts",
            field=models.PositiveSmallIntegerField(default=0),
        ),
    ]
