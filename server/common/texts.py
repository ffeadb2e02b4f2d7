"""Texts that come from outside: what of them can be kept, and shown among others."""

import re
from typing import Any

_UNSHOWN = re.compile("[\x00-\x1f\x7f-\x9f\u2028-\u2029\u202a-\u202e\u2066-\u2069]")
"""Control characters, ends of lines, and what turns the direction of all that stands after it (UAX 9, 2.1–2.2)."""


def displayable(text: Any) -> Any:
    """A name without what cannot be shown or would disturb what stands beside it; other values as they are."""
    if not isinstance(text, str) or not text:
        return text
    return _UNSHOWN.sub("", text) or "unnamed"


def is_whole(value: Any) -> bool:
    """Whether a database can keep every text in a value from JSON: there is no NUL in it, and no half of a pair."""
    if isinstance(value, str):
        return "\0" not in value and not any("\ud800" <= char <= "\udfff" for char in value)
    if isinstance(value, dict):
        return all(is_whole(name) and is_whole(item) for name, item in value.items())
    return all(is_whole(item) for item in value) if isinstance(value, list) else True
