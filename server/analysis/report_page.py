"""What the printed page of a balance report shows: numbers in words, and its curves as lines on one axis of time."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

from needle.automation.grid import bars_words, clock_words
from needle.session.document import tempo_map
from needle.tempo import TempoMap
from server.analysis.models import Report
from server.common.typefaces import typefaces
from server.mixsessions.document_cache import document_for

HEIGHT = 560
"""Of the chart (px); time runs down."""

_MOST_ROWS = 20
_BAND_WIDTH = 13
_CAUSES_SHOWN = 8
_WORTH_DB = 0.1


def report_context(report: Report, data: Mapping[str, Any]) -> dict[str, Any]:
    """Everything that the template needs, ready to be shown."""
    time = _Time(data, _tempo(report))
    figures = data["figures"]
    return {
        "title": report.title,
        "report": report,
        "about": _about(report, data, time),
        "verdict": _verdict(data, time),
        "target": data["target"],
        "figures": [
            ("Loudness", _number(figures["integrated_lufs"]), "LUFS"),
            ("Range", _number(figures["loudness_range_lu"]), "LU"),
            ("Short-term, max.", _number(figures["short_term_max_lufs"]), "LUFS"),
            ("Momentary, max.", _number(figures["momentary_max_lufs"]), "LUFS"),
            ("True peak", _number(figures["true_peak_dbtp"]), "dBTP"),
            ("Lean", lean_words(figures["lean_db"]), ""),
            ("Correlation", _number(figures["correlation"], 2, sign=True), ""),
            ("Mono loss", _number(figures["mono_loss_db"]), "dB"),
        ],
        "height": HEIGHT,
        "marks": time.marks(),
        "columns": _columns(data, time),
        "stretches": [_stretch(number, row, time) for number, row in enumerate(data["stretches"], start=1)],
        "sources": [_source(row) for row in sorted(data["sources"], key=lambda row: -row["share"])],
        "bands": _bands(data["bands"]),
        "tolerance": data["tolerance"],
        "fonts": typefaces(),
    }


def _tempo(report: Report) -> TempoMap | None:
    return None if report.revision is None else tempo_map(document_for(report.session, report.revision))


class _Time:
    """The chart's axis of time, told in bars where there are any."""

    def __init__(self, data: Mapping[str, Any], tempo: TempoMap | None) -> None:
        self.start, self.seconds, self.tempo = data["start"], max(data["seconds"], 0.1), tempo

    def y(self, at: float) -> float:
        return round((at - self.start) / self.seconds * HEIGHT, 2)

    def bar(self, at: float) -> int:
        return self.tempo.bar_sounding(at)

    def between(self, start: float, end: float) -> str:
        if self.tempo is None:
            return f"{clock_words(start)}–{clock_words(end)}"
        return f"{bars_words(self.tempo, start, end)} ({clock_words(start)}–{clock_words(end)})"

    def marks(self) -> list[dict[str, Any]]:
        """Lines across the chart: every few bars, or every few seconds."""
        end = self.start + self.seconds
        if self.tempo is None:
            step = next(
                s for s in (1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1800, 7200) if self.seconds / s <= _MOST_ROWS
            )
            first = -(-self.start // step) * step
            times = [first + step * i for i in range(int((end - first) // step) + 1)]
            return [{"y": self.y(at), "text": clock_words(at).split(".")[0]} for at in times]
        first, last = self.bar(self.start), self.bar(end - 1e-3)
        step = next(s for s in (1, 2, 4, 8, 16, 32, 64, 128, 1024) if (last - first) / s <= _MOST_ROWS)
        bars = [bar for bar in range(first, last + 1) if (bar - 1) % step == 0]
        return [{"y": self.y(self.tempo.seconds_at(self.tempo.beat_of_bar(bar))), "text": str(bar)} for bar in bars]


def lean_words(lean: float | None) -> str:
    """R 1.9 dB, even, or a dash where there is nothing to say."""
    if lean is None:
        return "–"
    return "even" if abs(lean) < 0.05 else f"{'R' if lean > 0 else 'L'} {abs(lean):.1f} dB"


def _number(value: float | None, digits: int = 1, sign: bool = False) -> str:
    if value is None:
        return "–"
    text = f"{value:+.{digits}f}" if sign else f"{value:.{digits}f}"
    return text.replace("-", "−")


def _side(value: float | None) -> str:
    return "" if value is None or abs(value) < 0.05 else ("right" if value > 0 else "left")


def _about(report: Report, data: Mapping[str, Any], time: _Time) -> str:
    end = time.start + time.seconds
    if report.revision is None:
        sides = {1: "mono", 2: "stereo"}.get(data["channels"], f"{data['channels']}-channel")
        return f"A {sides} file at {data['rate'] / 1000:g} kHz, {clock_words(data['seconds'])}"
    part = (
        time.between(time.start, end)
        if report.start or report.end
        else f"the whole piece, {clock_words(time.seconds)}"
    )
    return f"Revision {report.revision}, {part}"


def _verdict(data: Mapping[str, Any], time: _Time) -> list[str]:
    """What the report comes to, in a few sentences."""
    tolerance = f"{data['tolerance']['db']:g} dB for {data['tolerance']['seconds']:g} s"
    result = data["stretches"]
    if data["figures"]["integrated_lufs"] is None and data["figures"]["sample_peak_dbfs"] is None:
        return ["It is silent: there is nothing to measure."]
    if not result:
        sentences = [f"It stays within the tolerance ({tolerance})."]
    else:
        worst = max(result, key=lambda row: abs(row["worst_db"]))
        times = "once" if len(result) == 1 else f"{len(result)} times"
        where = time.between(worst["start"], worst["end"])
        sentences = [
            f"It leans over tolerance ({tolerance}) {times}; worst {lean_words(worst['worst_db'])}, {where}."
        ]
    if target := data["target"]:
        off, over = target["off"], target["over"]
        if off is not None:
            how = "on" if abs(off) <= target["within"] else f"{abs(off):.1f} LU {'above' if off > 0 else 'below'}"
            sentences.append(
                f"Its loudness is {how} the target of {_number(target['lufs'], 0)} LUFS ({target['title']})."
            )
        if over is not None:
            how = f"{over:.1f} dB over" if over > 0 else f"{-over:.1f} dB under"
            sentences.append(f"Its true peak is {how} the ceiling of {_number(target['dbtp'], 0)} dBTP.")
    return sentences


def _columns(data: Mapping[str, Any], time: _Time) -> list[dict[str, Any]]:
    curves, hop = data["curves"], data["curves"]["hop"]

    def column(
        title: str,
        name: str,
        low: float,
        high: float,
        ticks: Sequence[tuple[float, str]],
        middle: float | None = None,
    ) -> dict[str, Any]:
        width = 210 if name == "lean_long" else 120

        def x(value: float) -> float:
            return round((min(max(value, low), high) - low) / (high - low) * width, 2)

        result = {
            "title": title,
            "width": width,
            "lines": _lines(curves[name], lambda i: time.y(time.start + (i + 0.5) * hop), x),
            "ticks": [{"x": x(value), "text": text} for value, text in ticks],
            "middle": None if middle is None else x(middle),
        }
        if name == "lean_long":
            allowed = data["tolerance"]["db"]
            result |= {"zone": x(-allowed), "zone_width": x(allowed) - x(-allowed)}
            result["areas"] = [
                {"side": side, "paths": _areas(curves[name], lambda i: time.y(time.start + (i + 0.5) * hop), x, sign)}
                for side, sign in (("left", -1.0), ("right", 1.0))
            ]
        return result

    return [
        column("Lean, 3 s", "lean_long", -6, 6, [(-6, "6 L"), (-3, "3"), (0, "even"), (3, "3"), (6, "6 R")], 0.0),
        column("Loudness, 3 s", "short_term", -48, -6, [(-48, "−48"), (-36, "−36"), (-24, "−24"), (-12, "−12")]),
        column("Correlation, 3 s", "correlation", -1, 1, [(-1, "−1"), (0, "0"), (1, "+1")], 0.0),
        column("Mono loss, 3 s", "mono_loss", -9, 0, [(-9, "−9"), (-6, "−6"), (-3, "−3"), (0, "0 dB")]),
    ]


def _runs(values: Sequence[float | None]) -> Iterable[list[int]]:
    run: list[int] = []
    for index, value in enumerate(values):
        if value is not None:
            run.append(index)
        elif run:
            yield run
            run = []
    if run:
        yield run


def _lines(values: Sequence[float | None], y: Callable[[int], float], x: Callable[[float], float]) -> list[str]:
    """The curve as polylines, one for each run of values; long ones by every nth value."""
    step = max(len(values) // 1200, 1)
    return [" ".join(f"{x(values[i])},{y(i)}" for i in run[::step]) for run in _runs(values)]


def _areas(
    values: Sequence[float | None], y: Callable[[int], float], x: Callable[[float], float], sign: float
) -> list[str]:
    """What lies between the curve and the middle on one side, as polygons."""
    step = max(len(values) // 1200, 1)
    result = []
    for run in _runs(values):
        points = run[::step]
        edge = [f"{x(max(values[i] * sign, 0.0) * sign)},{y(i)}" for i in points]
        result.append(" ".join([f"{x(0.0)},{y(points[0])}", *edge, f"{x(0.0)},{y(points[-1])}"]))
    return result


def _stretch(number: int, row: Mapping[str, Any], time: _Time) -> dict[str, Any]:
    pulling = [cause for cause in row.get("causes", []) if abs(cause["adds"]) >= _WORTH_DB]
    if len(pulling) > _CAUSES_SHOWN:
        # The strongest on either side.
        pulling = pulling[: _CAUSES_SHOWN // 2] + pulling[-(_CAUSES_SHOWN // 2) :]
    widest = max((abs(cause["adds"]) for cause in pulling), default=1.0) or 1.0
    return {
        "number": number,
        "where": time.between(row["start"], row["end"]),
        "seconds": f"{row['end'] - row['start']:.1f} s",
        "mean": lean_words(row["mean_db"]),
        "worst": lean_words(row["worst_db"]),
        "side": _side(row["mean_db"]),
        "y": time.y((row["start"] + row["end"]) / 2.0),
        "causes": [
            {
                "name": cause["name"],
                "kind": cause["kind"],
                "adds": lean_words(cause["adds"]),
                "side": _side(cause["adds"]),
                "width": round(abs(cause["adds"]) / widest * 90, 1),
                "without": lean_words(cause["without"]),
            }
            for cause in pulling
        ],
    }


def _source(row: Mapping[str, Any]) -> dict[str, Any]:
    return {
        "name": row["name"],
        "kind": row["kind"],
        "loudness": _number(row["loudness"]),
        "lean": lean_words(row["lean"]),
        "lean_side": _side(row["lean"]),
        "adds": lean_words(row["adds"]),
        "adds_side": _side(row["adds"]),
        "share": f"{row['share'] * 100:.1f} %",
    }


def _bands(bands: Mapping[str, Any]) -> list[dict[str, Any]]:
    """The thirds of an octave, with what mono loses in each."""
    result = []
    for index, (centre, loss) in enumerate(zip(bands["centres"], bands["loss"], strict=True)):
        text = f"{centre / 1000:g}k" if centre >= 1000 else f"{centre:.0f}"
        result.append(
            {
                "x": index * _BAND_WIDTH,
                "depth": 0.0 if loss is None else round(min(-loss, 12.0) / 12.0 * 80.0, 1),
                "bad": loss is not None and loss < -6.0,
                "text": text if index % 3 == 1 else "",
            }
        )
    return result
