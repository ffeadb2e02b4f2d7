"""Object audio: every random session as an ADM file that keeps the Recommendation's rules, and back as it was."""

import tempfile
from pathlib import Path

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given

from needle.automation.curve import Lane, Point
from needle.errors import NeedleError
from needle.io.adm.from_mix import mix_to_adm, moves_of
from needle.io.adm.model import AdmProgramme
from needle.io.adm.read import read_programme
from needle.io.adm.steps import crossfade_moves
from needle.io.adm.to_session import import_adm, session_of
from needle.io.adm.write import clock, write_adm
from needle.io.audio import AudioInfo
from needle.io.bundle import Bundle
from needle.io.bw64 import Bw64Writer, TrackRow, description_of, opened
from needle.mix.model import Mix, MixSource
from needle.mix.speaker_routing import SpeakerRoute, SpeakerRouting
from needle.render.engine import render_audio
from needle.render.trajectories import places
from needle.room_coordinates import polar_to_room, room_to_polar, unit_vectors
from needle.session.document import mix_of
from needle.units import db_to_gain
from tests import examples
from tests.core.adm_rules import check_file
from tests.core.sessions import SECONDS, audio, documents
from tests.core.strategies import RATE, tone

PATH = "objects.wav"


def written(folder: Path, mix: Mix) -> tuple[Path, AdmProgramme]:
    names = {one.id: f"{one.id} é<&" for one in (*mix.sources, *mix.returns)}
    export = mix_to_adm(mix, "Night & day", names)
    list(write_adm(folder / PATH, mix, export))
    return folder / PATH, export.programme


def read(path: Path) -> AdmProgramme:
    with opened(path) as file:
        return read_programme(path, AudioInfo(file.samplerate, file.channels, file.frames))


def angle_between(one: np.ndarray, other: np.ndarray) -> np.ndarray:
    """Degrees between directions of places in the room (3, times)."""
    vectors = [unit_vectors(*room_to_polar(*places)[:2]) for places in (one, other)]
    return np.degrees(np.arccos(np.clip((vectors[0] * vectors[1]).sum(axis=0), -1.0, 1.0)))


class Folder(SimpleTestCase):
    def folder(self) -> Path:
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        return Path(made.name)


