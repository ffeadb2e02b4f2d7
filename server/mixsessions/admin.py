"""Sessions on the operator's pages."""

from django.contrib import admin

from server.common.admin import ReadOnlyAdmin
from server.mixsessions.models import Membership, MixSession, OperationRecord


class MemberInline(admin.TabularInline):
    model = Membership
    extra = 0
    raw_id_fields = ("user",)


@admin.register(MixSession)
class SessionAdmin(admin.ModelAdmin):
    """Who is in a session is the operator's to mend; what is in it is not."""

    list_display = ("name", "revision", "layout", "created_at", "changed_at")
    search_fields = ("name", "members__user__username")
    fields = readonly_fields = ("name", "revision", "layout", "rate", "created_at", "changed_at")
    inlines = (MemberInline,)

    def has_add_permission(self, request) -> bool:
        return False


@admin.register(OperationRecord)
class OperationAdmin(ReadOnlyAdmin):
    list_display = ("session", "revision", "author", "summary", "created_at")
    list_filter = ("kind",)
    raw_id_fields = ("session", "author")
    fields = ("session", "revision", "author", "kind", "summary", "created_at", "base_revision")

    def has_delete_permission(self, request, obj=None) -> bool:
        return False
