"""How much louder or softer a delivery is made for its target: a gain, nothing else. No peak is ever held down."""

from collections.abc import Mapping
from dataclasses import dataclass

from needle.errors import NeedleError
from needle.messages import Message

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
    def notes(self) -> tuple[Message, ...]:
        """What was done, and what kept it below the target."""
        if self.lufs is None:
            return (Message("loudness.silent"),)
        how = "unchanged" if abs(self.gain) < 0.005 else "louder" if self.gain > 0.0 else "softer"
        after = _minus(self.lufs + self.gain, 1)
        result = Message(f"loudness.{how}", before=_minus(self.lufs, 1), gain=_minus(abs(self.gain), 2), after=after)
        if self.held <= 0.0:
            return (result,)
        limit = "loudness.peak_of_file" if self.by else "loudness.peak"
        return result, Message(limit, file=self.by, below=_minus(self.held, 1))


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
        raise NeedleError("export.loudness_out_of_range")
    if lufs is None or dbtp is None:
        return Levelled(lufs, dbtp, 0.0)
    peaks = {"": dbtp, **{title: peak for title, peak in (others or {}).items() if peak is not None}}
    by = max(peaks, key=lambda title: peaks[title])
    wanted = target_lufs - lufs
    gain = min(wanted, ceiling_dbtp - peaks[by], MOST_DB)
    shortfall = max(wanted - gain, 0.0)
    return Levelled(lufs, dbtp, gain, shortfall, by if shortfall > 0.0 else "")


def _minus(value: float, digits: int) -> str:
    return f"{value:.{digits}f}".replace("-", "−")
