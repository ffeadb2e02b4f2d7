"""From an empty account to a delivered archive, as somebody new would go; moves and sessions in and out."""

import csv
import io
import subprocess
import sys
import tempfile
import zipfile
from pathlib import Path

import mido
import numpy as np
import soundfile
from django.conf import settings
from playwright.sync_api import Page, expect

from needle.metering.measure import measure
from tests import full
from tests.browser.measuring import lean, noise
from tests.browser.stage import PATIENCE, RATE, BrowserCase, environment, is_ordered
from tests.core.adm_rules import check_file

LONG = 4 * PATIENCE
PASSWORD = "landing-at-dawn"
SECONDS = 8.0


def archive_of(page: Page, delivery: str) -> dict[str, bytes]:
    """The files of a delivery, taken all at once."""
    link = page.locator(f"a[href$='{delivery}/archive']")
    expect(link).to_be_visible(timeout=LONG)
    with page.expect_download() as download:
        link.click()
    with zipfile.ZipFile(download.value.path()) as archive:
        assert archive.testzip() is None
        return {info.filename.rpartition("/")[2]: archive.read(info) for info in archive.infolist()}


def sound(content: bytes) -> np.ndarray:
    audio, rate = soundfile.read(io.BytesIO(content), dtype="float32", always_2d=True)
    assert rate == RATE, rate
    return audio.T


class Folder(BrowserCase):
    def setUp(self) -> None:
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.folder = Path(made.name)

    def order(self, page: Page, *checks: str, **picks: str) -> str:
        """Order exactly some things on the Hand over desk; the delivery's id."""
        form = page.get_by_role("form", name="What to export")
        for box in form.get_by_role("checkbox").all():
            box.set_checked(False)
        for name in checks:
            form.get_by_role("checkbox", name=name).check()
        for label, option in {"Stems": "none", "Format": "WAV, 24 bit, dithered", **picks}.items():
            field = form.get_by_label(label, exact=True)
            if field.is_enabled():
                field.select_option(label=option)
        with page.expect_response(is_ordered) as made:
            form.get_by_role("button", name="Export").click()
        return str(made.value.json()["id"])


