"""Loudness matched between two mixes, so that the ear compares what differs and not which is louder."""

import numpy as np

from needle.balance.measuring import Measure
from needle.balance.progress import Steps, within
from needle.metering.overview import Overview
from needle.mix.listening import EVERYTHING
from needle.mix.model import Mix

MOST_TRIM_DB = 24.0


def matching_trim(mix: Mix, to: Mix, measure: Measure) -> Steps[float]:
    """What makes ``mix`` as loud as another (dB, within ±24), over what ``measure`` measures of both.

    Integrated loudness (ITU-R BS.1770-5, gated); 0 where one of them is silent or too short to be measured.
    """
    before = yield from within(measure(mix, EVERYTHING), 0.0, 0.5)
    other = yield from within(measure(to, EVERYTHING), 0.5, 1.0)
    loudness, wanted = (Overview(frames).figures()["integrated_lufs"] for frames in (before, other))
    if loudness is None or wanted is None:
        return 0.0
    return float(np.clip(wanted - loudness, -MOST_TRIM_DB, MOST_TRIM_DB))
