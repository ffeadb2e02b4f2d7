"""Assets by what they contain, and exports in the making."""

import uuid

from django.conf import settings
from django.db import models

from server.mixing.models import Session


class Asset(models.Model):
    """A file's audio, named by the SHA-256 of the file. Decoded once per session rate."""

    sha256 = models.CharField(primary_key=True, max_length=64)
    channels = models.PositiveSmallIntegerField()
    frames = models.PositiveBigIntegerField()
    rate = models.PositiveIntegerField()

    def __str__(self) -> str:
        return self.sha256[:12]


class Export(models.Model):
    """One mix on its way to a file: of a revision, with its progress (0…1)."""

    class Status(models.TextChoices):
        WAITING = "waiting"
        RUNNING = "running"
        DONE = "done"
        CANCELLED = "cancelled"
        FAILED = "failed"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    session = models.ForeignKey(Session, models.CASCADE, related_name="exports")
    author = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="+")
    revision = models.PositiveIntegerField()
    format = models.CharField(max_length=16)
    start = models.PositiveBigIntegerField()
    stop = models.PositiveBigIntegerField()
    status = models.CharField(max_length=16, choices=Status, default=Status.WAITING)
    progress = models.FloatField(default=0.0)
    clipped = models.PositiveBigIntegerField(default=0)
    message = models.CharField(max_length=300, blank=True)
    made_at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"{self.session} r{self.revision} ({self.status})"
