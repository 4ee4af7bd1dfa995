"""The real interface in a real browser: from a file to a mended bend, and back after a reload."""

import base64
import io
import json
import re
import subprocess
import tempfile
from pathlib import Path

import numpy as np
from PIL import Image
from playwright.sync_api import expect

from plethos.core.evaluate import ALL, NONE, Acting, Evaluator, evaluate_exact
from plethos.core.formats.gltf_parse import parse
from plethos.core.formats.gltf_read import read_character
from plethos.core.measure.travel import bent
from plethos.demo.catalogue import shipped
from plethos.launch.front import FRONT
from tests.browser.stage import BrowserCase
from tests.figures import tube_file
from tests.light import light_keeper
from tests.long_work import delivered
from tests.service.test_posture import lying

FOX = Path(__file__).parents[1] / "outside" / "data" / "fox"


class InTheBrowser(BrowserCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.demo = cls.bench.bring_in("Lock keeper", shipped("lock-keeper"), demo=True)

    def angle(self) -> str:
        return self.page.get_attribute("[data-strip]", "aria-valuenow")

    def test_the_demo_opens_on_its_before_and_after(self):
        self.open(f"/characters/{self.demo}")
        self.page.wait_for_selector("[data-volume]")
        self.until(lambda: self.page.text_content("[data-volume]") > "9")
        without = float(self.page.text_content("table.measures td.loss").split()[0])
        with_ = float(self.page.text_content("[data-volume]").split()[0])
        self.assertLess(without, 85)
        self.assertGreater(with_, 94)
        expect(self.page.locator("text=without").first).to_be_visible()
        self.page.wait_for_selector('path[data-curve="volume-with"][d^="M"]', state="attached")
        expect(self.page.locator("nav button")).to_have_text(["1Bind", "2Stress", "3Mend", "5Deliver"])

    def test_a_figure_whose_file_has_z_up_stands_in_its_picture(self):
        mine = self.bench.bring_in("Lying", lying(shipped("lock-keeper-bare")).pack())
        self.page.goto(self.server.address)
        self.until(lambda: self.page.request.get(f"{self.server.address}/api/characters/{mine}/picture").ok)
        drawn = np.asarray(Image.open(io.BytesIO(self.bench.picture(mine))).convert("RGB"), float)
        rows, columns = np.nonzero(np.abs(drawn - drawn[0, 0]).max(axis=2) > 20)
        # His arms are out, but he is taller than wide, and his feet, not his head, are at the bottom: two of them.
        self.assertGreater(np.ptp(rows), 1.2 * np.ptp(columns))
        spans = [np.diff(np.unique(columns[rows == edge])).max() for edge in (rows.max() - 4, rows.min() + 4)]
        self.assertGreater(spans[0], 5)
        self.assertEqual(spans[1], 1)

    def test_a_character_is_renamed_deleted_and_brought_back(self):
        lamp = self.bench.bring_in("Old lamp", tube_file().pack())
        page = self.page
        page.goto(self.server.address)

        def card(name: str):
            return page.locator("article", has=page.get_by_text(name, exact=True))

        card("Old lamp").hover()
        page.get_by_role("button", name="Rename Old lamp").click()
        page.get_by_role("dialog").get_by_role("textbox").fill("Lock lamp")
        page.get_by_role("dialog").get_by_role("button", name="Rename").click()
        card("Lock lamp").hover()
        page.get_by_role("button", name="Delete Lock lamp").click()
        page.get_by_role("button", name="Bring Lock lamp back").wait_for()
        self.assertEqual(card("Lock lamp").count(), 0)
        gone = page.request.get(f"{self.server.address}/api/characters/{lamp}")
        self.assertEqual((gone.status, "not in the library" in gone.text()), (404, True))
        page.reload()
        page.get_by_role("button", name="Bring Lock lamp back").click()
        card("Lock lamp").hover()
        self.assertEqual(self.state(lamp)["name"], "Lock lamp")
        page.get_by_role("button", name="Delete Lock lamp", exact=True).click()
        page.get_by_role("button", name="Delete Lock lamp for good").click()
        page.get_by_role("dialog").get_by_role("button", name="Delete for good").click()
        page.get_by_role("heading", name="Deleted").wait_for(state="detached")
        again = page.request.post(f"{self.server.address}/api/characters/{lamp}/restore")
        self.assertEqual((again.status, "deleted for good" in again.text()), (404, True))

    def test_bending_by_the_strip_by_typing_and_by_an_arc(self):
        self.open(f"/characters/{self.demo}")
        strip = self.page.locator("[data-strip]")
        box = strip.bounding_box()
        strip.click(position={"x": box["width"] * 0.5, "y": 100})
        middle = float(strip.get_attribute("aria-valuenow"))
        self.assertTrue(60 < middle < 90, middle)
        typed = self.page.get_by_label("Angle in degrees")
        typed.fill("40")
        typed.press("Enter")
        self.until(lambda: self.angle() == "40")
        knob = self.page.locator('.arc.on [data-arc="Z"]').bounding_box()
        x, y = knob["x"] + knob["width"] / 2, knob["y"] + knob["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + 25, y + 25, steps=4)
        self.page.mouse.up()
        self.assertNotEqual(strip.get_attribute("aria-valuenow"), "40")
        self.page.keyboard.press("q")
        self.until(lambda: self.angle() == "0")

    def test_a_file_comes_in_is_mended_in_its_pose_and_leaves(self):
        page = self.page
        page.goto(self.server.address + "/?quality=least")
        page.set_input_files("input[type=file]", [str(FOX / n) for n in ("Fox.gltf", "Fox.bin", "Texture.png")])
        # What has come in is opened.
        page.wait_for_selector(".view[data-ready=true]")
        fox = page.url.split("/characters/")[1].split("/")[0].split("?")[0]
        finder = page.get_by_role("combobox", name="Find a joint")
        finder.click()
        finder.fill("b_Neck")
        # As the file spells it, or as it reads here.
        page.get_by_role("option", name="B neck 04").click()
        typed = page.get_by_label("Angle in degrees")
        typed.fill("35")
        typed.press("Enter")
        page.get_by_role("button", name="Sculpt a corrective here").click()
        page.wait_for_selector("text=Sculpting in the pose")
        for _ in range(14):
            page.keyboard.press("]")
        view = page.locator(".view canvas").bounding_box()
        x, y = view["x"] + view["width"] / 2, view["y"] + view["height"] / 2
        size, strength = page.locator(".numbers b.num").all_text_contents()[:2]
        page.mouse.move(x, y)
        page.keyboard.down("d")
        page.mouse.down()
        page.mouse.move(x + 20, y - 20, steps=4)
        page.mouse.up()
        page.keyboard.up("d")
        for before, after in zip((size, strength), page.locator(".numbers b.num").all_text_contents()[:2], strict=True):
            self.assertGreater(float(after.split()[0]), float(before.split()[0]))
        for n in range(3):
            page.mouse.move(x + 6 * n, y)
            page.mouse.down()
            page.mouse.move(x + 30 + 6 * n, y + 10, steps=6)
            page.mouse.up()
            page.wait_for_selector(f"text=/^{n + 1} strokes?,/")
        page.keyboard.press("Control+z")
        page.wait_for_selector("text=2 strokes")
        page.reload()
        page.wait_for_selector("text=2 strokes")
        page.wait_for_selector(".view[data-ready=true]")
        page.get_by_role("button", name="Undo").click()
        page.wait_for_selector("text=1 stroke,")
        page.get_by_role("button", name="Redo").click()
        page.wait_for_selector("text=2 strokes")
        page.get_by_role("button", name="Keep", exact=True).click()
        page.get_by_role("button", name="Keep and tie").click()
        page.wait_for_selector("[data-remedy]")
        (remedy,) = self.state(fox)["remedies"]
        self.assertEqual(remedy["trigger"]["joint"], "b_Neck_04")
        self.assertAlmostEqual(remedy["trigger"]["end_deg"], 35, places=2)
        self.assertGreater(remedy["report"]["moved"], 3)
        page.get_by_role("button", name="Deliver").click()
        page.get_by_role("combobox", name="Clip to bake").click(force=True)
        page.get_by_role("option").nth(1).click()
        page.wait_for_selector("[data-loss]:text('Everything that acts in the clip is in the file')")
        page.get_by_text("8", exact=True).click()
        expect(page.get_by_role("link", name="Deliver GLB")).to_have_attribute("href", re.compile("influences=8"))
        with page.expect_download() as download:
            page.get_by_role("link", name="Deliver GLB").click()
        delivered = Path(download.value.path()).read_bytes()
        again = read_character(parse(delivered), "Fox")
        self.assertEqual(again.rules.remedies[0].name, remedy["name"])

    def test_a_first_mend_is_solved_turned_down_kept_and_undone(self):
        mine = self.bench.bring_in("Bare", shipped("lock-keeper-bare"))
        page = self.page
        self.open(f"/characters/{mine}")
        self.choose_joint("Left forearm")
        self.bend(120)
        page.get_by_role("button", name="Solve a first mend").click()
        page.get_by_text("times at most").first.wait_for()
        whole = self.state(mine)["sculpt"]["mend"]
        self.assertEqual((whole["joint"], whole["contacts"]), ("left_forearm", 0))
        slider = page.get_by_role("slider", name="How much of the lost volume is given back")
        slider.focus()
        slider.press("PageDown")
        self.until(lambda: self.state(mine)["sculpt"]["mend"]["give_back"] < 1)
        self.assertLess(self.state(mine)["sculpt"]["mend"]["volume"], whole["volume"])
        page.get_by_role("button", name="Keep", exact=True).click()
        page.get_by_role("button", name="Fit to the volume").click()
        page.get_by_text("Keeps the volume within").wait_for()
        page.get_by_role("button", name="Keep and tie").click()
        self.until(lambda: len(self.state(mine)["remedies"]) == 1)
        remedy = self.state(mine)["remedies"][0]
        self.assertLessEqual(len(remedy["trigger"]["knots"]), 5)
        self.bend(70)
        page.locator("[data-remedy] button.title").first.click()
        page.get_by_role("button", name="Solve one").click()
        self.until(lambda: len(self.state(mine)["remedies"][0]["targets"]) == 2)
        page.keyboard.press("Control+z")
        self.until(lambda: len(self.state(mine)["remedies"][0]["targets"]) == 1)
        self.bend(120)
        self.until(lambda: page.text_content("table.measures [data-volume]").startswith("9"))
        page.keyboard.press("Control+z")
        self.until(lambda: not self.state(mine)["remedies"])

    def test_the_kind_that_suits_a_roll_is_found_taken_tuned_and_mirrored(self):
        mine = self.bench.bring_in("Bare", shipped("lock-keeper-bare"))
        page = self.page
        self.ask_about_a_roll(mine, 80)
        lost = float(page.text_content("[data-volume]").split()[0])
        page.get_by_role("button", name="Try twist joints").click()
        page.get_by_text("is shown, not stored yet").wait_for()
        self.until(lambda: float(page.text_content("[data-volume]").split()[0]) > lost + 10)
        page.get_by_role("button", name="Let go").click()
        self.until(lambda: float(page.text_content("[data-volume]").split()[0]) == lost)
        self.assertEqual(self.state(mine)["version"], 0)
        page.get_by_role("button", name="Try twist joints").click()
        page.get_by_role("button", name="Take it").click()
        self.until(lambda: len(self.state(mine)["remedies"]) == 2)
        page.get_by_text("Together").wait_for()
        self.until(lambda: page.text_content("[data-volume]").startswith("99"))
        share = page.get_by_role("slider", name="Share of left hand")
        share.focus()
        share.press("ArrowRight")
        self.until(lambda: self.state(mine)["version"] == 2)
        self.assertEqual(self.state(mine)["remedies"][-1]["numbers"]["rules"][0]["share"], 0.91)
        amount = page.get_by_role("slider", name="Amount")
        amount.focus()
        amount.press("ArrowLeft")
        self.until(lambda: self.state(mine)["remedies"][-1]["amount"] == 0.99)
        page.get_by_role("button", name="Make twin").click()
        self.until(lambda: len(self.state(mine)["remedies"]) == 3)
        mirrored = self.state(mine)["remedies"][-1]
        self.assertEqual((mirrored["driven"], mirrored["joints"]), ("right_forearm_twist_2", ["right_hand"]))
        page.get_by_role("group", name="On this joint").get_by_role("button", name="Volume keeper").click()
        self.until(lambda: len(self.state(mine)["remedies"]) == 4)
        keeps = page.get_by_role("slider", name="Volume that is kept, percent of rest")
        keeps.focus()
        keeps.press("ArrowLeft")
        self.until(lambda: self.state(mine)["remedies"][-1]["numbers"]["share"] == 0.99)

    def test_asking_which_kind_can_be_cancelled(self):
        mine = self.bench.bring_in("Bare", shipped("lock-keeper-bare"))
        page = self.page
        self.open(f"/characters/{mine}")
        self.choose_joint("Left thigh")
        self.bend(105)
        page.get_by_role("button", name="Which kind?").click()
        page.get_by_text("Trying one kind after the other").wait_for()
        page.get_by_role("button", name="Cancel").click()
        page.get_by_text("Trying one kind after the other").wait_for(state="detached")
        self.bend(40)
        self.until(lambda: page.locator("[data-frame]").get_attribute("data-frame") is not None)
        self.assertEqual(self.state(mine)["version"], 0)

    def test_a_mask_is_painted_with_the_skin_moving_along(self):
        mine = self.bench.bring_in("Bare", shipped("lock-keeper-bare"))
        page = self.page
        self.open(f"/characters/{mine}")
        self.choose_joint("Left hand")
        page.get_by_role("button", name="Y", exact=True).click()
        self.bend(80)
        page.get_by_label("Face the joint, outer side").click()
        page.get_by_role("group", name="On this joint").get_by_role("button", name="Skin blend").click()
        self.until(lambda: page.text_content("[data-volume]").startswith("9"))
        page.get_by_role("button", name="Paint the mask").click()
        page.get_by_role("button", name="Clear").click()
        page.get_by_text("Its mask is empty").wait_for()
        self.until(lambda: page.text_content("[data-volume]").startswith("8"))
        lost = float(page.text_content("[data-volume]").split()[0])
        x, y = self.middle()
        self.drag(x, y, 6, 10)
        self.until(lambda: self.state(mine)["remedies"][0]["masked"] > 10)
        self.until(lambda: float(page.text_content("[data-volume]").split()[0]) > lost + 0.2)
        held = self.state(mine)["remedies"][0]["masked"]
        page.get_by_role("radio", name="Take away").click()
        self.drag(x, y, 6, 10)
        self.until(lambda: self.state(mine)["remedies"][0]["masked"] < held)
        page.get_by_role("button", name="Fill ▾").click()
        page.get_by_role("menuitem", name="What left hand bends").click()
        self.until(lambda: self.state(mine)["remedies"][0]["masked"] > 400)
        page.get_by_role("button", name="Done").click()
        page.get_by_role("radio", name="Take away").wait_for(state="detached")

    def test_a_helper_at_a_spot_gets_a_rule_and_its_stop_is_dragged_in_the_view(self):
        mine = self.bench.bring_in("Bare", light_keeper())
        page = self.page
        self.open(f"/characters/{mine}")
        self.choose_joint("Left shin")
        self.bend(110)
        page.get_by_label("Face the joint, outer side").click()
        page.get_by_role("button", name="At a spot").click()
        x, y = self.middle()
        page.mouse.click(x, y - 60)
        self.until(lambda: len(self.state(mine)["remedies"]) == 1)
        rules = lambda: self.state(mine)["remedies"][0]["numbers"]["rules"]  # noqa: E731
        page.locator("[data-remedy] button.title").first.click()
        own = len(rules())
        page.get_by_role("button", name="Add a rule").click()
        page.get_by_role("menuitem", name="Slide by an angle").click()
        self.until(lambda: len(rules()) == own + 1)
        self.assertEqual(rules()[-1]["kind"], "slide")
        before = rules()[-1]["knots"][-1]["metres"]
        stop = page.locator("[data-stop='1']").last
        box = self.standing(stop)
        self.drag(box["x"] + 6, box["y"] + 6, 25, 18)
        self.until(lambda: rules()[-1]["knots"][-1]["metres"] != before)
        moved = rules()[-1]["knots"][-1]["metres"]
        # However fast keys come, each counts from the one before, and all of them are one step to undo.
        stop.focus()
        version = self.state(mine)["version"]
        key = "e.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowUp', bubbles: true }))"
        stop.evaluate(f"e => {{ for (let k = 0; k < 5; k++) {key} }}")
        self.until(lambda: rules()[-1]["knots"][-1]["metres"] != moved)
        height = page.request.get(f"{self.server.address}/api/characters/{mine}/figure").json()["height"]
        self.assertAlmostEqual(rules()[-1]["knots"][-1]["metres"], moved + 0.005 * height / 1.78, places=6)
        self.assertEqual(self.state(mine)["version"], version + 1)
        page.get_by_role("button", name="Add a rule").click()
        page.get_by_role("menuitem", name="Limit its turn").click()
        self.until(lambda: rules()[-1]["kind"] == "limit")
        page.keyboard.press("Control+z")
        self.until(lambda: rules()[-1]["kind"] == "slide")

    def test_a_sculpt_that_a_relaxer_holds_back_is_let_through(self):
        mine = self.bench.bring_in("Bare", light_keeper())
        page = self.page
        self.open(f"/characters/{mine}")
        self.choose_joint("Left forearm")
        self.bend(90)
        page.get_by_label("Face the joint, outer side").click()
        page.get_by_role("group", name="On this joint").get_by_role("button", name="Relaxer").click()
        self.until(lambda: len(self.state(mine)["remedies"]) == 1)
        masked = self.state(mine)["remedies"][0]["masked"]
        page.get_by_role("button", name="Sculpt a corrective here").click()
        page.get_by_role("button", name="Keep", exact=True).wait_for()
        x, y = self.middle()
        self.drag(x, y, 20, 4)
        page.get_by_role("button", name="Fade its mask here").click()
        self.until(lambda: self.state(mine)["remedies"][0]["masked"] < masked)
        self.assertEqual(self.state(mine)["sculpt"]["strokes"], 1, "the sculpt goes on")

    def test_a_clip_plays_stops_on_its_worst_frame_and_is_mended_there(self):
        mine = self.bench.bring_in("Bare", shipped("lock-keeper-bare"))
        page = self.page
        self.open(f"/characters/{mine}")
        self.choose_joint("Left shin")
        page.get_by_role("combobox", name="Bend or clip").focus()
        page.keyboard.press("Enter")
        page.get_by_role("option", name="squat and lift a crate").click()
        strip = page.locator("[data-clip-strip]")
        page.locator("[data-worst]").wait_for()
        page.get_by_text("½", exact=True).click()
        page.get_by_role("button", name="Play", exact=True).click()
        self.until(lambda: float(strip.get_attribute("aria-valuenow")) > 0.1)
        page.get_by_role("button", name="Stop", exact=True).click()
        page.get_by_role("button", name="Worst", exact=True).click()
        self.until(lambda: float(page.text_content("table.measures td.loss").split()[0]) < 90)
        at = float(strip.get_attribute("aria-valuenow"))
        page.get_by_role("button", name="A frame on").click()
        self.until(lambda: abs(float(strip.get_attribute("aria-valuenow")) - at) < 0.04)
        page.get_by_role("button", name="Solve a first mend").click()
        page.get_by_text("times at most").first.wait_for(timeout=120_000)  # a deep squat
        sculpt = self.state(mine)["sculpt"]
        self.assertEqual(sculpt["mend"]["joint"], "left_shin")
        self.assertIn("right_shin", sculpt["pose"]["joints"], "the whole frame is held")
        page.get_by_role("button", name="Drop").click()
        self.until(lambda: self.state(mine)["sculpt"] is None)
        self.assertGreater(float(strip.get_attribute("aria-valuenow")), 0, "and the clip goes on where it was")

    def test_a_pen_presses_the_brush(self):
        tube = self.server.app.state.bench.bring_in("Tube", tube_file().pack())
        address = f"{self.server.address}/api/characters/{tube}/sculpt"
        self.page.request.post(
            address,
            data={"pose": {"joints": {"upper": [0, 0, 0.5, 0.8660254]}}},
            headers={"Origin": self.server.address},
        )
        self.open(f"/characters/{tube}")
        self.page.get_by_label("Face the joint, outer side").click()
        x, y = self.middle()
        for _ in range(14):
            self.page.keyboard.press("]")
        pen = self.context.new_cdp_session(self.page)
        moved = []
        for n, force in enumerate((0.1, 0.4)):
            for kind, buttons in (("mouseMoved", 0), ("mousePressed", 1), ("mouseReleased", 0)):
                event = {"type": kind, "x": x, "y": y, "button": "left" if kind != "mouseMoved" else "none"}
                pen.send(
                    "Input.dispatchMouseEvent",
                    {**event, "buttons": buttons, "clickCount": 1, "pointerType": "pen", "force": force},
                )
            self.page.wait_for_selector("text=1 stroke,")
            held = self.server.app.state.bench.open(tube).sculpt
            moved.append(np.abs(held.points - held.start).max())
            if n == 0:
                self.page.keyboard.press("Control+z")
                self.page.wait_for_selector("text=0 strokes")
        self.assertAlmostEqual(moved[1] / moved[0], 4, delta=0.2)

    def test_the_api_documentation_works_without_a_network(self):
        self.page.goto(self.server.address + "/docs")
        self.page.wait_for_selector(".opblock")
        # So many are drawn as one scrolls to them: the last is there too.
        paths = list(self.page.request.get(f"{self.server.address}/openapi.json").json()["paths"])
        last = self.page.locator(".opblock").filter(has_text=paths[-1])
        self.until(lambda: self.page.mouse.wheel(0, 4000) or last.count() == 1)

    def test_contacts_are_counted_once_the_pose_rests(self):
        self.open(f"/characters/{self.demo}")
        self.until(lambda: self.page.text_content("[data-contacts]").isdigit())
        self.page.keyboard.press("q")
        self.until(lambda: self.page.text_content("[data-contacts]") == "0")

    def test_a_broken_file_is_refused_with_its_sentence(self):
        with tempfile.TemporaryDirectory() as folder:
            broken = Path(folder) / "broken.glb"
            broken.write_bytes(shipped("lock-keeper")[:5000])
            self.page.goto(self.server.address + "/?quality=least")
            self.page.set_input_files("input[type=file]", str(broken))
            self.page.wait_for_selector("[role=alert]")
            expect(self.page.locator("[role=alert]").first).to_contain_text("cut off")
        # The browser itself notes the refused request; it is the only error there may be.
        self.assertTrue(all("422" in e for e in self.errors), self.errors)
        self.errors.clear()

    def test_a_knot_dragged_on_the_strip_changes_the_trigger(self):
        self.open(f"/characters/{self.demo}")
        before = self.state(self.demo)
        self.page.wait_for_selector("[data-knot='1']")
        knot = self.page.locator("[data-knot='1']").bounding_box()
        self.page.mouse.move(knot["x"] + 5, knot["y"] + 5)
        self.page.mouse.down()
        self.page.mouse.move(knot["x"] + 15, knot["y"] - 15, steps=5)
        self.page.mouse.up()
        self.until(lambda: self.state(self.demo)["version"] == before["version"] + 1)
        after = self.state(self.demo)["remedies"][0]["trigger"]["knots"][1]
        self.assertGreater(after["value"], before["remedies"][0]["trigger"]["knots"][1]["value"] + 0.05)
        self.page.keyboard.press("Control+z")
        self.until(lambda: self.state(self.demo)["version"] == before["version"])

    def test_three_js_poses_the_delivered_file_to_the_same_vertices(self):
        opened = self.server.app.state.bench.open(self.demo)
        character = opened.character
        joint = character.skeleton.find("left_upper_arm")
        pose = bent(character.skeleton.rest_pose(), joint, (0, 0, 1), np.radians(105))
        # A viewer that knows shapes only shows what the correctives do.
        ours = evaluate_exact(character, pose, Acting.these(*(r.id for r, _ in character.rules.correctives)))
        world = character.skeleton.global_matrices(pose)
        turned = np.linalg.inv(world[character.skeleton.parents[joint]]) @ world[joint]
        data = delivered(self.server.app.state.bench, self.demo).data
        with tempfile.TemporaryDirectory() as folder:
            bundle = Path(folder)
            (bundle / "entry.js").write_text(
                "import {Vector3, Matrix4} from 'three';"
                "import {GLTFLoader} from 'three/addons/loaders/GLTFLoader.js';"
                "window.poseIn = (data, matrix, weights) => new Promise((done, fail) =>"
                " new GLTFLoader().parse(Uint8Array.from(atob(data), (c) => c.charCodeAt(0)).buffer, '', (gltf) => {"
                "  const bone = gltf.scene.getObjectByName('left_upper_arm');"
                "  new Matrix4().fromArray(matrix).decompose(bone.position, bone.quaternion, bone.scale);"
                "  gltf.scene.updateMatrixWorld(true); const out = [];"
                "  gltf.scene.traverse((o) => { if (!o.isSkinnedMesh) return;"
                "   for (const [name, k] of Object.entries(o.morphTargetDictionary ?? {}))"
                "    o.morphTargetInfluences[k] = weights[name];"
                "   o.skeleton.update(); const v = new Vector3();"
                "   for (let i = 0; i < o.geometry.attributes.position.count; i++) {"
                "    o.getVertexPosition(i, v); v.applyMatrix4(o.matrixWorld); out.push(v.x, v.y, v.z); } });"
                "  done(out); }, fail));"
            )
            script = build_bundle(bundle)
        page = self.context.new_page()
        page.goto(self.server.address + "/api/health")
        page.evaluate(script)
        program = Evaluator.of(character).program
        told = program.activations(program.moment(pose, ALL))
        weights = {r.name: told[r.id] for r, _ in character.rules.correctives}
        self.assertEqual(sorted(weights.values()), [0.0] * 10 + [1.0])
        arguments = [base64.b64encode(data).decode(), turned.T.ravel().tolist(), weights]
        theirs = page.evaluate("([d, m, w]) => window.poseIn(d, m, w)", arguments)
        theirs = np.array(theirs).reshape(-1, 3)
        self.assertLess(np.abs(theirs - ours[character.mesh.file_to_vertex]).max(), 2e-5)
        without = evaluate_exact(character, pose, NONE)[character.mesh.file_to_vertex]
        self.assertGreater(np.abs(theirs - without).max(), 0.002, "the shape is on: a hundred times the tolerance")


def build_bundle(folder: Path) -> str:
    """The entry bundled with three.js by Vite, as one classic script."""
    modules = FRONT / "node_modules" / "three"
    config = {
        "root": str(folder),
        "logLevel": "error",
        "build": {
            "lib": {"entry": str(folder / "entry.js"), "formats": ["iife"], "name": "T", "fileName": "out"},
            "outDir": str(folder / "out"),
        },
    }
    aliases = (
        f"[{{find: /^three\\/addons/, replacement: '{modules}/examples/jsm'}},"
        f" {{find: /^three$/, replacement: '{modules}/build/three.module.js'}}]"
    )
    run = (
        f"import {{build}} from 'vite'; await build({{configFile: false, ...{json.dumps(config)},"
        f" resolve: {{alias: {aliases}}}}})"
    )
    subprocess.run(["node", "--input-type=module", "-e", run], cwd=FRONT, check=True, capture_output=True)
    (script,) = (folder / "out").glob("*.js")
    return script.read_text()
