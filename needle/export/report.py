"""The balance report: everything that can be said of the balance of a mix, a passage of it, or a finished file.

It is plain data that JSON can carry; pages and tables are made from it elsewhere.
"""

import csv
import io
from collections.abc import Mapping
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np

from needle.balance.causes import Cause, Gather, Shares, causes, ranked, shares
from needle.balance.measuring import Measure, measured
from needle.balance.progress import Steps, within
from needle.errors import NeedleError
from needle.io.audio import audio_info, read_at
from needle.io.containers import channel_mask, in_layout_order
from needle.layouts import STEREO, layout_of_file
from needle.metering.frames import FRAMES_PER_HOP, Frames, hop_frames, measure_frames, warm_up_frames
from needle.metering.lean import HOP_SECONDS, Tolerance
from needle.metering.overview import Overview, listed
from needle.metering.spectra import THIRD_OCTAVES
from needle.metering.targets import Target
from needle.mix.listening import EVERYTHING
from needle.mix.model import Mix

VERSION = 1
_SILENT_SHARE = 1e-6
_STRETCH_SECONDS = 10
_FULL_RATE = 48_000

Report = dict[str, Any]


def mix_report(
    mix: Mix,
    names: Mapping[str, str],
    first: int,
    last: int,
    tolerance: Tolerance = Tolerance(),
    target: Target | None = None,
    measure: Measure = measured,
    gather: Gather = shares,
) -> Steps[Report]:
    """The report of a mix from one tenth of a second of the piece up to another.

    ``names``: what its sources and returns are called, by id. NeedleError if there is nothing between the two.
    """
    if not 0 <= first < last:
        raise NeedleError("report.range_is_empty")
    frames = yield from within(measure(mix, EVERYTHING), 0.0, 0.2)
    overview = Overview(frames.between(first * FRAMES_PER_HOP, last * FRAMES_PER_HOP))
    parts = yield from within(gather(mix, first, last), 0.2, 1.0)
    report = _report(overview, first * HOP_SECONDS, mix.rate, tolerance, target)
    report["channels"] = mix.outputs
    for stretch in report["stretches"]:
        begins, ends = (round(stretch[edge] / HOP_SECONDS) - first for edge in ("start", "end"))
        result = ranked(_heard(parts.between(begins, ends)), stretch["mean_db"])
        stretch["causes"] = [_named(cause, names) for cause in result]
    report["sources"] = [_named(cause, names) for cause in _heard(parts)]
    return report


def file_report(path: Path, tolerance: Tolerance = Tolerance(), target: Target | None = None) -> Steps[Report]:
    """The report of an audio file: mono, stereo or in a layout. NeedleError if it cannot be read or is none of these.

    Memory does not grow with its length but by some numbers per tenth of a second.
    """
    info = audio_info(path)
    mask = channel_mask(path)
    layout = STEREO if info.channels <= 2 else layout_of_file(info.channels, mask)
    if layout is None:
        raise NeedleError("report.unknown_channel_count", file=path.name, channels=info.channels)
    rows = max(info.channels, 2)
    # Meter frames are whole samples long at the usual rates; at others the file is measured resampled.
    rate = info.rate if info.rate % 50 == 0 and info.rate >= 8000 else _FULL_RATE
    hop, past = FRAMES_PER_HOP * hop_frames(rate), warm_up_frames(rate)
    total = max(info.frames * rate / info.rate, 1.0)
    result: list[Frames] = []
    rest, known, before = np.zeros((rows, 0), np.float32), 0, np.zeros((rows, past), np.float32)

    def measure(audio: np.ndarray) -> None:
        nonlocal before
        joined = np.concatenate([before, audio], axis=1)
        result.append(measure_frames(joined, rate, past, layout))
        before = joined[:, joined.shape[1] - past :]

    for stretch in in_layout_order(read_at(path, rate), layout if mask and layout.surround else None):
        known += stretch.shape[1]
        rest = np.concatenate([rest, np.broadcast_to(stretch, (rows, stretch.shape[1]))], axis=1)
        whole = rest.shape[1] // hop * hop
        if whole >= _STRETCH_SECONDS * rate:
            measure(rest[:, :whole])
            rest = rest[:, whole:]
            yield min(known / total, 1.0)
    if rest.shape[1]:
        # The last tenth of a second is filled up with silence.
        measure(np.pad(rest, ((0, 0), (0, -rest.shape[1] % hop))))
    frames = Frames.joined(result) if result else Frames.silence(0)
    overview = Overview(frames, (0.5, 0.5) if info.channels == 1 else (1.0, 1.0))
    report = _report(overview, 0.0, info.rate, tolerance, target)
    report["channels"] = info.channels
    report["seconds"] = info.frames / info.rate
    return report


