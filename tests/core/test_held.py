"""What hands hold of a session: as if it were set, and nothing where it may not be."""

import copy

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from needle.automation.parameters import PARAMETERS, PULSE_PARAMETERS, parameters_of
from needle.mix.speaker_routing import ROUTE_DEFAULTS
from needle.session.held import with_held
from needle.session.owners import PART_OF, kind_and_id, owner_in, owners_in
from needle.session.rhythm import DEAL_DEFAULTS, PLACE_DEFAULTS, PULSE_DEFAULTS
from needle.session.validation import Document, check_document
from tests import examples
from tests.core.sessions import documents


def controls_of(document: Document) -> list[str]:
    """All that may be held of a session's own things."""
    return [
        f"{owner}.{name}"
        for owner in owners_in(document)
        for name in parameters_of(kind_and_id(owner)[0])
        if name not in PULSE_PARAMETERS
    ]


class Held(SimpleTestCase):
    @examples(60)
    @given(documents(), st.data())
    def test_a_held_value_stands_in_place_of_any_lane(self, document: Document, data: st.DataObject) -> None:
        before = copy.deepcopy(document)
        control = data.draw(st.sampled_from(controls_of(document)))
        owner, _, name = control.rpartition(".")
        value = data.draw(st.floats(PARAMETERS[name].low, PARAMETERS[name].high))
        held = with_held(document, {control: value})
        self.assertEqual(document, before)
        self.assertEqual(owner_in(held, owner)[name], value)
        self.assertNotIn(f"{owner}/{name}", held["lanes"])
        check_document(held)
        for part in set(document) - {PART_OF[kind_and_id(owner)[0]], "lanes"}:
            self.assertIs(held[part], document[part])

    @examples(40)
    @given(documents(), st.text(max_size=30), st.floats(allow_nan=True, allow_infinity=True))
    def test_what_is_not_there_or_not_allowed_holds_nothing(
        self, document: Document, control: str, value: float
    ) -> None:
        no_controls = (control, f"gone.{control}", "s0.seconds", "s0.order", "send:s0/gone.level", "layer:gone.level")
        for one in no_controls:
            self.assertEqual(with_held(document, {one: value}), document)
        for too_much in (float("nan"), 1e9):
            self.assertEqual(with_held(document, {"s0.pan": too_much, "group:both.shift": too_much}), document)

    @given(documents())
    @examples(5)
    def test_pulses_effects_and_dealt_places_are_held_too(self, document: Document) -> None:
        document["pulses"]["s0"] = {"id": "s0", **PULSE_DEFAULTS}
        place = {**PLACE_DEFAULTS, "id": "p1"}
        document["deals"]["s0"] = {"id": "s0", **DEAL_DEFAULTS, "places": [place, {**place, "id": "p2"}]}
        held = with_held(document, {"pulse:s0.depth": 0.25, "deal:s0/p2.pan": -0.5, "pulse:s0.seed": 2.0})
        self.assertEqual(held["pulses"]["s0"], {**document["pulses"]["s0"], "depth": 0.25})
        self.assertEqual([one["pan"] for one in held["deals"]["s0"]["places"]], [0.0, -0.5])
        if "hall" in document["returns"]:
            held = with_held(document, {"effect:return:hall/e.feedback": 0.1, "effect:return:hall/e.gone": 0.1})
            settings = document["returns"]["hall"]["effects"][0]["settings"]
            self.assertEqual(held["returns"]["hall"]["effects"][0]["settings"], {**settings, "feedback": 0.1})

    @given(documents())
    @examples(5)
    def test_a_send_that_nobody_has_set_is_opened_by_a_hand(self, document: Document) -> None:
        document["sends"].clear()
        for key in ("s0/hall", "s0/gone"):
            held = with_held(document, {f"send:{key}.level": -6.0})
            known = key == "s0/hall" and "hall" in document["returns"]
            self.assertEqual(held["sends"].get(key, {}).get("level"), -6.0 if known else None)

    @given(documents())
    @examples(20)
    def test_steps_of_a_drawn_wave_and_levels_of_loudspeakers_are_held_too(self, document: Document) -> None:
        document["pulses"]["s0"] = {"id": "s0", **PULSE_DEFAULTS, "wave": "steps", "steps": [1.0, 0.0, -1.0]}
        held = with_held(document, {"pulse:s0/1.step": 0.5, "pulse:s0/3.step": 0.5, "pulse:s0/2.step": -2.0})
        self.assertEqual(held["pulses"]["s0"]["steps"], [1.0, 0.5, -1.0])

        document["speaker_routing"].clear()
        document["passages"]["refrain"] = {"id": "refrain", "name": "Refrain", "start": 8.0, "end": 16.0}
        always, refrain = {"route:s0/.lfe": -6.0}, {"route:s0/refrain.direct": -3.0, "route:s0/refrain.front": -1.0}
        gone = {"route:s0/gone.direct": -3.0, "route:gone/.direct": -3.0, "route:s0/.gone": -3.0}
        held = with_held(document, {**always, **refrain, **gone})
        routes = held["speaker_routing"]["s0"]["routes"]
        self.assertEqual(routes[""], {**ROUTE_DEFAULTS, "levels": {"lfe": -6.0}})
        self.assertEqual(
            routes["refrain"], {"off": [], "levels": {"lfe": -6.0, "front": -1.0}, "direct": -3.0, "ambient": 0.0}
        )
        self.assertEqual(ROUTE_DEFAULTS["levels"], {})
