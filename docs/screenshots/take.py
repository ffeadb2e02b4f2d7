"""Takes the pictures of every main view with the demo's people (run by setup/take-screenshots)."""

import os
import re
import tempfile
from pathlib import Path
from types import SimpleNamespace

import django
import numpy as np
import soundfile

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.project.settings")
django.setup()

from playwright.sync_api import expect, sync_playwright  # noqa: E402 - needs Django to be set up

from demo import instruments as play  # noqa: E402 - likewise
from tests.browser.prepared import demo_session  # noqa: E402 - likewise
from tests.browser.stage import ARGUMENTS, CHROMIUM, Engineer, Server  # noqa: E402

HERE = Path(__file__).parent
SIZE = {"width": 1280, "height": 800}


def take(page, name: str, **options: bool) -> None:
    # Dialogs fade in; nothing is to be caught on its way.
    page.emulate_media(reduced_motion="reduce")
    page.evaluate("Promise.all([document.fonts.ready, ...document.getAnimations().map((one) => one.finished)])")
    page.screenshot(path=HERE / f"{name}.png", **options)


def choose(person: Engineer, source: str) -> None:
    person.row(source).locator("button.name").click()


def take_place_desk(rowan: Engineer) -> None:
    """The Place desk from several sides."""
    page = rowan.page
    choose(rowan, "glass-mallets")
    rowan.jump("33.1")
    rowan.play()
    rowan.listen(2.0)
    take(page, "place")
    rowan.stop()
    page.get_by_label("View").get_by_role("button", name="Quay").click()
    take(page, "return")
    page.get_by_role("button", name="Direct").click()
    choose(rowan, "wind-pad")
    page.get_by_role("radio", name="balance").click()
    rowan.place_of("wind-pad").press("Shift+ArrowRight")
    page.get_by_text("Lost by panning").wait_for()
    take(page, "meaning")
    choose(rowan, "foghorn")
    page.get_by_role("button", name="Delay panning").click()
    page.get_by_role("radio", name="both sides").click()
    page.get_by_text("First gap at").wait_for()
    take(page, "timing")
    for key in ("hand-drum", "shaker", "plucked-bass", "bell-buoy"):
        rowan.row(key).locator("button.name").click(modifiers=[] if key == "hand-drum" else ["Control"])
    with tempfile.TemporaryDirectory() as folder:
        page.get_by_role("button", name="+ Add").click()
        page.get_by_label("Files to import").set_input_files(example_stems(Path(folder)))
        page.get_by_text("Very quiet").wait_for()
        page.get_by_text("breaks off").wait_for()
        take(page, "bring-in")


def remark(person: Engineer, bar: str, text: str) -> None:
    """Make a comment at a bar, as the page does."""
    person.jump(bar)
    person.page.keyboard.press("n")
    person.page.get_by_label("Your comment").fill(text)
    person.page.get_by_role("button", name="Comment", exact=True).click()
    person.page.get_by_text(text).last.wait_for()


def take_together(rowan: Engineer, ines: Engineer) -> None:
    """Two people at work: what Ines says of it, and an earlier revision against the present."""
    page = rowan.page
    then = rowan.revision()
    ines.operate("set-level", source="gulls", level=-9.0)
    ines.operate("place-source", source="foghorn", pan=0.3)
    ines.operate("place-source", source="hand-drum", pan=-0.35)
    rowan.operate("set-level", source="concertina-2", level=-7.0)
    remark(ines, "9", "The horn wants to come from farther out here. Could it arrive on the bar?")
    remark(ines, "3", "Lovely, leave it.")
    page.get_by_role("button", name="Comments, 2 unread").click()
    page.locator("[data-comment]").nth(1).locator("button.where").click()
    page.get_by_label("Your reply").fill("At R30 now, and a bar later. Better?")
    page.get_by_role("button", name="Send").click()
    page.locator(".reply").wait_for()
    take(page, "comments")
    page.get_by_role("button", name="History").click()
    page.locator(".log li", has_text=f"r{then}").get_by_role("button").click()
    page.get_by_text("Name this version…").click()
    page.get_by_label("Name of the version").fill("Before Ines")
    page.get_by_role("button", name="Save").click()
    page.get_by_text("matched:").wait_for()
    take(page, "history")
    page.get_by_role("region", name="Compare").get_by_role("button", name="Close").click()
    page.locator("main > .sheet").get_by_role("button", name="Close", exact=True).click()


