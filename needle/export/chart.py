"""The moves of a mix as a chart to print: time runs down the page, left is left, page after page.

Behind every source's line stands how far the mix leans, if it has been measured, on the same axis of time; in a
room a second column shows back and front.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np

from needle.automation.curve import Values
from needle.automation.grid import bars_words, clock_words
from needle.metering.lean import HOP_SECONDS
from needle.mix.model import Mix, MixSource
from needle.render.trajectories import places
from needle.session.document import tempo_map
from needle.session.validation import Document
from needle.tempo import TempoMap

INKS = (
    "#2e5e8c", "#b23a48", "#5b4fb0", "#7d6b00", "#a2307a", "#2f7d3b", "#7a4a2b", "#1577b8", "#9256b8", "#4a545c",
)  # fmt: skip
"""Ten inks for sources, told apart in common colour blindness."""

LEFT, RIGHT, INK, QUIET, RULE = "#b4532a", "#1f6f78", "#20262b", "#5a6664", "#cfdcd3"
_DASHES = ("-", (0, (6, 2)), (0, (1.5, 1.5)), (0, (6, 2, 1.5, 2)))
"""After ten sources the inks come round with another dash."""

_SIZE = (8.27, 11.69)
_BARS_A_PAGE = 24
_STEPS_A_SECOND = 40
_MOST_IN_LEGEND = 60
_LEAN_DB = 6.0


@dataclass(frozen=True)
class Charted:
    """What a chart shows: a session's mix from ``start`` to ``end`` (s), and its lean, if it was measured.

    ``lean``: how far it leans (dB, + to the right) every tenth of a second from ``start`` on, None where silent.
    """

    mix: Mix
    document: Document
    start: float
    end: float
    lean: Sequence[float | None] = ()

    @property
    def title(self) -> str:
        """The session's name."""
        return str(self.document["session"]["name"])

    @property
    def tempo(self) -> TempoMap:
        """On which its times fall."""
        return tempo_map(self.document)

    @property
    def sources(self) -> list[MixSource]:
        """What is drawn: what is not muted."""
        return [source for source in self.mix.sources if not source.muted]


def write_chart(path: Path, charted: Charted) -> Iterator[float]:
    """Write the chart as a PDF; the share that is done, page by page."""
    from matplotlib.backends.backend_pdf import PdfPages

    pages = _pages(charted)
    # Nothing of it depends on when it was made: the same moves give the same file.
    about = {"Title": f"{charted.title}: moves", "Creator": "Wandering Needle", "CreationDate": datetime(2000, 1, 1)}
    with PdfPages(path, metadata=about) as pdf:
        for number, (low, high) in enumerate(pages, start=1):
            figure = _page(charted, low, high, f"{number} / {len(pages)}")
            pdf.savefig(figure)
            yield number / len(pages)


def _pages(charted: Charted) -> list[tuple[float, float]]:
    """Stretches (s) of as many bars as a page holds."""
    tempo = charted.tempo
    first = tempo.bar_sounding(charted.start)
    result, low = [], charted.start
    while low < charted.end - 1e-6:
        first += _BARS_A_PAGE
        high = min(tempo.seconds_at(tempo.beat_of_bar(first)), charted.end)
        if high > low:
            result.append((low, high))
        low = max(high, low)
    return result


