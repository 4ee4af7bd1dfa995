"""The whole job on a drawing, in a real browser: brought in, laid by clicks, weighed, bent, mended, kept, delivered."""

import io
import json
from pathlib import Path

import numpy as np
from PIL import Image, ImageChops
from playwright.sync_api import expect

from plethos.core.formats.drawn_frames import Frames
from plethos.core.formats.files import read_file
from plethos.core.formats.lottie import lottie
from plethos.core.formats.svg_animate import animated_svg
from plethos.core.formats.svg_write import write_drawing
from plethos.demo.drawings import heron
from plethos.demo.shelf import shipped
from plethos.launch.front import ROOT
from tests.browser.stage import BrowserCase
from tests.drawings import bar, laid, svg

LOTTIE = ROOT / "frontend" / "node_modules" / "lottie-web" / "build" / "player" / "lottie_light.min.js"


class OnADrawing(BrowserCase):
    def place(self, locator) -> tuple[float, float]:
        box = self.standing(locator)
        return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2

    def remedies(self) -> list[dict]:
        return self.state(self.mine)["remedies"]


class FromTheFile(OnADrawing):
    def test_a_bare_drawing_is_laid_weighed_mended_and_kept(self):
        page = self.page
        page.goto(self.server.address + "/")
        file = {
            "name": "limb.svg",
            "mimeType": "image/svg+xml",
            "buffer": svg(bar(points=6), '<circle id="eye" cx="0" cy="-60" r="9"/>'),
        }
        page.locator("input[type=file]").set_input_files(file)
        page.wait_for_selector(".view[data-ready=true]")
        self.mine = page.url.split("/characters/")[1].split("/")[0]
        # Nothing follows a joint yet: Bind is open, and says what to do.
        page.get_by_role("button", name="Make joints by clicks").click()
        sheet = self.standing(page.locator("svg.sheet"))
        path = self.standing(page.locator('path[data-part="limb"]').first)
        left, right, middle = path["x"], path["x"] + path["width"], path["y"] + path["height"] / 2
        page.get_by_label("Name of the next joints").fill("arm")
        for k, x in enumerate((left + 2, (left + right) / 2, right - 2)):
            page.mouse.click(x, middle)
            self.until(lambda k=k: len(self.joints()) == k + 1)
        self.assertEqual(self.joints()[0]["parent"], -1)
        self.assertGreater(sheet["width"], 300)
        page.get_by_role("button", name="Make automatic weights").click()
        self.until(lambda: self.state(self.mine)["bound"])
        page.keyboard.press("3")
        self.choose_joint("Arm 2")
        self.bend(80)
        page.wait_for_selector("text=Least width")
        page.get_by_role("button", name="Mend the outline here").click()
        page.wait_for_selector("text=Sculpting in the pose")
        self.until(lambda: page.locator("[data-point]").count() > 8)
        # The point that lies nearest to the joint, on the inside of the bend.
        points = page.locator("[data-point]")
        x, y = self.place(points.nth(6))
        self.drag(x, y, -18, 10)
        self.until(lambda: (self.state(self.mine)["sculpt"] or {}).get("strokes") == 1)
        page.get_by_role("radio", name="Width").click()
        self.drag(*self.place(points.nth(6)), 0, -60)
        self.until(lambda: (self.state(self.mine)["sculpt"] or {}).get("strokes") == 2)
        page.get_by_role("radio", name="Roundness").click()
        self.drag(*self.place(points.nth(6)), 60, 0)
        self.until(lambda: (self.state(self.mine)["sculpt"] or {}).get("strokes") == 3)
        page.get_by_role("button", name="Keep", exact=True).click()
        page.get_by_role("button", name="Keep and tie").click()
        self.until(lambda: [r["trigger"]["joint"] for r in self.remedies()] == ["arm_2"])
        # After a reload it is all there, and one step back is the keeping.
        page.reload()
        page.wait_for_selector(".view[data-ready=true]")
        page.keyboard.press("Control+z")
        page.wait_for_selector("text=Sculpting in the pose")

    def joints(self) -> list[dict]:
        return self.page.request.get(f"{self.server.address}/api/characters/{self.mine}/figure").json()["joints"]


