"""Takes the pictures of docs/screenshots anew: ``python docs/take_screenshots.py ADDRESS`` of a fresh start."""

from __future__ import annotations

import json
import sys
import tempfile
import urllib.request
from pathlib import Path

from playwright.sync_api import Page, expect, sync_playwright

from plethos.core.evaluate import Evaluator
from plethos.core.formats.obj import write_obj
from plethos.demo.catalogue import open_demo
from plethos.launch.testing import chromium

OUT = Path(__file__).with_name("screenshots")


class Camera:
    """A page on the running application, and where its pictures go."""

    def __init__(self, page: Page, address: str) -> None:
        self.page, self.address = page, address
        # Every picture begins as for a newcomer, not where the one before left off.
        page.add_init_script("localStorage.clear()")
        with urllib.request.urlopen(f"{address}/api/characters") as answer:
            self.ids = {c["name"]: c["id"] for c in json.load(answer)}

    def open(self, name: str, station: str = "") -> None:
        self.page.goto(f"{self.address}/characters/{self.ids[name]}{station}?quality=high")
        self.page.wait_for_selector("h1" if station == "/deliver" else ".view[data-ready=true]")
        self.page.wait_for_timeout(2500)

    def take(self, name: str) -> None:
        self.page.wait_for_timeout(2000)
        expect(self.page.get_by_text("measuring …")).to_have_count(0, timeout=60_000)
        self.page.screenshot(path=OUT / f"{name}.png")
        print(name, flush=True)

    def leave(self, name: str) -> None:
        """Delete a character that was only brought in for its picture."""
        self.page.request.delete(f"{self.address}/api/characters/{self.ids[name]}")

    def bend(self, joint: str, degrees: float) -> None:
        finder = self.page.get_by_role("combobox", name="Find a joint")
        finder.click()
        finder.fill(joint)
        self.page.get_by_role("option", name=joint, exact=True).click()
        typed = self.page.get_by_label("Angle in degrees")
        typed.fill(str(degrees))
        typed.press("Enter")
        self.page.get_by_label("Face the joint, outer side").click()
        self.page.wait_for_timeout(2500)


def bind(camera: Camera) -> None:
    """The weights of a raised arm while they are painted."""
    page = camera.page
    camera.open("Lock keeper, bare", "/bind")
    camera.bend("Left upper arm", 90)
    page.get_by_label("Face the joint, front").click()
    page.get_by_role("radio", name="Smooth").click()
    view = page.locator(".view canvas").bounding_box()
    page.mouse.move(view["x"] + 0.48 * view["width"], view["y"] + 0.66 * view["height"])
    camera.take("bind")


def proposals(camera: Camera) -> None:
    """Kinds of remedy tried on a rolled hand, a solved elbow, and a clip over the strip."""
    page = camera.page
    camera.open("Lock keeper, bare")
    camera.bend("Left hand", 0)
    page.get_by_role("button", name="Y", exact=True).click()
    typed = page.get_by_label("Angle in degrees")
    typed.fill("80")
    typed.press("Enter")
    page.get_by_role("button", name="Which kind?").click()
    page.get_by_text("Twist joints.").wait_for()
    page.get_by_role("button", name="Try twist joints").click()
    camera.take("kinds")
    camera.open("Lock keeper, bare")
    camera.bend("Left shin", 110)
    page.get_by_role("group", name="Helper joint").get_by_role("button", name="Outside").click()
    page.locator("[data-stop]").last.wait_for()
    camera.take("helper")
    page.keyboard.press("Control+z")
    page.locator("[data-stop]").last.wait_for(state="detached")
    page.get_by_role("group", name="On this joint").get_by_role("button", name="Skin blend").click()
    page.get_by_role("button", name="Paint the mask").click()
    camera.take("mask")
    page.get_by_role("button", name="Done").click()
    page.keyboard.press("Control+z")
    camera.open("Lock keeper, bare")
    camera.bend("Left forearm", 120)
    page.get_by_role("button", name="Solve a first mend").click()
    page.get_by_text("stretched").wait_for()
    camera.take("mend")
    page.get_by_role("button", name="Drop").click()
    camera.open("Lock keeper, bare")
    camera.bend("Left forearm", 0)
    page.get_by_role("combobox", name="Bend or clip").focus()
    page.keyboard.press("Enter")
    page.get_by_role("option", name="hold up a lantern").click()
    page.locator("[data-worst]").wait_for()
    page.get_by_role("button", name="Worst", exact=True).click()
    page.keyboard.press("o")
    camera.take("clip")


