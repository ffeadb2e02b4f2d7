"""A mix taken apart into what adds up to it again: every source or group as it sounds, and every return by itself."""

from collections.abc import Iterable
from dataclasses import dataclass, replace

from needle.errors import NeedleError
from needle.mix.listening import EVERYTHING, Listening
from needle.mix.model import Mix, MixSource

BY = ("sources", "groups")
"""What a mix is taken apart by; returns always come by themselves."""


@dataclass(frozen=True)
class Part:
    """A part of a mix: its ``kind`` (source, group, return), its id, and what renders it as it sounds there."""

    kind: str
    id: str
    mix: Mix
    listening: Listening = EVERYTHING

    @property
    def key(self) -> str:
        """What tells it from all others: its kind and id."""
        return f"{self.kind} {self.id}"


def parts_of(mix: Mix, by: str = "sources", groups: dict[str, str] | None = None) -> list[Part]:
    """The parts of a mix in its order; what does not sound is left out. They add up to the mix.

    ``groups`` tells the group of a source by id, for ``by`` groups; who is in none comes by itself. NeedleError for
    another way of taking it apart.
    """
    if by not in BY:
        raise NeedleError("export.unknown_partition", by=by, choices=BY)
    groups = groups or {}
    members: dict[tuple[str, str], list[MixSource]] = {}
    for source in mix.sources:
        if not source.muted:
            group = groups.get(source.id, "") if by == "groups" else ""
            members.setdefault(("group", group) if group else ("source", source.id), []).append(source)
    result = [Part(kind, key, without_returns(mix, sources)) for (kind, key), sources in members.items()]
    fed = {to for source in mix.sources if not source.muted for to in source.sends}
    return result + [
        return_part(mix, mix_return.id) for mix_return in mix.returns if mix_return.id in fed and not mix_return.muted
    ]


def without_returns(mix: Mix, sources: Iterable[MixSource]) -> Mix:
    """Some sources as they sound in the mix, their layers too, without what they send."""
    return replace(mix, sources=tuple(replace(source, sends={}) for source in sources), returns=())


def return_part(mix: Mix, key: str) -> Part:
    """What comes out of one return."""
    sources = tuple(replace(source, layers=()) for source in mix.sources)
    returns = tuple(mix_return for mix_return in mix.returns if mix_return.id == key)
    only_sends = Listening(without_direct=frozenset(source.id for source in sources))
    return Part("return", key, replace(mix, sources=sources, returns=returns), only_sends)
