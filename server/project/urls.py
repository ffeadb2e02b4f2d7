"""Addresses: the API, the operator's pages, and the one page that is the application."""

from django.contrib import admin
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.urls import path, re_path
from django.views.decorators.cache import never_cache
from django.views.decorators.csrf import ensure_csrf_cookie

from server.project.api import api
from server.project.guide import guide, picture


@never_cache
@ensure_csrf_cookie
def page(request: HttpRequest) -> HttpResponse:
    """The application's page; the browser finds its way from there."""
    return render(request, "index.html")


urlpatterns = [
    path("admin/", admin.site.urls),
    path("api/", api.urls),
    path("guide/", guide, name="guide"),
    path("guide/<slug:page>/", guide),
    path("guide/pictures/<slug:name>.png", picture),
    re_path(r"^(?!api/|assets/|live/|admin/|static/|guide/)[\w/-]*$", page),
]