def joints_and_regions(camera: Camera) -> None:
    """The joints panel, a picked region, and the markers on a bare mesh."""
    page = camera.page
    tab = page.locator(".panel .el-segmented")
    camera.open("Lock keeper, bare", "/bind")
    camera.bend("Left thigh", 70)
    tab.get_by_text("Joints", exact=True).click()
    page.get_by_role("radio", name="Move joints").click()
    camera.take("joints")
    page.get_by_role("button", name="Rest pose").click()
    camera.bend("Left shin", 0)
    page.get_by_label("Face the joint, front").click()
    tab.get_by_text("Regions", exact=True).click()
    page.get_by_role("radio", name="Colour").click()
    page.get_by_role("radio", name="Pick", exact=True).click()
    view = page.locator(".view canvas").bounding_box()
    x, y = view["x"] + 0.5 * view["width"], view["y"] + 0.5 * view["height"]
    page.mouse.move(x - 20, y)
    page.mouse.down()
    page.mouse.move(x + 30, y + 20, steps=8)
    page.mouse.up()
    page.wait_for_timeout(800)
    for name in ("Grow", "Grow", "Soften"):
        page.get_by_role("button", name=name).click()
        page.wait_for_timeout(600)
    camera.take("regions")
    page.goto(f"{camera.address}/?quality=high")
    with tempfile.TemporaryDirectory() as folder:
        keeper, _ = open_demo("lock-keeper-bare")
        mesh = Path(folder) / "Statue of the lock keeper.obj"
        mesh.write_text(write_obj(keeper, Evaluator.of(keeper).rest()))
        page.set_input_files("input[type=file]", mesh)
        page.wait_for_selector("text=lay a skeleton in Bind")
    with urllib.request.urlopen(f"{camera.address}/api/characters") as answer:
        camera.ids.update({c["name"]: c["id"] for c in json.load(answer)})
    camera.open("Statue of the lock keeper", "/bind")
    page.get_by_role("button", name="Place markers of a biped").click()
    camera.take("markers")
    camera.leave("Statue of the lock keeper")


def mend(camera: Camera) -> None:
    """Library, the finished elbow, and a knee of the bare lock keeper on its way to being mended."""
    page = camera.page
    page.goto(f"{camera.address}/?quality=high")
    # Pictures of a fresh start are drawn one after the other: all of them, not the first.
    expect(page.locator(".picture img")).to_have_count(len(camera.ids), timeout=60_000)
    page.evaluate("() => Promise.all([...document.querySelectorAll('.picture img')].map((i) => i.decode()))")
    camera.take("library")
    camera.open("Lock keeper", "/mend")
    page.get_by_label("Face the joint, outer side").click()
    camera.take("workbench")
    camera.open("Ferry cook", "/mend")
    page.get_by_label("Whole: show the whole figure").click()
    page.keyboard.press("j")
    camera.take("figures")
    camera.open("Lock keeper, bare", "/mend")
    camera.bend("Left shin", 110)
    page.get_by_role("button", name="Sculpt a corrective here").click()
    page.wait_for_selector("text=Sculpting in the pose")
    view = page.locator(".view canvas").bounding_box()
    x, y = view["x"] + 0.5 * view["width"], view["y"] + 0.5 * view["height"]
    for k in range(3):
        page.mouse.move(x - 10, y - 20 + 12 * k)
        page.mouse.down()
        page.mouse.move(x + 40, y + 12 * k, steps=6)
        page.mouse.up()
        page.wait_for_selector(f"text=/^{k + 1} strokes?,/")
    page.mouse.move(x, y)
    camera.take("sculpt")
    page.get_by_role("button", name="Keep", exact=True).click()
    camera.take("keep")
    page.get_by_role("button", name="Back", exact=True).click()
    page.get_by_role("button", name="Drop", exact=True).click()
    camera.open("Lock keeper", "/deliver")
    camera.take("deliver")


