"""Balance reports."""

from django.db import models

from server.media.models import Task, Upload


class Report(Task):
    """A balance report: of a revision (``start`` to ``end`` s, to the end of the piece where ``end`` is 0), or of a
    file that was sent in (``upload``), which has no revision. ``options`` are the tolerance and the target."""

    title = models.CharField(max_length=255)
    revision = models.PositiveIntegerField(null=True)
    start = models.FloatField(default=0.0)
    end = models.FloatField(default=0.0)
    options = models.JSONField(default=dict)
    upload = models.OneToOneField(Upload, models.SET_NULL, null=True, related_name="report")
