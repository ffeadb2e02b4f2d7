"""The room: the point-source panner against the Recommendation, its laws, permission, conversion, heads and folds."""

import json
from pathlib import Path

import numpy as np
from django.test import SimpleTestCase
from hypothesis import assume, given
from hypothesis import strategies as st

from needle.dsp.point_source_panner import point_panner, point_source_gains
from needle.dsp.room_panner import Where, apply_speaker_mask, room_powers, speaker_mask_matrix
from needle.dsp.spherical_head import ear_delays, sphere_responses
from needle.errors import NeedleError
from needle.layouts import HALF, LAYOUTS, fold
from needle.room_coordinates import polar_to_room, room_to_polar, unit_vectors, wrapped

DATA = Path(__file__).parent / "data"
VALUES = json.loads((DATA / "panner-values.json").read_text())["layouts"]
ROOMS = [name for name, layout in LAYOUTS.items() if len(layout.speakers) > 2]

rooms = st.sampled_from(ROOMS)
azimuths = st.floats(-180.0, 180.0)
elevations = st.floats(-90.0, 90.0)
edges = st.floats(-1.0, 1.0)
spreads = st.sampled_from([0.0, 10.0, 60.0, 200.0, 360.0])


@st.composite
def some_off(draw) -> tuple[str, frozenset[str]]:
    """A layout and some of its speakers, never all."""
    name = draw(rooms)
    names = [speaker.name for speaker in LAYOUTS[name].speakers]
    off = draw(st.sets(st.sampled_from(names), max_size=len(names) - 1))
    return name, frozenset(off)


class Conformance(SimpleTestCase):
    def test_every_value_of_the_recommendation(self) -> None:
        for name, told in VALUES.items():
            rows = np.array(told["rows"])
            names = [speaker.name for speaker in LAYOUTS[name].speakers]
            self.assertEqual(names, told["channels"])
            with self.subTest(name):
                gains = point_panner(name).gains(rows[:, 0], rows[:, 1]).T
                np.testing.assert_allclose(gains, rows[:, 2:], atol=1e-4)

    def test_a_speakers_own_direction_is_that_speaker_alone(self) -> None:
        for name in ROOMS:
            layout = LAYOUTS[name]
            np.testing.assert_allclose(
                point_panner(name).gains(*layout.directions), np.eye(len(layout.speakers)), atol=1e-9
            )

    def test_stereo_is_folded_from_five_and_softer_behind(self) -> None:
        gains = point_source_gains(LAYOUTS["0+2+0"], np.array([30.0, 0.0, 110.0, 180.0]), 0.0)
        np.testing.assert_allclose(gains[:, 0], [1.0, 0.0], atol=1e-9)
        np.testing.assert_allclose(gains[:, 1], [HALF, HALF], atol=1e-9)
        np.testing.assert_allclose(gains[:, 2], [HALF, 0.0], atol=1e-9)
        np.testing.assert_allclose((gains[:, 3] ** 2).sum(), 0.5, atol=1e-9)


