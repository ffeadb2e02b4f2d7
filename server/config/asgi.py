"""The ASGI application: HTTP to Django, WebSockets to the live channel, from this site's own pages only."""

import os

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.config.settings")
http = get_asgi_application()

from channels.auth import AuthMiddlewareStack  # noqa: E402 - needs Django to be set up
from channels.routing import ProtocolTypeRouter, URLRouter  # noqa: E402
from channels.security.websocket import AllowedHostsOriginValidator  # noqa: E402
from django.urls import path  # noqa: E402

from server.mixing.live import LiveConsumer  # noqa: E402

application = ProtocolTypeRouter(
    {
        "http": http,
        "websocket": AllowedHostsOriginValidator(
            AuthMiddlewareStack(URLRouter([path("live/<uuid:session_id>", LiveConsumer.as_asgi())]))
        ),
    }
)