def take_pulse_desk(rowan: Engineer) -> None:
    """The Pulse desk in both its uses: the pad pulsed against the drum, the mallets dealt to places."""
    page = rowan.page
    rowan.to_desk("Pulse")
    choose(rowan, "wind-pad")
    values = {"wave": "square", "period": 0.75, "smooth": 0.12, "depth": 0.95, "offset": 180.0}
    rowan.operate("set-pulse", owner="wind-pad", **values)
    page.get_by_label("Accents from").select_option(label="Hand drum")
    rowan.jump("17.2.40")
    page.get_by_text("The accents of Hand drum").wait_for()
    page.locator(".reading .stale").wait_for(state="detached")
    take(page, "pulse")
    choose(rowan, "glass-mallets")
    with page.expect_response(lambda answer: "/waveform" in answer.url):
        page.get_by_role("button", name="Deal", exact=True).click()
        page.locator(".teach .ant-btn-primary").click()
    page.get_by_role("button", name="there and back").click()
    page.get_by_role("button", name="Built-in voice").click()
    page.get_by_role("button", name="Place 2", exact=True).click()
    rowan.jump("29.1")
    surface = page.get_by_role("application")
    surface.press("ArrowDown")
    page.get_by_text("of 132: bar").wait_for()
    page.get_by_label("Timbre").wait_for()
    page.get_by_text("Saved", exact=False).wait_for()
    surface.hover(position={"x": 300, "y": 170})
    page.keyboard.down("Control")
    page.mouse.wheel(0, -250)
    page.keyboard.up("Control")
    take(page, "deal")
    while rowan.document()["pulses"].get("wind-pad"):
        revision = rowan.revision()
        page.get_by_role("button", name=re.compile("^Undo")).click()
        while rowan.revision() == revision:
            page.evaluate("new Promise(requestAnimationFrame)")


def take_move_desk(rowan: Engineer) -> None:
    """The Move desk: a stretch of both sides that cross, looked at; and a take that waits to be kept."""
    page = rowan.page
    choose(rowan, "deck-voices")
    page.keyboard.press("Shift+Z")
    page.get_by_role("button", name="Lights ahead").click(modifiers=["Shift"])
    page.keyboard.press("z")
    stretch = page.get_by_label("Range")
    stretch.get_by_role("button", name="Sweep", exact=True).click()
    for label, value in (("Sweep to", "R80"), ("Crossings", "6")):
        page.get_by_label(label).fill(value)
        page.get_by_label(label).press("Enter")
    stretch.get_by_text("14 points").wait_for()
    take(page, "stretch")
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    choose(rowan, "ferry-engine")
    page.get_by_role("button", name="Touch", exact=True).click()
    rowan.jump("17.1")
    rowan.play()
    rowan.listen(0.5)
    hand = page.get_by_role("slider", name="Ferry engine: Left–right, by hand").bounding_box()
    middle = hand["y"] + hand["height"] / 2
    page.mouse.move(hand["x"] + hand["width"] / 2, middle)
    page.mouse.down()
    for step in range(30):
        page.mouse.move(hand["x"] + hand["width"] * (0.5 + 0.35 * np.sin(step / 5)), middle)
        rowan.listen(0.1)
    page.mouse.up()
    rowan.listen(0.5)
    rowan.stop()
    page.get_by_label("Recorded take").wait_for()
    take(page, "recording")
    page.keyboard.press("Backspace")


def take_balance_desk(rowan: Engineer) -> None:
    """The Balance desk with a counterweight on trial, and the printed report."""
    page = rowan.page
    page.locator("[data-cause]").first.wait_for(timeout=60_000)
    rowan.row("concertina-1").locator("button.name").click()
    rowan.row("concertina-2").locator("button.name").click(modifiers=["Control"])
    page.get_by_role("button", name="Calculate").click()
    page.get_by_role("button", name="Compare B").wait_for(timeout=60_000)
    page.get_by_text("dB louder here").wait_for(timeout=60_000)
    rowan.jump("17.3")
    rowan.play()
    page.get_by_role("button", name="Compare B").click()
    rowan.listen(3.0)
    take(page, "balance")
    rowan.stop()
    page.get_by_role("button", name="Dismiss").click()
    page.get_by_role("button", name="Balance report…").click()
    page.get_by_role("button", name="Create report").click()
    link = page.get_by_role("link", name="Open report")
    link.wait_for(timeout=120_000)
    page.goto(rowan.case.server.address + link.get_attribute("href"))
    page.get_by_role("heading", name="Leans over tolerance").wait_for()
    take(page, "report", full_page=True)


def take_handing_over(rowan: Engineer) -> None:
    """What is wanted on the left, a delivery that is there and one that is being made on the right."""
    page = rowan.page
    rowan.to_desk("Hand over")
    form = page.get_by_role("form", name="What to export")
    form.get_by_label("Loudness").select_option(label="Music, wide: −18 LUFS, at most −1 dBTP")
    for name in ("mono", "ADM in BW64", "CSV table", "chart"):
        form.get_by_label(name).first.check()
    form.get_by_label("Range", exact=True).select_option(label="Open water")
    form.get_by_role("button", name="Export").click()
    page.locator("article[data-status=done]").wait_for(timeout=240_000)
    form.get_by_label("Range", exact=True).select_option(label="the whole piece")
    form.get_by_label("Stems").select_option("groups")
    form.get_by_role("button", name="Export").click()
    page.get_by_role("progressbar").wait_for()
    page.locator("article [role=status]").filter(has_not_text="Waiting").first.wait_for(timeout=120_000)
    form.evaluate("element => (element.scrollTop = 0)")
    take(page, "hand-over")
    page.get_by_role("button", name="Cancel").last.click()
    page.locator("article[data-status=cancelled]").wait_for()


