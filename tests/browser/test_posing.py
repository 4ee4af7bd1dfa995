"""Motion brought in, poses kept and blended, limbs dragged by their ends, joints turned together; in a real browser."""

from tests.browser.stage import BrowserCase
from tests.light import light_keeper
from tests.models import DATA


class Posing(BrowserCase):
    def setUp(self):
        super().setUp()
        self.mine = self.bench.bring_in("Bare", light_keeper())
        self.open(f"/characters/{self.mine}")

    def turned(self, joint: str) -> float:
        """How far a joint is told to be turned, degrees; 0 when it is not in the list."""
        row = self.page.locator(".turned .row").filter(has=self.page.get_by_role("button", name=joint, exact=True))
        return float(row.locator(".num").text_content().rstrip("°")) if row.count() else 0.0

    def came(self, joint, box: dict, right: float, down: float) -> bool:
        """Whether a joint is as far from where it stood as it was dragged, pixels."""
        now = joint.bounding_box()
        return abs(now["x"] - box["x"] - right) + abs(now["y"] - box["y"] - down) < 3

    def test_a_hand_is_dragged_and_two_joints_turn(self):
        page = self.page
        page.get_by_label("Whole: show the whole figure").click()
        hand = page.locator("[data-joint=left_hand]")
        box = self.standing(hand)
        self.drag(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2, -40, -90)
        self.until(lambda: self.turned("Left upper arm") > 20 and self.turned("Left forearm") > 20)
        self.until(lambda: self.came(hand, box, -40, -90))
        # A click chooses the joint and turns nothing.
        before = self.turned("Left forearm")
        box = self.standing(page.locator("[data-joint=right_foot]"))
        page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        page.wait_for_selector("h2:text('Right foot')")
        self.assertEqual(self.turned("Left forearm"), before)
        self.assertEqual(self.turned("Right shin"), 0)

    def test_a_limb_let_go_while_answers_are_late_ends_where_the_pointer_was(self):
        page = self.page
        waiting: list = []
        answers = {"late": False}

        def between(page_side) -> None:
            def tell(told) -> None:
                waiting.append((page_side, told)) if answers["late"] else page_side.send(told)

            page_side.connect_to_server().on_message(tell)

        page.route_web_socket("**/live?*", between)
        self.open(f"/characters/{self.mine}")
        page.get_by_label("Whole: show the whole figure").click()
        hand = page.locator("[data-joint=left_hand]")
        box = self.standing(hand)
        answers["late"] = True
        self.drag(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2, -40, -90)
        self.until(lambda: waiting)
        answers["late"] = False
        for page_side, told in waiting:
            page_side.send(told)
        self.until(lambda: self.turned("Left forearm") > 5)
        self.until(lambda: self.came(hand, box, -40, -90))

    def test_a_pose_is_kept_gone_to_mirrored_and_blended(self):
        page = self.page
        self.choose_joint("Left forearm")
        self.bend(80)
        page.get_by_role("button", name="Keep pose", exact=True).click()
        page.get_by_label("Name of the pose").fill("Bent")
        page.locator("form").get_by_role("button", name="Keep").click()
        self.until(lambda: [p["name"] for p in self.state(self.mine)["poses"]] == ["Bent"])
        page.get_by_role("button", name="Mirror", exact=True).click()
        self.until(lambda: self.turned("Right forearm") == 80 and self.turned("Left forearm") == 0)
        page.get_by_role("button", name="Go", exact=True).click()
        self.until(lambda: self.turned("Left forearm") == 80 and self.turned("Right forearm") == 0)
        page.locator(".blend .el-select").nth(1).click()
        page.get_by_role("option", name="Bent", exact=True).click()
        slider = page.get_by_role("slider", name="How far between the two poses")
        slider.focus()
        for _ in range(5):
            page.keyboard.press("PageUp")
        at = int(slider.get_attribute("aria-valuenow"))
        self.assertGreater(at, 0)
        self.until(lambda: abs(self.turned("Left forearm") - 0.8 * at) < 1)
        page.get_by_role("button", name="Forget the pose Bent").click()
        self.until(lambda: not self.state(self.mine)["poses"])

    def test_a_pose_kept_from_a_clip_stands_where_the_clip_put_it(self):
        page = self.page
        page.get_by_label("Whole: show the whole figure").click()
        page.get_by_role("combobox", name="Bend or clip").focus()
        page.keyboard.press("Enter")
        page.get_by_role("option", name="climb the lock ladder").click()
        head = page.locator("[data-joint=head]")
        below = self.standing(head)
        for _ in range(70):
            page.keyboard.press(".")
        page.get_by_text("climb the lock ladder, 2.33 s").wait_for()
        self.until(lambda: self.standing(head)["y"] < below["y"] - 30)
        page.get_by_role("button", name="Keep pose", exact=True).click()
        page.get_by_label("Name of the pose").fill("Climbing")
        page.locator("form").get_by_role("button", name="Keep").click()
        self.until(lambda: self.state(self.mine)["poses"])
        climbed = self.standing(head)
        page.keyboard.press("q")
        self.until(lambda: abs(self.standing(head)["y"] - climbed["y"]) > 8)
        page.get_by_role("button", name="Go", exact=True).click()
        self.until(lambda: abs(self.standing(head)["y"] - climbed["y"]) < 1)
        self.assertLess(abs(self.standing(head)["x"] - climbed["x"]), 1)
        # It lasts over a reload, and rest is rest.
        page.reload()
        page.wait_for_selector(".view[data-ready=true]")
        self.until(lambda: page.locator(".turned .row").filter(has_text="moved").count() > 0)
        page.keyboard.press("q")
        page.locator("section").filter(has_text="Pose").get_by_text("at rest", exact=True).first.wait_for()

    def test_a_motion_is_brought_in_mapped_and_played_and_one_that_is_none_is_refused(self):
        page = self.page
        self.choose_joint("Left shin")
        files = page.locator("input[accept='.bvh']")
        files.set_input_files({"name": "x.bvh", "mimeType": "text/plain", "buffer": b"HIERARCHY nothing"})
        page.get_by_text("cut short").wait_for()
        self.assertEqual(self.state(self.mine)["motions"], [])
        page.locator("input[accept='.bvh']").set_input_files(DATA / "walk_31_joints.bvh")
        self.until(lambda: [m["frames"] for m in self.state(self.mine)["motions"]] == [240])
        page.get_by_role("button", name="Worst", exact=True).wait_for()
        page.get_by_label("Motion", exact=True).click()
        page.get_by_role("menuitem", name="Map its joints").click()
        page.get_by_label("Let LeftLeg go").click()
        mapping = lambda: {j["name"]: j["joint"] for j in self.state(self.mine)["motions"][0]["joints"]}  # noqa: E731
        self.until(lambda: mapping()["LeftLeg"] is None)
        self.assertEqual(mapping()["RightLeg"], "right_shin")
        self.errors = [e for e in self.errors if "422" not in e and "409" not in e]


if __name__ == "__main__":
    import unittest

    unittest.main()