def shapes(camera: Camera) -> None:
    """Stored poses of a shoulder on their map, and the table of all remedies."""
    page = camera.page
    camera.open("Lock keeper, bare")
    camera.bend("Left upper arm", 75)
    page.get_by_label("Face the joint, front").click()
    page.get_by_role("button", name="Sculpt a corrective here").click()
    page.get_by_role("radiogroup", name="Brush").wait_for()
    view = page.locator(".view canvas").bounding_box()
    x, y = view["x"] + 0.5 * view["width"], view["y"] + 0.5 * view["height"]
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 20, y + 8, steps=4)
    page.mouse.up()
    page.wait_for_selector("text=/^1 stroke,/")
    page.get_by_role("button", name="Keep", exact=True).click()
    page.get_by_label("Name of the corrective").fill("Arm up")
    page.locator("section.keep").get_by_role("radio", name="Stored poses").click()
    page.locator("section.keep").get_by_label("Radius of the poses").wait_for()
    page.get_by_role("button", name="Keep and tie").click()
    page.locator("[data-remedy]").first.wait_for()
    page.get_by_role("button", name="Y", exact=True).click()
    typed = page.get_by_label("Angle in degrees")
    typed.fill("-40")
    typed.press("Enter")
    # The map stands under the numbers: the panel is wheeled down to it.
    page.locator(".panel").hover()
    page.mouse.wheel(0, 330)
    camera.take("poses")
    page.keyboard.press("Control+z")
    page.locator("[data-remedy]").first.wait_for(state="detached")
    page.get_by_role("button", name="Drop", exact=True).click()
    camera.open("Lock keeper", "/mend")
    page.get_by_role("button", name="2 of 34").click()
    camera.take("table")


def stress(camera: Camera) -> None:
    """The trouble list of the bare lock keeper, one of its spots gone to."""
    page = camera.page
    camera.open("Lock keeper, bare", "/stress")
    page.get_by_role("button", name="Sweep", exact=True).click()
    expect(page.get_by_text("up to date")).to_be_visible(timeout=400_000)
    page.locator('[data-spot="joint:left_shin:z+:contact"]').click()
    page.get_by_role("radio", name="Stretch").click()
    camera.take("stress")


def drawings(camera: Camera) -> None:
    """The heron with a knee bent back, and the outline of a bargehand's knee while it is mended."""
    page = camera.page
    camera.open("Heron")
    camera.take("heron")
    camera.open("Bargehand, bare")
    finder = page.get_by_role("combobox", name="Find a joint")
    finder.click()
    finder.fill("Front shin")
    page.get_by_role("option", name="Front shin", exact=True).click()
    typed = page.get_by_label("Angle in degrees")
    typed.fill("-100")
    typed.press("Enter")
    page.keyboard.press("f")
    page.get_by_role("button", name="Keep the width").click()
    page.get_by_role("radio", name="Roundness").wait_for()
    page.get_by_role("button", name="Eye").click()
    page.locator(".eye .el-select").first.click()
    page.get_by_role("option", name="before this sculpt").click()
    page.get_by_role("button", name="Eye").click()
    page.locator("[data-point]").nth(8).hover(force=True)
    camera.take("drawing")
    page.get_by_role("button", name="Drop").click()


def main(address: str) -> None:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=chromium(), args=["--disable-quic"])
        camera = Camera(browser.new_page(viewport={"width": 1280, "height": 800}), address)
        bind(camera)
        mend(camera)
        stress(camera)
        proposals(camera)
        joints_and_regions(camera)
        shapes(camera)
        drawings(camera)
        browser.close()


if __name__ == "__main__":
    main(sys.argv[1].rstrip("/"))
