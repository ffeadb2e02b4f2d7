"""Writes the API as OpenAPI, with what is said on the live channel among its schemas."""

import json
from functools import reduce
from operator import or_
from typing import Annotated, Any

from django.core.management.base import BaseCommand
from ninja.responses import NinjaJSONEncoder
from pydantic import Field, TypeAdapter

from server.collaboration.comments import CommentTold
from server.editing.live_messages import MESSAGES, TOLD
from server.project.api import api

TOLD_TO_BROWSERS: TypeAdapter[Any] = TypeAdapter(
    Annotated[reduce(or_, [*TOLD, CommentTold]), Field(discriminator="type")]
)
"""All that the server says on the live channel."""

SAID_BY_BROWSERS: TypeAdapter[Any] = TypeAdapter(
    Annotated[reduce(or_, MESSAGES.values()), Field(discriminator="type")]
)
"""All that browsers say there."""


def api_schema() -> dict[str, Any]:
    """The API's OpenAPI document; ``LiveTold`` and ``LiveSaid`` are the messages of the live channel."""
    document = dict(api.get_openapi_schema())
    components = document["components"]["schemas"] = dict(document["components"]["schemas"])
    for name, adapter, mode in (
        ("LiveTold", TOLD_TO_BROWSERS, "serialization"),
        ("LiveSaid", SAID_BY_BROWSERS, "validation"),
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
