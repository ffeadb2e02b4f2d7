"""Placements: continuous, mirrored exactly, keeping or reporting power as they promise; before placing, seatings."""

import itertools

import numpy as np
from django.test import SimpleTestCase
from hypothesis import assume, given
from hypothesis import strategies as st

from needle.automation.parameters import PARAMETERS, parameters_of
from needle.dsp.pan_laws import LAWS, law_named
from needle.dsp.pan_modes import MODES, STEM, before_placing, mode_for
from needle.errors import NeedleError
from needle.session.document import SOURCE_DEFAULTS
from needle.session.seatings import SEATINGS, flipped, matched, seated, seating_of

laws = st.sampled_from(sorted(LAWS))
pans = st.floats(-1.0, 1.0)
modes = st.sampled_from([(mode, n) for mode in MODES.values() for n in (1, 2, 5) if mode.takes(n)])


@st.composite
def values(draw) -> dict[str, float]:
    levels = {name: draw(st.floats(-40.0, 12.0)) for name in ("level_left", "level_right")}
    widths = {name: draw(st.floats(0.0, 1.0)) for name in ("width_left", "width_right")}
    return {**{name: draw(pans) for name in ("pan", "pan_left", "pan_right", "span")}, **levels, **widths}


def mirrored(mode: str, given_values: dict[str, float]) -> dict[str, float]:
    return {k: -v if k in ("pan", "pan_left", "pan_right", "span") else v for k, v in given_values.items()}


class Placements(SimpleTestCase):
    @given(modes, laws, values(), st.sampled_from(["pan", "pan_left", "pan_right", "span"]), st.booleans())
    def test_continuous(self, how, law: str, at: dict[str, float], which: str, zero: bool) -> None:
        """A thousandth of the field changes no gain by more than the law's steepest slope allows."""
        mode, inputs = how
        near = {**at, which: float(np.clip(at[which] + 1e-3, -1.0, 1.0))}
        here, there = (mode.gains(law_named(law), v, inputs, zero) for v in (at, near))
        # The compromise law rises like a root from silence; its square is as smooth as the others.
        power = law == "compromise" and not mode.on_its_side
        change = np.abs(here**2 - there**2) if power else np.abs(here - there)
        loudest = max(1.0, float(np.abs(here).max()))
        self.assertLess(change.max(), 0.01 * loudest**2 + 1e-9)

    @given(modes, laws, values(), st.booleans())
    def test_mirrors_exactly_under_exchange_of_the_outputs(self, how, law: str, at, zero: bool) -> None:
        mode, inputs = how
        here = mode.gains(law_named(law), at, inputs, zero)
        there = mode.gains(law_named(law), mirrored(mode.name, at), inputs, zero)
        if mode.on_its_side or mode.name == STEM:
            there = there[:, ::-1]
        np.testing.assert_allclose(here[::-1], there, atol=1e-12)

    @given(modes, values())
    def test_constant_power_keeps_the_power_of_every_channel(self, how, at: dict[str, float]) -> None:
        mode, inputs = how
        assume(not mode.on_its_side)
        gains = mode.gains(law_named("constant-power"), at, inputs)
        weights = mode.weights({name: np.asarray(at[name]) for name in mode.parameters}, inputs)
        np.testing.assert_allclose((gains**2).sum(axis=0), weights**2, atol=1e-12)

    @given(modes, laws, values(), st.floats(0.0, 1.0))
    def test_a_share_told_by_level_narrows_towards_the_centre(self, how, law: str, at, share: float) -> None:
        mode, inputs = how
        gains = mode.gains(law_named(law), at, inputs, share=share)
        positions = mode.positions({name: np.asarray(at[name]) for name in mode.parameters}, inputs)
        wanted = mode.law(law_named(law)).gains(share * positions)
        if not mode.on_its_side:
            np.testing.assert_allclose(gains, wanted * np.abs(gains).sum(axis=0) / wanted.sum(axis=0), atol=1e-9)

    def test_span_is_limited_to_the_field_and_turns_round(self) -> None:
        span = MODES["span"]
        at = span.positions({"pan": np.array(0.5), "span": np.array(0.8)}, 2)
        np.testing.assert_allclose(at, [-0.3, 1.0])
        np.testing.assert_allclose(span.positions({"pan": np.array(0.0), "span": np.array(-0.6)}, 2), [0.6, -0.6])
        wide = span.positions({"pan": np.array(0.0), "span": np.array(1.0)}, 5)
        np.testing.assert_allclose(wide, np.linspace(-1, 1, 5))

    def test_a_mode_says_which_sources_it_takes(self) -> None:
        for mode, inputs in itertools.product(MODES, (1, 2, 6)):
            if not MODES[mode].takes(inputs):
                with self.assertRaisesRegex(NeedleError, "Choose"):
                    mode_for(mode, inputs)


