"""Joints in a real browser: a bare mesh gets a skeleton, joints are dragged, made, ranged, deleted."""

import tempfile
from pathlib import Path

import numpy as np

from plethos.core.formats.obj import write_obj
from plethos.core.measure.travel import bent
from plethos.core.rules.remedies import Remedy
from plethos.core.rules.remedies.helper import Helper
from plethos.core.rules.remedies.helper_rules import Share
from plethos.demo.catalogue import open_demo, shipped
from tests.browser.stage import BrowserCase
from tests.light import light_keeper


class Joints(BrowserCase):
    def version(self, character: str) -> int:
        return self.state(character)["version"]

    def place(self, character: str, joint: str) -> np.ndarray:
        skeleton = self.bench.open(character).character.skeleton
        return skeleton.rest_global[skeleton.find(joint), :3, 3].copy()

    def tab(self, name: str) -> None:
        self.page.locator(".panel .el-segmented").get_by_text(name, exact=True).click()

    def drag_to(self, spot: str, right: float, down: float) -> None:
        box = self.page.locator(spot).bounding_box()
        self.drag(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2, right, down)

    def test_a_bare_obj_gets_markers_a_skeleton_and_weights(self):
        keeper, _ = open_demo("lock-keeper-bare")
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "statue.obj"
            path.write_text(write_obj(keeper, keeper.mesh.rest))
            self.page.goto(self.server.address)
            self.page.set_input_files("input[type=file]", path)
            self.page.wait_for_selector("text=lay a skeleton in Bind")
        statue = next(
            c["id"]
            for c in self.page.request.get(f"{self.server.address}/api/characters").json()
            if c["name"] == "statue"
        )
        # Without joints there is nothing to mend yet: it opens in Bind.
        self.open(f"/characters/{statue}")
        self.until(lambda: self.page.url.endswith("/bind"))
        self.page.get_by_role("button", name="Place markers of a biped").click()
        elbow = self.page.locator("[data-marker=elbow]").bounding_box()
        self.drag_to("[data-marker=elbow]", 12, 8)
        moved = self.page.locator("[data-marker=elbow]").bounding_box()
        self.assertAlmostEqual(moved["x"] - elbow["x"], 12, delta=2)
        # By the keyboard too, whoever cannot drag.
        self.page.get_by_role("button", name="Marker elbow").press("ArrowDown")
        self.until(lambda: self.page.locator("[data-marker=elbow]").bounding_box()["y"] > moved["y"] + 0.5)
        self.page.get_by_role("button", name="Marker elbow").press("ArrowUp")
        self.page.get_by_role("button", name="Lay the skeleton").click()
        self.until(lambda: self.version(statue) == 1)
        self.assertEqual(self.state(statue)["undo"], "Lay a skeleton")
        self.page.get_by_role("button", name="Make automatic weights").click()
        self.until(lambda: self.version(statue) == 2, 60)
        self.assertTrue(self.state(statue)["bound"])
        self.choose_joint("Left forearm")
        self.bend(90)
        # The elbow bends skin, so the strip has curves for it.
        self.page.wait_for_selector("[data-worst]")
        np.testing.assert_allclose(self.place(statue, "right_forearm"), self.place(statue, "left_forearm") * [-1, 1, 1])

    def test_a_joint_is_dragged_in_a_pose_and_its_twin_follows(self):
        keeper = self.bench.bring_in("Lock keeper", light_keeper())
        before = self.place(keeper, "left_hand")
        self.open(f"/characters/{keeper}/bind")
        self.choose_joint("Left forearm")
        self.bend(60)
        self.tab("Joints")
        self.page.get_by_label("Face the joint, outer side").click()
        self.page.get_by_role("radio", name="Move joints").click()
        self.page.wait_for_timeout(500)
        self.drag_to("[data-joint=left_hand]", 14, 4)
        self.until(lambda: self.version(keeper) == 1)
        self.assertEqual(self.state(keeper)["undo"], "Move left_hand")
        after = self.place(keeper, "left_hand")
        self.assertGreater(float(np.linalg.norm(after - before)), 0.002)
        np.testing.assert_allclose(self.place(keeper, "right_hand"), after * [-1, 1, 1], atol=1e-9)
        self.page.keyboard.press("Control+z")
        self.until(lambda: self.version(keeper) == 0)
        np.testing.assert_allclose(self.place(keeper, "left_hand"), before, atol=1e-9)

    def test_a_joint_is_renamed_ranged_given_twists_and_deleted(self):
        keeper = self.bench.bring_in("Lock keeper", light_keeper())
        self.open(f"/characters/{keeper}/bind")
        self.choose_joint("Left hand")
        self.tab("Joints")
        field = self.page.get_by_label("Name of the joint", exact=True)
        field.fill("left_palm")
        field.press("Enter")
        self.until(lambda: self.version(keeper) == 1)
        self.page.wait_for_selector(".panel h2:has-text('Left palm')")
        self.assertIn("right_palm", self.bench.open(keeper).character.skeleton.names)
        self.page.locator(".panel .preset").click()
        self.page.get_by_role("option", name="Wrist, bent").click()
        self.until(lambda: self.version(keeper) == 2)
        self.until(lambda: self.page.get_by_label("Range to, degrees").input_value() == "80")
        self.choose_joint("Neck")
        self.page.get_by_label("Number of twist joints").fill("3")
        self.page.get_by_role("button", name="Insert").click()
        self.until(lambda: self.version(keeper) == 3)
        self.choose_joint("Neck twist 3")
        self.page.get_by_role("button", name="Delete neck twist 3").click()
        self.until(lambda: self.version(keeper) == 4)
        self.assertNotIn("neck_twist_3", self.bench.open(keeper).character.skeleton.names)
        # What was chosen is gone: its parent is chosen instead.
        self.page.wait_for_selector(".panel h2:has-text('Neck')")

        def rolled(character):
            find = character.skeleton.find
            body = Helper(find("neck_twist_2"), (Share(find("neck"), 0.5, "twist", (0.0, 1.0, 0.0)),))
            return character.with_rules(character.rules.with_remedy(Remedy(body, "neck roll")))

        self.bench.edit(keeper, "Roll", rolled)
        self.choose_joint("Neck twist 2")
        self.page.get_by_role("button", name="Delete neck twist 2").click()
        self.page.wait_for_selector("[role=alert]:has-text('“neck roll” needs “neck_twist_2”')")
        self.assertTrue(all("409" in e for e in self.errors), self.errors)
        self.errors.clear()
        self.page.get_by_role("button", name="Untie them and delete it").click()
        self.until(lambda: self.version(keeper) == 6)
        left = self.bench.open(keeper).character
        self.assertNotIn("neck_twist_2", left.skeleton.names)
        self.assertEqual(left.rules.remedies, ())

    def test_a_joint_is_hung_on_another_and_on_nothing(self):
        keeper = self.bench.bring_in("Lock keeper", light_keeper())
        self.open(f"/characters/{keeper}/bind")
        self.choose_joint("Jaw")
        self.tab("Joints")
        for name, label in (("Neck", "Hang jaw on neck"), ("nothing", "Hang jaw on nothing")):
            self.page.locator(".panel .parent").click()
            self.page.get_by_role("option", name=name, exact=True).click()
            self.until(lambda wanted=label: self.state(keeper)["undo"] == wanted)
            self.page.wait_for_selector(f".panel .parent:has-text('{name}')")

    def test_a_joint_is_made_beside_the_chosen_one(self):
        keeper = self.bench.bring_in("Lock keeper", light_keeper())
        self.open(f"/characters/{keeper}/bind")
        self.choose_joint("Left hand")
        self.tab("Joints")
        self.page.get_by_label("Name of the new joint").fill("left_lantern")
        self.page.get_by_role("button", name="Make", exact=True).click()
        self.until(lambda: self.version(keeper) == 1)
        skeleton = self.bench.open(keeper).character.skeleton
        self.assertEqual(skeleton.names[skeleton.parents[skeleton.find("right_lantern")]], "right_hand")
        self.page.wait_for_selector("[data-joint=left_lantern]")

    def test_a_chain_is_made_click_by_click_in_the_middle_of_the_limb(self):
        keeper = self.bench.bring_in("Lock keeper", light_keeper())
        self.open(f"/characters/{keeper}/bind")
        self.choose_joint("Left shin")
        self.bend(60)
        self.tab("Joints")
        self.page.get_by_label("Face the joint, outer side").click()
        self.page.get_by_label("Name of the new joint").fill("left_strap")
        self.page.get_by_role("radio", name="Make joints").click()
        x, y = self.middle()
        for k, down in enumerate((-30, -60), start=1):
            self.page.mouse.click(x, y + down)
            self.until(lambda k=k: self.version(keeper) == k)
            self.page.wait_for_selector(f".panel h2:has-text('Left strap {k}')")
        self.assertEqual(self.state(keeper)["undo"], "Make left_strap_2")
        s = self.bench.open(keeper).character.skeleton
        for side in ("left", "right"):
            chain = [s.names[s.parents[s.find(f"{side}_strap_{k}")]] for k in (1, 2)]
            self.assertEqual(chain, [f"{side}_shin", f"{side}_strap_1"])
        # They stand under the pointer, inside the thigh: nearer to its bone than the skin is.
        dot = self.page.locator("[data-joint=left_strap_2]").bounding_box()
        self.assertAlmostEqual(dot["x"] + dot["width"] / 2, x, delta=2)
        self.assertAlmostEqual(dot["y"] + dot["height"] / 2, y - 60, delta=2)
        pose = bent(s.rest_pose(), s.find("left_shin"), s.hinge(s.find("left_shin")).axis, np.radians(60))
        there = s.global_matrices(pose)[:, :3, 3]
        thigh, knee, at = (there[s.find(n)] for n in ("left_thigh", "left_shin", "left_strap_2"))
        away = np.linalg.norm(np.cross(at - thigh, knee - thigh)) / np.linalg.norm(knee - thigh)
        self.assertLess(away, 0.05)


