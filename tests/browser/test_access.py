"""For whoever works without a mouse or hears the page: axe-core finds nothing serious, and knobs turn by keys."""

import re

from playwright.sync_api import expect

from plethos.demo.catalogue import shipped
from plethos.demo.shelf import shipped as shipped_drawing
from plethos.launch.front import FRONT
from tests.browser.stage import BrowserCase
from tests.light import light_keeper

AXE = FRONT / "node_modules" / "axe-core" / "axe.min.js"


class Access(BrowserCase):
    motion = "no-preference"

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.demo = cls.bench.bring_in("Lock keeper", shipped("lock-keeper"), demo=True)
        cls.heron = cls.bench.bring_in("Heron.svg", shipped_drawing("heron"), demo=True)

    def assert_accessible(self, where: object) -> None:
        """No serious finding of axe-core, an outside set of rules; run with its own script, past the page's policy."""
        # What fades in has not its own colours yet.
        moving = "document.getAnimations().some(a => a.playState === 'running')"
        self.until(lambda: not self.page.evaluate(moving))
        self.page.evaluate(AXE.read_text())
        found = self.page.evaluate("axe.run(document, {resultTypes: ['violations']})")
        serious = [
            (v["id"], v["nodes"][0]["html"][:160])
            for v in found["violations"]
            if v["impact"] in ("serious", "critical")
        ]
        self.assertEqual(serious, [], where)

    def test_pages_have_no_serious_accessibility_findings(self):
        bind = f"/characters/{self.demo}/bind"
        for path, ready, panel in (
            ("/", ".picture img", ""),
            (f"/characters/{self.demo}", ".view[data-ready=true]", ""),
            (f"/characters/{self.demo}/deliver", "h1", ""),
            *((bind, ".view[data-ready=true]", panel) for panel in ("Weights", "Joints", "Regions")),
        ):
            self.page.goto(f"{self.server.address}{path}?quality=least")
            self.page.wait_for_selector(ready)
            if panel:
                self.page.locator(".panel .el-segmented").get_by_text(panel, exact=True).click()
                self.page.get_by_role("radiogroup", name="Pointer").get_by_role("radio").last.click()
            self.assert_accessible((path, panel))

    def test_what_mends_has_no_serious_accessibility_findings(self):
        mine = self.bench.bring_in("Bare", light_keeper())
        page = self.page
        self.ask_about_a_roll(mine, 70)
        page.get_by_role("button", name="Try twist joints").click()
        page.get_by_text("is shown, not stored yet").wait_for()
        self.assert_accessible("a trial")
        page.get_by_role("button", name="Take it").click()
        page.get_by_role("button", name="Add a rule").wait_for()
        self.assert_accessible("the rules of a helper")
        page.get_by_role("group", name="On this joint").get_by_role("button", name="Volume keeper").click()
        page.get_by_role("button", name="Paint the mask").click()
        page.get_by_role("radio", name="Take away").wait_for()
        self.assert_accessible("a mask under the brush")
        page.get_by_role("button", name="Done").click()
        page.get_by_role("button", name="Sculpt a corrective here").click()
        page.get_by_text("Sculpting in the pose").wait_for()
        self.assert_accessible("a sculpt")

    def test_dialogs_and_menus_have_no_serious_accessibility_findings(self):
        page = self.page
        self.open(f"/characters/{self.demo}")
        page.keyboard.press("?")
        page.get_by_role("dialog").wait_for()
        self.assert_accessible("the keys")
        page.keyboard.press("Escape")
        page.get_by_role("dialog").wait_for(state="hidden")
        page.get_by_role("button", name="of 34").click()
        page.get_by_role("dialog", name="All remedies").wait_for()
        self.assert_accessible("the table")
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Eye", exact=True).click()
        page.get_by_role("slider", name="Focal length").wait_for()
        self.assert_accessible("the eye")
        page.get_by_role("button", name="Parts", exact=True).click()
        page.get_by_text("waistcoat").first.wait_for()
        self.assert_accessible("the parts")

    def test_drawings_have_no_serious_accessibility_findings(self):
        for station in ("", "/bind", "/deliver"):
            self.page.goto(f"{self.server.address}/characters/{self.heron}{station}?quality=least")
            self.page.wait_for_selector("h1" if station == "/deliver" else ".view[data-ready=true]")
            self.assert_accessible(station)

    def test_what_cannot_be_chosen_is_reached_by_keys_and_says_why(self):
        bare = self.bench.bring_in("Lock keeper", light_keeper())
        self.open(f"/characters/{bare}/mend")
        which = self.page.get_by_role("button", name="Which kind?")
        which.focus()
        why = self.page.get_by_role("tooltip")
        expect(why).to_contain_text("Bend the joint first")
        expect(which).to_have_accessible_description(re.compile("Bend the joint first"))
        self.page.keyboard.press("Enter")
        self.assert_accessible("a reason")
        self.bend(60)
        expect(why).to_have_count(0)
        expect(which).to_be_enabled()

    def test_who_asked_for_less_motion_gets_none(self):
        self.open(f"/characters/{self.demo}")
        chosen = "getComputedStyle(document.querySelector('.el-button')).transitionDuration"
        self.assertNotEqual(self.page.evaluate(chosen), "0s")
        self.page.emulate_media(reduced_motion="reduce")
        self.assertEqual(self.page.evaluate(chosen), "0s")

    def test_the_chosen_joint_is_bent_by_the_keyboard_at_its_knobs(self):
        page = self.page
        self.open(f"/characters/{self.demo}")
        self.choose_joint("Left forearm")
        self.bend(30)
        knob = page.get_by_role("slider", name="Bend about Z")
        knob.focus()
        for key, degrees in (("ArrowUp", "31"), ("Shift+ArrowLeft", "21"), ("PageUp", "31"), ("Home", "0")):
            page.keyboard.press(key)
            self.until(lambda to=degrees: knob.get_attribute("aria-valuenow") == to)
        expect(page.get_by_label("Angle in degrees")).to_have_value(re.compile(r"^-?0(\.0)?$"))
        self.open(f"/characters/{self.heron}")
        knob = page.locator("[data-arc=Z]")
        knob.focus()
        before = int(knob.get_attribute("aria-valuenow"))
        page.keyboard.press("ArrowDown")
        self.until(lambda: int(knob.get_attribute("aria-valuenow")) == before - 1)


if __name__ == "__main__":
    import unittest

    unittest.main()
