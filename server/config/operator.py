"""The operator's pages: accounts, sessions and who is in them, what has been made. The mix is only looked at."""

from django.contrib import admin
from django.contrib.admin.apps import AdminConfig
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect


class OperatorConfig(AdminConfig):
    default_site = "server.config.operator.OperatorSite"


class OperatorSite(admin.AdminSite):
    """Django's admin site, behind the application's own door: that one counts attempts."""

    site_header = site_title = "Wandering Needle: operator"
    index_title = "Accounts, sessions, what is made"
    site_url = "/"

    def login(self, request: HttpRequest, extra_context: dict | None = None) -> HttpResponse:
        return HttpResponseRedirect("/?next=/admin/")


class LookedAt(admin.ModelAdmin):
    """Things that people make in the application: here they are looked at, and at most taken away."""

    def has_add_permission(self, request: HttpRequest) -> bool:
        return False

    def has_change_permission(self, request: HttpRequest, obj: object = None) -> bool:
        return False
