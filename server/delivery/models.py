"""Deliveries: what was ordered of a revision, and the files that came of it."""

from pathlib import Path

from django.conf import settings
from django.db import models

from server.common.messages import MessageField, MessagesField
from server.media.models import Task


class Delivery(Task):
    """Files of a revision, from one frame to another. ``order`` says which (``server.delivery.orders.Order``).

    ``files`` are those that are there, in order: name, kind, bytes and what they measure. ``notes`` say what whoever
    takes them should know.
    """

    revision = models.PositiveIntegerField()
    start = models.PositiveBigIntegerField()
    stop = models.PositiveBigIntegerField()
    order = models.JSONField()
    doing = MessageField()
    files = models.JSONField(default=list)
    notes = MessagesField()

    KEPT = 12
    """So many of a session's deliveries stay; the oldest go first."""

    class Meta:
        ordering = ["-created_at"]
        verbose_name_plural = "deliveries"

    @property
    def folder(self) -> Path:
        """Where its files are."""
        return settings.DATA_DIR / "deliveries" / str(self.id)

    def path(self, index: int) -> Path:
        """One of its files; kept by its number, so that no name becomes a path."""
        return self.folder / str(index)
