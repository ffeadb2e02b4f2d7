"""Deliveries on the operator's pages."""

from django.contrib import admin

from server.common.admin import ReadOnlyAdmin
from server.delivery.models import Delivery


@admin.register(Delivery)
class DeliveryAdmin(ReadOnlyAdmin):
    list_display = ("id", "session", "author", "status", "progress", "created_at", "messages")
    list_filter = ("status",)
