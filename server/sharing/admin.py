"""Invitations, versions and comments on the operator's pages."""

from django.contrib import admin

from server.config.operator import LookedAt
from server.sharing.models import Comment, Invitation, Version


@admin.register(Invitation)
class InvitationAdmin(LookedAt):
    list_display = ("session", "role", "author", "ends_at", "withdrawn", "taken")
    exclude = ("secret",)


@admin.register(Comment)
class CommentAdmin(LookedAt):
    list_display = ("session", "author", "text", "created_at", "resolved_at")


admin.site.register(Version, LookedAt)
