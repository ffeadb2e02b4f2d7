"""Models by the field's own names; drafts and presets become another app's."""

from django.db import migrations, models


class Migration(migrations.Migration):
    # All that points to a session has to be there, so that it points to the renamed one.
    dependencies = [
        ("mixsessions", "0012_archived"),
        ("media", "0012_freeze_fingerprint"),
        ("collaboration", "0003_created_at"),
        ("delivery", "0003_attempts"),
    ]

    operations = [
        migrations.RemoveConstraint("Thing", "one_thing_a_key"),
        migrations.RemoveConstraint("EntityVersion", "one_version_a_snapshot"),
        migrations.RemoveConstraint("Member", "one_part_each"),
        migrations.RenameModel("Session", "MixSession"),
        migrations.RenameModel("Member", "Membership"),
        migrations.RenameModel("Thing", "Entity"),
        migrations.RenameModel("Operation", "OperationRecord"),
        migrations.RenameField("Entity", "part", "kind"),
        migrations.RenameField("EntityVersion", "part", "kind"),
        migrations.AlterField(
            "Entity",
            "session",
            models.ForeignKey(
                on_delete=models.deletion.CASCADE, related_name="entities", to="mixsessions.mixsession"
            ),
        ),
        migrations.AlterField(
            "EntityVersion",
            "session",
            models.ForeignKey(
                on_delete=models.deletion.CASCADE, related_name="entity_versions", to="mixsessions.mixsession"
            ),
        ),
        migrations.AddConstraint(
            "Entity", models.UniqueConstraint(fields=("session", "kind", "key"), name="one_entity_a_key")
        ),
        migrations.AddConstraint(
            "EntityVersion",
            models.UniqueConstraint(fields=("session", "kind", "key", "revision"), name="one_version_a_snapshot"),
        ),
        migrations.AddConstraint(
            "Membership", models.UniqueConstraint(fields=("session", "user"), name="one_membership_each")
        ),
        migrations.AlterModelTable("Draft", "editing_draft"),
        migrations.AlterModelTable("Preset", "editing_preset"),
    ]
