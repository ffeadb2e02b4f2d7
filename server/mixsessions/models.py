"""Mix sessions with their members, the entities that they hold, and the log of every operation."""

import uuid

from django.conf import settings
from django.db import models

from server.accounts.names import shown_name


class MixSession(models.Model):
    """A mix session. Its entities are the present; snapshots and the log give every revision before.

    ``snapshot_revision`` is the latest revision of which there is a snapshot (``server.mixsessions.snapshots``).
    """

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    revision = models.PositiveIntegerField(default=0)
    snapshot_revision = models.PositiveIntegerField(default=0)
    name = models.CharField(max_length=120)
    rate = models.PositiveIntegerField()
    length = models.FloatField(help_text="seconds; 0 follows the sources")
    layout = models.CharField(max_length=16)
    tempos = models.JSONField()
    metres = models.JSONField()
    law = models.CharField(max_length=32)
    centre_zero = models.BooleanField()
    created_at = models.DateTimeField(auto_now_add=True)
    changed_at = models.DateTimeField(auto_now=True)

    SETTINGS = ("name", "rate", "length", "layout", "tempos", "metres", "law", "centre_zero")

    def __str__(self) -> str:
        return self.name


class Membership(models.Model):
    """A person's part in a session; ``colour`` tells people apart, in the order in which they joined.

    ``archived``: this person has it in the archive of their own list.
    """

    class Role(models.TextChoices):
        OWNER = "owner"
        ENGINEER = "engineer"
        LISTENER = "listener"

    session = models.ForeignKey(MixSession, models.CASCADE, related_name="members")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=16, choices=Role)
    colour = models.PositiveSmallIntegerField(default=0)
    archived = models.BooleanField(default=False)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["session", "user"], name="one_membership_each")]

    def __str__(self) -> str:
        return f"{self.user} in {self.session}"

    @property
    def may_edit(self) -> bool:
        return self.role in (self.Role.OWNER, self.Role.ENGINEER)


class Entity(models.Model):
    """Anything a session holds by an id: ``kind`` is its part of the document, for example sources or lanes.

    ``value`` is the entity as the document has it; the core's rules say what may be in it.
    """

    session = models.ForeignKey(MixSession, models.CASCADE, related_name="entities")
    kind = models.CharField(max_length=16)
    key = models.CharField(max_length=130)
    value = models.JSONField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["session", "kind", "key"], name="one_entity_a_key")]

    def __str__(self) -> str:
        return f"{self.kind}: {self.key}"


class OperationRecord(models.Model):
    """One change to a session, with the least that undoes it. The log is the session's history.

    ``delta`` is what it changed (``server.mixsessions.deltas``), ``touches`` what it depended on, ``summary`` its
    description in the engineer's words. An undo, or a redo, points at what it ``undoes``. ``overwrote`` are
    colleagues' changes of the same that its author, who knew ``base_revision``, had not seen
    (``server.editing.conflicts``).
    """

    session = models.ForeignKey(MixSession, models.CASCADE, related_name="operations")
    revision = models.PositiveIntegerField()
    client_id = models.UUIDField()
    author = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    base_revision = models.PositiveIntegerField()
    kind = models.CharField(max_length=32)
    body = models.JSONField()
    inverse = models.JSONField()
    delta = models.JSONField()
    touches = models.JSONField()
    summary = models.CharField(max_length=300)
    overwrote = models.JSONField(default=list)
    undoes = models.ForeignKey("self", models.PROTECT, null=True, related_name="undone_by")
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["revision"]
        constraints = [
            models.UniqueConstraint(fields=["session", "revision"], name="one_operation_a_revision"),
            models.UniqueConstraint(fields=["session", "client_id"], name="applied_once"),
        ]
        indexes = [models.Index(fields=["session", "author", "revision"], name="own_operations")]

    def __str__(self) -> str:
        return f"{self.revision}: {self.summary}"

    @property
    def author_name(self) -> str:
        return shown_name(self.author)


class OperationSubject(models.Model):
    """The index of the log: what an operation is about, so that nothing else has to be read to answer about it.

    ``name`` is a source's id, a lane's key, or another thing's prefix and id as touches name it. It was ``changed``
    by the operation, or only touched; ``removed`` if it is a source that the operation removed.
    """

    operation = models.ForeignKey(OperationRecord, models.CASCADE, related_name="subjects")
    session = models.ForeignKey(MixSession, models.CASCADE, related_name="+")
    revision = models.PositiveIntegerField()
    name = models.CharField(max_length=200)
    changed = models.BooleanField(default=True)
    removed = models.BooleanField(default=False)

    class Meta:
        indexes = [
            models.Index(fields=["session", "name", "revision"], name="subject_by_name"),
            models.Index(fields=["session", "revision"], condition=models.Q(removed=True), name="subject_removed"),
        ]

    def __str__(self) -> str:
        return f"{self.revision}: {self.name}"


class EntityVersion(models.Model):
    """An entity as it stood at a snapshot; without a value it was gone by then.

    ``value`` is its JSON, compressed: lanes of thousands of points are stored again and again. A snapshot stores what
    has changed since the one before: an entity at a snapshot is its latest version up to it.
    """

    session = models.ForeignKey(MixSession, models.CASCADE, related_name="entity_versions")
    revision = models.PositiveIntegerField()
    kind = models.CharField(max_length=16)
    key = models.CharField(max_length=130)
    value = models.BinaryField(null=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["session", "kind", "key", "revision"], name="one_version_a_snapshot")
        ]

    def __str__(self) -> str:
        return f"{self.kind}: {self.key} at {self.revision}"
