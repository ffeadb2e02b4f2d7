"""Django's handle on the audio part."""

from django.apps import AppConfig


class AudioConfig(AppConfig):
    name = "server.audio"
    label = "audio"
