"""Comments over HTTP: pinned to a time, a source or a stretch, with replies, resolved or open, read or not."""

from typing import Annotated, Any, Literal
from uuid import UUID

from django.http import HttpRequest
from django.utils import timezone
from ninja import Router, Schema, Status
from pydantic import Field

from needle.session.document import tempo_map
from needle.tempo import TempoMap
from server.accounts.names import shown_name
from server.collaboration.models import Comment
from server.common.announcing import announce
from server.common.errors import ApiError
from server.common.throttling import UserRateThrottle
from server.mixsessions.access import membership
from server.mixsessions.api import Who
from server.mixsessions.deltas import SETTINGS_KEY
from server.mixsessions.entities import Beat
from server.mixsessions.models import Entity, Membership, MixSession
from server.mixsessions.state import StoredState

router = Router(tags=["comments"])

MOST_COMMENTS = 5000
Text = Annotated[str, Field(min_length=1, max_length=2000)]
_OFTEN = [UserRateThrottle("comment", "120/m")]


class CommentIn(Schema):
    """A remark, and what it is pinned to: a source, a time, a stretch (beats), or nothing."""

    text: Text
    source: Annotated[str, Field(max_length=64, pattern=r"^[\w-]*$")] = ""
    beat: Beat | None = None
    end: Beat | None = None


class TextIn(Schema):
    text: Text


class CommentChange(Schema):
    """What changes of a comment: its text, by its author, or whether it is resolved."""

    text: Text | None = None
    resolved: bool | None = None


class ReadIn(Schema):
    """Comments and replies that one has read."""

    ids: Annotated[list[UUID], Field(max_length=1000)]


class ReplyOut(Schema):
    """A reply; times are ISO."""

    id: UUID
    author: Who
    text: str
    created_at: str
    edited: bool
    read: bool


class CommentOut(ReplyOut):
    """A comment with its replies, where it is pinned (beats), and who has resolved it."""

    source: str
    beat: float | None
    end: float | None
    resolved: str
    replies: list[ReplyOut]


class CommentEvent(Schema):
    """A comment that is another now; none where it was removed."""

    type: Literal["comment"]
    id: str
    comment: CommentOut | None


def _reply_out(comment: Comment, read: set[UUID], me: int | None) -> ReplyOut:
    return ReplyOut(
        id=comment.id,
        author=Who(id=comment.author_id, name=shown_name(comment.author)),
        text=comment.text,
        created_at=comment.created_at.isoformat(),
        edited=comment.edited_at is not None,
        read=comment.author_id == me or comment.id in read,
    )


def _out(comment: Comment, read: set[UUID], me: int | None) -> CommentOut:
    return CommentOut(
        **_reply_out(comment, read, me).dict(),
        source=comment.source,
        beat=comment.beat,
        end=comment.end,
        resolved=shown_name(comment.resolved_by) if comment.resolved_at and comment.resolved_by else "",
        replies=[_reply_out(reply, read, me) for reply in comment.replies.all()],
    )


def _threads(session_id: UUID):
    result = Comment.objects.filter(session=session_id, parent=None).select_related("author", "resolved_by")
    return result.prefetch_related("replies__author")


@router.get("/{uuid:session_id}/comments", response=list[CommentOut])
def list_comments(request: HttpRequest, session_id: UUID) -> list[CommentOut]:
    """Every comment of the session, the oldest first."""
    membership(request.user, session_id)
    read = _read(session_id, request.user)
    return [_out(thread, read, request.user.pk) for thread in _threads(session_id)]


@router.post("/{uuid:session_id}/comments", response=CommentOut, throttle=_OFTEN)
def create_comment(request: HttpRequest, session_id: UUID, body: CommentIn) -> CommentOut:
    """Make a remark; listeners may."""
    session = membership(request.user, session_id).session
    if body.source and not _exists(session, "sources", body.source):
        raise ApiError("comment.source_removed", 422)
    if body.end is not None and (body.beat is None or body.end <= body.beat):
        raise ApiError("comment.range_is_empty", 422)
    _check_room(session)
    passage = _passage_at(session, body.beat) if body.beat is not None else None
    where = {"passage": passage["id"], "passage_start": passage["start"]} if passage else {}
    comment = Comment.objects.create(session=session, author=request.user, **body.dict(), **where)
    return _announced(session_id, comment, request)


@router.post("/{uuid:session_id}/comments/{uuid:comment_id}/replies", response=CommentOut, throttle=_OFTEN)
def create_reply(request: HttpRequest, session_id: UUID, comment_id: UUID, body: TextIn) -> CommentOut:
    """Answer a remark; one that was resolved is open again."""
    session = membership(request.user, session_id).session
    thread = _comment(session_id, comment_id)
    if thread.parent_id:
        raise ApiError("comment.reply_to_reply", 422)
    _check_room(session)
    Comment.objects.create(session=session, author=request.user, parent=thread, text=body.text)
    Comment.objects.filter(pk=thread.pk).update(resolved_at=None, resolved_by=None)
    return _announced(session_id, thread, request)


@router.patch("/{uuid:session_id}/comments/{uuid:comment_id}", response=CommentOut, throttle=_OFTEN)
def change_comment(request: HttpRequest, session_id: UUID, comment_id: UUID, body: CommentChange) -> CommentOut:
    """Say that a remark has been dealt with, or that it has not; edit the text of one's own."""
    membership(request.user, session_id)
    comment = _comment(session_id, comment_id)
    values: dict[str, Any] = {}
    if body.text is not None:
        if comment.author_id != request.user.pk:
            raise ApiError("comment.only_author_edits", 403)
        values |= {"text": body.text, "edited_at": timezone.now()}
    if body.resolved is not None:
        resolved = (timezone.now(), request.user) if body.resolved else (None, None)
        values |= dict(zip(("resolved_at", "resolved_by"), resolved, strict=True))
    if not values:
        raise ApiError("comment.nothing_to_change", 422)
    Comment.objects.filter(pk=comment.pk).update(**values)
    return _announced(session_id, comment.parent or comment, request)


