"""How much louder or softer a delivery is made for its target: a gain, nothing else. No peak is ever held down."""

from collections.abc import Mapping
from dataclasses import dataclass

from needle.errors import NeedleError

MOST_DB = 60.0


@dataclass(frozen=True)
class Levelled:
    """What a programme measured, and the gain (dB) that brings it to a target.

    ``lufs`` and ``dbtp`` are those before the gain, None where it is silent. ``held`` by how much (dB) the ceiling of
    the true peak keeps it below the loudness that was asked for, and ``by`` which file of the delivery it does.
    """

    lufs: float | None
    dbtp: float | None
    gain: float
    held: float = 0.0
    by: str = ""

    @property
    def sentence(self) -> str:
        """What was done, in the engineer's words."""
        if self.lufs is None:
            return "The mix is silent: no gain was applied."
        how = f"made {abs(self.gain):.2f} dB {'louder' if self.gain > 0.0 else 'softer'}"
        how = "left as it is" if abs(self.gain) < 0.005 else how
        said = f"It measured {self.lufs:.1f} LUFS and was {how}: {self.lufs + self.gain:.1f} LUFS."
        if self.held > 0.0:
            whose = f"The true peak of “{self.by}”" if self.by else "Its true peak"
            said += f" {whose} keeps it {self.held:.1f} dB below the target; nothing was limited."
        return said.replace("-", "−")


def levelled(
    lufs: float | None,
    dbtp: float | None,
    target_lufs: float,
    ceiling_dbtp: float,
    others: Mapping[str, float | None] | None = None,
) -> Levelled:
    """The gain that brings a programme to a loudness, but no file higher than the ceiling of the true peak.

    ``others``: the true peaks (dBTP) of what is handed over beside the programme, by title: one gain holds for all.
    NeedleError for a target that no programme has.
    """
    if not -MOST_DB <= target_lufs <= 0.0 or not -MOST_DB <= ceiling_dbtp <= 0.0:
        raise NeedleError("A loudness target lies between -60 and 0 LUFS, a ceiling between -60 and 0 dBTP.")
    if lufs is None or dbtp is None:
        return Levelled(lufs, dbtp, 0.0)
    peaks = {"": dbtp, **{title: peak for title, peak in (others or {}).items() if peak is not None}}
    by = max(peaks, key=lambda title: peaks[title])
    wanted = target_lufs - lufs
    gain = min(wanted, ceiling_dbtp - peaks[by], MOST_DB)
    shortfall = max(wanted - gain, 0.0)
    return Levelled(lufs, dbtp, gain, shortfall, by if shortfall > 0.0 else "")
