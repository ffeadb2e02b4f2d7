"""The core as a library: its public face, the examples in its docstrings, and how soon it is there."""

import doctest
import importlib
import itertools
import pkgutil
import re
import subprocess
import sys
import tempfile
import tomllib
from pathlib import Path

import numpy as np
from django.test import SimpleTestCase

import needle
from needle.errors import NeedleError
from needle.io.audio import write_audio
from needle.io.bundle import write_session
from needle.io.extras import Extra
from needle.mix.listening import Listening
from needle.mix.model import Mix, MixSource
from needle.render.compile import MIX
from needle.render.engine import render_audio, run
from tests.core.strategies import RATE, tone
from tests.core.test_bundles import one_source


def bundle_of(folder: Path) -> None:
    """A bundle of one source, as a folder."""
    (folder / "assets").mkdir()
    write_audio(folder / "assets" / "a1.wav", tone(440.0, 1.0), RATE)
    write_session(folder, one_source())


class Face(SimpleTestCase):
    def mix(self) -> Mix:
        return Mix(RATE, 1.0, (MixSource("oars", tone(440.0, 1.0), pan=-0.5),))

    def test_a_session_is_opened_compiled_rendered_and_measured(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            bundle_of(Path(folder))
            with needle.open_session(folder) as session:
                mix = needle.build_mix(session)
                audio = needle.render_mix(mix, stop=0.5)
                plan = needle.compile(mix)
                np.testing.assert_array_equal(run(plan, 0, RATE // 2)[MIX], audio)
                np.testing.assert_array_equal(needle.render_mix(mix, stop=0.5, threads=2), audio)
                self.assertLess(needle.measure(audio, rate=RATE)["true_peak_dbtp"], 6.0)

    def test_who_listens_and_how(self) -> None:
        mix = self.mix()
        plan = needle.compile(mix, listening=Listening(without_direct=frozenset({"oars"})))
        self.assertFalse(run(plan, 0, 1000)[MIX].any())
        mono = needle.render_mix(mix, monitor="mono")
        whole = render_audio(mix, 0, RATE)
        np.testing.assert_allclose(mono, np.repeat(whole.mean(axis=0, keepdims=True), 2, axis=0), atol=1e-6)
        for wrong in ({"monitor": "radio"}, {"start": 0.5, "stop": 0.5}, {"start": -1.0}):
            with self.assertRaises(NeedleError):
                needle.render_mix(mix, **wrong)
        with self.assertRaises(NeedleError):
            needle.measure(np.zeros((2, 100)), rate=RATE, layout="nine")

    def test_the_face_is_what_it_says(self) -> None:
        for name in needle.__all__:
            self.assertTrue(getattr(needle, name).__doc__)
        self.assertEqual(sorted(dir(needle)), sorted(needle.__all__))
        with self.assertRaisesRegex(AttributeError, "open_session"):
            _ = needle.mixdown
        self.assertTrue(Path(needle.__file__).with_name("py.typed").is_file())

    def test_every_example_runs(self) -> None:
        examples = 0
        for module in pkgutil.walk_packages(needle.__path__, "needle."):
            if not module.name.endswith("__main__"):
                failed, attempted = doctest.testmod(importlib.import_module(module.name))
                self.assertEqual(failed, 0, module.name)
                examples += attempted
        self.assertGreater(examples, 20)

    def test_with_its_extras_it_brings_what_the_application_runs_with(self) -> None:
        root = Path(needle.__file__).parents[1]
        project = tomllib.loads((root / "pyproject.toml").read_text())["project"]
        declared = [*project["dependencies"], *itertools.chain(*project["optional-dependencies"].values())]
        expected = [line for line in (root / "requirements.in").read_text().splitlines() if not line.startswith("#")]

        def package(requirement: str) -> str:
            return re.split(r"[\[<>=~]", requirement)[0]

        self.assertEqual(
            {package(each) for each in declared} - {project["name"]}, {package(each) for each in expected}
        )

    def test_what_is_not_needed_is_not_imported(self) -> None:
        code = (
            "import sys; from needle.cli.main import main; main(['gains', '--pan', '0', '--json']);"
            "print(sorted({'scipy.signal', 'matplotlib', 'h5py', 'mido', 'numba'} & set(sys.modules)))"
        )
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        self.assertEqual(done.stdout.splitlines()[-1], "[]")

    def test_a_package_that_is_missing_is_named(self) -> None:
        with self.assertRaisesRegex(NeedleError, r"wandering-needle\[midi\]"):
            _ = Extra("no_such_package", "midi").MidiFile
