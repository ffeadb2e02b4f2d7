"""When something was made is called ``created_at`` everywhere."""

from django.db import migrations


class Migration(migrations.Migration):

    dependencies = [
        ('delivery', '0001_initial'),
    ]

    operations = [
        migrations.AlterModelOptions(
            name='delivery',
            options={'ordering': ['-created_at'], 'verbose_name_plural': 'deliveries'},
        ),
        migrations.RenameField(
            model_name='delivery',
            old_name='made_at',
            new_name='created_at',
        ),
    ]
