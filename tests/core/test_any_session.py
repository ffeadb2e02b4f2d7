"""Any session that the schema of its bundle allows: refused with a sentence, or all that is done with it works."""

import tempfile
from pathlib import Path

import numpy as np
from django.test import SimpleTestCase
from hypothesis import assume, given

from needle.balance.causes import shares
from needle.errors import NeedleError
from needle.io.adm.from_mix import mix_to_adm
from needle.io.adm.write import described
from needle.io.bundle import Bundle, write_bundle
from needle.layouts import LAYOUTS
from needle.metering.spectra import spectrum_of
from needle.mix.model import Mix
from needle.render import placement_analysis
from needle.render.engine import render_audio, render_before_placement
from needle.render.fingerprints import dependency_key
from needle.render.trajectories import channel_gains, layer_places, layout_changes, places
from needle.session.document import mix_of, names_in, upgraded
from needle.session.validation import check_document
from tests import examples
from tests.core import by_schema
from tests.core.strategies import RATE

_rng = np.random.default_rng(5)
AUDIO = {
    f"a{channels}.wav": (0.1 * _rng.standard_normal((channels, RATE // 2))).astype(np.float32)
    for channels in by_schema.CHANNELS
}
FRAMES = RATE // 10


def opened(document: dict) -> tuple[dict, Mix]:
    """The session with what it lacks as it is at first, and its mix; NeedleError where something is not allowed."""
    whole = check_document(upgraded(document))
    return whole, mix_of(whole, AUDIO.__getitem__)


class AnySession(SimpleTestCase):
    @examples(60)
    @given(by_schema.documents())
    def test_it_is_heard_looked_at_told_and_comes_back(self, document: dict) -> None:
        try:
            whole, mix = opened(document)
        except NeedleError as error:
            self.assertRegex(str(error), r"\w.*\.$")
            return
        sound = render_audio(mix, 0, FRAMES)
        self.assertTrue(np.isfinite(sound).all())
        self.assertTrue(dependency_key(mix, 0, FRAMES))
        times = np.array([0.0, 0.05])
        for source in mix.sources:
            self.assertTrue(np.isfinite(places(mix, source, times)).all())
            self.assertTrue(np.isfinite(channel_gains(mix, source, times)).all())
            for layer in source.layers:
                self.assertTrue(np.isfinite(layer_places(source, layer, times)).all())
            render_before_placement(mix, source.id, 0, FRAMES)
            spectrum = spectrum_of([source.audio], source.channels, mix.rate)
            placement_analysis.mode_choices(mix, source, spectrum, 0.0)
            placement_analysis.mono_reading(mix, source, spectrum, 0.0)
            placement_analysis.lost(mix, source, spectrum, 0.0)
        for layout in LAYOUTS:
            layout_changes(mix, layout, 0.0)
        list(shares(mix, 0, 1))
        described(mix_to_adm(mix, "Any", names_in(whole)).programme, mix.rate)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "any.zip"
            list(write_bundle(path, whole, AUDIO.__getitem__))
            with Bundle(path) as bundle:
                np.testing.assert_array_equal(render_audio(bundle.mix(), 0, FRAMES), sound)

    def test_most_of_them_are_allowed(self) -> None:
        """Else the test above would prove little."""
        allowed = []

        @examples(40)
        @given(by_schema.documents())
        def tried(document: dict) -> None:
            try:
                opened(document)
            except NeedleError:
                assume(True)
                allowed.append(False)
            else:
                allowed.append(True)

        tried()
        self.assertGreater(np.mean(allowed), 0.6)
