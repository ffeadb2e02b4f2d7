"""Invitations, versions and comments on the operator's pages."""

from django.contrib import admin

from server.collaboration.models import Comment, Invitation, Version
from server.common.admin import ReadOnlyAdmin


@admin.register(Invitation)
class InvitationAdmin(ReadOnlyAdmin):
    list_display = ("session", "role", "author", "ends_at", "withdrawn", "accepted")
    exclude = ("secret",)


@admin.register(Comment)
class CommentAdmin(ReadOnlyAdmin):
    list_display = ("session", "author", "text", "created_at", "resolved_at")


admin.site.register(Version, ReadOnlyAdmin)