class Random(Folder):
    @examples(15)
    @given(documents())
    def test_keeps_the_rules_and_tells_all_that_sounds(self, document: dict) -> None:
        mix = mix_of(document, audio)
        path, programme = written(self.folder(), mix)
        extended = check_file(path.read_bytes(), RATE, mix.frames)
        self.assertEqual(len(extended.findall("audioObject")), len(programme.objects))
        fed = {to for source in mix.sources for to in source.sends}
        self.assertEqual(len([one for one in programme.objects if one.name.startswith("hall")]), len(fed))

    @examples(15)
    @given(documents(plain=True))
    def test_places_and_gains_come_back(self, document: dict) -> None:
        mix = mix_of(document, audio)
        path, _ = written(self.folder(), mix)
        programme = read(path)
        # What would be too loud for the file is softer there, and its gain louder.
        softer = [
            mix_to_adm(mix, "", dict.fromkeys(self.ids(mix), "")).tracks[i].gain for i in range(programme.tracks)
        ]
        back, _ = session_of(programme, AudioInfo(RATE, programme.tracks, mix.frames))
        again = mix_of(back, lambda asset: np.zeros((back_channels(back, asset), mix.frames), np.float32))
        times = np.linspace(0.0, SECONDS, 301)
        for index, key in enumerate(self.objects_of(programme, back)):
            returned = next(one for one in again.sources if one.id == key)
            told_as = [one for one in programme.objects if not one.bed][index]
            scale = [softer[channel.track] for channel in told_as.channels]
            self.compare(mix, mix.sources[index], again, returned, times, scale)

    @staticmethod
    def ids(mix: Mix) -> list[str]:
        return [one.id for one in (*mix.sources, *mix.returns)]

    def objects_of(self, programme: AdmProgramme, back: dict) -> list[str]:
        objects = [one for one in programme.objects if not one.bed]
        keys = [key for key, row in back["sources"].items() if row["name"] in {one.name for one in objects}]
        return keys[: len(objects)]

    def compare(
        self, mix: Mix, source: MixSource, again: Mix, returned: MixSource, times: np.ndarray, scale: list[float]
    ) -> None:
        told_moves, back_moves = moves_of(mix, source), moves_of(again, returned)
        if any(len(crossfade_moves(moves)) > 1 for moves in told_moves):
            # It sounds as it did, but by two sources.
            return
        stands = places(again, returned, times)
        self.assertEqual([len(told_moves), len(stands)], [len(back_moves)] * 2)
        near = jumps_near(mix, source, times)
        for blocks, after, there, softer in zip(told_moves, back_moves, stands, scale, strict=True):
            (before,) = crossfade_moves(blocks)
            at = [np.interp(times, before.times, getattr(before, n)) for n in ("azimuth", "elevation", "distance")]
            # In the very middle there is no direction, and next to a jump no one place.
            away = (np.minimum(at[2], room_to_polar(*there)[2]) > 0.05) & ~near
            self.assertLess(angle_between(polar_to_room(*at), there)[away].max(initial=0.0), 0.1)
            gains = [np.interp(times, m.times, m.gain * by) for m, by in ((before, 1.0), (after, softer))]
            # As near as gains have to be where a renderer goes straight from block to block.
            apart = np.abs(gains[1] - gains[0])[~near]
            # What is below -94 dB is as good as off.
            self.assertLess(apart.max(initial=0.0), 0.02 * min(gains[0].max(), 1.0) + 2e-5)

    @examples(8)
    @given(documents(layouts=("4+7+0",), plain=True))
    def test_it_sounds_as_it_did(self, document: dict) -> None:
        for row in document["sources"].values():
            # What a centre gives away goes elsewhere by degrees; the panner's own corners are told at every block.
            row.update(centre_level=1.0)
        document["lanes"] = {}
        mix = mix_of(document, audio)
        folder = self.folder()
        path, _ = written(folder, mix)
        list(import_adm(path, folder / "session"))
        with Bundle(folder / "session") as bundle:
            again = bundle.mix()
            if again.layout != mix.layout:
                again = mix_of(
                    {**bundle.document, "session": {**bundle.document["session"], "layout": mix.layout}}, bundle.audio
                )
            before, after = (render_audio(one, 0, mix.frames) for one in (mix, again))
        worst = np.abs(before - after).max() / max(np.abs(before).max(), 1e-6)
        self.assertLess(20.0 * np.log10(max(worst, 1e-9)), -40.0)


def back_channels(document: dict, asset: str) -> int:
    return next(row["channels"] for row in document["sources"].values() if row["asset"] == asset)


def jumps_near(mix: Mix, source: MixSource, times: np.ndarray) -> np.ndarray:
    """Which times lie so near a jump that a step of 10 µs is a way."""
    corners = [c for lane in source.lanes.values() for c in lane.corners]
    found = np.zeros(len(times), bool)
    for corner in corners:
        found |= np.abs(times - corner) < 0.011
    return found