def _report(overview: Overview, start: float, rate: int, tolerance: Tolerance, target: Target | None) -> Report:
    thirds = overview.bands().in_thirds()
    figures = overview.figures()
    stretches = [asdict(stretch) for stretch in overview.stretches(tolerance)]
    for stretch in stretches:
        stretch["start"], stretch["end"] = round(stretch["start"] + start, 3), round(stretch["end"] + start, 3)
    return {
        "version": VERSION,
        "start": start,
        "seconds": overview.hops * HOP_SECONDS,
        "rate": rate,
        "channels": 2,
        "tolerance": {"db": tolerance.db, "seconds": tolerance.seconds},
        "figures": figures,
        "target": None if target is None else _against(target, figures),
        "stretches": stretches,
        "sources": [],
        "curves": {"hop": HOP_SECONDS, **{name: listed(values, 2) for name, values in overview.curves().items()}},
        "bands": {
            "centres": [round(float(centre), 1) for centre in THIRD_OCTAVES],
            **{name: row.round(2).tolist() for name, row in thirds.in_db().items()},
            "loss": listed(thirds.mono_loss(), 2),
        },
    }


def _against(target: Target, figures: Mapping[str, float | None]) -> dict[str, Any]:
    """The target, how much louder the programme is (LU), and by how much its true peak is over (dB, + over)."""
    loudness, peak = figures["integrated_lufs"], figures["true_peak_dbtp"]
    off = None if loudness is None else round(loudness - target.lufs, 2)
    over = None if peak is None else round(peak - target.dbtp, 2)
    return {
        **asdict(target),
        "off": off,
        "over": over,
        "met": off is not None and abs(off) <= target.within and over is not None and over <= 0.0,
    }


def _heard(parts: Shares) -> list[Cause]:
    return [cause for cause in causes(parts) if cause.share > _SILENT_SHARE]


def _named(cause: Cause, names: Mapping[str, str]) -> dict[str, Any]:
    fields = asdict(cause)
    numbers = ("adds", "without", "lean", "loudness")
    return {
        **fields,
        **{n: None if fields[n] is None else round(fields[n], 3) for n in numbers},
        "name": names[cause.id],
    }


def curves_csv(report: Report) -> str:
    """Every curve of a report as a table: a row per tenth of a second, empty where there is nothing to say."""
    curves = dict(report["curves"])
    hop = curves.pop("hop")
    out = io.StringIO()
    table = csv.writer(out)
    table.writerow(["seconds", *curves])
    for index, values in enumerate(zip(*curves.values(), strict=True)):
        at = round(report["start"] + (index + 0.5) * hop, 3)
        table.writerow([at, *("" if value is None else value for value in values)])
    return out.getvalue()


def sources_csv(report: Report) -> str:
    """What each source and return contributes, over all that was measured and in each stretch, as a table."""
    out = io.StringIO()
    table = csv.writer(out)
    fields = ("kind", "name", "adds", "without", "lean", "loudness", "share")
    table.writerow(["from", "to", *fields])
    whole = {"start": report["start"], "end": report["start"] + report["seconds"], "causes": report["sources"]}
    for stretch in (whole, *report["stretches"]):
        for cause in stretch.get("causes", []):
            values = ("" if cause[field] is None else cause[field] for field in fields)
            table.writerow([round(stretch["start"], 3), round(stretch["end"], 3), *values])
    return out.getvalue()
