"""The operator's pages: accounts, sessions and who is in them, what has been made. The mix is only looked at."""

from django.contrib import admin
from django.contrib.admin.apps import AdminConfig
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect


class OperatorConfig(AdminConfig):
    default_site = "server.project.operator.OperatorSite"


class OperatorSite(admin.AdminSite):
    """Django's admin site, behind the application's own door: that one counts attempts."""

    site_header = site_title = "Wandering Needle: operator"
    index_title = "Accounts, sessions, what is made"
    site_url = "/"

    def login(self, request: HttpRequest, extra_context: dict | None = None) -> HttpResponse:
        return HttpResponseRedirect("/?next=/admin/")
