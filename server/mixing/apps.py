"""Django's handle on the mixing part."""

from django.apps import AppConfig


class MixingConfig(AppConfig):
    name = "server.mixing"
    label = "mixing"
