"""How somebody listens, as it stands in an address: solo, a bypassed treatment, changes on trial, the monitor."""

from threading import Lock
from typing import Annotated

from cachetools import LRUCache
from ninja import Schema
from pydantic import Field

from needle.balance.trial import Change, tried
from needle.mix.listening import Listening
from needle.mix.model import Mix, MixSource
from needle.mix.monitors import HEAD, checked_monitor
from needle.render.placement_analysis import without
from server.media.assets import source_spectrum
from server.media.mixes import mix_with, source_of
from server.mixsessions.document_cache import document_for
from server.mixsessions.models import MixSession

_NUMBER = r"-?\d{1,3}(\.\d{1,6})?"
_MOVE = r"(draft=[0-9a-f-]{36}|[\w:/-]+=(none|\d{1,9}))"
_HELD = r"[\w:/-]+\.[a-z_]+=-?\d+(\.\d+)?"
_SOLO = r"[\w-]+(\.[\w-]+)?"
Ids = Annotated[str, Field(max_length=8000, pattern=rf"^({_SOLO}(,{_SOLO})*)?$")]
"""Ids of sources, separated by commas; of a dealt one also a single place, as ``mallets.p2``."""


_lock = Lock()
_bypassed: LRUCache[tuple, Mix] = LRUCache(16)
"""Mixes without a treatment: matching their loudness is worked out once, not for every segment."""
Moves = Annotated[str, Field(max_length=8000, pattern=rf"^({_MOVE}(,{_MOVE})*)?$")]
"""Other moves than those of the revision, as ``MonitorParams`` takes them."""


class MonitorParams(Schema):
    """How one listens: only ``solo`` sounds (ids separated by commas), and in ``bypass`` a source lacks a treatment.

    ``bypass`` is for example ``oars:delay_panning``, matched in loudness at the moment ``at`` (s). ``trial`` lists
    changes, source:dB:place, as ``oars:-1.5:0.1``; ``monitor`` a way of listening; ``trim`` a level for all (dB).
    ``moves`` are other moves: ``draft=`` and its id, or a lane without automation or as it was at an earlier
    revision, as ``oars/pan=none`` or ``oars/pan=12``; a pulse goes by ``oars/pulse``. ``held`` are values that hands
    hold, as ``oars.width=0.4`` or ``send:oars/hull.level=-6`` (``needle.session.held``). ``click``: beats are struck.
    """

    solo: Ids = ""
    bypass: Annotated[str, Field(max_length=120, pattern=r"^([\w-]+:[a-z]+)?$")] = ""
    at: Annotated[float, Field(ge=0, allow_inf_nan=False)] = 0.0
    trial: Annotated[
        str, Field(max_length=8000, pattern=rf"^([\w-]+:{_NUMBER}:{_NUMBER}(,[\w-]+:{_NUMBER}:{_NUMBER})*)?$")
    ] = ""
    monitor: Annotated[str, Field(max_length=80, pattern=r"^[\w:+-]*$")] = "stereo"
    trim: Annotated[float, Field(ge=-24, le=24, allow_inf_nan=False)] = 0.0
    click: bool = False
    moves: Moves = ""
    held: Annotated[str, Field(max_length=8000, pattern=rf"^({_HELD}(,{_HELD})*)?$")] = ""

    def is_personal(self) -> bool:
        """Whether what is heard depends on who hears it: through one's own measured head."""
        return self.monitor.startswith(HEAD)

    def listening(self) -> Listening:
        checked_monitor(self.monitor)
        return Listening(frozenset(ids(self.solo)), monitor=self.monitor, trim=self.trim, click=self.click)

    def mix(self, session: MixSession, revision: int) -> Mix:
        """The mix at a revision, with the changes on trial, without the bypassed treatment."""
        mix = mix_with(session, revision, tuple(ids(self.moves)), tuple(ids(self.held)))
        mix = tried(mix, changes_of(self.trial))
        if not self.bypass:
            return mix
        key = (session.id, revision, self.moves, self.held, self.trial, self.bypass, self.at)
        with _lock:
            result = _bypassed.get(key)
        if result is None:
            source, treatment = self.bypass.split(":")
            spectrum = spectra(session, revision)(source_of(mix, source))
            result = without(mix, source, treatment, spectrum, self.at)
            with _lock:
                _bypassed[key] = result
        return result


def ids(text: str) -> list[str]:
    """Ids separated by commas."""
    return [part for part in text.split(",") if part]


def changes_of(text: str) -> list[Change]:
    """Changes on trial as they stand in an address."""
    parts = (change.split(":") for change in ids(text))
    return [Change(source, float(level), float(place)) for source, level, place in parts]


def spectra(session: MixSession, revision: int):
    """What tells the spectrum of a source's audio at a revision."""
    document = document_for(session, revision)

    def spectrum_of(source: MixSource):
        return source_spectrum(document, source.id)

    return spectrum_of
