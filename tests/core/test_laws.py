"""The pan laws: the design's table, and what each promises everywhere between."""

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from needle.dsp.pan_laws import LAWS, law_named
from needle.dsp.pan_modes import mode_for
from needle.errors import NeedleError
from needle.render.preview_tables import PAN_STEPS, gain_table

pans = st.floats(-1.0, 1.0)
names = st.sampled_from(sorted(LAWS))


class PanLaws(SimpleTestCase):
    def test_table(self) -> None:
        table = {
            "constant-power": (-3.01, 0.38268, 0.92388),
            "compromise": (-4.52, 0.30931, 0.83241),
            "constant-gain": (-6.02, 0.25, 0.75),
            "balance": (0.0, 0.5, 1.0),
        }
        for name, (centre_db, left, right) in table.items():
            with self.subTest(name):
                centre = law_named(name).gains(0.0)
                np.testing.assert_allclose(20 * np.log10(centre), centre_db, atol=0.01)
                np.testing.assert_allclose(law_named(name).gains(0.5), [left, right], atol=1e-5)

    @given(names, pans)
    def test_mirror(self, name: str, pan: float) -> None:
        np.testing.assert_allclose(law_named(name).gains(pan), law_named(name).gains(-pan)[::-1], atol=1e-12)

    @given(names, pans, pans)
    def test_right_rises_and_left_falls(self, name: str, one: float, other: float) -> None:
        low, high = sorted((one, other))
        (left_low, right_low), (left_high, right_high) = law_named(name).gains([low, high]).T
        self.assertLessEqual(right_low, right_high + 1e-12)
        self.assertLessEqual(left_high, left_low + 1e-12)

    @given(pans)
    def test_power_or_sum_is_kept(self, pan: float) -> None:
        self.assertAlmostEqual(float((law_named("constant-power").gains(pan) ** 2).sum()), 1.0)
        self.assertAlmostEqual(float(law_named("constant-gain").gains(pan).sum()), 1.0)
        self.assertAlmostEqual(float(law_named("balance").gains(pan).max()), 1.0)

    @given(names)
    def test_hard_sides_are_hard_and_centre_can_stand_at_0_db(self, name: str) -> None:
        np.testing.assert_allclose(law_named(name).gains(-1.0), [1.0, 0.0], atol=1e-12)
        np.testing.assert_allclose(law_named(name).gains(0.0, centre_zero=True), [1.0, 1.0], atol=1e-12)

    def test_unknown_names_are_told(self) -> None:
        with self.assertRaisesRegex(NeedleError, "constant-power"):
            law_named("loud")
        with self.assertRaisesRegex(NeedleError, "with 2 channels"):
            mode_for("pan", 2)

    @given(names, st.integers(0, PAN_STEPS - 1), st.booleans())
    def test_hand_table_is_the_law(self, name: str, step: int, centre_zero: bool) -> None:
        table = gain_table(name, centre_zero)
        pan = -1.0 + 2.0 * step / (PAN_STEPS - 1)
        np.testing.assert_allclose(table["law"][step], law_named(name).gains(pan, centre_zero), atol=1e-12)
        np.testing.assert_allclose(table["balance"][step], law_named("balance").gains(pan), atol=1e-12)