class Laws(SimpleTestCase):
    @given(rooms, azimuths, elevations)
    def test_unit_power_everywhere(self, name: str, azimuth: float, elevation: float) -> None:
        gains = point_panner(name).gains(azimuth, elevation)
        self.assertAlmostEqual(float((gains**2).sum()), 1.0, places=9)
        self.assertGreaterEqual(gains.min(), 0.0)

    @given(rooms, azimuths, elevations)
    def test_left_and_right_are_mirrored(self, name: str, azimuth: float, elevation: float) -> None:
        layout = LAYOUTS[name]
        standing = [list(layout.standing).index(layout.mirrored[i]) for i in layout.standing]
        here, there = (point_panner(name).gains(a, elevation) for a in (azimuth, -azimuth))
        np.testing.assert_allclose(here, there[standing], atol=1e-6)

    @given(
        some_off(), azimuths, st.floats(-90.0, 89.0), st.sampled_from([0.0, 10.0, 60.0, 200.0, 360.0]), st.booleans()
    )
    def test_continuous_along_every_way(
        self, which, azimuth: float, elevation: float, spread: float, up: bool
    ) -> None:
        """No gain changes by more than 0.12 a degree, whatever may sound."""
        name, off = which
        layout = LAYOUTS[name]
        step = 0.1
        ways = np.array([[azimuth, elevation], [azimuth, elevation + step] if up else [azimuth + step, elevation]]).T
        place = polar_to_room(*ways, 1.0)
        powers = apply_speaker_mask(layout, room_powers(layout, Where(*place, spread=spread)), {off: 1.0})
        self.assertLess(np.abs(np.diff(np.sqrt(powers))).max(), 0.12 * step + 1e-6)

    @given(rooms, edges, edges, edges, st.floats(-720.0, 720.0), st.floats(0.0, 360.0), st.floats(0.0, 1.0))
    def test_every_place_has_the_power_of_one(self, name, x, y, z, rotation, spread, centre) -> None:
        powers = room_powers(LAYOUTS[name], Where(x, y, z, rotation, spread, centre))
        self.assertAlmostEqual(float(powers.sum()), 1.0, places=9)

    @given(rooms, st.floats(0.0, 1.0))
    def test_towards_the_middle_all_speakers_come_in(self, name: str, distance: float) -> None:
        layout = LAYOUTS[name]
        gains = np.sqrt(room_powers(layout, Where(0.0, distance, 0.0)))
        front = np.sqrt(room_powers(layout, Where(0.0, 1.0, 0.0)))
        wanted = distance * front + (1.0 - distance) / np.sqrt(len(layout.speakers))
        np.testing.assert_allclose(gains, wanted / np.linalg.norm(wanted), atol=1e-9)

    def test_spread_is_the_mean_of_points_over_a_cap(self) -> None:
        """Against thousands of random points of the cap."""
        rng = np.random.default_rng(3)
        layout = LAYOUTS["4+7+0"]
        for axis, spread in ((40.0, 90.0), (150.0, 200.0), (0.0, 360.0)):
            x, y, z = polar_to_room(axis, 10.0, 1.0)
            vectors = rng.standard_normal((3, 200_000))
            vectors /= np.linalg.norm(vectors, axis=0)
            inside = vectors[:, unit_vectors(axis, 10.0) @ vectors >= np.cos(np.radians(spread / 2.0))]
            wanted = (point_panner(layout.name).gains_of(inside) ** 2).mean(axis=1)
            np.testing.assert_allclose(room_powers(layout, Where(x, y, z, spread=spread)), wanted, atol=0.02)

    @given(rooms, azimuths, elevations)
    def test_snap_is_the_nearest_speaker(self, name: str, azimuth: float, elevation: float) -> None:
        layout = LAYOUTS[name]
        away = np.degrees(
            np.arccos(np.clip(unit_vectors(azimuth, elevation) @ unit_vectors(*layout.directions), -1, 1))
        )
        first, second = np.sort(away)[:2]
        assume(second - first > 4.0)
        powers = room_powers(layout, Where(*polar_to_room(azimuth, elevation, 1.0), snap=True))
        self.assertEqual(int(powers.argmax()), int(away.argmin()))
        self.assertAlmostEqual(float(powers.max()), 1.0, places=9)

    @given(st.floats(0.0, 1.0))
    def test_the_centres_share_goes_to_left_and_right(self, share: float) -> None:
        powers = room_powers(LAYOUTS["0+5+0"], Where(0.0, 1.0, 0.0, centre=share))
        np.testing.assert_allclose(powers, [(1 - share) / 2, (1 - share) / 2, share, 0.0, 0.0], atol=1e-9)

    @given(rooms, azimuths)
    def test_a_turn_is_a_turn(self, name: str, by: float) -> None:
        layout = LAYOUTS[name]
        turned = room_powers(layout, Where(0.0, 1.0, 0.0, rotation=by))
        np.testing.assert_allclose(turned, point_panner(name).gains(by, 0.0) ** 2, atol=1e-4)


