"""In-betweens, stored poses, products, dials and groups as one makes them on screen, in a real browser."""

from tests.browser.stage import BrowserCase
from tests.light import light_keeper


class Triggers(BrowserCase):
    def setUp(self):
        super().setUp()
        self.mine = self.bench.bring_in("Bare", light_keeper())
        self.open(f"/characters/{self.mine}")

    def remedies(self) -> list[dict]:
        return self.state(self.mine)["remedies"]

    def strokes(self) -> int:
        sculpt = self.state(self.mine)["sculpt"]
        return sculpt["strokes"] if sculpt else 0

    def stroke(self) -> None:
        """Sculpt a little in the middle of the view."""
        self.page.get_by_role("radiogroup", name="Brush").wait_for()
        before = self.strokes()
        x, y = self.middle()
        # The posed skin may still be on its way: the ring of the brush tells when it is under the pointer.
        shift = iter(range(1000))
        self.until(lambda: self.page.mouse.move(x + next(shift) % 3, y) or self.page.locator("circle.ring").count() > 0)
        self.drag(x, y, 8, 6)
        self.until(lambda: self.strokes() == before + 1)

    def sculpt(self, keep: str | None = "Keep and tie") -> None:
        """A stroke in the middle of the view, in a session that is begun, and kept."""
        self.stroke()
        self.page.get_by_role("button", name="Keep", exact=True).click()
        if keep:
            self.page.get_by_role("button", name=keep).click()
        self.until(lambda: self.state(self.mine)["sculpt"] is None)

    def corrective(self, joint: str, degrees: float) -> None:
        self.choose_joint(joint)
        self.bend(degrees)
        self.page.get_by_label("Face the joint, outer side").click()
        self.page.get_by_role("button", name="Sculpt a corrective here").click()
        self.sculpt()

    def open_card(self, number: int = 0) -> None:
        self.page.locator("[data-remedy] button.title").nth(number).click()

    def test_an_in_between_is_sculpted_moved_by_its_flag_and_deleted(self):
        page = self.page
        self.corrective("Left forearm", 100)
        self.open_card()
        self.bend(50)
        page.get_by_role("button", name="Sculpt an in-between here").click()
        page.get_by_role("heading", name="Sculpting one more target").wait_for()
        self.sculpt(keep=None)
        targets = lambda: [round(t["at"], 3) for t in self.remedies()[0]["targets"]]  # noqa: E731
        self.assertEqual(len(targets()), 2)
        self.assertTrue(0.1 < targets()[0] < 0.6)
        flag = page.locator("[data-flag] path").first
        box = self.standing(flag)
        before = targets()[0]
        self.drag(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2, 60, 0)
        self.until(lambda: targets()[0] > before + 0.02)
        page.get_by_role("button", name="Delete the in-between at").click()
        self.until(lambda: len(targets()) == 1)
        page.keyboard.press("Control+z")
        self.until(lambda: len(targets()) == 2)

    def test_a_target_further_on_is_sculpted_where_the_joint_is_bent_beyond(self):
        page = self.page
        self.corrective("Left forearm", 100)
        self.open_card()
        self.bend(103)
        here = page.get_by_role("button", name="Sculpt an in-between here")
        self.until(here.is_disabled)
        self.bend(125)
        page.get_by_role("button", name="Sculpt one further on").click()
        page.get_by_role("heading", name="Sculpting one more target").wait_for()
        self.sculpt(keep=None)
        (remedy,) = self.remedies()
        self.assertEqual([round(t["at"], 3) for t in remedy["targets"]], [0.8, 1])
        self.assertAlmostEqual(remedy["trigger"]["end_deg"], 125, places=3)
        page.keyboard.press("Control+z")
        self.until(lambda: len(self.remedies()[0]["targets"]) == 1 or self.state(self.mine)["sculpt"] is not None)

    def test_a_pose_is_stored_joins_another_and_a_product_and_a_group_act_on_them(self):
        page = self.page
        self.choose_joint("Left upper arm")
        self.bend(70)
        page.get_by_label("Face the joint, front").click()
        page.get_by_role("button", name="Sculpt a corrective here").click()
        self.stroke()
        page.get_by_role("button", name="Keep", exact=True).click()
        page.get_by_label("Name of the corrective").fill("Arm up")
        page.locator("section.keep").get_by_role("radio", name="Stored poses").click()
        page.locator("section.keep").get_by_label("Radius of the poses").wait_for()
        page.get_by_role("button", name="Keep and tie").click()
        self.until(lambda: len(self.remedies()) == 1)
        self.assertEqual(self.remedies()[0]["trigger"]["kind"], "pose_set")
        # A second corrective, with another pose of the same set: the first one's pose makes room for it.
        page.get_by_role("button", name="Y", exact=True).click()
        self.bend(-60)
        page.get_by_role("button", name="Sculpt a corrective here").click()
        self.stroke()
        page.get_by_role("button", name="Keep", exact=True).click()
        page.get_by_label("Name of the corrective").fill("Arm rolled")
        page.locator("section.keep").get_by_role("radio", name="Stored poses").click()
        page.locator("section.keep").get_by_label("Radius of the poses").wait_for()
        page.get_by_role("button", name="Keep and tie").click()
        self.until(lambda: len(self.remedies()) == 2)
        # A group of the two, alone and off.
        page.get_by_role("button", name="New from these").click()
        page.get_by_label("Name of the group").fill("Shoulder")
        page.get_by_role("button", name="Make", exact=True).click()
        self.until(lambda: len(self.state(self.mine)["groups"]) == 1)
        group = self.state(self.mine)["groups"][0]
        self.assertEqual({r["group"] for r in self.remedies()}, {group["id"]})
        page.locator(".group").get_by_role("button", name="Switch off", exact=True).click()
        self.until(lambda: not self.state(self.mine)["groups"][0]["on"])
        page.keyboard.press("Control+z")
        self.until(lambda: self.state(self.mine)["groups"][0]["on"])

    def test_a_dial_is_made_set_let_go_and_drives_a_corrective_with_a_bend(self):
        page = self.page
        self.corrective("Left forearm", 90)
        page.get_by_role("button", name="New", exact=True).click()
        page.get_by_label("Name of the dial").fill("Tired")
        page.locator("form").get_by_role("button", name="Keep").click()
        dial = page.get_by_label("Dial Tired")
        dial.wait_for()
        dial.focus()
        page.keyboard.press("End")
        page.get_by_text("1 set").wait_for()
        self.open_card()
        page.get_by_role("radio", name="A product").click()
        self.until(lambda: self.remedies()[0]["trigger"]["kind"] == "product")
        of = self.remedies()[0]["trigger"]["of"]
        dials = {d["name"]: d["id"] for d in self.state(self.mine)["dials"]}
        self.assertIn(dials["Tired"], of)
        self.assertEqual(len(of), 2)
        on = lambda: page.locator("[data-remedy] .num").first.text_content()  # noqa: E731
        self.until(lambda: on().startswith("100"))
        page.locator("section").filter(has_text="Pose").get_by_role("button", name="Rest", exact=True).first.click()
        self.until(lambda: on().startswith("0"))

    def test_a_dial_lists_what_it_switches_on_and_takes_a_corrective_more(self):
        page = self.page
        self.corrective("Left forearm", 90)
        (remedy,) = self.remedies()
        page.get_by_role("button", name="New", exact=True).click()
        page.get_by_label("Name of the dial").fill("Tired")
        page.locator("form").get_by_role("button", name="Keep").click()
        page.get_by_label("Dial Tired").wait_for()
        address = f"{self.server.address}/api/characters/{self.mine}/remedies/{remedy['id']}/trigger"
        self.assertTrue(page.request.put(address, data={"trigger": None}).ok)
        page.reload()
        page.get_by_role("button", name="Tired", exact=True).click()
        targets = page.get_by_role("group", name="What the dial Tired switches on")
        targets.get_by_text("Switches nothing on yet.").wait_for()
        targets.get_by_label("Add a corrective to the dial").click()
        page.get_by_role("option", name=remedy["name"]).click()
        targets.get_by_text("0 % at 0, 100 % at 1").wait_for()
        (tied,) = self.remedies()
        dial = self.state(self.mine)["dials"][0]
        self.assertEqual((tied["trigger"]["kind"], tied["trigger"]["reads"]), ("dial", dial["id"]))
        page.get_by_role("slider", name="Dial Tired").focus()
        page.keyboard.press("End")
        targets.get_by_text("100 %", exact=True).wait_for()


if __name__ == "__main__":
    import unittest

    unittest.main()
