"""What the files of a delivery are called: a pattern with words in braces, made safe for every file system."""

import re
from collections.abc import Mapping

from needle.errors import NeedleError

WORDS = {
    "session": "the session's name",
    "part": "what it is: Mix, Mono, the source's, group's or return's name",
    "kind": "Mix, Fold, Stem, Moves, Report or Session",
    "number": "01, 02 … in the order of the list",
    "layout": "the loudspeakers, as 0+2+0",
    "revision": "the session's revision",
    "passage": "the passage, or nothing for the whole piece",
    "date": "the day, as 2026-04-30",
    "rate": "the sampling rate, as 48k",
}
"""What may stand in a pattern, and what is put there."""

PATTERN = "{session}/{kind}/{number} {part}"
_LONGEST = 100
_RESERVED = {"con", "prn", "aux", "nul", *(f"{port}{n}" for port in ("com", "lpt") for n in range(10))}


def checked_pattern(pattern: str) -> str:
    """``pattern`` if every word in it is known and it names something; NeedleError otherwise."""
    words = re.findall(r"\{([^{}]*)\}", pattern)
    unknown = [word for word in words if word not in WORDS]
    if unknown:
        raise NeedleError(f"A name has no word “{{{unknown[0]}}}”. Choose {', '.join(f'{{{w}}}' for w in WORDS)}.")
    if re.sub(r"\{[^{}]*\}", "", pattern).strip("/ .") == "" and not words:
        raise NeedleError("Say what the files are called, for example {session} {part}.")
    if set("{}") & set(re.sub(r"\{[^{}]*\}", "", pattern)):
        raise NeedleError("A brace in the name is not closed. Write {session}, for example.")
    return pattern


class Names:
    """Gives every file of a delivery a name of its own; a ``/`` in the pattern makes folders."""

    def __init__(self, pattern: str) -> None:
        self.pattern = checked_pattern(pattern)
        self._given: set[str] = set()

    def of(self, words: Mapping[str, str], ending: str) -> str:
        """The name (with ``ending``, as ``.wav``) that the pattern makes of some words."""
        told = {word: safe(words.get(word, "")) for word in WORDS}
        parts = [re.sub(r"\{([^{}]*)\}", lambda m: told[m[1]], part) for part in self.pattern.split("/")]
        named = [kept for part in parts if (kept := safe(part))] or ["file"]
        stem = "/".join(named)
        name, count = f"{stem}{ending}", 2
        while name.lower() in self._given:
            name, count = f"{stem} {count}{ending}", count + 1
        self._given.add(name.lower())
        return name


def safe(text: str) -> str:
    """A text as a file's name anywhere: nothing that leads elsewhere, no sign that some system refuses."""
    text = re.sub(r"\s+", " ", text)
    text = re.sub(r'[\x00-\x1f\x7f\\/:*?"<>|]+', "-", text).strip(" .-")
    while len(text.encode()) > _LONGEST:
        text = text[:-1].rstrip()
    return f"{text}-" if text.lower() in _RESERVED else text
