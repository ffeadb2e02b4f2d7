"""How often what is made in the background was begun is counted."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('media', '0010_asset_uses'),
    ]

    operations = [
        migrations.AddField(
            model_name='freeze',
            name='attempts',
            field=models.PositiveSmallIntegerField(default=0),
        ),
        migrations.AddField(
            model_name='report',
            name='attempts',
            field=models.PositiveSmallIntegerField(default=0),
        ),
    ]
