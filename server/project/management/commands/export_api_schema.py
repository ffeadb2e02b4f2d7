"""Writes the API as OpenAPI, with what is said on the live channel among its schemas."""

import json
from functools import reduce
from operator import or_
from typing import Annotated, Any

from django.core.management.base import BaseCommand
from ninja.responses import NinjaJSONEncoder
from pydantic import Field, TypeAdapter

from server.collaboration.comments import CommentEvent
from server.editing.live_messages import EVENTS, MESSAGES
from server.project.api import api

SERVER_EVENTS: TypeAdapter[Any] = TypeAdapter(
    Annotated[reduce(or_, [*EVENTS, CommentEvent]), Field(discriminator="type")]
)
"""All that the server says on the live channel."""

CLIENT_MESSAGES: TypeAdapter[Any] = TypeAdapter(
    Annotated[reduce(or_, MESSAGES.values()), Field(discriminator="type")]
)
"""All that browsers say there."""


def api_schema() -> dict[str, Any]:
    """The API's OpenAPI document; ``ServerEvent`` and ``ClientMessage`` are the messages of the live channel."""
    document = dict(api.get_openapi_schema())
    components = document["components"]["schemas"] = dict(document["components"]["schemas"])
    for name, adapter, mode in (
        ("ServerEvent", SERVER_EVENTS, "serialization"),
        ("ClientMessage", CLIENT_MESSAGES, "validation"),
    ):
        schema = adapter.json_schema(mode=mode, ref_template="#/components/schemas/{model}")
        for part, definition in schema.pop("$defs").items():
            components.setdefault(part, definition)
        components[name] = schema
    return document


class Command(BaseCommand):
    help = "Write the API and what is said on the live channel as OpenAPI."

    def handle(self, *args: Any, **options: Any) -> None:
        self.stdout.write(json.dumps(api_schema(), cls=NinjaJSONEncoder, indent=1, sort_keys=True))
