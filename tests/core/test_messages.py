"""Messages: what they say, how they are written down, and that every one that is raised has a text."""

import ast
import pickle
import re
from collections import defaultdict
from pathlib import Path

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

import needle
import server
from needle.errors import NeedleError
from needle.messages import Message, catalogue

_SAYING = {"NeedleError", "ApiError", "Message"}
_SLOT = re.compile(r"\{(\w+)\}")

values = st.one_of(
    st.text(max_size=20),
    st.integers(-(10**6), 10**6),
    st.floats(allow_nan=False, allow_infinity=False, width=32),
    st.lists(st.text(max_size=5), max_size=3).map(tuple),
)


def raised_in(folder: Path) -> dict[str, list[tuple[str, set[str] | None]]]:
    """Where each code stands: the place, and the parameters given there (None where they are passed on)."""
    result = defaultdict(list)
    for path in folder.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if not isinstance(node, ast.Call) or getattr(node.func, "id", "") not in _SAYING or not node.args:
                continue
            names = {keyword.arg for keyword in node.keywords}
            parameters = None if None in names else names - {"more"}
            for code in codes_of(node.args[0]):
                result[code].append((f"{path.name}:{node.lineno}", parameters))
    return result


def codes_of(node: ast.expr) -> list[str]:
    """The codes that an expression may have, with ``*`` for what is filled in."""
    if isinstance(node, ast.IfExp):
        return codes_of(node.body) + codes_of(node.orelse)
    if isinstance(node, ast.JoinedStr):
        return ["".join(part.value if isinstance(part, ast.Constant) else "*" for part in node.values)]
    return [node.value] if isinstance(node, ast.Constant) and isinstance(node.value, str) else []


class Texts(SimpleTestCase):
    def test_every_message_that_is_raised_has_a_text_with_its_parameters(self) -> None:
        places = raised_in(Path(needle.__file__).parent) | raised_in(Path(server.__file__).parent)
        self.assertGreater(len(places), 300)
        for code, uses in places.items():
            if "*" in code:
                pattern = re.compile(re.escape(code).replace(r"\*", "[a-z_0-9]+"))
                self.assertTrue(any(pattern.fullmatch(known) for known in catalogue()), (code, uses))
                continue
            with self.subTest(code):
                wanted = set(_SLOT.findall(catalogue()[code]))
                for place, parameters in uses:
                    self.assertLessEqual(wanted, wanted if parameters is None else parameters, place)

    def test_no_text_is_without_a_use(self) -> None:
        sources = [
            path.read_text("utf-8")
            for package in (needle, server)
            for path in Path(package.__file__).parent.rglob("*.py")
        ]
        text = "\n".join(sources)
        for code in catalogue():
            area, name = code.split(".")
            used = f'"{code}"' in text or (f'f"{area}.{{' in text) or f'"{name}"' in text
            self.assertTrue(used, code)


class Said(SimpleTestCase):
    def test_numbers_lists_and_messages_are_told_in_a_sentence(self) -> None:
        self.assertEqual(
            str(NeedleError("pan_law.unknown", name="sine", choices={"a": 1, "b": 2})),
            "There is no pan law “sine”. Choose a, b.",
        )
        self.assertEqual(
            str(Message("session.named", name="Bell", reason=NeedleError("session.channel_count", most=16))),
            "Bell: A source has 1 to 16 channels.",
        )
        self.assertIn("-60 to 24 dB", str(Message("session.gain_out_of_range", gain=90.0, low=-60.0, high=24.0)))

    def test_one_and_several_have_their_own_form(self) -> None:
        one, two = (Message("edit.undone_in_part", names=["Olga"] * n, count=n) for n in (1, 2))
        self.assertIn("Olga has", str(one))
        self.assertIn("Olga, Olga have", str(two))

    def test_braces_in_a_text_stay_braces(self) -> None:
        self.assertIn("“{bar}”", str(Message("export.unknown_name_word", unknown="bar", choices=["{session}"])))

    def test_a_file_is_told_by_the_name_that_its_owner_knows(self) -> None:
        inner = NeedleError("audio.no_sound", file="a91f.part")
        self.assertEqual(str(inner.about("Bell.wav")), "Bell.wav holds no sound at all.")
        outer = NeedleError("moves.file", file="a91f.part", reason=inner)
        self.assertNotIn("a91f", str(outer.about("Bell.wav")))

    @given(values, values)
    def test_what_is_written_down_is_read_again(self, name: object, reason: object) -> None:
        message = Message("session.named", name=name, reason=Message("plain.text", text=reason))
        self.assertEqual(str(Message.from_json(message.as_json())), str(message))
        self.assertEqual(Message.from_json(message.as_json()), message)
        self.assertEqual(pickle.loads(pickle.dumps(NeedleError(message))).message, message)

    def test_a_code_of_another_version_is_told_by_its_text(self) -> None:
        for code in ("gone.away", "audio.no_sound"):  # the second without what its text now needs
            stored = {"code": code, "parameters": {}, "text": "That was so."}
            self.assertEqual(str(Message.from_json(stored)), "That was so.")
