"""Reports become another app's."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("media", "0012_freeze_fingerprint"), ("mixsessions", "0013_entities_and_memberships")]

    operations = [migrations.AlterModelTable("Report", "analysis_report")]
