"""What may be ordered of a mix, checked before anything is made."""

from typing import Annotated, Any, Literal

from ninja import Schema
from pydantic import Field

from needle.export.loudness import levelled
from needle.export.naming import PATTERN, checked_pattern
from needle.io.audio import FORMATS, check_flac
from needle.metering.lean import Tolerance
from needle.mix.model import Mix
from server.common.errors import ApiError

Format = Literal["wav-float", "wav-24", "wav-16", "flac-24", "flac-16", "rf64-24", "rf64-float"]
Decibels = Annotated[float, Field(ge=-60.0, le=0.0, allow_inf_nan=False)]


class Loudness(Schema):
    """A loudness to aim for (LUFS), and the true peak that is not passed (dBTP)."""

    lufs: Decibels
    dbtp: Decibels = -1.0


class Order(Schema):
    """Which files are wanted: the ``mix`` in its layout, ``folds`` beside it, ``stems`` by source or group, object
    audio, moves in open formats, the session as a bundle, the balance report, the chart of the moves.

    Sounds are in one ``format``, all made louder or softer alike for a ``loudness``; a ``pattern`` names the files.
    """

    mix: bool = True
    folds: Annotated[list[Literal["stereo", "mono", "headphones"]], Field(max_length=3)] = []
    stems: Literal["", "sources", "groups"] = ""
    format: Format = "wav-24"
    loudness: Loudness | None = None
    adm: bool = False
    moves: Annotated[list[Literal["csv", "json", "midi", "midi-fine"]], Field(max_length=4)] = []
    bundle: bool = False
    report: bool = False
    chart: bool = False
    pattern: Annotated[str, Field(max_length=200)] = PATTERN
    tolerance_db: Annotated[float, Field(allow_inf_nan=False)] = Tolerance.db
    tolerance_seconds: Annotated[float, Field(allow_inf_nan=False)] = Tolerance.seconds

    @property
    def sounds(self) -> bool:
        """Whether anything is to be rendered as sound."""
        return self.mix or bool(self.folds) or bool(self.stems)

    def checked(self, mix: Mix) -> dict[str, Any]:
        """The order as it is stored. NeedleError or ApiError says what cannot be made."""
        has_files = self.sounds or self.adm or self.moves or self.bundle or self.report or self.chart
        if not has_files:
            raise ApiError("delivery.nothing_selected", 422)
        checked_pattern(self.pattern)
        Tolerance(self.tolerance_db, self.tolerance_seconds)
        if self.format.startswith("flac") and (self.mix or self.stems):
            check_flac(mix.room)
        if self.loudness:
            levelled(None, None, self.loudness.lufs, self.loudness.dbtp)
        return self.dict()

    @property
    def ending(self) -> str:
        """What the names of sounds end in."""
        return FORMATS[self.format][2]
