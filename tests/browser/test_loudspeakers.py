"""A room of loudspeakers through a device with an output for each: what comes out there is what is exported."""

import shutil
from types import SimpleNamespace
from unittest import SkipTest

import numpy as np
from django.test import SimpleTestCase
from playwright.sync_api import expect, sync_playwright

from needle.layouts import LAYOUTS
from tests.browser import engines
from tests.browser.measuring import pairs, recorded_frames
from tests.browser.prepared import copied_session
from tests.browser.stage import ARGUMENTS, CHROMIUM, Engineer, shared_server
from tests.runner import new_folder

LAYOUT = LAYOUTS["4+7+0"]
CHANNELS = len(LAYOUT.channels)
FIRST, COUNT = 66, 16
"""Segments that hold what is played."""


class Loudspeakers(SimpleTestCase):
    def test_every_channel_comes_out_at_its_output_as_it_is_exported(self) -> None:
        if not shutil.which("parec"):
            raise SkipTest("parec missing: install Debian's package pulseaudio-utils (docs/testing.md)")
        server = shared_server()
        recorded = new_folder("recorded") / "loudspeakers"
        with engines.sound_device(CHANNELS) as sound, sync_playwright() as playwright:
            browser = playwright.chromium.launch(
                executable_path=CHROMIUM, args=ARGUMENTS, env=sound, ignore_default_args=["--mute-audio"]
            )
            case = SimpleNamespace(server=server, browser=browser, session=copied_session(server.data))
            rowan = Engineer(case, "rowan", desk="place")
            rowan.operate("set-session", layout=LAYOUT.name)
            rowan.page.get_by_label("Room monitoring").select_option("loudspeakers")
            rowan.jump("14.1")
            with engines.recording(sound, recorded, CHANNELS):
                rowan.play()
                expect(rowan.page.locator(".clock")).to_contain_text("0:39")
            rendered = rowan.rendered(FIRST, COUNT, monitor="loudspeakers")[LAYOUT.file_order]
            browser.close()
        played = recorded_frames(recorded, CHANNELS)
        # Where a busy machine was late nothing can be compared; a channel elsewhere would fit nowhere.
        fits = [
            np.abs(heard - exported).max() < 10 ** (-90 / 20)
            # A channel that says nothing proves nothing: all but the LFE sound here.
            and int((np.abs(heard).max(axis=1) > 1e-4).sum()) == CHANNELS - 1
            for heard, exported in pairs(played, rendered)
            if exported.shape == heard.shape
        ]
        self.assertGreaterEqual(sum(fits), 3, fits)
