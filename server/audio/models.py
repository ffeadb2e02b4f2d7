"""Assets by what they contain, and exports in the making."""

import uuid

from django.conf import settings
from django.db import models

from server.mixing.models import Session


class Asset(models.Model):
    """A file's audio, named by the SHA-256 of the file. Decoded once per session rate.

    ``character`` is what was heard of it on its arrival (``needle.metering.character``).
    """

    sha256 = models.CharField(primary_key=True, max_length=64)
    channels = models.PositiveSmallIntegerField()
    frames = models.PositiveBigIntegerField()
    rate = models.PositiveIntegerField()
    character = models.JSONField(default=dict)

    def __str__(self) -> str:
        return self.sha256[:12]


class Upload(models.Model):
    """A file on its way in: ``received`` of ``size`` bytes, then read (``progress`` 0…1), then an asset."""

    class Status(models.TextChoices):
        RECEIVING = "receiving"
        READING = "reading"
        READY = "ready"
        CANCELLED = "cancelled"
        FAILED = "failed"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    session = models.ForeignKey(Session, models.CASCADE, related_name="uploads")
    author = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="+")
    name = models.CharField(max_length=255)
    size = models.PositiveBigIntegerField()
    received = models.PositiveBigIntegerField(default=0)
    status = models.CharField(max_length=16, choices=Status, default=Status.RECEIVING)
    progress = models.FloatField(default=0.0)
    message = models.CharField(max_length=400, blank=True)
    asset = models.ForeignKey(Asset, models.PROTECT, null=True, related_name="uploads")
    made_at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"{self.name} ({self.status})"


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
