"""What somebody likes the application to be like; it goes with them from browser to browser."""

from django.conf import settings
from django.db import models


class Preferences(models.Model):
    """One person's preferences, as ``server.accounts.preferences.PreferencesSchema`` has them."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, models.CASCADE, related_name="preferences")
    values = models.JSONField(default=dict)

    def __str__(self) -> str:
        return f"preferences of {self.user}"
