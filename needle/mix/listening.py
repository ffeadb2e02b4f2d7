"""Who hears what of a mix: solo, mute, direct sound left out, and the way of listening."""

from dataclasses import dataclass

from needle.mix.model import Mix, MixLayer, MixReturn, MixSource
from needle.mix.monitors import checked_monitor

DIRECT = "direct"
"""With a source's id and a dot: its own sound, without its layers."""


@dataclass(frozen=True)
class Listening:
    """What one person hears of a mix: only ``solo`` sources and returns if there are any.

    A solo may also be one place of a dealt source, as ``mallets.2``. Sources ``without_direct`` keep only what they
    send: their direct sound is left out. ``monitor`` names a way of listening (``needle.mix.monitors``); ``trim``
    (dB) makes all of it louder or softer. With ``click`` the beats are struck as well, which no meter shows.
    """

    solo: frozenset[str] = frozenset()
    without_direct: frozenset[str] = frozenset()
    monitor: str = "stereo"
    trim: float = 0.0
    click: bool = False

    def __post_init__(self) -> None:
        checked_monitor(self.monitor)

    def hears(self, source: MixSource) -> bool:
        """Whether the source's direct sound is heard: a solo overrides its mute for the one who listens."""
        return source.id not in self.without_direct and self.feeds(source)

    def feeds(self, source: MixSource) -> bool:
        """Whether the source sounds at all, so that what it sends does too."""
        if not self.solo:
            return not source.muted
        return source.id in self.solo or self._some_places(source)

    def _some_places(self, source: MixSource) -> bool:
        """Whether only some of a source's places and layers are soloed."""
        return source.id not in self.solo and any(name.startswith(f"{source.id}.") for name in self.solo)

    def _parts(self, source: MixSource) -> tuple[MixSource, ...]:
        if not self._some_places(source):
            return source.parts
        if f"{source.id}.{DIRECT}" in self.solo:
            return source.parts
        return tuple(part for part in source.parts if f"{part.id}.{part.place}" in self.solo)

    def direct(self, mix: Mix) -> list[MixSource]:
        """What is heard of the sources themselves: dealt ones place by place, frozen ones whole."""
        sources: list[MixSource] = []
        for source in mix.sources:
            if not self.hears(source):
                continue
            if self.plays_frozen(source):
                sources.append(source)
            elif self._some_places(source) or not source.direct_muted:
                sources += [part.in_bands(mix.rate) for part in self._parts(source)]
        return sources

    def plays_frozen(self, source: MixSource) -> bool:
        """Whether a source is heard as it was frozen, layers and all."""
        return source.frozen is not None and not self._some_places(source)

    def layered(self, mix: Mix) -> list[tuple[MixSource, MixLayer]]:
        """What is heard of the layers under the sources."""
        layers = []
        for source in mix.sources:
            if not source.layers or not self.feeds(source) or self.plays_frozen(source):
                continue
            some = self._some_places(source)
            layers += [
                (source, layer)
                for layer in source.layers
                if f"{source.id}.{layer.id}" in self.solo or not (some or layer.muted)
            ]
        return layers

    def sent(self, mix: Mix, to: MixReturn) -> list[MixSource]:
        """What is heard by its sends to a return; a soloed return hears all that are not muted."""
        if to.muted and to.id not in self.solo:
            return []
        alone = to.id in self.solo
        sending = [s for s in mix.sources if to.id in s.sends and (self.feeds(s) or (alone and not s.muted))]
        parts = [part for source in sending for part in self._parts(source)]
        # A send's own place is that of all of a source as one sound.
        return [part if part.sends[to.id].place == "own" else part.in_bands(mix.rate) for part in parts]


EVERYTHING = Listening()
