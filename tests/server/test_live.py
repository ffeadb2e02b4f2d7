"""The live channel: every revision in order, presence, held controls, and what is refused."""

import json
from unittest import mock

from asgiref.sync import async_to_sync, sync_to_async
from autobahn.websocket.types import ConnectionDeny
from daphne.ws_protocol import WebSocketProtocol
from twisted.internet.address import IPv4Address

from server.editing import live
from server.project import sockets
from server.project.sockets import BoundedSocket
from tests.server.tabs import Tabs


class Live(Tabs):
    async def edit(self, name: str, pan: float) -> int:
        body = {"kind": "place-source", "source": "low", "pan": pan}
        answer = await sync_to_async(lambda: self.operate(self.as_(name), body))()
        return answer.json()["revision"]["revision"]

    def test_who_says_too_much_in_a_second_is_put_out(self) -> None:
        async def go() -> None:
            with mock.patch.object(live, "monotonic", return_value=7.0), mock.patch.object(live, "MOST_A_SECOND", 3):
                emil, _ = await self.connect("emil")
                for _ in range(3):
                    await emil.send_json_to({"type": "ping"})
                    await self.heard(emil, "pong")
                await emil.send_json_to({"type": "ping"})
                self.assertEqual((await self.heard(emil, "gone"))["code"], live.TOO_MUCH)
                await emil.disconnect()
                # Nor do they come in again at once; others do.
                _, told = await self.connect("emil")
                self.assertIsNone(told)
                olga, told = await self.connect("olga")
                self.assertEqual(told["type"], "welcome")
                await olga.disconnect()

        async_to_sync(go)()

    def test_no_more_is_read_of_who_says_far_too_much(self) -> None:
        self.forget_who_was_cut_off()
        line = BoundedSocket()
        line.transport, line.muted, line.client_addr = mock.Mock(), False, "somebody"
        line.application_queue = mock.Mock()
        with mock.patch.object(sockets, "monotonic", return_value=7.0):
            for _ in range(live.MOST_A_SECOND + 500):
                line.onMessage(b"{}", False)
        self.assertEqual(line.application_queue.put_nowait.call_count, live.MOST_A_SECOND + 1)
        line.transport.abortConnection.assert_called_once_with()
        with mock.patch.object(sockets, "monotonic", return_value=8.0):
            line.onMessage(b"{}", False)
        self.assertEqual(line.application_queue.put_nowait.call_count, live.MOST_A_SECOND + 2)

    def forget_who_was_cut_off(self) -> None:
        self.addCleanup(sockets._out.clear)
        self.addCleanup(sockets._cut_off.clear)

    def test_who_makes_up_a_sign_in_for_every_line_is_refused_by_address(self) -> None:
        self.forget_who_was_cut_off()
        with mock.patch.object(WebSocketProtocol, "onConnect"):
            lines = [BoundedSocket() for _ in range(sockets._MOST_FROM_ADDRESS + 1)]
            for number, line in enumerate(lines):
                line.transport = mock.Mock()
                line.transport.getPeer.return_value = IPv4Address("TCP", "192.0.2.9", 1)
                asked = mock.Mock(headers={"cookie": f"sessionid=made-up-{number}"})
                if number == sockets._MOST_FROM_ADDRESS:
                    with self.assertRaises(ConnectionDeny):
                        line.onConnect(asked)
                else:
                    line.onConnect(asked)
                    line._note_cut_off()

    def test_who_was_cut_off_is_not_let_in_again_at_once(self) -> None:
        self.forget_who_was_cut_off()
        for cookie, address in (("sessionid=one", "192.0.2.1"), ("", "192.0.2.2")):
            line, again, other = BoundedSocket(), BoundedSocket(), BoundedSocket()
            asked = mock.Mock(headers={"cookie": cookie})
            with mock.patch.object(WebSocketProtocol, "onConnect") as let_in:
                for socket in (line, again):
                    socket.transport = mock.Mock()
                    socket.transport.getPeer.return_value = IPv4Address("TCP", address, 1)
                line.onConnect(asked)
                line.muted, line.client_addr, line.application_queue = False, "somebody", mock.Mock()
                with mock.patch.object(sockets, "monotonic", return_value=7.0):
                    for _ in range(live.MOST_A_SECOND + 1):
                        line.onMessage(b"{}", False)
                with self.assertRaises(ConnectionDeny):
                    again.onConnect(asked)
                other.transport = mock.Mock()
                other.transport.getPeer.return_value = IPv4Address("TCP", "192.0.2.3", 1)
                other.onConnect(mock.Mock(headers={"cookie": "sessionid=two"}))
                self.assertEqual(let_in.call_count, 2)

    def test_everybody_hears_of_every_revision_in_order(self) -> None:
        async def go() -> None:
            olga, welcome = await self.connect("olga")
            lisa, _ = await self.connect("lisa")
            self.assertEqual(welcome["you"]["role"], "owner")
            made = [await self.edit("emil", pan / 10) for pan in range(5)]
            for tab in (olga, lisa):
                told = [await self.heard(tab, "revision") for _ in made]
                self.assertEqual([t["revision"] for t in told], made)
                self.assertEqual(told[-1]["delta"][0]["fields"]["pan"], 0.4)
                self.assertEqual(told[-1]["author"]["name"], "Emil")
                await tab.disconnect()

        async_to_sync(go)()

    def test_who_comes_back_is_told_what_was_missed_once(self) -> None:
        async def go() -> None:
            before = await sync_to_async(self.revision)()
            made = [await self.edit("emil", pan / 10) for pan in range(4)]
            tab, welcome = await self.connect("olga", since=before + 1)
            self.assertEqual(welcome["revision"], made[-1])
            told = [(await self.heard(tab, "revision"))["revision"] for _ in made[1:]]
            self.assertEqual(told, made[1:])
            later = await self.edit("emil", 0.9)
            self.assertEqual((await self.heard(tab, "revision"))["revision"], later)
            await tab.disconnect()

        async_to_sync(go)()

    def test_who_has_missed_more_than_a_page_receives_all_of_it(self) -> None:
        async def go() -> None:
            before = await sync_to_async(self.revision)()
            revisions = [await self.edit("emil", pan / 10) for pan in range(7)]
            with mock.patch("server.mixsessions.log.MOST_AT_ONCE", 3):
                tab, _ = await self.connect("olga", since=before)
                messages = [await self.heard(tab, "revision") for _ in revisions]
            self.assertEqual([message["revision"] for message in messages], revisions)
            await tab.disconnect()

        async_to_sync(go)()

    def test_presence_and_held_controls(self) -> None:
        async def go() -> None:
            olga, _ = await self.connect("olga")
            emil, _ = await self.connect("emil")
            self.assertEqual((await self.heard(olga, "presence"))["person"]["name"], "Emil")
            there = (await self.heard(emil, "presence"))["person"]
            self.assertEqual(there["name"], "Olga")
            await emil.send_json_to({"type": "presence", "chosen": "low", "playhead": 1.5, "playing": True})
            # What was told of Emil's coming may be told once more before.
            while (await self.heard(olga, "presence"))["person"]["playhead"] != 1.5:
                pass
            await emil.send_json_to({"type": "preview", "control": "low.pan", "value": 0.3})
            held = await self.heard(olga, "preview")
            self.assertEqual((held["control"], held["value"]), ("low.pan", 0.3))
            await emil.send_json_to({"type": "preview", "control": "low.pan", "value": None})
            self.assertIsNone((await self.heard(olga, "preview"))["value"])
            # Whoever moves something is not told of it.
            await emil.send_json_to({"type": "ping"})
            while (told := await self.heard(emil))["type"] != "pong":
                self.assertNotEqual(told["type"], "preview")
            await emil.disconnect()
            self.assertEqual((await self.heard(olga, "gone"))["tab"], held["tab"])
            await olga.disconnect()

        revision = self.revision()
        async_to_sync(go)()
        self.assertEqual(self.revision(), revision)

    def test_outsiders_strangers_and_other_sites_stay_out(self) -> None:
        async def go() -> None:
            for name in ("uwe", None):
                tab, told = await self.connect(name)
                self.assertEqual(told["code"], 4404)
                await tab.disconnect()
            _, told = await self.connect("olga", origin="http://elsewhere.example")
            self.assertIsNone(told)

        async_to_sync(go)()

    def test_nonsense_is_refused_with_a_sentence_and_the_line_stays_open(self) -> None:
        async def go() -> None:
            tab, _ = await self.connect("emil")
            nonsense = (
                "{", "[]", "7", '{"type":"dance"}', '{"type":"preview","control":"x","value":NaN}',
                '{"type":"preview","control":"","value":1}', json.dumps({"type": "preview", "control": "x" * 9000}),
            )  # fmt: skip
            for text in nonsense:
                await tab.send_to(text_data=text)
                self.assertTrue((await self.heard(tab, "refused"))["message"]["text"], text)
            await tab.send_json_to({"type": "ping"})
            self.assertEqual((await self.heard(tab))["type"], "pong")
            await tab.disconnect()
            lisa, _ = await self.connect("lisa")
            await lisa.send_json_to({"type": "preview", "control": "low.pan", "value": 0.5})
            self.assertEqual((await self.heard(lisa, "refused"))["message"]["code"], "live.listener")
            await lisa.disconnect()

        async_to_sync(go)()
