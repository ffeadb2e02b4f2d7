"""Django's ``migrate``, for databases from before the apps had their present names too."""

from typing import Any

from django.core.management.commands import migrate
from django.db import connections

from server.project.app_labels import adopt_labels


class Command(migrate.Command):
    def handle(self, *args: Any, **options: Any) -> None:
        adopt_labels(connections[options["database"]])
        super().handle(*args, **options)