class BeforePlacing(SimpleTestCase):
    @given(st.floats(0.0, 2.0), st.booleans(), st.booleans(), st.booleans())
    def test_order_exchange_polarity_width(self, width: float, swap_channels: bool, left: bool, right: bool) -> None:
        rng = np.random.Generator(np.random.PCG64(1))
        sound = rng.standard_normal((2, 50))
        matrix = before_placing({"width": np.array([width])}, swap_channels, (left, right), 2)
        found = sound if matrix is None else matrix[:, :, 0] @ sound
        expected = sound[::-1] if swap_channels else sound
        expected = expected * np.where([[left], [right]], -1.0, 1.0)
        middle, side = (expected[0] + expected[1]) / 2.0, (expected[0] - expected[1]) / 2.0
        np.testing.assert_allclose(found, [middle + width * side, middle - width * side], atol=1e-12)

    def test_mono_has_only_polarity(self) -> None:
        self.assertIsNone(before_placing({"width": np.array([0.0])}, True, (False, True), 1))
        turned = before_placing({"width": np.array([1.0])}, False, (True, False), 1)
        np.testing.assert_array_equal(turned[:, :, 0], [[-1.0]])


class Seatings(SimpleTestCase):
    def test_every_seating_is_sound(self) -> None:
        for seating in SEATINGS.values():
            names = [seat.name for seat in seating.seats]
            self.assertEqual(len(names), len(set(names)), seating.name)
            for seat in seating.seats:
                self.assertLessEqual(abs(seat.pan) + abs(seat.span), 1.0, seat)

    def test_names_find_their_seats(self) -> None:
        names = ["Kick in", "Snare Top", "OH stereo", "Hi-Hat", "Bass guitar", "Floor", "Tom 1"]
        found = matched(SEATINGS["drum-kit"], names)
        self.assertEqual(
            found,
            {
                "Kick in": "Low drum", "Snare Top": "Snare", "OH stereo": "Overheads", "Hi-Hat": "Hats",
                "Floor": "Floor tom", "Tom 1": "High tom",
            },
        )  # fmt: skip
        strings = matched(SEATINGS["strings"], ["Violins II", "Violins I", "Vc"])
        self.assertEqual(strings, {"Violins II": "Violins II", "Violins I": "Violins I", "Vc": "Cellos"})

    @given(st.lists(st.text(max_size=20), max_size=12, unique=True), st.sampled_from(sorted(SEATINGS)))
    def test_matching_gives_every_seat_once(self, names: list[str], which: str) -> None:
        found = matched(SEATINGS[which], names)
        self.assertEqual(len(set(found.values())), len(found))
        self.assertLessEqual(set(found), set(names))

    @given(st.sampled_from(sorted(SEATINGS)), st.sampled_from(["pan", "sides", "span", "mono"]), st.data())
    def test_the_players_side_mirrors_the_listeners(self, which: str, mode: str, data: st.DataObject) -> None:
        seat = data.draw(st.sampled_from(SEATINGS[which].seats))
        inputs = 1 if mode == "pan" else 2
        at_first = {
            name: parameter.default for name, parameter in PARAMETERS.items() if name in parameters_of("source")
        }
        listener, players = (
            MODES[mode].gains(law_named("constant-power"), {**at_first, **seated(seat, mode, side)}, inputs)
            for side in (False, True)
        )
        np.testing.assert_allclose(listener[::-1], players, atol=1e-12)

    @given(
        st.sampled_from(["balance", "sides", "span", "mono"]), values(), st.booleans(), st.booleans(), st.booleans()
    )
    def test_flipping_mirrors_what_is_heard_and_twice_is_nothing(self, mode, at, swap_channels, left, right) -> None:
        source = {
            **SOURCE_DEFAULTS, **at, "mode": mode, "swap_channels": swap_channels, "invert_left": left,
            "invert_right": right, "width": 0.5,
        }  # fmt: skip

        def heard(one: dict) -> np.ndarray:
            gains = MODES[mode].gains(law_named("constant-power"), one, 2)
            width = {"width": np.array([one["width"]])}
            first = before_placing(width, one["swap_channels"], (one["invert_left"], one["invert_right"]), 2)
            return gains @ first[:, :, 0]

        other = {**source, **flipped(source)}
        np.testing.assert_allclose(heard(source)[::-1], heard(other), atol=1e-12)
        again = {**other, **flipped(other)}
        np.testing.assert_allclose(heard(again), heard(source), atol=1e-12)

    def test_ones_own_seating_is_checked(self) -> None:
        own = seating_of("Mine", [{"name": "Lead", "pan": 0.1}, {"name": "Answer", "pan": -0.5, "span": 0.2}])
        self.assertEqual(matched(own, ["lead", "other"]), {"lead": "Lead"})
        for wrong in ([], [{"name": "", "pan": 0}], [{"name": "a", "pan": 2}], [{"name": "a", "pan": 0}] * 2):
            with self.subTest(wrong), self.assertRaises(NeedleError):
                seating_of("Mine", wrong)
