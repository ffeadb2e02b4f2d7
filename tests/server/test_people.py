"""People through the API: invitations, roles, handing over, signing in and out, what is held."""

import json
import threading
from datetime import timedelta
from typing import Any

from asgiref.sync import async_to_sync, sync_to_async
from django.contrib.auth import get_user_model
from django.db import connection
from django.test import Client
from django.utils import timezone

from server.collaboration.models import Invitation
from server.mixsessions.models import Membership
from tests.server.shared import SharedCase
from tests.server.tabs import Tabs


class People(SharedCase):
    def test_a_link_lets_people_in_until_it_is_withdrawn_or_ends(self) -> None:
        made = self.asked("olga", "/invitations", role="listener", hours=2)
        body = json.dumps({"secret": made["secret"]})
        post = {"data": body, "content_type": "application/json"}
        self.assertNotIn(made["secret"], Invitation.objects.get().secret)
        door = Client().post("/api/invitations/preview", **post).json()
        self.assertEqual(
            (door["name"], door["role"], door["author"], door["session"]), ("Tones", "listener", "Olga", None)
        )
        uwe = self.as_("uwe")
        self.assertEqual(uwe.get(self.url()).status_code, 404)
        self.assertEqual(uwe.post("/api/invitations/accept", **post).json()["role"], "listener")
        self.assertEqual(uwe.get(self.url()).json()["role"], "listener")
        self.assertEqual(self.operate(uwe, {"kind": "mute-source", "source": "low", "muted": True}).status_code, 403)
        self.assertEqual(self.got("olga", "/people")["invitations"][0]["accepted"], 1)
        self.assertEqual(self.got("emil", "/people")["invitations"], [])
        # A member stays what they are, whatever a link says.
        self.assertEqual(self.as_("emil").post("/api/invitations/accept", **post).json()["role"], "engineer")
        self.deleted("olga", f"/invitations/{made['id']}")
        self.assertEqual(Client().post("/api/invitations/preview", **post).status_code, 404)
        Invitation.objects.update(withdrawn=False, ends_at=timezone.now() - timedelta(seconds=1))
        self.assertEqual(uwe.post("/api/invitations/accept", **post).status_code, 404)

    def accept(self, name: str, secret: str) -> int:
        """How somebody is answered who accepts an invitation."""
        body = json.dumps({"secret": secret})
        return self.as_(name).post("/api/invitations/accept", body, content_type="application/json").status_code

    def test_a_link_for_one_person_lets_one_in_and_nobody_after_them(self) -> None:
        made = self.asked("olga", "/invitations", role="listener", once=True)
        self.assertTrue(made["once"])
        # Who is a member already does not use it up.
        self.assertEqual(self.accept("emil", made["secret"]), 200)
        self.assertEqual(len(self.got("olga", "/people")["invitations"]), 1)
        self.assertEqual(self.accept("uwe", made["secret"]), 200)
        self.assertEqual(self.got("olga", "/people")["invitations"], [])
        get_user_model().objects.create_user("vera", password="a long password")
        late = Client()
        late.login(username="vera", password="a long password")
        post = {"data": json.dumps({"secret": made["secret"]}), "content_type": "application/json"}
        for address in ("preview", "accept"):
            self.assertEqual(late.post(f"/api/invitations/{address}", **post).status_code, 404)

    def test_who_was_removed_does_not_come_back_by_an_older_link(self) -> None:
        earlier = self.asked("olga", "/invitations", role="engineer")["secret"]
        emil, lisa = self.users["emil"].pk, self.users["lisa"].pk
        self.deleted("olga", f"/people/{emil}")
        self.assertEqual(self.accept("emil", earlier), 404)
        self.assertEqual(self.accept("uwe", earlier), 200)
        # Who left may come back; and whoever is invited anew.
        self.deleted("lisa", f"/people/{lisa}")
        self.assertEqual(self.accept("lisa", earlier), 200)
        self.assertEqual(self.accept("emil", self.asked("olga", "/invitations", role="listener")["secret"]), 200)
        self.assertEqual(self.as_("emil").get(self.url()).json()["role"], "listener")

    def test_an_account_is_made_by_an_invitation_only(self) -> None:
        secret = self.asked("olga", "/invitations", role="engineer")["secret"]
        mia = Client()
        given = {"username": "mia", "name": "Mia Quay", "password": "short", "secret": secret}

        def ask(**changed: str) -> Any:
            return mia.post(
                "/api/invitations/account", json.dumps({**given, **changed}), content_type="application/json"
            )

        self.assertIn("at least 10", ask().json()["detail"])
        self.assertEqual(ask(password="a ferry at dusk", secret="not that one").status_code, 404)
        self.assertEqual(ask(password="a ferry at dusk", username="OLGA").status_code, 409)
        self.assertEqual(get_user_model().objects.count(), 4)
        self.assertEqual(ask(password="a ferry at dusk").status_code, 200)
        self.assertEqual(mia.get(self.url()).json()["role"], "engineer")
        self.assertEqual(self.got("olga", "/people")["members"][-1]["name"], "Mia Quay")

    def come_in(self, name: str, role: str) -> str:
        """Have the owner ask somebody in, and them accept; what they are then."""
        self.asked("olga", "/people", username=name, role=role)
        (waiting,) = self.as_(name).get("/api/invitations").json()
        return self.as_(name).post(f"/api/invitations/{waiting['id']}/accept").json()["role"]

    def test_nobody_is_in_a_session_without_having_accepted(self) -> None:
        for role in ("listener", "engineer"):
            asked = self.asked("olga", "/people", username="uwe", role=role)
        self.assertEqual((asked["guest"], asked["once"]), ("Uwe", True))
        self.assertEqual(len(self.got("olga", "/people")["invitations"]), 1)
        self.assertEqual(self.as_("uwe").get(self.url()).status_code, 404)
        self.assertNotIn("uwe", [one["username"] for one in self.got("olga", "/people")["members"]])
        (waiting,) = self.as_("uwe").get("/api/invitations").json()
        self.assertEqual((waiting["name"], waiting["role"], waiting["author"]), ("Tones", "engineer", "Olga"))
        # It is theirs alone.
        for name in ("emil", "lisa"):
            self.assertEqual(self.as_(name).get("/api/invitations").json(), [])
            self.assertEqual(self.as_(name).post(f"/api/invitations/{waiting['id']}/accept").status_code, 404)
            self.assertEqual(self.as_(name).delete(f"/api/invitations/{waiting['id']}").status_code, 404)
        self.assertEqual(self.as_("uwe").delete(f"/api/invitations/{waiting['id']}").status_code, 204)
        self.assertEqual(self.got("olga", "/people")["invitations"], [])
        self.assertEqual(self.as_("uwe").post(f"/api/invitations/{waiting['id']}/accept").status_code, 404)
        self.assertEqual(self.come_in("uwe", "listener"), "listener")
        self.assertEqual(self.as_("uwe").get("/api/invitations").json(), [])

    def test_the_owner_adds_changes_withdraws_and_hands_over(self) -> None:
        self.asked("olga", "/people", 404, username="nobody", role="listener")
        self.asked("olga", "/people", 409, username="emil", role="listener")
        self.assertEqual(self.come_in("uwe", "listener"), "listener")
        uwe = next(one for one in self.got("olga", "/people")["members"] if one["username"] == "uwe")
        self.assertEqual(uwe["colour"], 3)
        self.changed("olga", f"/people/{uwe['id']}", role="engineer")
        self.make("uwe", "mute-source", source="low", muted=True)
        olga = self.users["olga"].pk
        self.changed("olga", f"/people/{olga}", 409, role="listener")
        self.deleted("olga", f"/people/{olga}", 409)
        self.changed("olga", f"/people/{uwe['id']}", role="owner")
        roles = {one["username"]: one["role"] for one in self.got("uwe", "/people")["members"]}
        self.assertEqual((roles["uwe"], roles["olga"]), ("owner", "engineer"))
        self.changed("olga", f"/people/{uwe['id']}", 403, role="listener")
        self.deleted("lisa", f"/people/{self.users['lisa'].pk}")
        self.deleted("uwe", f"/people/{olga}")
        self.assertEqual(self.as_("olga").get(self.url()).status_code, 404)
        self.assertEqual(Membership.objects.filter(session=self.session, role="owner").count(), 1)

    def test_a_new_password_ends_every_other_sign_in(self) -> None:
        here, there = self.as_("emil"), self.as_("emil")

        def change(current: str, new: str) -> int:
            body = json.dumps({"current": current, "new": new})
            return here.post("/api/password", body, content_type="application/json").status_code

        self.assertEqual(change("wrong", "another long one"), 403)
        self.assertEqual(change("a long password", "emil"), 422)
        self.assertEqual(change("a long password", "another long one"), 204)
        self.assertEqual(here.get("/api/sign-in/options").json()["me"]["username"], "emil")
        self.assertIsNone(there.get("/api/sign-in/options").json()["me"])
        again = Client()
        given = {"username": "emil", "password": "another long one"}
        self.assertEqual(again.post("/api/sign-in", given, content_type="application/json").status_code, 200)
        self.assertEqual(here.post("/api/sign-out-everywhere").status_code, 204)
        for client in (here, again):
            self.assertIsNone(client.get("/api/sign-in/options").json()["me"])


