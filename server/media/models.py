"""Assets by what they contain, files on their way in, and what is made in the background: freezing, reports."""

import uuid

from django.conf import settings
from django.db import models
from django.utils import timezone

from needle.messages import Message
from server.common.messages import MessagesField
from server.mixsessions.models import MixSession


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


class AssetUse(models.Model):
    """That a session uses an asset, or has used it: what is removed can be brought back as long as the session is."""

    session = models.ForeignKey(MixSession, models.CASCADE, related_name="asset_uses")
    asset = models.ForeignKey(Asset, models.PROTECT, related_name="uses")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["session", "asset"], name="one_use_a_session")]

    def __str__(self) -> str:
        return f"{self.asset} in {self.session}"


class Upload(models.Model):
    """A file on its way in: ``received`` of ``size`` bytes, then read (``progress`` 0…1), then an asset.

    ``purpose`` says what is done with it (``server.media.uploads.Purpose``). One without a ``session`` becomes one:
    ``became``. Every part that comes, and the server that reads it, renews ``signed_at``; ``attempts`` counts
    how often reading it was begun.
    """

    class Status(models.TextChoices):
        RECEIVING = "receiving"
        READING = "reading"
        READY = "ready"
        CANCELLED = "cancelled"
        FAILED = "failed"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    session = models.ForeignKey(MixSession, models.CASCADE, null=True, related_name="uploads")
    author = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="+")
    purpose = models.CharField(max_length=16, default="stem")
    name = models.CharField(max_length=255)
    size = models.PositiveBigIntegerField()
    received = models.PositiveBigIntegerField(default=0)
    status = models.CharField(max_length=16, choices=Status, default=Status.RECEIVING)
    progress = models.FloatField(default=0.0)
    messages = MessagesField()
    asset = models.ForeignKey(Asset, models.PROTECT, null=True, related_name="uploads")
    became = models.ForeignKey(MixSession, models.SET_NULL, null=True, related_name="+")
    created_at = models.DateTimeField(auto_now_add=True)
    signed_at = models.DateTimeField(default=timezone.now)
    attempts = models.PositiveSmallIntegerField(default=0)

    notice: Message | None = None
    """What whoever announces it should know."""

    def __str__(self) -> str:
        return f"{self.name} ({self.status})"


class Task(models.Model):
    """Something a session's member has ordered and that is made in the background: how it stands, progress 0…1.

    Whoever makes it signs it every few seconds: ``signed_at``. ``attempts`` counts how often it was begun.
    """

    class Status(models.TextChoices):
        WAITING = "waiting"
        RUNNING = "running"
        DONE = "done"
        CANCELLED = "cancelled"
        FAILED = "failed"

    OPEN = (Status.WAITING, Status.RUNNING)

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    session = models.ForeignKey(MixSession, models.CASCADE, related_name="%(class)ss")
    author = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="+")
    status = models.CharField(max_length=16, choices=Status, default=Status.WAITING)
    progress = models.FloatField(default=0.0)
    messages = MessagesField()
    created_at = models.DateTimeField(auto_now_add=True)
    signed_at = models.DateTimeField(default=timezone.now)
    attempts = models.PositiveSmallIntegerField(default=0)

    class Meta:
        abstract = True

    def __str__(self) -> str:
        return f"{type(self).__name__} {self.id} ({self.status})"


class Freeze(Task):
    """A source on its way to being frozen, as it stands at a revision.

    ``asset`` is the sound once it is there, ``fingerprint`` what it was made of.
    """

    revision = models.PositiveIntegerField()
    source = models.CharField(max_length=64)
    fingerprint = models.CharField(max_length=64, blank=True)
    asset = models.ForeignKey(Asset, models.PROTECT, null=True, related_name="+")


class MeasuredHead(models.Model):
    """Head-related responses that somebody brought in to listen through; nobody else does."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="heads")
    name = models.CharField(max_length=80)
    measured = models.PositiveIntegerField()
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("created_at",)

    def __str__(self) -> str:
        return self.name
