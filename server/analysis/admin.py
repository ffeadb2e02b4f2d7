"""Reports on the operator's pages."""

from django.contrib import admin

from server.analysis.models import Report
from server.common.admin import ReadOnlyAdmin


@admin.register(Report)
class ReportAdmin(ReadOnlyAdmin):
    list_display = ("id", "session", "author", "status", "progress", "created_at", "messages")
    list_filter = ("status",)
