"""An invitation counts how often it was accepted."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [
        ("collaboration", "0003_created_at"),
        ("mixsessions", "0013_entities_and_memberships"),
    ]

    operations = [migrations.RenameField("Invitation", "taken", "accepted")]