class Permission(SimpleTestCase):
    @given(some_off(), azimuths, elevations)
    def test_what_is_off_is_silent_and_no_power_is_lost(self, which, azimuth: float, elevation: float) -> None:
        name, off = which
        layout = LAYOUTS[name]
        powers = apply_speaker_mask(
            layout, room_powers(layout, Where(*polar_to_room(azimuth, elevation, 1.0))), {off: 1.0}
        )
        self.assertAlmostEqual(float(powers.sum()), 1.0, places=9)
        for speaker, power in zip(layout.speakers, powers, strict=True):
            if speaker.name in off:
                self.assertEqual(power, 0.0)

    def test_a_share_goes_to_the_neighbours(self) -> None:
        routed = speaker_mask_matrix("0+5+0", frozenset({"M+000"}))
        np.testing.assert_allclose(routed[:, 2], [0.5, 0.5, 0.0, 0.0, 0.0], atol=1e-9)
        left = speaker_mask_matrix("0+5+0", frozenset({"M+030"}))[:, 0]
        self.assertGreater(left[2], left[3])
        self.assertEqual(left[1] + left[4], 0.0)
        behind = speaker_mask_matrix("0+5+0", frozenset({"M+030", "M-030", "M+000"}))
        np.testing.assert_allclose(behind[:, 2], [0.0, 0.0, 0.0, 0.5, 0.5], atol=1e-9)

    def test_at_least_one_must_sound(self) -> None:
        with self.assertRaisesMessage(NeedleError, "At least one speaker"):
            speaker_mask_matrix("quad", frozenset(s.name for s in LAYOUTS["quad"].speakers))


class Conversion(SimpleTestCase):
    def test_every_value_of_the_recommendation(self) -> None:
        """BS.2127-0 section 10, both ways."""
        rows = np.array(json.loads((DATA / "room-conversion.json").read_text())["rows"]).T
        self.assertGreater(rows.shape[1], 100)
        polar, room = room_to_polar(*rows[:3]), polar_to_room(*rows[3:])
        apart = wrapped(polar[0] - rows[3])
        np.testing.assert_allclose(apart, 0.0, atol=1e-3)
        np.testing.assert_allclose(polar[1:], rows[4:], atol=1e-3)
        np.testing.assert_allclose(room, rows[:3], atol=1e-5)

    def test_a_place_at_the_edge_is_where_constant_power_between_its_corners_puts_it(self) -> None:
        """Half way between a corner and the next, both are equally strong; elsewhere as the sine and the cosine."""
        for share in (0.1, 0.25, 0.5, 0.8):
            angle = np.radians(room_to_polar(-1.0, 1.0 - 2.0 * share, 0.0)[0])
            corners = unit_vectors(np.array([30.0, 110.0]), np.zeros(2))[:2]
            gains = np.linalg.solve(corners, [-np.sin(angle), np.cos(angle)])
            wanted = [np.cos(share * np.pi / 2.0), np.sin(share * np.pi / 2.0)]
            np.testing.assert_allclose(gains / np.linalg.norm(gains), wanted, atol=1e-9)

    @given(edges, edges, edges)
    def test_there_and_back_from_the_room(self, x: float, y: float, z: float) -> None:
        assume(max(abs(x), abs(y)) > 1e-6)
        np.testing.assert_allclose(polar_to_room(*room_to_polar(x, y, z)), [x, y, z], atol=1e-9)

    @given(azimuths, st.floats(-89.99, 89.99), st.floats(0.001, 1.0))
    def test_there_and_back_from_polar(self, azimuth: float, elevation: float, distance: float) -> None:
        assume(azimuth > -179.999)
        np.testing.assert_allclose(
            room_to_polar(*polar_to_room(azimuth, elevation, distance)), [azimuth, elevation, distance], atol=1e-6
        )

    def test_the_corners_and_edges(self) -> None:
        for place, wanted in (
            ((0, 1, 0), (0, 0, 1)),
            ((-1, 1, 0), (30, 0, 1)),
            ((1, 1, 0), (-30, 0, 1)),
            ((-1, -1, 0), (110, 0, 1)),
            ((1, -1, 0), (-110, 0, 1)),
            ((0, -1, 0), (180, 0, 1)),
            ((-1, 1, 1), (30, 30, 1)),
            ((0, 0, 1), (0, 90, 1)),
            ((0, 0, -0.5), (0, -90, 0.5)),
            ((0, 0, 0), (0, 0, 0)),
        ):
            np.testing.assert_allclose(np.abs(room_to_polar(*place)), np.abs(wanted), atol=1e-9)

    def test_the_front_of_a_room_is_the_stereo_field(self) -> None:
        """From x = -1 to 1 at the front runs from the left to the right speaker, by the tangent law."""
        azimuth, elevation, distance = room_to_polar(np.linspace(-1, 1, 21), 1.0, 0.0)
        self.assertTrue((np.diff(azimuth) < 0.0).all())
        np.testing.assert_allclose(
            [elevation.max(), distance.min(), azimuth[0], azimuth[-1]], [0, 1, 30, -30], atol=1e-9
        )


