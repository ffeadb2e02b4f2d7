"""The guide, the schema and the pages that say what went wrong."""

import json
import re
import zipfile
from unittest import mock

import jsonschema
from django.conf import settings
from django.test import Client

from needle.io.bundle import SESSION_FILE, write_bundle
from server.media.assets import asset_audio
from server.mixsessions.bundle_schema import bundle_schema, schema_text
from server.mixsessions.state import stored_document
from tests.server.sessions import RATE, SessionCase

DOCS = settings.BASE_DIR / "docs"


class Guide(SessionCase):
    def read(self, address: str) -> str:
        answer = self.client.get(address)
        self.assertEqual(answer.status_code, 200, address)
        return answer.content.decode() if not answer.streaming else ""

    def test_every_page_link_and_picture_is_there(self) -> None:
        seen, waiting = set(), ["/guide/"]
        while waiting:
            address = waiting.pop()
            if address in seen:
                continue
            seen.add(address)
            page = self.read(address)
            links = re.findall(r'(?:href|src)="(/guide/[^"#]*)#?([^"]*)"', page)
            waiting += [link for link, _ in links]
            for link, heading in links:
                if heading:
                    self.assertIn(f'id="{heading}"', self.read(link), f"{address}: {link}#{heading}")
            self.assertNotIn(".md", "".join(re.findall(r'href="([^"]*)"', page)), address)
        pages = {path.stem for path in (DOCS / "guide").glob("[0-9]*.md")}
        lessons = {path.stem for path in (DOCS / "guide").glob("lesson-*.md")}
        self.assertEqual(lessons, {f"lesson-{number:02}" for number in range(1, 11)})
        self.assertLessEqual({f"/guide/{name}/" for name in pages | lessons}, seen)
        for name in lessons:
            lesson = self.read(f"/guide/{name}/")
            for part in ("Do", "Hear", "See"):
                self.assertIn(f"<strong>{part}</strong>", lesson, name)
            self.assertIn("/guide/pictures/", lesson, name)
        # The order of the work, from bringing in to handing over.
        self.assertEqual(sorted(pages)[0], "1-bring-in")
        self.assertEqual(sorted(pages)[-1], "8-hand-over")

    def test_pictures_are_few_and_each_is_linked(self) -> None:
        pictures = {path.name for path in (DOCS / "screenshots").glob("*.png")}
        self.assertLess(len(pictures), 20)
        readme = (settings.BASE_DIR / "README.md").read_text("utf-8")
        linked = set(re.findall(r"docs/screenshots/([a-z-]+\.png)", readme))
        self.assertEqual(linked, pictures)

    def test_nothing_else_of_the_disk_is_shown(self) -> None:
        outside = ("/guide/../README/", "/guide/pictures/..%2f..%2fREADME.png", "/guide/pictures/x.png")
        for address in (*outside, "/guide/nothing/"):
            self.assertEqual(self.client.get(address).status_code, 404, address)


class Faults(SessionCase):
    def test_each_says_what_it_is_and_where_to_go(self) -> None:
        missing = self.client.get("/assets/nothing.js")
        self.assertEqual(missing.status_code, 404)
        self.assertContains(missing, "There is nothing at this address", status_code=404)
        self.assertContains(missing, 'href="/"', status_code=404)
        broken = Client(raise_request_exception=False)
        with mock.patch("server.project.guide._pages", side_effect=RuntimeError("secret words")):
            answer = broken.get("/guide/")
        self.assertContains(answer, "Something went wrong here", status_code=500)
        self.assertNotContains(answer, "secret words", status_code=500)
        old = Client(enforce_csrf_checks=True)
        answer = old.post("/admin/login/", {"username": "x"})
        self.assertIn(answer.status_code, (302, 403))


class Schema(SessionCase):
    def test_the_one_in_the_documentation_is_current(self) -> None:
        kept = (DOCS / "schemas/session-bundle.schema.json").read_text("utf-8")
        self.assertEqual(kept, schema_text(), "write it anew: manage.py write_schema")

    def test_what_the_server_writes_fits_it(self) -> None:
        path = self.data / "out.zip"
        document = stored_document(self.session)
        for _ in write_bundle(path, document, lambda asset: asset_audio(asset, RATE)):
            pass
        with zipfile.ZipFile(path) as archive:
            session = json.loads(archive.read(SESSION_FILE))
        jsonschema.validate(session, bundle_schema())
        session["document"]["sources"]["low"]["pan"] = 3
        with self.assertRaises(jsonschema.ValidationError):
            jsonschema.validate(session, bundle_schema())