class AtOnce(Tabs):
    def test_handed_over_twice_at_once_it_has_one_owner(self) -> None:
        people = [self.users[name].pk for name in ("emil", "lisa")]
        answers = []

        def give(person: int) -> None:
            address = self.url(f"/people/{person}")
            answer = self.as_("olga").patch(address, {"role": "owner"}, content_type="application/json")
            answers.append(answer.status_code)
            connection.close()

        hands = [threading.Thread(target=give, args=(person,)) for person in people]
        for hand in hands:
            hand.start()
        for hand in hands:
            hand.join()
        self.assertEqual(sorted(answers), [200, 403])
        self.assertEqual(Membership.objects.filter(session=self.session, role="owner").count(), 1)

    def test_roles_hold_in_open_browsers_and_who_is_withdrawn_is_put_out(self) -> None:
        async def go() -> None:
            emil, _ = await self.connect("emil")
            address = self.url(f"/people/{self.users['emil'].pk}")
            olga = await sync_to_async(self.as_)("olga")
            role = {"role": "listener"}
            await sync_to_async(lambda: olga.patch(address, role, content_type="application/json"))()
            self.assertEqual((await self.heard(emil, "people"))["role"], "listener")
            await emil.send_json_to({"type": "preview", "control": "low.pan", "value": 0.5})
            self.assertEqual((await self.heard(emil, "refused"))["message"]["code"], "live.listener")
            await sync_to_async(olga.delete)(address)
            self.assertEqual((await self.heard(emil, "gone"))["code"], 4404)
            await emil.disconnect()

        async_to_sync(go)()

    def test_two_who_accept_a_link_for_one_person_at_once_are_one(self) -> None:
        secret = self.post(self.as_("olga"), "/invitations", {"role": "listener", "once": True}).json()["secret"]
        get_user_model().objects.create_user("vera", password="a long password")
        answers = []

        def accept(name: str) -> None:
            client = Client()
            client.force_login(get_user_model().objects.get(username=name))
            body = json.dumps({"secret": secret})
            answers.append(client.post("/api/invitations/accept", body, content_type="application/json").status_code)
            connection.close()

        hands = [threading.Thread(target=accept, args=(name,)) for name in ("uwe", "vera")]
        for hand in hands:
            hand.start()
        for hand in hands:
            hand.join()
        self.assertEqual(sorted(answers), [200, 404])

    def test_signing_out_closes_what_that_browser_has_open(self) -> None:
        async def go() -> None:
            here, there = await sync_to_async(self.as_)("emil"), await sync_to_async(self.as_)("emil")
            mine, _ = await self.connect("emil", client=here)
            other, _ = await self.connect("emil", client=there)
            self.assertEqual((await sync_to_async(here.post)("/api/sign-out")).status_code, 204)
            self.assertEqual((await self.heard(mine, "gone"))["code"], 4401)
            await other.send_json_to({"type": "ping"})
            await self.heard(other, "pong")
            for line in (mine, other):
                await line.disconnect()

        async_to_sync(go)()

    def test_an_account_that_is_closed_or_given_another_password_is_out_at_once(self) -> None:
        async def put_out(**changes: Any) -> None:
            emil, _ = await self.connect("emil")

            def save() -> None:
                user = get_user_model().objects.get(username="emil")
                for name, value in changes.items():
                    setattr(user, name, value)
                user.save()

            await sync_to_async(save)()
            self.assertEqual((await self.heard(emil, "gone"))["code"], 4401)
            await emil.disconnect()

        async_to_sync(put_out)(password="another")
        self.users["emil"].refresh_from_db()
        async_to_sync(put_out)(is_active=False)

    def test_signing_out_everywhere_closes_every_line(self) -> None:
        async def go() -> None:
            emil, _ = await self.connect("emil")
            client = await sync_to_async(self.as_)("emil")
            await sync_to_async(client.post)("/api/sign-out-everywhere")
            self.assertEqual((await self.heard(emil, "gone"))["code"], 4401)
            await emil.disconnect()

        async_to_sync(go)()

    def test_what_is_held_is_asked_for_and_given(self) -> None:
        async def go() -> None:
            emil, first = await self.connect("emil")
            olga, second = await self.connect("olga")
            await olga.send_json_to({"type": "ask", "control": "low.pan"})
            asked = await self.heard(emil, "ask")
            self.assertEqual((asked["control"], asked["tab"]), ("low.pan", second["you"]["tab"]))
            await emil.send_json_to({"type": "give", "control": "low.pan", "to": asked["tab"]})
            given = await self.heard(olga, "give")
            self.assertEqual((given["to"], given["tab"]), (second["you"]["tab"], first["you"]["tab"]))
            way = {"passage": "first", "monitor": "mono", "solo": ["low"], "playing": True, "playhead": 2.0}
            await emil.send_json_to({"type": "presence", **way})
            person = (await self.heard(olga, "presence"))["person"]
            while person["tab"] != first["you"]["tab"] or not person["playing"]:
                person = (await self.heard(olga, "presence"))["person"]
            self.assertEqual({name: person[name] for name in way}, way)
            for tab in (emil, olga):
                await tab.disconnect()

        async_to_sync(go)()
