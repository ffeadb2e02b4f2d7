"""Sources on their way to being frozen."""

import django.db.models.deletion
import uuid
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('media', '0003_reports'),
        ('mixsessions', '0004_rhythm'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Freeze',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ('status', models.CharField(choices=[('waiting', 'Waiting'), ('running', 'Running'), ('done', 'Done'), ('cancelled', 'Cancelled'), ('failed', 'Failed')], default='waiting', max_length=16)),
                ('progress', models.FloatField(default=0.0)),
                ('message', models.CharField(blank=True, max_length=300)),
                ('made_at', models.DateTimeField(auto_now_add=True)),
                ('revision', models.PositiveIntegerField()),
                ('source', models.CharField(max_length=64)),
                ('asset', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='media.asset')),
                ('author', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('session', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='%(class)ss', to='mixsessions.session')),
            ],
            options={
                'abstract': False,
            },
        ),
    ]
