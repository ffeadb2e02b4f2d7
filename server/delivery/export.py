"""Making a delivery: every file that was ordered, one after the other, and a list of what they are."""

import json
import shutil
from collections.abc import Generator, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from django.conf import settings
from django.template.loader import render_to_string

from needle.balance.progress import Steps
from needle.errors import NeedleError
from needle.export.chart import Charted, write_chart
from needle.export.deliverables import Sound, Sounds, sounds_of
from needle.export.files import measure_sounds, write_sounds
from needle.export.loudness import Levelled, levelled
from needle.export.naming import Names, words_of
from needle.export.passage import passage_of
from needle.export.report import curves_csv, mix_report, sources_csv
from needle.io.adm.from_mix import louder, mix_to_adm
from needle.io.adm.write import write_adm
from needle.io.bundle import write_bundle
from needle.io.containers import append_markers
from needle.io.lanes import lanes_json, lanes_table
from needle.io.midi_automation import write_midi_moves
from needle.messages import Message
from needle.metering.lean import Tolerance, hops_between, hops_in
from needle.metering.targets import Target
from needle.mix.model import Mix
from needle.render.blocks import usable_cores
from needle.session.document import groups_in, markers_in, names_in, tempo_map
from needle.session.validation import Document
from server.analysis.models import Report
from server.analysis.report_page import report_context
from server.delivery.models import Delivery
from server.delivery.orders import Order
from server.media.assets import asset_audio
from server.media.mixes import mix_at
from server.media.segments import known_frames, known_shares
from server.media.tasks import advance
from server.mixsessions.document_cache import document_for

_ROOM_TO_SPARE = 1 << 30

File = dict[str, Any]
Work = Generator[float, None, None]
"""Yields the share that is done."""


@dataclass
class _Step:
    """A part of the work: what it is called, about how long it takes against others, and what does it."""

    title: Message
    weight: float
    work: Work


def make(delivery: Delivery) -> None:
    """Make a delivery's files, beside their place at first, so that what is there is whole."""
    partial = delivery.folder.with_name(f"{delivery.id}.partial")
    shutil.rmtree(partial, ignore_errors=True)
    partial.mkdir(parents=True)
    try:
        maker = _Maker(delivery, partial)
        maker.run()
        partial.replace(delivery.folder)
        advance(delivery, 1.0, files=maker.files, notes=maker.notes, doing=None)
    except BaseException:
        shutil.rmtree(delivery.folder, ignore_errors=True)
        raise
    finally:
        shutil.rmtree(partial, ignore_errors=True)


