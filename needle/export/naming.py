"""What the files of a delivery are called: a pattern with words in braces, made safe for every file system."""

import re
from collections.abc import Mapping
from datetime import date

from needle.errors import NeedleError
from needle.mix.model import Mix
from needle.session.document import tempo_map
from needle.session.validation import Document

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
        raise NeedleError("export.unknown_name_word", unknown=unknown[0], choices=[f"{{{w}}}" for w in WORDS])
    if re.sub(r"\{[^{}]*\}", "", pattern).strip("/ .") == "" and not words:
        raise NeedleError("export.name_is_empty")
    if set("{}") & set(re.sub(r"\{[^{}]*\}", "", pattern)):
        raise NeedleError("export.name_brace_open")
    return pattern


def words_of(document: Document, mix: Mix, start: int, stop: int, revision: int, day: date) -> dict[str, str]:
    """The words that are the same for every file made of a mix from frame ``start`` to ``stop``."""
    session = document["session"]
    return {
        "session": session["name"],
        "layout": session["layout"],
        "revision": str(revision),
        "passage": _passage(document, mix, start, stop),
        "date": day.isoformat(),
        "rate": f"{session['rate'] / 1000:g}k",
    }


def _passage(document: Document, mix: Mix, start: int, stop: int) -> str:
    """The passage from frame ``start`` to ``stop``, as far as the mix goes; nothing if there is none just there."""
    tempo = tempo_map(document)
    for passage in document["passages"].values():
        first, last = (round(tempo.seconds_at(passage[edge]) * mix.rate) for edge in ("start", "end"))
        if abs(first - start) <= 1 and abs(min(last, mix.frames) - stop) <= 1:
            return str(passage["name"])
    return ""


class Names:
    """Gives every file of a delivery a name of its own; a ``/`` in the pattern makes folders.

    ``common`` are the words that are the same for all of them. They are numbered in the order of being named.
    """

    def __init__(self, pattern: str, common: Mapping[str, str]) -> None:
        self.pattern = checked_pattern(pattern)
        self._common = dict(common)
        self._given: set[str] = set()

    def of(self, part: str, kind: str, ending: str) -> str:
        """The name (with ``ending``, as ``.wav``) of the next file: what it is, and what kind of thing."""
        words = {**self._common, "part": part, "kind": kind, "number": f"{len(self._given) + 1:02}"}
        values = {word: safe(words.get(word, "")) for word in WORDS}
        parts = [re.sub(r"\{([^{}]*)\}", lambda m: values[str(m[1])], part) for part in self.pattern.split("/")]
        named = [name_part for part in parts if (name_part := safe(part))] or ["file"]
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
