"""When something was made is called ``created_at`` everywhere."""

from django.db import migrations


class Migration(migrations.Migration):

    dependencies = [
        ('collaboration', '0002_one_name'),
    ]

    operations = [
        migrations.AlterModelOptions(
            name='comment',
            options={'ordering': ['created_at']},
        ),
        migrations.AlterModelOptions(
            name='invitation',
            options={'ordering': ['-created_at']},
        ),
        migrations.RenameField(
            model_name='comment',
            old_name='made_at',
            new_name='created_at',
        ),
        migrations.RenameField(
            model_name='invitation',
            old_name='made_at',
            new_name='created_at',
        ),
        migrations.RenameField(
            model_name='version',
            old_name='made_at',
            new_name='created_at',
        ),
    ]
