"""What a renderer makes of the numbers of a block: gains in the layouts in which our files are held to be right."""

from collections.abc import Mapping, Sequence

import numpy as np

from needle.dsp.room_panner import apply_speaker_mask, polar_powers
from needle.io.adm.model import Values, Zone
from needle.layouts import LAYOUTS, Layout

CHECKED_LAYOUTS = ("4+7+0", "0+5+0")
"""A dense layout, and a sparse one."""

Zones = tuple[Zone, ...]


def rendered_gains(values: Mapping[str, Values], zones: Sequence[Zones], lock: bool) -> Values:
    """Gains of block values (``NUMBERS``, each of shape (times,)) on the speakers of ``CHECKED_LAYOUTS``.

    ``zones`` are those of each time. Shape (speakers of all of them, times).
    """
    centre = (1.0 - values["divergence"]) / (1.0 + values["divergence"])
    place = [values["azimuth"], values["elevation"], values["distance"], values["extent"], centre]
    if all(np.ptp(coordinate) == 0.0 for coordinate in place):
        # A place that stands still is worked out once.
        place = [coordinate[:1] for coordinate in place]
    azimuth, elevation, distance, extent, centre = place
    rows = []
    for name in CHECKED_LAYOUTS:
        layout = LAYOUTS[name]
        powers = polar_powers(layout, azimuth, elevation, distance, extent, centre, lock)
        powers = np.broadcast_to(powers, (len(powers), len(values["gain"])))
        if any(zones):
            powers = _without_zones(layout, powers, zones)
        rows.append(np.sqrt(powers) * values["gain"])
    return np.concatenate(rows)


def _without_zones(layout: Layout, powers: Values, zones: Sequence[Zones]) -> Values:
    """Powers with the speakers in the zones of each time switched off."""
    result = powers.copy()
    for excluded in set(zones):
        off = frozenset(s.name for s in layout.speakers if any(z.holds(s.azimuth, s.elevation) for z in excluded))
        times = np.array([zone == excluded for zone in zones])
        if off and len(off) < len(layout.speakers):
            result[:, times] = apply_speaker_mask(layout, powers[:, times], {off: 1.0})
    return result
