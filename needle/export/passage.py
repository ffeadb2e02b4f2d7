"""A passage of a session by itself: its moves, marks and bars, cut and shifted so that it begins at 0 s."""

from typing import Any

from needle.automation.clips import clip_of
from needle.automation.curve import Lane, stored
from needle.errors import NeedleError
from needle.session.document import piece_length, tempo_map
from needle.session.validation import Document
from needle.tempo import TempoMap


def passage_of(document: Document, start: float, end: float) -> Document:
    """The session from ``start`` to ``end`` (s) as one that begins there; the whole of it as it is.

    Lanes are cut with the shapes that lead over the edges, passages where they reach beyond them. Bars count from the
    one in which it begins. Sources stay as they are: this is for the export of moves, not for rendering.
    NeedleError unless it ends after it starts.
    """
    if not 0.0 <= start < end:
        raise NeedleError("passage.is_empty")
    if start == 0.0 and end >= piece_length(document):
        return document
    tempo = tempo_map(document)
    settings = {**document["session"], **_bars_from(tempo, start), "length": end - start}
    return {
        **document,
        "session": settings,
        "lanes": {key: _cut(lane, start, end) for key, lane in document["lanes"].items() if lane["points"]},
        "passages": _passages(document["passages"], tempo.beat_at(start), tempo.beat_at(end)),
    }


def _cut(lane: dict[str, Any], start: float, end: float) -> dict[str, Any]:
    whole = Lane.of(lane["points"])
    clip = clip_of({lane["parameter"]: (whole, 0.0)}, start, end)
    return {**lane, "points": stored(clip.lanes[lane["parameter"]])}


def _bars_from(tempo: TempoMap, start: float) -> dict[str, Any]:
    """The tempos and metres from a time (s) on."""
    begin = tempo.beat_at(start)
    tempos = [[0.0, float(tempo.bpm_at(start))], *([b - begin, bpm] for b, bpm in tempo.tempos if b > begin + 1e-9)]
    bar, _ = tempo.bar_at(begin + 1e-9)
    metres = [[1, *tempo.metre_of_bar(bar)], *([b - bar + 1, n, unit] for b, n, unit in tempo.metres if b > bar)]
    return {"tempos": tempos, "metres": metres}


def _passages(passages: dict[str, Any], begin: float, end: float) -> dict[str, Any]:
    result = {}
    for key, passage in passages.items():
        low, high = max(passage["start"], begin) - begin, min(passage["end"], end) - begin
        if high - low > 1e-9:
            result[key] = {**passage, "start": low, "end": high}
    return result
