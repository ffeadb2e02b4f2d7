"""Courses through a room: the paths that are drawn in it, and where a source is found on them."""

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from needle.automation.curve import Lane, Point
from needle.automation.paths import Path as Way_
from needle.automation.paths import path_points
from needle.errors import NeedleError
from needle.mix.model import MixSource
from needle.render.trajectories import places, values_at_polar, with_values
from needle.room_coordinates import room_to_polar
from tests.core.rooms import mix, noise


class Courses(SimpleTestCase):
    @given(st.floats(-4.0, 4.0), st.floats(-180.0, 180.0), st.floats(0.2, 1.0))
    def test_a_circle_stays_on_its_circle(self, turns: float, angle: float, radius: float) -> None:
        points = path_points(Way_("circle", radius=radius, angle=angle, turns=turns), 1.0, 9.0)
        times = np.linspace(1.0, 9.0, 400)
        x, y = (Lane(points[name]).evaluate(times) for name in ("pan", "front"))
        np.testing.assert_allclose(np.hypot(x, y), radius, atol=0.03)
        at = np.radians(angle + 360.0 * turns)
        np.testing.assert_allclose([x[-1], y[-1]], [-radius * np.sin(at), radius * np.cos(at)], atol=1e-6)

    def test_what_is_drawn_keeps_its_pace_and_what_makes_no_sense_is_refused(self) -> None:
        drawn = Way_("drawn", drawn=((0.0, -1.0, 1.0), (0.25, 1.0, 1.0), (1.0, 0.0, -1.0)), rise=(0.0, 1.0))
        points = path_points(drawn, 0.0, 4.0)
        self.assertAlmostEqual(float(Lane(points["pan"]).evaluate(1.0)), 1.0, places=6)
        self.assertAlmostEqual(float(Lane(points["height"]).evaluate(2.0)), 0.5, delta=0.01)
        for wrong in (lambda: Way_("zigzag"), lambda: Way_("drawn"), lambda: path_points(drawn, 2.0, 2.0)):
            self.assertRaises(NeedleError, wrong)

    def test_whereabouts_are_turned_and_swung(self) -> None:
        source = MixSource("a", noise(18), lanes={"rotation": Lane((Point(0.0, 0.0), Point(2.0, 180.0)))})
        told = places(mix(source), source, np.array([0.0, 2.0]))
        np.testing.assert_allclose(told[0, :, 0], [0.0, 1.0, 0.0], atol=1e-9)
        np.testing.assert_allclose(told[0, :, 1], [0.0, -1.0, 0.0], atol=1e-9)

    def test_a_typed_direction_is_heard_there_however_the_source_is_turned_and_shifted(self) -> None:
        source = MixSource("a", noise(1), rotation=20.0, room_rotation=10.0, shift=-0.3)
        values = values_at_polar(source, 0.5, 75.0, 0.0, 1.0)
        (end,) = places(mix(source), with_values(source, values), np.array([0.5]))
        azimuth, _, distance = room_to_polar(*end[:, 0])
        self.assertAlmostEqual(float(azimuth), 75.0, places=6)
        self.assertAlmostEqual(float(distance), 1.0, places=6)