class Journey(Folder):
    def account(self) -> None:
        code = (
            "from django.contrib.auth import get_user_model as u;"
            f"u().objects.create_user('nora', password='{PASSWORD}', first_name='Nora', last_name='Quist')"
        )
        command = [sys.executable, "manage.py", "shell", "-c", code]
        subprocess.run(command, cwd=settings.BASE_DIR, env=environment(self.server.data), check=True)

    def stems(self) -> list[str]:
        """Two steady mono stems, and a pair whose right side is louder."""
        pair = noise(3, 2, SECONDS) * np.array([0.7, 1.0])
        for name, audio in (("01_Voice", noise(1, 1, SECONDS)), ("Bass", 0.3 * noise(2, 1, SECONDS)), ("Pair", pair)):
            soundfile.write(self.folder / f"{name}.wav", 0.5 * audio, RATE, subtype="PCM_24")
        return [str(path) for path in sorted(self.folder.glob("*.wav"))]

    @full
    def test_from_an_empty_account_to_a_delivered_archive(self) -> None:
        self.account()
        nora = self.engineer("rowan", desk="place")
        page = nora.page
        page.goto(self.server.address)
        page.get_by_role("button", name="Sign out").click()
        page.get_by_label("Name", exact=True).fill("nora")
        page.get_by_label("Password", exact=True).fill(PASSWORD)
        page.get_by_role("button", name="Sign in", exact=True).click()

        # Nothing is there yet, and what there is to do is said.
        expect(page.get_by_text("You are in no session yet.")).to_be_visible()
        page.get_by_role("button", name="New session").first.click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("Name").fill("Landing stage")
        dialog.get_by_role("button", name="Create").click()
        expect(page.get_by_role("heading", name="Import stems")).to_be_visible()
        nora.session = page.url.split("/sessions/")[1].split("/")[0]

        # The first look round goes from desk to desk, and is closed for ever.
        tour = page.get_by_role("region", name="First look round")
        expect(tour).to_contain_text("1. Place")
        for title in ("Move", "Pulse", "Balance", "Hand over"):
            tour.get_by_role("button", name=f"Next: {title}").click()
            expect(tour).to_contain_text(f". {title}")
            expect(page.locator("nav [aria-current=page]")).to_have_text(title)
        tour.get_by_role("button", name="Begin").click()
        expect(tour).to_have_count(0)
        page.reload()
        expect(page.get_by_text("Nothing has been made yet.")).to_be_visible()
        expect(tour).to_have_count(0)

        # Stems.
        page.get_by_role("button", name="Stems…").click()
        page.get_by_label("Files to import").set_input_files(self.stems())
        page.get_by_role("button", name="Import 3 sources").click()
        self.until(page, lambda: len(nora.document()["sources"]) == 3, "not brought in")
        page.keyboard.press("Escape")
        ids = {row["name"]: key for key, row in nora.document()["sources"].items()}

        # Place.
        nora.to_desk("Place")
        page.get_by_role("button", name="Voice", exact=True).click()
        page.get_by_label("Place now").fill("R10")
        page.get_by_label("Place now").press("Enter")
        self.until(page, lambda: nora.document()["sources"][ids["Voice"]]["pan"] == 0.1, "not placed")

        # Move: the bass goes from one side to the other.
        nora.to_desk("Move")
        page.get_by_role("button", name="Bass", exact=True).click()
        chart = page.locator(".chart svg")
        expect(chart).to_be_visible()
        box = chart.bounding_box()
        for count, (across, down) in enumerate(((0.25, 60.0), (0.75, 110.0)), start=1):
            chart.dblclick(position={"x": box["width"] * across, "y": down})
            self.until(page, lambda count=count: len(nora.points(ids["Bass"])) == count, "no point")
        (first, left, _), (last, right, _) = nora.points(ids["Bass"])
        self.assertLess(first, last)
        self.assertLess(left, -0.2)
        self.assertGreater(right, 0.2)

        # Pulse.
        nora.to_desk("Pulse")
        page.get_by_role("button", name="Voice", exact=True).click()
        page.get_by_role("button", name="Add pulse").first.click()
        self.until(page, lambda: nora.document()["pulses"].get(ids["Voice"], {}).get("on"), "no pulse")

        # Balance: it leans to the right, and a counterweight takes some of it away.
        nora.to_desk("Balance")
        leaning = page.get_by_label("Leans over tolerance").get_by_role("listitem")
        expect(leaning).to_have_count(1, timeout=LONG)
        expect(leaning).to_contain_text("R ")
        before = lean(nora.rendered(0, 16))
        page.get_by_role("button", name="Calculate").click()
        expect(page.get_by_label("Counterweight").get_by_role("status")).to_contain_text("becomes", timeout=LONG)
        page.get_by_role("button", name="Apply").click()
        self.until(page, lambda: lean(nora.rendered(0, 16)) < before - 0.5, "the counterweight evens nothing")

        # Hand over: the mix at a loudness, stems, objects, moves, the report, the chart, the session.
        nora.to_desk("Hand over")
        made = self.order(
            page, "stereo", "mono", "ADM in BW64", "CSV table", "MIDI, 14 bit", "report", "chart",
            "the session itself",
            Stems="every source and return", As="WAV, 32-bit float: exactly what is heard",
            Loudness="Music, wide: −18 LUFS, at most −1 dBTP",
        )  # fmt: skip
        files = archive_of(page, made)

        mix = sound(files["01 Mix.wav"])
        self.assertAlmostEqual(measure([mix], RATE, 2)["integrated_lufs"], -18.0, delta=0.1)
        card = page.locator("article").first
        expect(card).to_contain_text("−18.0 LUFS")
        stems = [sound(files[name]) for name in files if name.endswith(".wav") and name[3:-4] in ids]
        self.assertEqual(len(stems), 3)
        np.testing.assert_allclose(sum(stems), mix, atol=10.0 ** (-90.0 / 20.0))
        np.testing.assert_allclose(sound(files["02 Mono.wav"])[0], mix.mean(axis=0), atol=1e-6)
        rendered = nora.rendered(0, round(SECONDS * 2))
        gain = np.abs(mix).max() / np.abs(rendered).max()
        np.testing.assert_allclose(mix, gain * rendered[:, : mix.shape[1]], atol=1e-5)
        self.assertLess(measure([mix], RATE, 2)["lean_db"], before - 0.5)
        objects = next(content for name, content in files.items() if "Objects" in name)
        names = [one.get("audioObjectName") for one in check_file(objects, RATE, mix.shape[1]).iter("audioObject")]
        self.assertEqual(sorted(names), ["Bass", "Pair", "Voice"])
        table = next(content for name, content in files.items() if name.endswith(".csv") and "Automation" in name)
        rows = [row for row in csv.DictReader(io.StringIO(table.decode())) if row["name"] == "Bass"]
        told = [(float(row["time"]), float(row["value"])) for row in rows if row["parameter"] == "pan"]
        np.testing.assert_allclose(told, [(t, v) for t, v, _ in nora.points(ids["Bass"])], atol=1e-9)
        midi = next(content for name, content in files.items() if name.endswith(".mid"))
        self.assertIn("Bass", [track.name for track in mido.MidiFile(file=io.BytesIO(midi)).tracks])
        self.assertTrue(any(content.startswith(b"%PDF") for content in files.values()))

        # What was handed over opens again, and sounds as it did.
        session = self.folder / "back.zip"
        session.write_bytes(next(content for name, content in files.items() if name.endswith(".zip")))
        before = nora.rendered(0, 6)
        page.goto(self.server.address)
        page.get_by_label("A session bundle or object audio").set_input_files(str(session))
        expect(page.locator("h1")).to_have_text("Landing stage", timeout=LONG)
        page.wait_for_url(lambda url: "/sessions/" in url and nora.session not in url)
        nora.session = page.url.split("/sessions/")[1].split("/")[0]
        np.testing.assert_array_equal(nora.rendered(0, 6), before)
