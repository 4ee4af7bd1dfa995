"""The station Bind in a real browser: paint in a pose, automatic weights, find what is wrong and mend it."""

import numpy as np
from playwright.sync_api import expect

from plethos.core.sculpt.session import Dab
from plethos.demo.catalogue import shipped
from tests.browser.stage import BrowserCase
from tests.figures import tube_file
from tests.light import light_keeper
from tests.strokes import paint


class Bind(BrowserCase):
    def weights(self, character: str) -> np.ndarray:
        return self.bench.open(character).character.binding.joint_weights.copy()

    def version(self, character: str) -> int:
        return self.state(character)["version"]

    def test_weights_are_painted_in_the_pose_saved_and_undone_after_a_reload(self):
        keeper = self.bench.bring_in("Lock keeper", light_keeper())
        before = self.weights(keeper)
        self.open(f"/characters/{keeper}/bind")
        self.choose_joint("Left forearm")
        self.bend(80)
        self.page.get_by_label("Face the joint, outer side").click()
        self.page.get_by_role("radio", name="Replace").click()
        for _ in range(6):
            self.page.keyboard.press("]")
        x, y = self.middle()
        self.page.mouse.move(x, y)
        self.page.wait_for_selector("text=weight")
        # Mirrored is the default, and where the other side is touched is shown.
        self.until(lambda: self.page.mouse.move(x + 1, y) or self.page.locator(".ring.other").count() == 1)
        self.page.mouse.move(x, y)
        self.drag(x, y, -20, -10)
        self.until(lambda: self.version(keeper) == 1)
        self.assertEqual(self.state(keeper)["undo"], "Paint left_forearm")
        painted = self.weights(keeper)
        skeleton = self.bench.open(keeper).character.skeleton
        left, right = skeleton.find("left_forearm"), skeleton.find("right_forearm")
        gained = (painted - before).sum(axis=0)
        self.assertGreater(gained[left], 1)
        # Mirrored is the default: the other forearm gained as much.
        self.assertAlmostEqual(gained[right], gained[left], delta=0.02 * gained[left])
        self.page.reload()
        self.page.wait_for_selector(".view[data-ready=true]")
        self.page.keyboard.press("Control+z")
        self.until(lambda: self.version(keeper) == 0)
        np.testing.assert_allclose(self.weights(keeper), before, atol=1e-6)
        self.page.keyboard.press("Control+Shift+Z")
        self.until(lambda: self.version(keeper) == 1)
        np.testing.assert_allclose(self.weights(keeper), painted, atol=1e-6)

    def test_a_locked_joint_keeps_its_weights(self):
        tube = self.bench.bring_in("Tube", tube_file().pack())
        self.open(f"/characters/{tube}/bind")
        self.choose_joint("Upper")
        self.page.get_by_role("button", name="Lock", exact=True).click()
        self.page.get_by_role("radio", name="Add").click()
        x, y = self.middle()
        self.drag(x, y, 10, 0)
        self.page.wait_for_selector("text=locked: unlock it")
        self.assertEqual(self.version(tube), 0)

    def test_the_brush_reaches_the_second_layer_and_only_that(self):
        keeper = self.bench.bring_in("Lock keeper", light_keeper())
        before = self.weights(keeper)
        self.open(f"/characters/{keeper}/bind")
        self.choose_joint("Spine 2")
        self.page.get_by_label("Face the joint, front").click()
        # The tools at the pointer, while the key is held.
        x, y = self.middle()
        self.page.mouse.move(x, y)
        self.page.keyboard.down("e")
        self.page.get_by_role("menuitem", name="Replace").hover()
        self.page.keyboard.up("e")
        expect(self.page.get_by_role("radio", name="Replace")).to_have_attribute("aria-checked", "true")
        self.page.get_by_role("radiogroup", name="Layer under the pointer").get_by_text("2", exact=True).click()
        x, y = self.middle()
        self.drag(x, y, 6, 0)
        self.until(lambda: self.version(keeper) == 1)
        opened = self.bench.open(keeper)
        changed = np.flatnonzero(np.abs(self.weights(keeper) - before).max(axis=1) > 1e-4)
        self.assertGreater(len(changed), 3)
        # The waistcoat is in front; what lies behind it under the pointer is the belly.
        start, stop = opened.character.mesh.parts[0].vertices
        self.assertTrue(((changed >= start) & (changed < stop)).all())
        self.assertGreater(opened.rest[changed, 2].min(), 0)

    def test_a_vertex_is_picked_and_its_weight_typed(self):
        keeper = self.bench.bring_in("Lock keeper", light_keeper())
        self.open(f"/characters/{keeper}/bind")
        self.choose_joint("Left forearm")
        self.page.get_by_label("Face the joint, outer side").click()
        x, y = self.middle()
        self.page.keyboard.down("Alt")
        self.page.mouse.click(x - 16, y + 12)
        self.page.keyboard.up("Alt")
        field = self.page.get_by_label("Weight of Left forearm", exact=True)
        field.fill("0.9")
        field.press("Enter")
        self.until(lambda: self.version(keeper) == 1)
        self.assertEqual(self.state(keeper)["undo"], "Weight of left_forearm")
        self.until(lambda: field.input_value() == "0.900")

    def test_automatic_weights_show_progress_and_come(self):
        keeper = self.bench.bring_in("Lock keeper", shipped("lock-keeper-bare"))
        before = self.weights(keeper)
        self.open(f"/characters/{keeper}/bind")
        self.page.get_by_role("button", name="All joints").click()
        self.page.wait_for_selector(".el-progress")
        self.until(lambda: self.version(keeper) == 1, 60)
        self.assertEqual(self.state(keeper)["undo"], "Automatic weights")
        self.page.get_by_role("button", name="All joints").wait_for()
        self.assertGreater(np.abs(self.weights(keeper) - before).max(), 0.1)

    def test_automatic_weights_for_several_chosen_joints(self):
        keeper = self.bench.bring_in("Lock keeper", light_keeper())
        before = self.weights(keeper)
        skeleton = self.bench.open(keeper).character.skeleton
        self.open(f"/characters/{keeper}/bind")
        for name in ("Left hand", "Right hand"):
            self.page.get_by_role("combobox", name="Joints for automatic weights").fill(name)
            self.page.get_by_role("option", name=name, exact=True).click()
        self.page.keyboard.press("Escape")
        self.page.get_by_role("button", name="Only these").click()
        self.until(lambda: self.version(keeper) == 1, 60)
        changed = self.weights(keeper) - before
        hands = [skeleton.find("left_hand"), skeleton.find("right_hand")]
        self.assertGreater(np.abs(changed[:, hands]).max(axis=0).min(), 0.05)
        # Where neither hand holds the skin nothing happens, and what else does keeps its proportions.
        away = (before[:, hands] + self.weights(keeper)[:, hands]).max(axis=1) == 0
        self.assertGreater(away.mean(), 0.5)
        np.testing.assert_allclose(changed[away], 0, atol=1e-6)

    def test_without_falloff_the_brush_holds_all_it_touches(self):
        tube = self.bench.bring_in("Tube", tube_file().pack())
        before = self.weights(tube)
        self.open(f"/characters/{tube}/bind")
        self.choose_joint("Upper")
        self.page.get_by_label("Face the joint, outer side").click()
        self.page.get_by_role("radio", name="Replace").click()
        for slider, key in (("Brush strength", "End"), ("Brush falloff", "Home")):
            self.page.get_by_label(slider).press(key)
        self.page.mouse.click(*self.middle())
        self.until(lambda: self.version(tube) == 1)
        upper = self.bench.open(tube).character.skeleton.find("upper")
        now = self.weights(tube)
        touched = np.abs(now - before).max(axis=1) > 1e-5
        self.assertGreater(touched.sum(), 3)
        np.testing.assert_allclose(now[touched, upper], 1, atol=1e-5)

    def test_automatic_weights_are_cancelled(self):
        keeper = self.bench.bring_in("Lock keeper", shipped("lock-keeper-bare"))
        self.open(f"/characters/{keeper}/bind")
        self.page.get_by_role("button", name="All joints").click()
        self.page.get_by_role("button", name="Cancel").click()
        self.page.get_by_role("button", name="All joints").wait_for()
        self.assertEqual(self.version(keeper), 0)

    def test_a_stray_weight_is_found_shown_and_mended(self):
        keeper = self.bench.bring_in("Lock keeper", light_keeper())
        opened = self.bench.open(keeper)
        skeleton, rest, t = opened.character.skeleton, opened.rest, opened.character.mesh.topology.triangles
        triangle = int(np.argmin(np.linalg.norm(rest[t].mean(axis=1) - [-0.04, 0.66, 0.0], axis=1)))
        touch = Dab(triangle, tuple(rest[t[triangle]].mean(axis=0).tolist()), 0.07, 1.0)
        paint(self.bench, opened, skeleton.rest_pose(), [touch], "left_thigh", "add", 1.0, 0.4)
        self.open(f"/characters/{keeper}/bind")
        self.page.get_by_role("button", name="Look through the weights").click()
        finding = self.page.locator("[data-finding]", has_text="Stray weight")
        finding.get_by_role("button", name="Show").click()
        expect(self.page.locator(".map")).to_contain_text("Left thigh")
        finding.get_by_role("button", name="Mend").click()
        self.until(lambda: self.state(keeper)["undo"] == "Mend stray weights")
        self.until(lambda: self.page.locator("[data-finding]", has_text="Stray weight").count() == 0)

    def test_a_joint_is_moved_at_rest_by_typing(self):
        keeper = self.bench.bring_in("Lock keeper", light_keeper())
        self.open(f"/characters/{keeper}/bind")
        self.choose_joint("Left thigh")
        self.page.locator(".panel .el-segmented").get_by_text("Joints", exact=True).click()
        up = self.page.get_by_label("Place of the joint, up")
        before = float(up.input_value())
        up.fill(str(before + 2))
        up.press("Enter")
        self.until(lambda: self.version(keeper) == 1)
        skeleton = self.bench.open(keeper).character.skeleton
        left, right = (skeleton.rest_global[skeleton.find(f"{s}_thigh"), :3, 3] for s in ("left", "right"))
        self.assertAlmostEqual(left[1], (before + 2) / 100, places=3)
        np.testing.assert_allclose(right, left * [-1, 1, 1], atol=1e-9)

    def test_a_part_is_given_to_a_joint(self):
        keeper = self.bench.bring_in("Lock keeper", shipped("lock-keeper-bare"))
        self.open(f"/characters/{keeper}/bind")
        self.choose_joint("Chest")
        self.page.locator(".panel .part").click()
        self.page.get_by_role("option", name="waistcoat").click()
        self.page.get_by_role("button", name="Give to this joint").click()
        self.until(lambda: self.version(keeper) == 1)
        opened = self.bench.open(keeper)
        part = next(p for p in opened.character.mesh.parts if p.name == "waistcoat")
        chest = opened.character.skeleton.find("chest")
        np.testing.assert_array_equal(self.weights(keeper)[slice(*part.vertices), chest], 1)
