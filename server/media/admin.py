"""Files and what is made of them, on the operator's pages."""

from django.contrib import admin

from server.common.admin import ReadOnlyAdmin
from server.media.models import Asset, Freeze, MeasuredHead, Upload


@admin.register(Freeze)
class TaskAdmin(ReadOnlyAdmin):
    list_display = ("id", "session", "author", "status", "progress", "created_at", "messages")
    list_filter = ("status",)


@admin.register(Upload)
class UploadAdmin(ReadOnlyAdmin):
    list_display = ("name", "session", "author", "size", "status", "created_at", "messages")
    list_filter = ("status",)


@admin.register(Asset)
class AssetAdmin(ReadOnlyAdmin):
    list_display = ("sha256", "channels", "frames", "rate")

    def has_delete_permission(self, request, obj=None) -> bool:
        return False


admin.site.register(MeasuredHead, ReadOnlyAdmin)
