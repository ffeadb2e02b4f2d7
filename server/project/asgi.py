"""The ASGI application: HTTP to Django, WebSockets to the live channel, from this site's own pages only."""

import os
from collections.abc import Callable
from typing import Any

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.project.settings")
http = get_asgi_application()

from asgiref.sync import ThreadSensitiveContext  # noqa: E402
from channels.auth import AuthMiddlewareStack  # noqa: E402 - needs Django to be set up
from channels.routing import ProtocolTypeRouter, URLRouter  # noqa: E402
from channels.security.websocket import AllowedHostsOriginValidator  # noqa: E402
from django.urls import path  # noqa: E402

from server.editing.live import LiveConsumer  # noqa: E402
from server.project.sound_handler import SoundHandler  # noqa: E402
from server.project.turns import Turns  # noqa: E402


def _in_own_thread(application: Callable) -> Callable:
    """Give each socket a thread of its own for the database: one with much to catch up keeps no other waiting."""

    async def with_thread(scope: dict[str, Any], receive: Callable, send: Callable) -> None:
        async with ThreadSensitiveContext():
            await application(scope, receive, send)

    return with_thread


application = ProtocolTypeRouter(
    {
        "http": SoundHandler(http, Turns()),
        "websocket": AllowedHostsOriginValidator(
            _in_own_thread(AuthMiddlewareStack(URLRouter([path("live/<uuid:session_id>", LiveConsumer.as_asgi())])))
        ),
    }
)
