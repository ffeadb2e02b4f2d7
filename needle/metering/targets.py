"""Delivery targets: how loud a programme shall be, and how high its true peak may go."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Target:
    """``lufs``: integrated loudness to aim for; ``dbtp``: highest true peak; ``within`` (LU) of it will do."""

    name: str
    title: str
    lufs: float
    dbtp: float
    within: float


TARGETS = {
    target.name: target
    for target in (
        Target("music-14", "Music, loud", -14.0, -1.0, 1.0),
        Target("music-16", "Music, open", -16.0, -1.0, 1.0),
        Target("wide-18", "Music, wide", -18.0, -1.0, 1.0),
        Target("r128", "EBU R 128", -23.0, -1.0, 0.5),
        Target("a85", "ATSC A/85", -24.0, -2.0, 2.0),
    )
}
"""Targets by name. EBU R 128 (2023) and ATSC A/85 are the broadcasters' own; the others are common choices."""