class Layouts(SimpleTestCase):
    def test_folds_are_those_of_bs_775(self) -> None:
        left, right = fold(LAYOUTS["0+5+0"])
        np.testing.assert_allclose(left, [1, 0, HALF, 0, HALF, 0])
        np.testing.assert_allclose(right, [0, 1, HALF, 0, 0, HALF])
        np.testing.assert_allclose(fold(LAYOUTS["0+2+0"]), np.eye(2))

    def test_masks_name_every_channel_once(self) -> None:
        self.assertEqual(LAYOUTS["0+5+0"].mask, 0x60F)
        self.assertEqual(LAYOUTS["0+7+0"].mask, 0x63F)
        self.assertEqual(LAYOUTS["4+7+0"].mask, 0x2D63F)
        for layout in LAYOUTS.values():
            self.assertEqual(layout.mask.bit_count(), len(layout.channels))
            masks = [layout.channels[i].mask for i in layout.file_order]
            self.assertEqual(masks, sorted(masks))

    def test_loudness_weights(self) -> None:
        side = 10.0**0.15
        np.testing.assert_allclose(LAYOUTS["0+5+0"].weights, [1, 1, 1, 0, side, side])
        np.testing.assert_allclose(LAYOUTS["0+7+0"].weights, [1, 1, 1, 0, side, side, 1, 1])
        self.assertTrue((LAYOUTS["4+5+0"].weights[6:] == 1.0).all())

    def test_sides_hold_all_power_once(self) -> None:
        for layout in LAYOUTS.values():
            counted = layout.sides.sum(axis=0)
            np.testing.assert_allclose(counted, [0.0 if c.lfe else 1.0 for c in layout.channels])
            np.testing.assert_allclose(layout.depths.sum(axis=0), counted)


class Head(SimpleTestCase):
    def test_delays_between_the_ears(self) -> None:
        for azimuth, micros in ((30.0, 261.0), (90.0, 656.0), (0.0, 0.0), (180.0, 0.0)):
            left, right = ear_delays(azimuth, 0.0)
            self.assertAlmostEqual((right - left) * 1e6, micros, delta=1.0)

    def test_the_responses_arrive_as_late_and_are_shaded(self) -> None:
        rate = 48000
        responses = sphere_responses(rate, ((90.0, 0.0), (0.0, 0.0)))
        near, far = responses[0, 0].astype(float), responses[1, 0].astype(float)
        # A soft pulse through both: how far apart their middles are.
        frequencies = np.fft.rfftfreq(4096, 1.0 / rate)
        low = (frequencies > 200.0) & (frequencies < 500.0)
        phase = np.unwrap(np.angle(np.fft.rfft(far, 4096) / np.fft.rfft(near, 4096)))[low]
        late = -np.polyfit(2 * np.pi * frequencies[low], phase, 1)[0]
        self.assertGreater(late, 0.0006)
        self.assertLess(late, 0.0011)
        high = (frequencies > 8000.0) & (frequencies < 16000.0)
        shaded = [np.abs(np.fft.rfft(ear, 4096))[high].mean() for ear in (near, far)]
        self.assertGreater(20 * np.log10(shaded[0] / shaded[1]), 10.0)
        np.testing.assert_allclose(responses[0, 1], responses[1, 1], atol=1e-6)
