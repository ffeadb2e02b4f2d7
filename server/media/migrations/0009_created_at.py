"""When something was made is called ``created_at`` everywhere."""

from django.db import migrations


class Migration(migrations.Migration):

    dependencies = [
        ('media', '0008_attempts'),
    ]

    operations = [
        migrations.AlterModelOptions(
            name='measuredhead',
            options={'ordering': ('created_at',)},
        ),
        migrations.RenameField(
            model_name='freeze',
            old_name='made_at',
            new_name='created_at',
        ),
        migrations.RenameField(
            model_name='measuredhead',
            old_name='created',
            new_name='created_at',
        ),
        migrations.RenameField(
            model_name='report',
            old_name='made_at',
            new_name='created_at',
        ),
        migrations.RenameField(
            model_name='upload',
            old_name='made_at',
            new_name='created_at',
        ),
    ]
