"""Files and what is made of them, on the operator's pages."""

from django.contrib import admin

from server.audio.models import Asset, Freeze, MeasuredHead, Report, Upload
from server.config.operator import LookedAt


@admin.register(Freeze, Report)
class TaskAdmin(LookedAt):
    list_display = ("id", "session", "author", "status", "progress", "created_at", "message")
    list_filter = ("status",)


@admin.register(Upload)
class UploadAdmin(LookedAt):
    list_display = ("name", "session", "author", "size", "status", "created_at", "message")
    list_filter = ("status",)


@admin.register(Asset)
class AssetAdmin(LookedAt):
    list_display = ("sha256", "channels", "frames", "rate")

    def has_delete_permission(self, request, obj=None) -> bool:
        return False


admin.site.register(MeasuredHead, LookedAt)