class OnTheDemo(OnADrawing):
    def setUp(self):
        super().setUp()
        self.mine = self.bench.bring_in("Heron", shipped("heron"))
        self.open(f"/characters/{self.mine}")

    def angle(self, joint: str) -> float:
        turned = self.page.locator(".turned .row").filter(has=self.page.get_by_role("button", name=joint, exact=True))
        return float(turned.locator(".num").text_content().rstrip("°")) if turned.count() else 0.0

    def test_a_foot_is_dragged_and_the_arc_turns_a_joint(self):
        page = self.page
        page.keyboard.press("q")
        page.keyboard.press("o")
        x, y = self.place(page.locator("[data-joint=front_foot]"))
        self.drag(x, y, 20, -35)
        self.until(lambda: self.angle("Front shank") < -15)
        foot = lambda: self.place(page.locator("[data-joint=front_foot]"))  # noqa: E731
        off = lambda at: abs(at[0] - x - 20) + abs(at[1] - y + 35)  # noqa: E731
        self.until(lambda: off(foot()) < 4)  # the last of the moves is shown a frame later
        now = foot()
        # Far beyond what its joints allow it goes as far as they do: the thigh 60 degrees.
        self.drag(*now, 0, -160)
        self.until(lambda: abs(self.angle("Front shank")) > 60)
        self.assertLessEqual(abs(self.angle("Front thigh")), 60)
        self.choose_joint("Head")
        x, y = self.place(page.locator("[data-arc=Z]"))
        hx, hy = self.place(page.locator("[data-joint=head]"))
        # A quarter of the way round the head, counter-clockwise as seen.
        right, up = x - hx, hy - y
        self.drag(x, y, -up * 0.5 - right * 0.13, -(right * 0.5 - up * 0.13))
        self.until(lambda: 20 < self.angle("Head") < 40)

    def test_the_drawing_alone_by_one_key_and_ghosts_told_apart_by_their_lines(self):
        page = self.page
        page.get_by_role("button", name="Eye").click()
        page.locator(".eye .el-select").first.click()
        page.get_by_role("option", name="at rest").click()
        page.get_by_role("option", name="at rest").wait_for(state="hidden")
        page.wait_for_selector(".ghost path")
        rest = page.locator(".ghost path").first.get_attribute("stroke-dasharray")
        page.locator(".eye .el-select").first.click()
        page.get_by_role("option", name="without remedies").click()
        self.until(
            lambda: (
                page.locator(".ghost path").count()
                and page.locator(".ghost path").first.get_attribute("stroke-dasharray") != rest
            )
        )
        page.get_by_role("button", name="Eye").click()
        page.mouse.move(300, 500)
        page.keyboard.press("c")
        page.wait_for_selector("text=The drawing alone")
        for aid in ("[data-joint]", ".ghost", ".measures", "[data-point]", "[data-arc]"):
            expect(page.locator(aid)).to_have_count(0)
        page.keyboard.press("c")
        page.wait_for_selector("[data-joint]")

    def test_it_stays_crisp_and_where_it_is_looked_at(self):
        page = self.page
        x, y = self.place(page.locator("[data-joint=head]"))
        page.mouse.move(x, y)
        before = page.locator("g[transform^=translate]").first.get_attribute("transform")
        page.mouse.wheel(0, -600)
        self.until(lambda: page.locator("g[transform^=translate]").first.get_attribute("transform") != before)
        after = self.place(page.locator("[data-joint=head]"))
        # What lies under the pointer stays there.
        self.assertLess(abs(after[0] - x) + abs(after[1] - y), 3)
        self.assertEqual(page.locator(".sheet image, .sheet canvas").count(), 0)

    def test_a_twin_of_a_knee_is_made_and_the_width_is_kept_in_one_click(self):
        page = self.page
        page.get_by_role("button", name="Make twin").first.click()
        self.until(lambda: sum(r["twin"] is not None for r in self.remedies()) >= 2)
        self.choose_joint("Neck 1")
        self.bend(-30)
        count = len(self.remedies())
        page.get_by_role("button", name="Keep the width").click()
        page.get_by_role("button", name="Keep", exact=True).click()
        page.get_by_role("button", name="Keep and tie").click()
        self.until(lambda: len(self.remedies()) == count + 1)

    def test_the_bends_of_a_clip_run_over_the_strip(self):
        page = self.page
        page.locator(".strip .el-select").first.click()
        page.get_by_role("option", name="walk along the quay").click()
        page.wait_for_selector("[data-curve=volume-with]")
        self.assertGreater(len(page.locator("[data-curve=volume-with]").get_attribute("d")), 100)


class Split(OnADrawing):
    def test_a_fill_that_opens_is_told_split_undone_and_done_again(self):
        character, file = laid(svg(bar(points=4)), stiff=True)
        self.mine = self.bench.bring_in("limb.svg", write_drawing(character, file))
        self.open(f"/characters/{self.mine}")
        self.choose_joint("Lower")
        self.bend(120)
        page = self.page
        page.wait_for_selector("text=Here the fill is open over 130 square units")
        page.get_by_role("button", name="Split across the joint").click()
        self.until(lambda: page.locator("[data-open]").text_content() == "0.0")
        page.keyboard.press("Control+z")
        self.until(lambda: page.locator("[data-open]").text_content() == "130")
        page.keyboard.press("Control+Shift+z")
        self.until(lambda: page.locator("[data-open]").text_content() == "0.0")


