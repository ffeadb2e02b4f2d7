"""What becomes of the times of a session whose tempo changes: each kind keeps with the sound, or with the bars."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from needle.automation.curve import Lane, Point, stored
from needle.session.document import tempo_map
from needle.session.validation import Document

KINDS = ("automation", "passages", "pulses", "notes")
SOUND, BARS = "sound", "bars"
STORED_WITH = {"automation": SOUND, "passages": BARS, "pulses": BARS, "notes": BARS}
"""How each kind is stored, and so what it keeps with where nothing else is said: seconds, or beats."""

Change = Callable[[float], float]


def retimed(
    document: Document,
    tempos: Sequence[Sequence[float]],
    metres: Sequence[Sequence[int]],
    keep: Mapping[str, str],
) -> Document:
    """The session with another tempo map.

    Parameters
    ----------
    tempos, metres
        The new map, as a document has it.
    keep
        ``sound`` or ``bars`` for automation, passages, pulses (where they begin) and notes (of parts that are dealt,
        from MIDI); as they are stored where nothing is said. Stems, and onsets found in them, stay with the sound.
    """
    result = {**document, "session": {**document["session"], "tempos": tempos, "metres": metres}}
    before, after = tempo_map(document), tempo_map(result)
    how = {**STORED_WITH, **keep}

    def seconds(t: float) -> float:
        return after.seconds_at(before.beat_at(t))

    def beats(beat: float) -> float:
        return after.beat_at(before.seconds_at(beat))

    if how["automation"] == BARS:
        result["lanes"] = {key: _lane(lane, seconds) for key, lane in document["lanes"].items()}
    if how["passages"] == SOUND:
        result["passages"] = {key: _ends(passage, beats) for key, passage in document["passages"].items()}
    if how["pulses"] == SOUND:
        result["pulses"] = {
            key: {**pulse, "origin": beats(pulse["origin"])} for key, pulse in document["pulses"].items()
        }
    if how["notes"] == SOUND:
        result["events"] = {key: _notes(events, beats) for key, events in document["events"].items()}
    return result


def _lane(lane: dict[str, Any], change: Change) -> dict[str, Any]:
    points = [
        Point(change(p.t), p.value, p.shape, p.tension, p.shape_start, p.shape_end)
        for p in Lane.of(lane["points"]).points
    ]
    return {**lane, "points": stored(points)}


def _ends(passage: dict[str, Any], change: Change) -> dict[str, Any]:
    return {**passage, "start": change(passage["start"]), "end": change(passage["end"])}


def _notes(events: dict[str, Any], change: Change) -> dict[str, Any]:
    if events["kind"] != "notes":
        return events
    items = [[change(at), change(at + length) - change(at), *others] for at, length, *others in events["items"]]
    return {**events, "items": items}
