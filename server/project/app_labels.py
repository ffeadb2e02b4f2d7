"""Databases from before the apps had their present names: their tables and their migrations get them.

This happens before Django plans a migration, which goes by the names.
"""

from collections.abc import Mapping

from django.db import transaction
from django.db.backends.base.base import BaseDatabaseWrapper

LABELS = {"mixing": "mixsessions", "audio": "media", "sharing": "collaboration"}
"""What the apps were called, and what they are called."""

_WITH_LABELS = (("django_migrations", "app"), ("django_content_type", "app_label"))


def adopt_labels(connection: BaseDatabaseWrapper, labels: Mapping[str, str] = LABELS) -> int:
    """Give the tables and migrations of a database their apps' present names; how many tables were renamed."""
    tables = connection.introspection.table_names()
    if "django_migrations" not in tables:
        return 0
    renamed = 0
    quote = connection.ops.quote_name
    with transaction.atomic(using=connection.alias), connection.cursor() as cursor:
        for old, new in labels.items():
            for table in tables:
                if table.startswith(f"{old}_"):
                    name = f"{new}_{table.removeprefix(f'{old}_')}"
                    cursor.execute(f"ALTER TABLE {quote(table)} RENAME TO {quote(name)}")
                    renamed += 1
            for table, column in _WITH_LABELS:
                if table in tables:
                    cursor.execute(
                        f"UPDATE {quote(table)} SET {quote(column)} = %s WHERE {quote(column)} = %s", [new, old]
                    )
    return renamed