class AsOthersShowIt(OnADrawing):
    """Rendered by Chromium itself, and by lottie-web: nothing of ours draws here."""

    def picture(self, text: str, width: int = 560, height: int = 720) -> Image.Image:
        page = self.browser.new_page(viewport={"width": width, "height": height})
        self.addCleanup(page.close)
        page.set_content(f"<style>body{{margin:0}}svg{{display:block;width:{width}px;height:{height}px}}</style>{text}")
        return Image.open(io.BytesIO(page.screenshot())).convert("RGB")

    def test_a_drawing_of_forty_paths_comes_out_pixel_equal_at_rest(self):
        rng = np.random.default_rng(4)
        paths = []
        for k in range(40):
            x, y = rng.uniform(40, 500), rng.uniform(40, 660)
            a = rng.uniform(-40, 40, 12).round(2)
            fill = "#{:02x}{:02x}{:02x}".format(*rng.integers(40, 230, 3).tolist())
            line = f"M{x:.2f} {y:.2f}c{' '.join(map(str, a[:6]))} {' '.join(map(str, a[6:]))}l9 14Z"
            rule = ' fill-rule="evenodd"' if k % 3 == 0 else ""
            paths.append(
                f'<path id="p{k}" d="{line}" fill="{fill}"{rule} stroke="#222222" stroke-width="{1 + k % 4}"/>'
            )
        data = svg(*paths, view="0 0 560 720")
        file, character = read_file("forty.svg", data)
        out = write_drawing(character, file)
        difference = ImageChops.difference(self.picture(data.decode()), self.picture(out.decode()))
        self.assertIsNone(difference.getbbox())
        # The heron too, which is not as simple.
        bare = heron.drawing()
        file, character = read_file("heron.svg", bare.encode())
        difference = ImageChops.difference(self.picture(bare), self.picture(write_drawing(character, file).decode()))
        # Only its eye is a circle there, which others round in another way: some pixels of it differ by a shade.
        left, top, right, bottom = difference.getbbox() or (426, 89, 427, 90)
        self.assertTrue(left > 415 and right < 438 and top > 78 and bottom < 101, (left, top, right, bottom))
        self.assertLessEqual(max(high for _, high in difference.getextrema()), 40)

    def moving(self):
        file, character = read_file("heron.svg", shipped("heron"))
        return Frames.of(character, character.clips[0]), file

    def test_the_animated_svg_moves_to_the_points_of_every_frame(self):
        frames, file = self.moving()
        page = self.browser.new_page(viewport={"width": 560, "height": 720})
        self.addCleanup(page.close)
        page.set_content(animated_svg(frames, file.canvas, "heron"))
        things = list(frames.things(frames.orders[0]))
        height = float(np.ptp(frames.points[0][:, 1]))
        for k in (0, 11, 29, 40):
            boxes = page.evaluate(
                "(t) => { const svg = document.querySelector('svg'); svg.pauseAnimations(); svg.setCurrentTime(t);"
                " return [...svg.querySelectorAll('path')].map((p) => { const at = (s) => { const q = p.getPointAtLength(s); return [q.x, q.y] };"
                " return [at(0), at(p.getTotalLength() * 0.37)] }) }",
                k / frames.rate,
            )
            self.assertEqual(len(boxes), len(things))
            for (start, _), thing in zip(boxes, things, strict=True):
                wanted = thing.points[k][thing.own[0], :2] * [1, -1]
                np.testing.assert_allclose(start, wanted, atol=1e-3 * height)

    def test_the_lottie_file_plays_at_the_same_points(self):
        frames, file = self.moving()
        document = lottie(frames, file.canvas, "heron")
        page = self.browser.new_page(viewport={"width": 560, "height": 720})
        self.addCleanup(page.close)
        page.set_content('<div id="stage" style="width:560px;height:720px"></div>')
        page.add_script_tag(content=Path(LOTTIE).read_text())
        page.evaluate(
            "(data) => { window.shown = lottie.loadAnimation({ container: document.getElementById('stage'), renderer: 'svg',"
            " loop: false, autoplay: false, animationData: data }) }",
            json.loads(json.dumps(document)),
        )
        height = float(np.ptp(frames.points[0][:, 1]))
        things = list(frames.things(frames.orders[0]))
        for k in (0, 13, 37):
            paths = page.evaluate(
                "(k) => { window.shown.goToAndStop(k, true);"
                " return [...document.querySelectorAll('#stage g path')].map((p) => p.getAttribute('d')).filter(Boolean) }",
                k,
            )
            starts = {tuple(round(float(v), 1) for v in d[1:].split(" ")[1].split(",")) if d[1] == " " else
                      tuple(round(float(v), 1) for v in d.lstrip("M ").split(" ")[0].split(",")) for d in paths}  # fmt: skip
            found = np.array(sorted(starts))
            for thing in things:
                wanted = thing.points[k][thing.own[0], :2] * [1, -1]
                self.assertLess(np.linalg.norm(found - wanted, axis=1).min(), 1e-3 * height)