class Told(Folder):
    def mix(self, **values: object) -> Mix:
        source = MixSource("one", tone(440.0, 1.0), **values)
        return Mix(RATE, 1.0, (source,), layout="4+7+0")

    def test_a_full_turn_is_told_the_whole_way_round(self) -> None:
        turning = Lane((Point(0.0, 0.0), Point(1.0, 720.0)))
        mix = self.mix(lanes={"rotation": turning})
        path, _ = written(self.folder(), mix)
        moves = read(path).objects[0].channels[0].moves
        times = np.linspace(0.0, 1.0, 50)
        np.testing.assert_allclose(np.interp(times, moves.times, moves.azimuth), 720.0 * times, atol=0.15)

    def test_what_an_object_has_besides_its_place(self) -> None:
        routing = SpeakerRouting(SpeakerRoute(off=("M+110", "U+045")), ((0.5, 0.8, SpeakerRoute()),))
        mix = self.mix(
            spread=60.0, centre_level=0.25, snap=True, speaker_routing=routing, gain=18.0, level=-6.0, pan=-0.5
        )
        path, _ = written(self.folder(), mix)
        extended = check_file(path.read_bytes(), RATE, mix.frames)
        block = extended.find("audioChannelFormat/audioBlockFormat")
        self.assertEqual([block.findtext(name) for name in ("width", "channelLock")], ["60.000000", "1"])
        self.assertAlmostEqual(float(block.findtext("objectDivergence")), 0.6, places=5)
        zones = [len(one.findall("zoneExclusion/zone")) for one in extended.iter("audioBlockFormat")]
        self.assertEqual(zones[:1], [1])
        self.assertIn(0, zones)
        folder = self.folder()
        list(import_adm(path, folder))
        with Bundle(folder) as bundle:
            (row,) = bundle.document["sources"].values()
        self.assertAlmostEqual(row["centre_level"], 0.25, places=4)
        self.assertTrue(row["snap"])
        self.assertAlmostEqual(row["gain"] + row["level"], 12.0, places=1)
        self.assertAlmostEqual(row["spread"], 60.0)

    def test_loud_sources_keep_within_the_file(self) -> None:
        loud = np.full((1, RATE), 3.0, np.float32)
        mix = Mix(RATE, 1.0, (MixSource("one", loud),), layout="0+5+0")
        path, _ = written(self.folder(), mix)
        with opened(path) as file:
            sound = file.read(always_2d=True)
        self.assertLess(np.abs(sound).max(), 1.0)
        gain = read(path).objects[0].channels[0].moves.gain[0]
        self.assertAlmostEqual(float(np.abs(sound).max() * gain), 3.0, places=2)

    def test_what_positions_cannot_say_sounds_in_a_bed(self) -> None:
        mix = self.mix(delay_panning="symmetric", delay_panning_ms=1.0)
        path, programme = written(self.folder(), mix)
        self.assertIn("delay panning", str(programme.notes[0]))
        with opened(path) as file:
            sound = file.read(dtype="float32", always_2d=True).T
        np.testing.assert_allclose(sound, render_audio(mix, 0, mix.frames), atol=2e-7 * 4)

    def test_a_leap_at_the_very_beginning_is_one(self) -> None:
        leaping = Lane((Point(0.0, -1.0), Point(0.00006, 1.0)))
        path, _ = written(self.folder(), self.mix(lanes={"pan": leaping}))
        moves = read(path).objects[0].channels[0].moves
        np.testing.assert_allclose(np.interp([0.01, 0.5, 1.0], moves.times, moves.azimuth), [-30.0] * 3, atol=0.1)

    def test_a_mix_in_which_nothing_sounds_is_refused(self) -> None:
        path = self.folder() / PATH
        mix = self.mix(muted=True)
        with self.assertRaisesRegex(NeedleError, "Nothing sounds"):
            list(write_adm(path, mix, mix_to_adm(mix, "Silent", {"one": "One"})))
        self.assertFalse(path.exists())

    def test_times(self) -> None:
        self.assertEqual(clock(366_100_001), "01:01:01.00001")


