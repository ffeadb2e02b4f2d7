"""What arrives: files of every kind, what is heard of them, headers that lie, tempo maps, and their spectra."""

import itertools
import struct
import tempfile
from pathlib import Path

import mido
import numpy as np
import soundfile
import soxr
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from needle.dsp.k_weighting import KWeighting
from needle.errors import NeedleError
from needle.io.audio import audio_info, frames_at, read_at, read_audio
from needle.io.midi import midi_tempo
from needle.metering.character import Ear, character_of
from needle.metering.spectra import THIRD_OCTAVES, in_bands, powers, spectrum_of
from needle.tempo import tempo_of_taps
from tests import examples
from tests.core.strategies import RATE


def noise(channels: int = 1, frames: int = RATE, level: float = 0.1, seed: int = 4) -> np.ndarray:
    rng = np.random.Generator(np.random.PCG64(seed))
    return (level * rng.standard_normal((channels, frames))).astype(np.float32)


class InFolder(SimpleTestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def write(self, name: str, audio: np.ndarray, rate: int = RATE, **how: str) -> Path:
        path = self.folder / name
        soundfile.write(path, audio.T, rate, **how)
        return path


class Files(InFolder):
    def test_every_kind_of_file(self) -> None:
        kinds = [
            ("a.wav", {"subtype": "PCM_U8"}, 0.01), ("b.wav", {"subtype": "PCM_16"}, 1e-4),
            ("c.wav", {"subtype": "PCM_24"}, 1e-6), ("d.wav", {"subtype": "PCM_32"}, 1e-7),
            ("e.wav", {"subtype": "FLOAT"}, 0.0), ("f.wav", {"subtype": "DOUBLE"}, 1e-7),
            ("g.rf64", {"format": "RF64", "subtype": "PCM_24"}, 1e-6), ("h.flac", {"subtype": "PCM_24"}, 1e-6),
            ("i.aiff", {"subtype": "PCM_16"}, 1e-4), ("j.ogg", {"format": "OGG", "subtype": "VORBIS"}, None),
            ("k.mp3", {"format": "MP3"}, None),
        ]  # fmt: skip
        audio = noise(2)
        for name, how, allowed in kinds:
            with self.subTest(name):
                found = read_audio(self.write(name, audio, **how), RATE)
                if allowed is not None:
                    np.testing.assert_allclose(found, audio, atol=allowed)
                else:
                    self.assertEqual(found.shape[0], 2)
                    heard = found[:, : audio.shape[1]].astype(float)
                    self.assertAlmostEqual(np.sqrt((heard**2).mean()), 0.1, delta=0.02)

    @examples(10)
    @given(st.sampled_from([8000, 22050, 44100, 88200, 96000, 192_000]), st.integers(1, 30_000))
    def test_resampled_once_to_the_length_it_says(self, rate: int, frames: int) -> None:
        audio = noise(1, frames)
        path = self.write("other.wav", audio, rate, subtype="FLOAT")
        found = np.concatenate(list(read_at(path, RATE)), axis=1)
        self.assertEqual(found.shape, (1, frames_at(audio_info(path), RATE)))
        whole = soxr.resample(audio.T, rate, RATE, quality="VHQ").T
        shared = min(whole.shape[1], found.shape[1])
        np.testing.assert_allclose(found[:, :shared], whole[:, :shared], atol=1e-6)

    def test_a_header_that_promises_more_is_told(self) -> None:
        for name, how in (("a.wav", {}), ("b.aiff", {}), ("c.rf64", {"format": "RF64"})):
            with self.subTest(name):
                path = self.write(name, noise(2), subtype="PCM_24", **how)
                audio_info(path)
                whole = path.read_bytes()
                path.write_bytes(whole[: len(whole) * 2 // 3])
                with self.assertRaisesRegex(NeedleError, r"breaks off: its header promises 288\d* bytes"):
                    audio_info(path)

    def test_a_stream_whose_length_was_never_written_is_taken_as_it_is(self) -> None:
        path = self.write("stream.wav", noise(1, 4800), subtype="PCM_16")
        whole = bytearray(path.read_bytes())
        at = whole.index(b"data") + 4
        whole[at : at + 4] = struct.pack("<I", 0xFFFFFFFF)
        path.write_bytes(bytes(whole))
        self.assertGreaterEqual(read_audio(path, RATE).shape[1], 4800)

    def test_beyond_measure(self) -> None:
        path = self.write("many.wav", noise(2, 480))
        whole = bytearray(path.read_bytes())
        whole[22:24] = struct.pack("<H", 65_535)
        path.write_bytes(bytes(whole))
        with self.assertRaisesRegex(NeedleError, "65535 channels; 64 are the most"):
            audio_info(path)
        empty = self.write("empty.wav", np.zeros((1, 0), np.float32))
        with self.assertRaisesRegex(NeedleError, "no sound"):
            audio_info(empty)
        slow = self.write("slow.wav", noise(1, 100), rate=100)
        with self.assertRaisesRegex(NeedleError, "sampling rate of 100 Hz"):
            audio_info(slow)
        # Silence packs well: a small file may claim a day and more.
        long = self.folder / "long.flac"
        with soundfile.SoundFile(long, "w", samplerate=8000, channels=1, subtype="PCM_16") as file:
            for _ in range(31):
                file.write(np.zeros(8000 * 1000, np.int16))
        self.assertLess(long.stat().st_size, 1 << 20)
        with self.assertRaisesRegex(NeedleError, "8.6 hours"):
            audio_info(long)


class Characters(SimpleTestCase):
    def kind(self, audio: np.ndarray) -> str:
        return character_of([audio], audio.shape[0]).kind

    def test_kinds(self) -> None:
        one, other = noise(1, seed=1), noise(1, seed=2)
        quiet = np.zeros_like(one)
        self.assertEqual(self.kind(one), "mono")
        self.assertEqual(self.kind(np.concatenate([one, one])), "same")
        self.assertEqual(self.kind(np.concatenate([one, 0.9 * one + 0.02 * other])), "alike")
        self.assertEqual(self.kind(np.concatenate([one, other])), "stereo")
        self.assertEqual(self.kind(np.concatenate([one, -one])), "opposite")
        self.assertEqual(self.kind(np.concatenate([one, quiet])), "one-sided")
        self.assertEqual(self.kind(np.concatenate([one] * 5)), "multichannel")
        for channels in (1, 2, 6):
            self.assertEqual(self.kind(np.zeros((channels, 480), np.float32)), "silent")
        self.assertEqual(self.kind(np.zeros((2, 0), np.float32)), "silent")

    def test_two_instruments_are_told_from_one_that_is_wide(self) -> None:
        frames = 4 * RATE
        one, other = noise(1, frames, seed=1), noise(1, frames, seed=2)
        beats = (np.arange(frames) // (RATE // 4) % 2).astype(np.float32)
        loud, soft = 0.1 + 0.9 * beats, 1.0 - 0.9 * beats
        self.assertEqual(self.kind(np.concatenate([one * loud, other * soft])), "two-signals")
        self.assertEqual(self.kind(np.concatenate([one * loud, other * loud])), "stereo", "a wide recording of one")
        self.assertEqual(self.kind(np.concatenate([one * loud, (0.8 * one + 0.6 * other) * soft])), "stereo")
        # However the file is read, and however loud either side is.
        pair = np.concatenate([one * loud, 0.05 * other * soft])
        ear = Ear(2)
        for stretch in np.array_split(pair, 37, axis=1):
            ear.hear(stretch)
        self.assertEqual(ear.character(), character_of([pair], 2))
        self.assertEqual(ear.character().kind, "two-signals")

    def test_a_quiet_file_is_told_its_gain(self) -> None:
        found = character_of([0.002 * noise(2) / 0.1], 2)
        self.assertTrue(found.gain > 10.0 and "gain" in found.sentence)
        self.assertAlmostEqual(found.peak_db + found.gain, -12.0, delta=0.3)
        self.assertEqual(character_of([noise(2)], 2).gain, 0.0)

    @given(st.lists(st.integers(0, 999), max_size=6, unique=True), st.lists(st.integers(1, 999), max_size=5))
    def test_clipping_is_counted_once_however_the_file_is_read(self, places: list[int], cuts: list[int]) -> None:
        audio = np.full((1, 1010), 0.1, np.float32)
        for place in places:
            audio[0, place : place + 4] = 1.0
        full = np.concatenate([[False], audio[0] >= 1.0, [False]])
        wanted = int((np.diff(full.astype(int)) == 1).sum())
        ear = Ear(1)
        edges = [0, *sorted(set(cuts)), 1010]
        for low, high in itertools.pairwise(edges):
            ear.hear(audio[:, low:high])
        self.assertEqual(ear.character().clipped, wanted)


class Spectra(SimpleTestCase):
    @examples(15)
    @given(st.integers(1, 2), st.integers(0, 60_000), st.integers(1, 20_000))
    def test_weight_agrees_with_the_meters_in_any_stretches(self, channels: int, frames: int, stretch: int) -> None:
        audio = noise(channels, frames)
        spectrum = spectrum_of([audio[:, at : at + stretch] for at in range(0, frames, stretch)], channels, RATE)
        if frames > 20_000:
            measured = KWeighting(RATE, channels)(audio)
            straight = np.eye(channels)[np.newaxis].astype(complex)
            wanted = (measured**2).sum(axis=1) / frames
            np.testing.assert_allclose(powers(spectrum, straight), wanted, rtol=0.03)
        self.assertTrue(np.isfinite(spectrum.cross).all())

    def test_a_tone_stands_in_its_third_octave(self) -> None:
        t = np.arange(2 * RATE) / RATE
        for centre in (63.0, 1000.0, 8000.0):
            tone = (0.5 * np.sin(2 * np.pi * centre * t))[np.newaxis].astype(np.float32)
            bands = in_bands(spectrum_of([tone], 1, RATE), np.ones((1, 1, 1), complex))
            self.assertEqual(int(np.argmax(bands)), int(np.argmin(np.abs(THIRD_OCTAVES - centre))))


class Tempo(InFolder):
    def file(self, *messages: mido.MetaMessage, ticks: int = 480) -> Path:
        midi = mido.MidiFile(ticks_per_beat=ticks)
        midi.tracks.append(mido.MidiTrack(messages))
        path = self.folder / "tempo.mid"
        midi.save(path)
        return path

    def test_steps_of_tempo_and_metre(self) -> None:
        found = midi_tempo(
            self.file(
                mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(90)),
                mido.MetaMessage("time_signature", numerator=3, denominator=4),
                mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(120), time=480 * 6),
                mido.MetaMessage("time_signature", numerator=6, denominator=8, time=480 * 3),
            )
        )
        np.testing.assert_allclose(found.tempo.tempos, [(0.0, 90.0), (6.0, 120.0)], atol=1e-3)
        self.assertEqual(found.tempo.metres, ((1, 3, 4), (4, 6, 8)))
        self.assertEqual(found.notes, ())

    def test_a_metre_that_changes_inside_a_bar_is_told(self) -> None:
        change = mido.MetaMessage("time_signature", numerator=3, denominator=4, time=480 * 6)
        found = midi_tempo(self.file(change))
        self.assertEqual(found.tempo.metres, ((1, 4, 4), (3, 3, 4)))
        self.assertIn("inside bar 2", str(found.notes[0]))

    def test_what_is_no_midi_file_is_told(self) -> None:
        path = self.folder / "no.mid"
        for content in (b"", b"MThd", b"not a midi file at all", b"MThd\x00\x00\x00\x06\x00\x01\x00\x01\x01\xe0MTrk"):
            path.write_bytes(content)
            with self.subTest(content), self.assertRaises(NeedleError):
                midi_tempo(path)

    @given(st.floats(30.0, 300.0), st.floats(0.0, 1e5))
    def test_taps(self, bpm: float, start: float) -> None:
        times = [start + i * 60.0 / bpm for i in range(6)]
        self.assertAlmostEqual(tempo_of_taps(times), bpm, delta=0.1)
        slipped = [*times[:3], times[3] + 12.0 / bpm, *times[4:]]
        self.assertAlmostEqual(tempo_of_taps(slipped), bpm, delta=0.1)

    def test_too_few_or_wild_taps_are_told(self) -> None:
        for wrong in ([1.0], [1.0, 1.0], [0.0, 60.0], [0.0, 0.01]):
            with self.subTest(wrong), self.assertRaises(NeedleError):
                tempo_of_taps(wrong)
