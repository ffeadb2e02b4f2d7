"""Whether everything that the application stands on answers: for whoever watches over it."""

import os
import shutil

from asgiref.sync import async_to_sync
from channels.layers import get_channel_layer
from django.conf import settings
from django.db import connection
from django.http import HttpRequest
from ninja import Router, Schema, Status

router = Router(tags=["operating"])


class HealthOut(Schema):
    """What answers: the database, the live channel, the data folder (may be written to)."""

    database: bool
    live: bool
    data: bool


def _database() -> None:
    with connection.cursor() as cursor:
        cursor.execute("SELECT 1")


def _live() -> None:
    async_to_sync(get_channel_layer().group_send)("health", {"type": "health"})


def _data() -> None:
    if not os.access(settings.DATA_DIR, os.R_OK | os.W_OK | os.X_OK):
        raise PermissionError(settings.DATA_DIR)
    if not shutil.disk_usage(settings.DATA_DIR).free:
        raise OSError("the disk is full")


CHECKS = {"database": _database, "live": _live, "data": _data}


@router.get("/health", auth=None, response={200: HealthOut, 503: HealthOut})
def get_health(request: HttpRequest) -> Status:
    """200 if all of it answers, else 503."""
    result = {}
    for name, check in CHECKS.items():
        try:
            check()
            result[name] = True
        except Exception:
            result[name] = False
    return Status(200 if all(result.values()) else 503, HealthOut(**result))
