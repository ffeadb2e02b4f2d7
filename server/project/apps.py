"""Django's handle on the project: its commands."""

from django.apps import AppConfig


class ProjectConfig(AppConfig):
    name = "server.project"
    label = "project"
