"""Writes the JSON Schema of session bundles to ``docs/schemas``."""

from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from server.mixsessions.bundle_schema import schema_text

PATH = settings.BASE_DIR / "docs" / "schemas" / "session-bundle.schema.json"


class Command(BaseCommand):
    help = "Write the JSON Schema of session bundles to docs/schemas."

    def handle(self, *args: Any, **options: Any) -> None:
        PATH.write_text(schema_text(), "utf-8")
