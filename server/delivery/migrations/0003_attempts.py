"""How often what is made in the background was begun is counted."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('delivery', '0002_created_at'),
    ]

    operations = [
        migrations.AddField(
            model_name='delivery',
            name='attempts',
            field=models.PositiveSmallIntegerField(default=0),
        ),
    ]