class Regions(BrowserCase):
    def regions(self, character: str) -> dict[str, int]:
        return {r["name"]: r["vertices"] for r in self.state(character)["regions"]}

    def setUp(self):
        super().setUp()
        self.keeper = self.bench.bring_in("Lock keeper", shipped("lock-keeper-bare"))
        self.open(f"/characters/{self.keeper}/bind")
        self.choose_joint("Left shin")
        self.page.locator(".panel .el-segmented").get_by_text("Regions", exact=True).click()
        self.page.get_by_label("Face the joint, front").click()
        self.page.get_by_role("radio", name="Pick", exact=True).click()

    def test_a_stroke_picks_is_kept_and_holds_a_brush_inside(self):
        x, y = self.middle()
        self.drag(x, y, 20, 0)
        self.until(lambda: self.regions(self.keeper).get("", 0) > 10)
        picked = self.regions(self.keeper)[""]
        self.page.get_by_role("button", name="Grow").click()
        self.until(lambda: self.regions(self.keeper)[""] > picked)
        self.page.get_by_label("Name of the region").fill("knee caps")
        self.page.get_by_role("button", name="Keep", exact=True).click()
        self.until(lambda: "knee caps" in self.regions(self.keeper))
        self.page.get_by_role("button", name="Clear", exact=True).click()
        self.until(lambda: "" not in self.regions(self.keeper))
        before = self.bench.open(self.keeper).character
        inside = before.region("knee caps") > 0
        self.page.locator(".panel .el-segmented").get_by_text("Weights", exact=True).click()
        self.page.get_by_role("radio", name="Subtract").click()
        self.page.locator(".numbers .keep").first.click()
        self.page.get_by_role("option", name="only inside").click()
        self.page.locator(".numbers .keep").nth(1).click()
        self.page.get_by_role("option", name="knee caps").click()
        for _ in range(12):
            self.page.keyboard.press("]")
        self.drag(x, y, 12, 0)
        self.until(lambda: self.state(self.keeper)["undo"] == "Paint left_shin")
        after = self.bench.open(self.keeper).character
        changed = np.abs(after.binding.joint_weights - before.binding.joint_weights).max(axis=1) > 1e-5
        self.assertGreater(changed.sum(), 5)
        self.assertFalse((changed & ~inside).any())

    def test_two_clicks_on_an_edge_pick_its_loop_and_a_click_a_piece(self):
        x, y = self.middle()
        self.page.mouse.dblclick(x, y - 30)
        self.until(lambda: self.state(self.keeper)["undo"] == "Pick a loop")
        # Only the loop: the clicks themselves picked nothing.
        self.assertEqual(self.state(self.keeper)["version"], 1)
        count = self.regions(self.keeper)[""]
        self.assertTrue(10 < count < 600, count)
        self.page.get_by_role("radio", name="Pick piece").click()
        self.page.mouse.click(x, y - 30)
        self.until(lambda: self.state(self.keeper)["undo"] == "Pick a piece")
        self.assertGreater(self.regions(self.keeper)[""], count)

    def test_a_piece_is_given_with_one_click(self):
        self.page.locator(".panel .el-segmented").get_by_text("Weights", exact=True).click()
        self.choose_joint("Head")
        self.page.get_by_label("Face the joint, front").click()
        self.page.get_by_role("radio", name="Give piece").click()
        self.page.wait_for_timeout(300)
        x, y = self.middle()
        self.page.mouse.click(x + 6, y - 20)
        self.until(lambda: self.state(self.keeper)["undo"] == "Give a piece to head")

    def test_the_part_under_the_pointer_is_hidden_by_a_key(self):
        x, y = self.middle()
        self.page.mouse.move(x, y)
        self.page.keyboard.press("h")
        parts = len(self.bench.open(self.keeper).character.mesh.parts)
        self.page.wait_for_selector(f"text=Parts {parts - 1}/{parts}")