def _page(charted: Charted, low: float, high: float, page: str) -> Any:
    from matplotlib.figure import Figure

    mix = charted.mix
    figure = Figure(figsize=_SIZE, facecolor="white")
    sources = charted.sources[:_MOST_IN_LEGEND]
    rows = -(-len(sources) // 4)
    bottom = 0.05 + 0.0135 * rows
    widths = [0.62, 0.22] if mix.room.surround else [0.86]
    left = 0.09
    axes = []
    for width in widths:
        axes.append(figure.add_axes((left, bottom, width, 0.90 - bottom)))
        left += width + 0.02
    figure.text(0.09, 0.955, charted.title, fontsize=15, fontweight="bold", color=INK)
    figure.text(0.95, 0.955, page, fontsize=9, color=QUIET, ha="right")
    caption = f"{bars_words(charted.tempo, low, high)} ({clock_words(low)}–{clock_words(high)})"
    said = f"Moves, {caption}. Time runs down; left is left."
    if len(charted.lean):
        said += f" Filled: how the mix leans, {_LEAN_DB:.0f} dB at L50 and R50."
    figure.text(0.09, 0.937, said, fontsize=8.5, color=QUIET)
    _across(axes[0], charted, low, high)
    if mix.room.surround:
        _depths(axes[1], charted, low, high)
    _legend(figure, charted, sources, bottom)
    return figure


def _across(axes: Any, charted: Charted, low: float, high: float) -> None:
    tempo = charted.tempo
    ticks = [(-1.0, "L100"), (-0.5, "L50"), (0.0, "C"), (0.5, "R50"), (1.0, "R100")]
    _ruled(axes, tempo, low, high, ticks, (LEFT, LEFT, INK, RIGHT, RIGHT))
    axes.set_xlim(-1.08, 1.08)
    for passage in charted.document["passages"].values():
        begins, ends = (tempo.seconds_at(passage[edge]) for edge in ("start", "end"))
        if begins < high and ends > low:
            axes.axhline(max(begins, low), color=QUIET, linewidth=0.7)
            axes.text(-1.06, max(begins, low), f" {passage['name']}", fontsize=7.5, color=QUIET, va="top", zorder=5)
    _lean(axes, charted, low, high)
    _lines(axes, charted, low, high, 0)


def _depths(axes: Any, charted: Charted, low: float, high: float) -> None:
    _ruled(
        axes, charted.tempo, low, high, [(-1.0, "back"), (0.0, "middle"), (1.0, "front")], (INK, INK, INK), bars=False
    )
    axes.set_xlim(-1.15, 1.15)
    _lines(axes, charted, low, high, 1)


def _ruled(
    axes: Any,
    tempo: TempoMap,
    low: float,
    high: float,
    ticks: list[tuple[float, str]],
    colours: tuple[str, ...],
    bars: bool = True,
) -> None:
    """Paper: bars down the margin, the scale across the top."""
    axes.set_ylim(high, low)
    for side in ("top", "right", "bottom", "left"):
        axes.spines[side].set_visible(False)
    axes.xaxis.tick_top()
    axes.set_xticks([at for at, _ in ticks], [text for _, text in ticks], fontsize=8)
    for label, colour in zip(axes.get_xticklabels(), colours, strict=True):
        label.set_color(colour)
    axes.tick_params(length=0)
    for at, _ in ticks:
        axes.axvline(at, color=RULE, linewidth=1.0 if at == 0.0 else 0.5, zorder=0)
    marks, names = [], []
    bar = tempo.bar_sounding(low)
    while (at := tempo.seconds_at(tempo.beat_of_bar(bar))) < high - 1e-6:
        if at >= low - 1e-6:
            axes.axhline(at, color=RULE, linewidth=0.5, zorder=0)
            marks.append(at)
            names.append(str(bar))
        bar += 1
    axes.set_yticks(marks, names if bars else [""] * len(marks), fontsize=7.5, color=QUIET)


def _lean(axes: Any, charted: Charted, low: float, high: float) -> None:
    """How far the mix leans, filled from the middle to the side that it leans to: half the field is 6 dB."""
    if not len(charted.lean):
        return
    at = charted.start + (np.arange(len(charted.lean)) + 0.5) * HOP_SECONDS
    in_view = (at >= low - HOP_SECONDS) & (at <= high + HOP_SECONDS)
    lean = np.array([0.0 if value is None else value for value in charted.lean])[in_view]
    across = np.clip(lean / _LEAN_DB, -1.0, 1.0) * 0.5
    axes.fill_betweenx(at[in_view], 0.0, np.minimum(across, 0.0), color=LEFT, alpha=0.25, linewidth=0, zorder=1)
    axes.fill_betweenx(at[in_view], 0.0, np.maximum(across, 0.0), color=RIGHT, alpha=0.25, linewidth=0, zorder=1)


def _lines(axes: Any, charted: Charted, low: float, high: float, coordinate: int) -> None:
    """Every source's way from side to side (``coordinate`` 0), or from back to front (1)."""
    times = np.linspace(low, high, max(round((high - low) * _STEPS_A_SECOND), 2))
    for index, source in enumerate(charted.sources):
        for end in places(charted.mix, source, times):
            _line(axes, charted, source, index, end[coordinate], times)


def _line(axes: Any, charted: Charted, source: MixSource, index: int, across: Values, times: Values) -> None:
    moves = bool(np.ptp(across) > 1e-6)
    colour = charted.document["sources"][source.id]["colour"]
    axes.plot(
        across,
        times,
        color=INKS[colour % len(INKS)],
        linestyle=_DASHES[index // len(INKS) % len(_DASHES)],
        linewidth=1.7 if moves else 0.8,
        alpha=1.0 if moves else 0.6,
        solid_capstyle="butt",
        zorder=4 if moves else 3,
    )


def _legend(figure: Any, charted: Charted, sources: Sequence[MixSource], bottom: float) -> None:
    for index, source in enumerate(sources):
        row, column = index // 4, index % 4
        x, y = 0.09 + column * 0.215, bottom - 0.022 - row * 0.0135
        thing = charted.document["sources"][source.id]
        figure.add_artist(_swatch(x, y + 0.003, INKS[thing["colour"] % len(INKS)], _DASHES[index // len(INKS) % 4]))
        figure.text(x + 0.035, y, _shortened(thing["name"]), fontsize=7.5, color=INK)


def _swatch(x: float, y: float, colour: str, dash: Any) -> Any:
    from matplotlib.lines import Line2D

    return Line2D([x, x + 0.028], [y, y], color=colour, linestyle=dash, linewidth=1.7)


def _shortened(name: str) -> str:
    return name if len(name) <= 26 else f"{name[:25]}…"
