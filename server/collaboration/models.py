"""What people share besides the mix: invitations, named versions, and comments with what everybody has read."""

import hashlib
import uuid

from django.conf import settings
from django.db import models
from django.utils import timezone

from server.mixsessions.models import Membership, MixSession


class Invitation(models.Model):
    """A link that lets people in, until it ends or is withdrawn; with ``once`` one person, and then nobody.

    Of its secret only a hash is kept. One for a ``guest`` has no link: they find it beside their sessions.
    """

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    session = models.ForeignKey(MixSession, models.CASCADE, related_name="invitations")
    author = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="+")
    role = models.CharField(max_length=16, choices=Membership.Role)
    secret = models.CharField(max_length=64, unique=True)
    ends_at = models.DateTimeField()
    withdrawn = models.BooleanField(default=False)
    accepted = models.PositiveIntegerField(default=0)
    once = models.BooleanField(default=False)
    guest = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, null=True, related_name="invitations")
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-created_at"]

    def __str__(self) -> str:
        return f"{self.role} of {self.session} until {self.ends_at:%Y-%m-%d}"

    @staticmethod
    def hashed(secret: str) -> str:
        """What is kept of a secret."""
        return hashlib.sha256(secret.encode()).hexdigest()

    @property
    def is_active(self) -> bool:
        return not self.withdrawn and timezone.now() < self.ends_at and not (self.once and self.accepted)


class Removal(models.Model):
    """That an owner has removed somebody: links that were made before do not let them in again."""

    session = models.ForeignKey(MixSession, models.CASCADE, related_name="removals")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="+")
    removed_at = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["session", "user"], name="one_removal_a_person")]

    def __str__(self) -> str:
        return f"{self.user} from {self.session}"


class Version(models.Model):
    """A revision with a name."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    session = models.ForeignKey(MixSession, models.CASCADE, related_name="versions")
    author = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    revision = models.PositiveIntegerField()
    name = models.CharField(max_length=120)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-revision"]
        constraints = [models.UniqueConstraint(fields=["session", "revision"], name="one_name_a_revision")]

    def __str__(self) -> str:
        return f"{self.name} (r{self.revision})"


class Comment(models.Model):
    """A remark on a session, or a reply to one (``parent``).

    It is pinned to a ``source``, to a ``beat`` or a stretch up to ``end`` (beats), to both, or to nothing. Where it
    stands in a passage it goes along: ``passage_start`` is where that began when the comment was last moved.
    """

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    session = models.ForeignKey(MixSession, models.CASCADE, related_name="comments")
    author = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    parent = models.ForeignKey("self", models.CASCADE, null=True, related_name="replies")
    text = models.CharField(max_length=2000)
    source = models.CharField(max_length=64, blank=True)
    beat = models.FloatField(null=True)
    end = models.FloatField(null=True)
    passage = models.CharField(max_length=64, blank=True)
    passage_start = models.FloatField(default=0.0)
    resolved_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")
    resolved_at = models.DateTimeField(null=True)
    created_at = models.DateTimeField(auto_now_add=True)
    edited_at = models.DateTimeField(null=True)
    read_by = models.ManyToManyField(settings.AUTH_USER_MODEL, related_name="+")

    class Meta:
        ordering = ["created_at"]

    def __str__(self) -> str:
        return f"{self.author}: {self.text[:40]}"