class _Maker:
    def __init__(self, delivery: Delivery, folder: Path) -> None:
        self.delivery, self.folder = delivery, folder
        self.order = Order(**delivery.order)
        self.mix: Mix = mix_at(delivery.session, delivery.revision)
        self.document: Document = document_for(delivery.session, delivery.revision)
        self.start, self.stop = delivery.start, delivery.stop
        self.seconds = (self.stop - self.start) / self.mix.rate
        self.common = words_of(
            self.document, self.mix, self.start, self.stop, delivery.revision, datetime.now(UTC).date()
        )
        self.names = Names(self.order.pattern, self.common)
        self.files: list[File] = []
        self.notes: list[Message] = []
        self.level: Levelled | None = None
        self.report: dict[str, Any] | None = None
        self.called = names_in(self.document)

    def run(self) -> None:
        """Do everything that was ordered."""
        steps = self._steps()
        whole, done = sum(step.weight for step in steps), 0.0
        for step in steps:
            self._tell(step, done / whole)
            for share in step.work:
                advance(self.delivery, 0.99 * (done + share * step.weight) / whole)
            done += step.weight
        self._add("Contents", "Contents", ".txt", "list", lambda path: path.write_text(self._contents(), "utf-8"))

    def _tell(self, step: _Step, share: float) -> None:
        advance(self.delivery, 0.99 * share, doing=step.title)

    def _steps(self) -> list[_Step]:
        order, groups = self.order, groups_in(self.document)
        sounds = sounds_of(self.mix, order.mix, tuple(order.folds), order.stems, self.called, groups)
        self._check_room(sounds)
        steps = []
        if order.loudness and (sounds or order.report or order.adm):
            measured = self._with_mix(sounds)
            weight = 0.7 * sum(map(self._weight, measured))
            steps.append(_Step(Message("delivery.measuring"), weight, self._measured(measured)))
        if sounds:
            steps.append(_Step(self._title(sounds), sum(map(self._weight, sounds)), self._sounds(sounds)))
        if order.adm:
            steps.append(_Step(Message("delivery.adm"), 1.5, self._adm()))
        if order.moves:
            steps.append(_Step(Message("delivery.moves"), 0.1, self._moves()))
        if order.report or order.chart:
            steps.append(_Step(Message("delivery.report"), 3.0, self._measure_balance()))
        if order.report:
            steps.append(_Step(Message("delivery.report"), 0.1, self._report()))
        if order.chart:
            steps.append(_Step(Message("delivery.chart"), 0.3, self._chart()))
        if order.bundle:
            steps.append(_Step(Message("delivery.bundle"), 1.0, self._bundle()))
        return steps

    @staticmethod
    def _weight(sound: Sound) -> float:
        return {"mix": 1.0, "fold": 0.6}.get(sound.kind, 0.3)

    @staticmethod
    def _title(sounds: Sounds) -> Message:
        titles = [sound.title for sound in sounds]
        return Message("delivery.sounds", name=titles[0], others=len(titles) - 1, count=len(titles))

    def _with_mix(self, sounds: Sounds) -> Sounds:
        """What is measured for one loudness of all: the mix first, whether it was ordered or not."""
        mix = sounds_of(self.mix, True, (), "", {}, {})
        others = tuple(sound for sound in sounds if sound.kind != "mix")
        return replace(sounds, sounds=(*mix.sounds, *others))

    def _check_room(self, sounds: Sounds) -> None:
        """NeedleError if the disk has no room for what is to be made."""
        channels = sum(len(sound.layout.channels) for sound in sounds)
        tracks = 2 * len(self.mix.sources) if self.order.adm else 0
        needed = (channels * (self.stop - self.start) + tracks * self.mix.frames) * 4
        if shutil.disk_usage(settings.DATA_DIR).free < needed + _ROOM_TO_SPARE:
            raise NeedleError("delivery.no_room", needed=round(needed / 2**30, 1))

    # What becomes of each part.

    def _measured(self, sounds: Sounds) -> Work:
        """One gain for the whole delivery: the mix at its target, and no file over the ceiling."""
        aim = self.order.loudness
        if aim is None:
            return
        mix, *others = yield from measure_sounds(sounds, self.start, self.stop, threads=usable_cores())
        titles = [sound.title for sound in sounds][1:]
        peaks = {title: result["true_peak_dbtp"] for title, result in zip(titles, others, strict=True)}
        self.level = levelled(mix["integrated_lufs"], mix["true_peak_dbtp"], aim.lufs, aim.dbtp, peaks)
        self.notes += self.level.notes

    @property
    def gain(self) -> float:
        """How much louder (dB) every sound is made."""
        return self.level.gain if self.level else 0.0

    def _sounds(self, sounds: Sounds) -> Work:
        """Every sound as a file, in one pass."""
        first = len(self.files)
        paths = [self.folder / str(first + number) for number in range(len(sounds))]
        order = self.order
        steps = write_sounds(
            sounds, paths, self.start, self.stop, order.format, gain=self.gain, threads=usable_cores()
        )
        files = yield from steps
        if order.format.startswith(("wav", "rf64")):
            self._mark(paths)
        for sound, path, file in zip(sounds, paths, files, strict=True):
            result = file.measured
            measured = {
                "lufs": _rounded(result["integrated_lufs"]),
                "dbtp": _rounded(result["true_peak_dbtp"]),
                "lean": _rounded(result["lean_db"]),
                "clipped": file.clipped,
                "channels": [channel.label for channel in sound.layout.channels],
            }
            self._keep(self.names.of(sound.title, sound.word, order.ending), sound.kind, path, **measured)
            if file.clipped:
                clipped = "delivery.over_in_float" if "float" in order.format else "delivery.clipped"
                self.notes.append(Message(clipped, file=sound.title, count=file.clipped))

    def _mark(self, paths: Sequence[Path]) -> None:
        """Put a marker in every file where a passage begins."""
        document = self._passage()
        tempo = tempo_map(document)
        markers = [(round(tempo.seconds_at(beat) * self.mix.rate), name) for beat, name in markers_in(document)]
        for path in paths:
            append_markers(path, [(frame, name) for frame, name in markers if frame < self.stop - self.start])

    def _passage(self) -> Document:
        """The session's document as that of what is delivered."""
        return passage_of(self.document, self.start / self.mix.rate, self.stop / self.mix.rate)

    def _adm(self) -> Work:
        result = mix_to_adm(self.mix, self.document["session"]["name"], self.called)
        self.notes += result.programme.notes
        if not result.programme.objects:
            self.notes.append(Message("delivery.no_objects"))
            return
        path = self.folder / str(len(self.files))
        yield from write_adm(path, self.mix, louder(result, self.gain), self.start, self.stop)
        objects = [each for each in result.programme.objects if not each.bed]
        beds = len(result.programme.objects) - len(objects)
        summary = f"{len(objects)} objects, {beds} beds, {result.programme.tracks} tracks"
        self._keep(self.names.of("Objects", "Objects", ".wav"), "adm", path, said=summary)

    def _moves(self) -> Work:
        document = self._passage()
        tempo = tempo_map(document)
        writers = {
            "csv": (".csv", lambda path: path.write_text(lanes_table(document, tempo), "utf-8")),
            "json": (".json", lambda path: path.write_text(lanes_json(document), "utf-8")),
            "midi": (".mid", lambda path: write_midi_moves(path, document, tempo, self.seconds)),
            "midi-fine": (".mid", lambda path: write_midi_moves(path, document, tempo, self.seconds, True)),
        }
        for number, kind in enumerate(dict.fromkeys(self.order.moves), start=1):
            ending, write = writers[kind]
            title = "Automation 14 bit" if kind == "midi-fine" else "Automation"
            self._add(title, "Automation", ending, "moves", write)
            yield number / len(self.order.moves)

    def _measure_balance(self) -> Work:
        start, end = (frame / self.mix.rate for frame in (self.start, self.stop))
        first, last = hops_between(start, end, hops_in(self.mix.length))
        tolerance = Tolerance(self.order.tolerance_db, self.order.tolerance_seconds)
        aim = self.order.loudness
        target = Target("wanted", "ordered", aim.lufs, aim.dbtp, 1.0) if aim else None
        steps: Steps[dict[str, Any]] = mix_report(
            self.mix, self.called, first, max(last, first + 1), tolerance, target, known_frames, known_shares
        )
        self.report = yield from steps

    def _report(self) -> Work:
        data = self.report
        if data is None:
            return
        whole = (self.start, self.stop) == (0, self.mix.frames)
        edges = (0.0, 0.0) if whole else (self.start / self.mix.rate, self.stop / self.mix.rate)
        about = Report(
            session=self.delivery.session,
            title=self.document["session"]["name"],
            revision=self.delivery.revision,
            start=edges[0],
            end=edges[1],
            created_at=datetime.now(UTC),
        )
        # Away from the server there are no typefaces to fetch.
        page = render_to_string("report.html", {**report_context(about, data), "fonts": []})
        for title, ending, text in (
            ("Balance report", ".html", page),
            ("Balance report", ".json", json.dumps(data, allow_nan=False)),
            ("Balance curves", ".csv", curves_csv(data)),
            ("Balance sources", ".csv", sources_csv(data)),
        ):
            self._add(title, "Report", ending, "report", lambda path, text=text: path.write_text(text, "utf-8"))
        if self.gain:
            self.notes.append(Message("delivery.report_before_gain"))
        yield 1.0

    def _chart(self) -> Work:
        lean = self.report["curves"]["lean_long"] if self.report else []
        charted = Charted(self.mix, self.document, self.start / self.mix.rate, self.stop / self.mix.rate, lean)
        path = self.folder / str(len(self.files))
        yield from write_chart(path, charted)
        self._keep(self.names.of("Automation chart", "Report", ".pdf"), "chart", path)

    def _bundle(self) -> Work:
        rate = self.document["session"]["rate"]
        path = self.folder / str(len(self.files))
        yield from write_bundle(path, self.document, lambda asset: asset_audio(asset, rate))
        self._keep(self.names.of("Session", "Session", ".zip"), "bundle", path)

    # The list of files.

    def _add(self, title: str, kind: str, ending: str, sort: str, write: Any) -> None:
        path = self.folder / str(len(self.files))
        write(path)
        self._keep(self.names.of(title, kind, ending), sort, path)

    def _keep(self, name: str, kind: str, path: Path, **measured: Any) -> None:
        self.files.append({"name": name, "kind": kind, "bytes": path.stat().st_size, **measured})

    def _contents(self) -> str:
        """What is delivered, as a text to read."""
        session = self.document["session"]
        lines = [
            f"{session['name']}, revision {self.delivery.revision}",
            f"{session['rate']} Hz, {session['layout']}, {self.seconds:.2f} s {self.common['passage']}".strip(),
            "",
        ]
        for file in self.files:
            told_of = []
            if file.get("lufs") is not None:
                told_of.append(f"{file['lufs']:.1f} LUFS")
            if file.get("dbtp") is not None:
                told_of.append(f"{file['dbtp']:.1f} dBTP")
            if len(file.get("channels", [])) > 2:
                told_of.append("channels in the file's own order by its mask")
            lines.append(f"{file['name']}" + (f"  ({', '.join(told_of)})" if told_of else ""))
        return "\n".join([*lines, "", *map(str, self.notes), ""])


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, 2)