@router.delete("/{uuid:session_id}/comments/{uuid:comment_id}", response={204: None})
def delete_comment(request: HttpRequest, session_id: UUID, comment_id: UUID) -> Status:
    """Take away one's own remark or reply, or as the owner anybody's."""
    member = membership(request.user, session_id)
    result = _comment(session_id, comment_id)
    if result.author_id != request.user.pk and member.role != Membership.Role.OWNER:
        raise ApiError("comment.only_author_deletes", 403)
    thread = result.parent
    result.delete()
    if thread:
        _announced(session_id, thread, request)
    else:
        announce(session_id, "comment", id=str(comment_id), comment=None)
    return Status(204, None)


@router.post("/{uuid:session_id}/comments/read", response={204: None})
def mark_read(request: HttpRequest, session_id: UUID, body: ReadIn) -> Status:
    """Mark remarks and replies as read."""
    membership(request.user, session_id)
    keys = Comment.objects.filter(session=session_id, pk__in=body.ids).values_list("pk", flat=True)
    marks = Comment.read_by.through
    marks.objects.bulk_create([marks(comment_id=key, user=request.user) for key in keys], ignore_conflicts=True)
    return Status(204, None)


def _comment(session_id: UUID, comment_id: UUID) -> Comment:
    result = Comment.objects.filter(session=session_id, pk=comment_id).select_related("parent").first()
    if result is None:
        raise ApiError("comment.deleted", 404)
    return result


def _announced(session_id: UUID, thread: Comment, request: HttpRequest) -> CommentOut:
    """The thread as it stands, sent to everybody; what each of them has read they know themselves."""
    result = _threads(session_id).get(pk=thread.pk)
    announce(session_id, "comment", id=str(result.pk), comment=_out(result, set(), None).model_dump(mode="json"))
    return _out(result, _read(session_id, request.user), request.user.pk)


def _read(session_id: UUID, user) -> set[UUID]:
    """What somebody has read of a session's comments and replies."""
    return set(Comment.objects.filter(session=session_id, read_by=user).values_list("pk", flat=True))


def _check_room(session: MixSession) -> None:
    if session.comments.count() >= MOST_COMMENTS:
        raise ApiError("comment.too_many", 409, most=MOST_COMMENTS)


def _exists(session: MixSession, part: str, key: str) -> bool:
    return Entity.objects.filter(session=session, kind=part, key=key).exists()


def _passage_at(session: MixSession, beat: float) -> dict[str, Any] | None:
    """The shortest passage that a moment lies in."""
    passages = Entity.objects.filter(session=session, kind="passages").values_list("value", flat=True)
    around = [passage for passage in passages if passage["start"] <= beat < passage["end"]]
    return min(around, key=lambda passage: passage["end"] - passage["start"], default=None)


def follow_changes(
    sender: Any, session: MixSession, delta: list[dict[str, Any]], state: StoredState, **_: Any
) -> None:
    """Comments stay with the sound where the tempo changes, and go along with the passages that they stand in.

    Every comment that has moved is announced.
    """
    keys = [change["key"] for change in delta if change["part"] == "passages"]
    starts = {key: passage["start"] for key in keys if (passage := state.get("passages", key))}
    settings = state.before.get(("session", SETTINGS_KEY))
    now = state.get("session", SETTINGS_KEY)
    if settings and now and settings["tempos"] != now["tempos"]:
        _stay_with_the_sound(session, tempo_map({"session": settings}), tempo_map({"session": now}), starts)
    else:
        _go_along(session, starts)


def _stay_with_the_sound(session: MixSession, before: TempoMap, after: TempoMap, starts: dict[str, float]) -> None:
    pinned = list(Comment.objects.filter(session=session, parent=None).exclude(beat=None))
    for comment in pinned:
        comment.beat = after.beat_at(before.seconds_at(comment.beat))
        comment.end = None if comment.end is None else after.beat_at(before.seconds_at(comment.end))
        comment.passage_start = starts.get(comment.passage, comment.passage_start)
    _save_moved(session, pinned)


def _go_along(session: MixSession, starts: dict[str, float]) -> None:
    pinned = Comment.objects.filter(session=session, passage__in=starts, parent=None).exclude(beat=None)
    moved = [comment for comment in pinned if comment.passage_start != starts[comment.passage]]
    for comment in moved:
        by = starts[comment.passage] - comment.passage_start
        comment.beat = max(comment.beat + by, 0.0)
        comment.end = None if comment.end is None else max(comment.end + by, 0.0)
        comment.passage_start = starts[comment.passage]
    _save_moved(session, moved)


def _save_moved(session: MixSession, moved: list[Comment]) -> None:
    """Store comments that have moved, at one go: the session is locked. Each is announced after that."""
    if not moved:
        return
    Comment.objects.bulk_update(moved, ["beat", "end", "passage_start"], batch_size=500)
    for thread in _threads(session.pk).filter(pk__in=[comment.pk for comment in moved]):
        comment = _out(thread, set(), None).model_dump(mode="json")
        announce(session.pk, "comment", id=str(thread.pk), comment=comment)
