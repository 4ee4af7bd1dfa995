"""Kept movements, wrong rules, the table of all remedies, and housekeeping of shapes, in a real browser."""

from plethos.demo.catalogue import shipped
from tests.browser.stage import BrowserCase
from tests.light import light_keeper
from tests.models import DATA


class Shaping(BrowserCase):
    def remedies(self, mine: str) -> list[dict]:
        return self.state(mine)["remedies"]

    def test_a_yawn_is_kept_and_reset_and_applied_twice_it_is_told_and_mended(self):
        mine = self.bench.bring_in("Bare", light_keeper())
        page = self.page
        self.open(f"/characters/{mine}")
        self.choose_joint("Jaw")
        self.bend(20)
        page.get_by_role("button", name="Keep the difference").click()
        page.get_by_label("Name of the movement").fill("Yawn")
        page.locator("form.difference").get_by_role("button", name="Keep").click()
        self.until(lambda: [r["name"] for r in self.remedies(mine)] == ["Yawn"])
        # The pose is reset and the dial stands at its end: it looks the same, and nothing is wrong.
        page.get_by_text("1 set", exact=True).wait_for()
        self.assertEqual(page.get_by_text("applied twice").count(), 0)
        self.choose_joint("Jaw")
        self.bend(20)
        page.get_by_text("the movement is applied twice").wait_for()
        page.get_by_role("button", name="Turn it off").click()
        self.until(lambda: not self.remedies(mine)[0]["on"])
        page.get_by_text("the movement is applied twice").wait_for(state="detached")

    def test_a_rule_in_radians_says_so_and_one_click_mends_it(self):
        mine = self.bench.bring_in("Keeper", shipped("lock-keeper"))
        page = self.page
        elbow = next(r for r in self.remedies(mine) if r["name"] == "Left elbow bent")
        knots = [{"angle_deg": 0, "value": 0}, {"angle_deg": 2.1, "value": 1}]
        rule = {**elbow["trigger"], "knots": knots}
        rule = {k: rule[k] for k in ("kind", "joint", "axis", "knots", "id", "name")}
        answer = page.request.put(
            f"{self.server.address}/api/characters/{mine}/remedies/{elbow['id']}/trigger", data={"trigger": rule}
        )
        self.assertTrue(answer.ok, answer.text())
        self.open(f"/characters/{mine}")
        self.choose_joint("Left forearm")
        page.get_by_text("looks like radians").first.wait_for()
        page.get_by_role("button", name="2 of 34, 1 !").click()
        page.get_by_text("Something is wrong").click()
        page.get_by_text("1 of 34").wait_for()
        page.get_by_label("Search remedies").fill("elbow bent")
        page.get_by_role("row").filter(has_text="Left elbow bent").click()
        page.get_by_role("button", name="Read them as radians").click()
        mended = lambda: next(r for r in self.remedies(mine) if r["id"] == elbow["id"])["trigger"]["knots"][-1]  # noqa: E731
        self.until(lambda: abs(mended()["angle_deg"] - 120.3) < 0.1)
        page.get_by_text("looks like radians").wait_for(state="detached")

    def test_shapes_of_a_file_become_correctives_that_are_copied_split_and_merged(self):
        folder = DATA / "morphcube"
        others = {p.name: p.read_bytes() for p in folder.iterdir() if p.suffix == ".bin"}
        mine = self.bench.bring_in("AnimatedMorphCube.gltf", (folder / "AnimatedMorphCube.gltf").read_bytes(), others)
        page = self.page
        self.open(f"/characters/{mine}")
        page.get_by_role("button", name="Mend", exact=False).first.click()
        page.get_by_role("button", name="0 of 0").click()
        page.locator(".file .el-select").click()
        options = page.get_by_role("listbox", name="Shapes of the file").get_by_role("option")
        options.first.wait_for()
        for k in range(options.count()):
            options.nth(k).click()
        page.get_by_role("button", name="Make correctives of them").click()
        self.until(lambda: len(self.remedies(mine)) == 2)
        page.keyboard.press("Escape")
        page.keyboard.press("Escape")
        page.locator("[data-remedy] button.title").first.click()
        more = page.locator("[data-remedy]").first.get_by_role("button", name="More about")
        more.click()
        page.get_by_role("menuitem", name="Copy it").click()
        self.until(lambda: len(self.remedies(mine)) == 3)
        page.locator("[data-remedy] button.title").first.click()
        more.click()
        page.get_by_role("menuitem", name="Merge").last.click()
        self.until(lambda: len(self.remedies(mine)) == 2)
        page.keyboard.press("Control+z")
        self.until(lambda: len(self.remedies(mine)) == 3)


if __name__ == "__main__":
    import unittest

    unittest.main()