def take_room(rowan: Engineer) -> None:
    """The room from above while it plays, a source on its way round, and a stack of layers from the side."""
    page = rowan.page
    rowan.operate("set-session", layout="4+5+0")
    page.reload()
    for source, place in (
        ("foghorn", {"front": -0.6, "pan": 0.5}),
        ("gulls", {"height": 0.8, "front": 0.2}),
        ("concertina-1", {"front": 0.5}),
        ("concertina-2", {"front": 0.5}),
        ("wind-pad", {"front": -0.7, "spread": 60.0}),
        ("glass-mallets", {"front": -0.3, "height": 0.6}),
        ("oars", {"spread": 40.0, "height": 0.3, "lfe": -12.0}),
    ):
        levels = {name: place.pop(name) for name in ("lfe",) if name in place}
        rowan.operate("place-source", source=source, **place)
        if levels:
            rowan.operate("set-level", source=source, **levels)
    rowan.operate("set-route", source="oars", off=["M-110"])
    page.locator("svg.room").wait_for()
    rowan.row("oars").locator("button.name").click()
    rowan.jump("17")
    page.get_by_role("button", name="Path").click()
    page.get_by_role("button", name="circle", exact=True).click()
    page.get_by_role("button", name="Apply").click()
    page.get_by_role("combobox", name="Room monitoring").select_option("headphones")
    page.get_by_role("button", name="Path").click()
    rowan.jump("18.3")
    rowan.play()
    rowan.listen(3.0)
    page.locator(".details").evaluate("element => (element.scrollTop = 0)")
    expect(page.locator(".foot dd").first).not_to_have_text("–")
    take(page, "plan")
    rowan.stop()
    if not page.get_by_role("combobox", name="Add a layer").is_visible():
        page.get_by_role("button", name="Layers").click()
    for effect in ("chorus", "echo"):
        page.get_by_role("combobox", name="Add a layer").select_option(effect)
        page.get_by_role("article", name="Layer").nth(("chorus", "echo").index(effect)).wait_for()
    page.get_by_role("button", name="Side", exact=True).click()
    page.get_by_role("article", name="Layer echoed").scroll_into_view_if_needed()
    page.locator(".details").evaluate("element => (element.scrollTop += 260)")
    rowan.play()
    rowan.listen(2.0)
    expect(page.locator(".foot dd").first).not_to_have_text("–")
    take(page, "layers")
    rowan.stop()


def example_stems(folder: Path) -> list[str]:
    """Small files of several kinds from the demo's own instruments."""
    bell, drum = play.bell(74), play.frame_drum(low=True, seed=1)
    pair = play.in_hall(np.array([bell, 0.4 * bell]), 71, 1.6, 1.1)
    kinds = (
        ("01_Harbour bell.wav", 0.3 * bell[np.newaxis], 48000),
        ("02_Bell in the hall.flac", 0.3 * pair / np.abs(pair).max(), 48000),
        ("03_Quiet drum.wav", 0.004 * drum[np.newaxis], 44100),
        ("04_Cut off.wav", 0.3 * bell[np.newaxis], 48000),
    )
    for name, audio, rate in kinds:
        soundfile.write(folder / name, audio.T, rate, subtype="PCM_24")
    cut = folder / "04_Cut off.wav"
    cut.write_bytes(cut.read_bytes()[:200_000])
    return [str(folder / name) for name, *_ in kinds]


def main() -> None:
    server = Server()
    try:
        take_all(server)
    finally:
        server.close()


def take_all(server: Server) -> None:
    """Every main view, from the demo."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        case = SimpleNamespace(server=server, browser=browser, session=demo_session())

        rowan = Engineer(case, "rowan", desk="balance")
        take_balance_desk(rowan)
        rowan.context.close()
        rowan = Engineer(case, "rowan")
        rowan.page.locator(".flag").first.wait_for(state="attached")
        rowan.jump("17.3")
        rowan.play()
        rowan.listen(3.5)
        take(rowan.page, "session")
        rowan.stop()

        take_move_desk(rowan)

        ines = Engineer(case, "ines")
        ines.jump("23.3")
        rowan.row("concertina-1").get_by_role("button", name="Concertina I", exact=True).click()
        ines.drag(ines.place_of("concertina-1"), 0.3, release=False)
        rowan.page.get_by_text("Ines Norden is moving it.").wait_for()
        ines.page.mouse.up()
        take_together(rowan, ines)
        take_handing_over(rowan)

        take_pulse_desk(rowan)
        rowan.context.close()
        ines.context.close()

        rowan = Engineer(case, "rowan", desk="place")
        take_place_desk(rowan)
        take_room(rowan)
        rowan.page.goto(server.address)
        rowan.page.get_by_role("link", name="Night Ferry").wait_for()
        take(rowan.page, "sessions")

        phone = Engineer(case, "rowan", width=390, height=844, desk="place")
        phone.page.locator("svg.room").wait_for()
        phone.row("oars").locator("button.name").click()
        phone.page.evaluate("scrollTo(0, 0)")
        take(phone.page, "phone")
        browser.close()


if __name__ == "__main__":
    main()
