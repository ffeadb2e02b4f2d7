"""Reports, whose table is there from when they were another app's; which file one was made of is theirs to know."""

import django.db.models.deletion
import django.utils.timezone
import uuid
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('media', '0013_reports_move'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [migrations.SeparateDatabaseAndState(state_operations=[
        migrations.CreateModel(
            name='Report',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ('status', models.CharField(choices=[('waiting', 'Waiting'), ('running', 'Running'), ('done', 'Done'), ('cancelled', 'Cancelled'), ('failed', 'Failed')], default='waiting', max_length=16)),
                ('progress', models.FloatField(default=0.0)),
                ('message', models.CharField(blank=True, max_length=300)),
                ('created_at', models.DateTimeField(auto_now_add=True)),
                ('signed_at', models.DateTimeField(default=django.utils.timezone.now)),
                ('attempts', models.PositiveSmallIntegerField(default=0)),
                ('title', models.CharField(max_length=255)),
                ('revision', models.PositiveIntegerField(null=True)),
                ('start', models.FloatField(default=0.0)),
                ('end', models.FloatField(default=0.0)),
                ('options', models.JSONField(default=dict)),
                ('author', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('session', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='%(class)ss', to='mixsessions.mixsession')),
            ],
            options={
                'abstract': False,
            },
        ),]),
        migrations.AddField("Report", "upload", models.OneToOneField(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='report', to='media.upload')),
    ]