XML = """<ebuCoreMain><coreMetadata><format><audioFormatExtended>{parts}</audioFormatExtended></format></coreMetadata>
</ebuCoreMain>"""
FOREIGN = """
<audioProgramme audioProgrammeID="APR_1001" audioProgrammeName="Elsewhere">
 <audioContentIDRef>ACO_1001</audioContentIDRef>
</audioProgramme>
<audioContent audioContentID="ACO_1001"><audioObjectIDRef>AO_1001</audioObjectIDRef></audioContent>
<audioObject audioObjectID="AO_1001" audioObjectName="Bee" start="00:00:01.00000">
 <audioTrackUIDRef>ATU_00000001</audioTrackUIDRef>
</audioObject>
<audioChannelFormat audioChannelFormatID="AC_00031001" typeDefinition="Objects">{blocks}</audioChannelFormat>
<audioTrackUID UID="ATU_00000001"><audioChannelFormatIDRef>AC_00031001</audioChannelFormatIDRef></audioTrackUID>
"""


class FromElsewhere(Folder):
    def file(self, xml: str, channels: int = 1, encoding: str = "utf-8") -> Path:
        path = self.folder() / "foreign.wav"
        with Bw64Writer(path, RATE, channels, RATE * 4) as writer:
            writer.write(np.zeros((channels, RATE * 4), np.float32))
            writer.describe([TrackRow(0, "ATU_00000001", "AC_00031001_00", "")], xml.encode(encoding))
        return path

    def moves(self, blocks: str) -> object:
        path = self.file(XML.format(parts=FOREIGN.format(blocks=blocks)))
        return read(path).objects[0].channels[0].moves

    def test_blocks_as_the_recommendation_has_them(self) -> None:
        moves = self.moves(
            '<audioBlockFormat rtime="00:00:00.00000" duration="00:00:01.00000"><cartesian>1</cartesian>'
            '<position coordinate="X">-1</position><position coordinate="Y">1</position></audioBlockFormat>'
            '<audioBlockFormat rtime="00:00:01.00000" duration="00:00:01.24000S48000">'
            '<position coordinate="azimuth">-30</position><gain gainUnit="dB">-6.0</gain>'
            '<jumpPosition interpolationLength="0.25">1</jumpPosition></audioBlockFormat>'
        )
        # It begins a second later, stands, then takes a quarter of a second to its next place.
        at = np.interp([0.5, 1.9, 2.0, 2.125, 2.25, 3.0], moves.times, moves.azimuth)
        np.testing.assert_allclose(at, [30.0, 30.0, 30.0, 0.0, -30.0, -30.0], atol=1e-6)
        self.assertAlmostEqual(float(moves.gain[-1]), float(db_to_gain(-6.0)), places=6)

    def test_what_cannot_be_taken_is_told(self) -> None:
        for parts, word in (
            ("", "no objects or beds"),
            (FOREIGN.format(blocks=""), "left out"),
            (FOREIGN.format(blocks='<audioBlockFormat rtime="soon"/>'), "not a time"),
            (
                FOREIGN.replace('typeDefinition="Objects"', 'typeLabel="0004"').format(blocks="<audioBlockFormat/>"),
                "HOA",
            ),
        ):
            with self.assertRaisesRegex(NeedleError, word):
                read(self.file(XML.format(parts=parts)))
        with self.assertRaisesRegex(NeedleError, "damaged"):
            read(self.file("<a>"))
        with self.assertRaisesRegex(NeedleError, "document type"):
            read(self.file('<!DOCTYPE a [<!ENTITY b "c">]><a>&b;</a>'))
        for encoding in ("utf-16", "utf-16-be"):
            unfolds = f'<?xml version="1.0" encoding="{encoding}"?><!DOCTYPE a [<!ENTITY b "c">]><a>&b;</a>'
            with self.assertRaisesRegex(NeedleError, "document type|damaged"):
                read(self.file(unfolds, encoding=encoding))
        plain = self.folder() / "plain.wav"
        plain.write_bytes(b"RIFF\0\0\0\0WAVE")
        with self.assertRaisesRegex(NeedleError, "describes no objects"):
            description_of(plain)

    def test_what_of_an_object_cannot_be_taken_is_listed_by_name_and_time(self) -> None:
        place = '<position coordinate="azimuth">10</position>'
        edges = 'minAzimuth="-20" maxAzimuth="20" minElevation="-5" maxElevation="5"'
        zone = f"<zoneExclusion><zone {edges}/></zoneExclusion>"
        later = (
            f'<audioBlockFormat rtime="00:00:00.00000" duration="00:00:01.50000">{place}{zone}</audioBlockFormat>'
            f'<audioBlockFormat rtime="00:00:01.50000" duration="00:00:01.00000">{place}{{more}}</audioBlockFormat>'
        )
        for more, words in (
            ("<diffuse>1</diffuse>", "Bee, at 0:02.50: it is diffuse"),
            ("<width>60</width><height>20</height>", "Bee, at 0:02.50: it is 60° wide and 20° high"),
            ("<depth>20</depth>", "Bee, at 0:02.50: it has a depth"),
            ('<channelLock maxDistance="0.3">1</channelLock>', "within a distance only"),
            ('<objectDivergence azimuthRange="20">0.5</objectDivergence>', "diverges by 20°"),
            ("<objectDivergence>0.5</objectDivergence>", "diverges by 45°"),
            ('<zoneExclusion><zone minX="-1" maxX="0"/></zoneExclusion>', "room coordinates"),
            ("", "Bee, at 0:02.50: its zones change"),
        ):
            path = self.file(XML.format(parts=FOREIGN.format(blocks=later.format(more=more))))
            self.assertIn(words, " ".join(map(str, read(path).notes)))
        moved = FOREIGN.replace(
            "<audioTrackUIDRef>", '<positionOffset coordinate="azimuth">5</positionOffset><audioTrackUIDRef>'
        )
        path = self.file(XML.format(parts=moved.format(blocks=later.format(more=zone))))
        self.assertIn("positionOffset", " ".join(map(str, read(path).notes)))

    def test_what_an_object_is_in_makes_it_louder_or_mute(self) -> None:
        block = '<audioBlockFormat><position coordinate="azimuth">10</position><gain>0.5</gain></audioBlockFormat>'
        parent = (
            '<audioObject audioObjectID="AO_1000"><audioObjectIDRef>AO_1001</audioObjectIDRef>{more}</audioObject>'
        )
        inside = FOREIGN.replace("<audioObjectIDRef>AO_1001", "<audioObjectIDRef>AO_1000").replace("{blocks}", block)
        path = self.file(XML.format(parts=inside + parent.format(more="<gain>0.5</gain>")))
        self.assertAlmostEqual(float(read(path).objects[0].channels[0].moves.gain[0]), 0.25)
        with self.assertRaisesRegex(NeedleError, "muted"):
            read(self.file(XML.format(parts=inside + parent.format(more="<mute>1</mute>"))))

    def test_a_bed_stands_at_its_loudspeakers(self) -> None:
        source = MixSource("one", tone(440.0, 1.0), delay_panning="symmetric", lfe=0.0)
        mix = Mix(RATE, 1.0, (source,), layout="0+5+0")
        folder = self.folder()
        path, _ = written(folder, mix)
        list(import_adm(path, folder / "session", "Named"))
        with Bundle(folder / "session") as bundle:
            self.assertEqual(
                (bundle.document["session"]["layout"], bundle.document["session"]["name"]), ("0+5+0", "Named")
            )
            self.assertEqual(len(bundle.document["sources"]), 6)
            again = bundle.mix()
        before, after = (render_audio(one, 0, RATE) for one in (mix, again))
        np.testing.assert_allclose(after[[0, 1, 2, 4, 5]], before[[0, 1, 2, 4, 5]], atol=1e-4)
        # The low-frequency channel goes through its filter once more.
        powers = [(one[3] ** 2).mean() for one in (before, after)]
        self.assertLess(powers[1], powers[0] + 1e-9)
        self.assertEqual(places(again, again.sources[0], np.zeros(1)).shape, (1, 3, 1))
