"""The JSON Schema of a session bundle, made from what the API says of a session, so that the two cannot drift."""

import json
from typing import Any

from needle.io.bundle import FORMAT, VERSION
from server.mixsessions.documents import DocumentOut

_ASSET = {"type": "string", "minLength": 1, "description": "The name of a file under assets/."}
_HASH = {"type": "string", "pattern": "^[0-9a-f]{64}$"}


def bundle_schema() -> dict[str, Any]:
    """What ``session.json`` holds in the version that is written today."""
    document = DocumentOut.model_json_schema(by_alias=True)
    parts = document.pop("$defs")
    source = parts["StoredSource"]["properties"]
    # A bundle names its audio by files, not by what this application keeps them as.
    source["asset"] = _ASSET
    source["frozen_asset"] = {
        "type": "string",
        "default": "",
        "description": "The file that it was frozen as; none if empty.",
    }
    asset = {
        "type": "object",
        "required": ["sha256", "channels", "frames", "rate"],
        "properties": {
            "sha256": _HASH,
            "channels": {"type": "integer", "minimum": 1},
            "frames": {"type": "integer", "minimum": 1},
            "rate": {"type": "integer", "description": "Hz"},
        },
    }
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": f"A Wandering Needle session bundle's session.json, version {VERSION}",
        "type": "object",
        "required": ["format", "version", "document", "assets"],
        "properties": {
            "format": {"const": FORMAT},
            "version": {"const": VERSION},
            "document": document,
            "assets": {"type": "object", "additionalProperties": asset},
        },
        "$defs": parts,
    }


def schema_text() -> str:
    """The schema as its file has it."""
    return json.dumps(bundle_schema(), indent=1, sort_keys=True) + "\n"
