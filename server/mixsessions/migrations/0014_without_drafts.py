"""Drafts and presets are another app's."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("mixsessions", "0013_entities_and_memberships"), ("editing", "0001_initial")]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[migrations.DeleteModel("Draft"), migrations.DeleteModel("Preset")]
        )
    ]
