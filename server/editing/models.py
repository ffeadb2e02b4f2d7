"""What people keep besides the mix: drafts and takes of moves, and presets."""

import uuid
from typing import Any, ClassVar

from django.conf import settings
from django.db import models

from server.mixsessions.models import MixSession


class Preset(models.Model):
    """A placement, a return, a seating or a pulse kept by name, to be used in other sessions.

    Only its author knows it, and whoever is in one of the ``sessions`` with which they share it.
    """

    class Kind(models.TextChoices):
        PLACEMENT = "placement"
        RETURN = "return"
        SEATING = "seating"
        PULSE = "pulse"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    kind = models.CharField(max_length=16, choices=Kind)
    name = models.CharField(max_length=120)
    author = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="presets")
    content = models.JSONField()
    sessions = models.ManyToManyField(MixSession, related_name="presets")
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["kind", "name", "created_at"]

    def __str__(self) -> str:
        return f"{self.kind}: {self.name}"


class Draft(models.Model):
    """Moves that somebody may hear and then apply: a range operation looked at beforehand, or a recorded take.

    ``writes`` are the bodies of the ``write-points`` that would apply it, made on a ``revision``, or a ``pulse`` by
    what it moves with its ``values``; ``about`` is what
    it says of itself (the lanes, the stretch, for a take its pass and how it was recorded).
    """

    class Kind(models.TextChoices):
        PREVIEW = "preview"
        TAKE = "take"

    KEPT: ClassVar[dict[str, int]] = {Kind.PREVIEW: 4, Kind.TAKE: 60}

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    session = models.ForeignKey(MixSession, models.CASCADE, related_name="drafts")
    author = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="+")
    kind = models.CharField(max_length=16, choices=Kind)
    revision = models.PositiveIntegerField()
    writes = models.JSONField()
    about = models.JSONField(default=dict)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-created_at"]

    def __str__(self) -> str:
        return f"{self.kind} of {self.author} on {self.revision}"

    @classmethod
    def keep(
        cls,
        session: MixSession,
        author,
        kind: str,
        revision: int,
        writes: list[Any],
        about: dict[str, Any] | None = None,
    ) -> "Draft":
        """Keep one; only the latest few of its kind that are one's own stay."""
        draft = cls.objects.create(
            session=session, author=author, kind=kind, revision=revision, writes=writes, about=about or {}
        )
        own = cls.objects.filter(session=session, author=author, kind=kind)
        own.exclude(pk__in=list(own.values_list("pk", flat=True)[: cls.KEPT[kind]])).delete()
        return draft
