"""What a newcomer meets, and two windows on one character, in a real browser."""

from playwright.sync_api import expect

from tests.browser.stage import BrowserCase
from tests.figures import tube_file
from tests.light import light_keeper


class Windows(BrowserCase):
    motion = "no-preference"

    def left(self) -> dict:
        """What the browser keeps of where one left off."""
        return self.page.evaluate("() => Object.values(JSON.parse(localStorage['plethos.left'] ?? '{}'))[0] ?? {}")

    def boxes(self, selector: str) -> list[dict]:
        """Where things stand on the page."""
        return [box for one in self.page.locator(selector).all() if (box := one.bounding_box())]

    def overlap(self, one: dict, other: dict) -> bool:
        return all(
            one[at] < other[at] + other[by] and other[at] < one[at] + one[by]
            for at, by in (("x", "width"), ("y", "height"))
        )

    def test_a_character_opens_whole_and_goes_on_where_one_left_off(self):
        keeper = self.bench.bring_in("Lock keeper", light_keeper())
        self.open(f"/characters/{keeper}")
        whole = self.page.get_by_label("Whole: show the whole figure")
        self.assertIn("on", whole.get_attribute("class"))
        # What people call a joint finds it, and it is brought into view.
        finder = self.page.get_by_role("combobox", name="Find a joint")
        finder.click()
        finder.fill("left elbow")
        finder.press("Enter")
        self.page.wait_for_selector("h2:text('Left forearm')")
        self.assertNotIn("on", whole.get_attribute("class") or "")
        self.bend(70)
        # The keys of the view work from a field that takes no letters.
        self.page.get_by_label("Angle in degrees").focus()
        self.page.keyboard.press("o")
        self.assertIn("on", whole.get_attribute("class"))
        # All of him stands below the bars.
        bars = max(b["y"] + b["height"] for b in self.boxes(".view .bar"))
        self.until(lambda: min(b["y"] for b in self.boxes(".view .dot")) > bars + 10)
        self.page.keyboard.press("f")
        self.page.get_by_role("button", name="Bind").click()
        self.page.wait_for_url("**/bind")
        self.until(lambda: self.left().get("station") == "bind" and self.left()["camera"])
        self.page.goto(f"{self.server.address}/characters/{keeper}?quality=least")
        self.page.wait_for_url("**/bind")
        self.page.wait_for_selector(".view[data-ready=true]")
        expect(self.page.get_by_label("Angle in degrees")).to_have_value("70.0")
        self.assertNotIn("on", whole.get_attribute("class") or "")
        # Whoever reloads right after a change finds it too.
        self.bend(35)
        self.page.reload()
        self.page.wait_for_selector(".view[data-ready=true]")
        expect(self.page.get_by_label("Angle in degrees")).to_have_value("35.0")
        # Nor does a name that the wipe gives its sides lie under them, wherever that is.
        self.page.get_by_role("button", name="Mend").click()
        self.page.get_by_role("button", name="Skin blend").click()
        for _ in range(14):
            self.page.get_by_label("Move the wipe").press("ArrowRight")
            tags, bars = self.boxes(".view .tag"), self.boxes(".view .bar")
            self.assertEqual(len(tags), 2)
            self.assertFalse([(t, b) for t in tags for b in bars if self.overlap(t, b)])

    def test_two_windows_one_edits_and_the_other_looks_on_until_it_takes_over(self):
        tube = self.bench.bring_in("Tube", tube_file().pack())
        self.open(f"/characters/{tube}/bind")
        other = self.context.new_page()
        other.goto(f"{self.server.address}/characters/{tube}/bind?quality=least")
        other.wait_for_selector(".view[data-ready=true]")
        self.choose_joint("Upper")
        self.page.get_by_label("Face the joint, outer side").click()
        self.page.get_by_role("radio", name="Replace").click()
        x, y = self.middle()
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + 10, y + 5, steps=3)
        frames = int(other.get_attribute(".view", "data-frame"))
        other.wait_for_selector("text=Being edited in another window")
        self.page.mouse.move(x + 20, y + 5, steps=3)
        self.until(lambda: int(other.get_attribute(".view", "data-frame")) > frames)
        other.get_by_role("button", name="Undo").click(force=True)
        self.page.mouse.up()
        self.until(lambda: self.state(tube)["version"] == 1)
        self.until(lambda: "v1" in other.text_content(".who"))
        other.get_by_role("button", name="Undo").click()
        other.wait_for_selector("text=take over there or wait")
        self.assertEqual(self.state(tube)["version"], 1)
        other.get_by_role("button", name="Take over").click()
        self.page.wait_for_selector("text=Being edited in another window")
        other.get_by_role("button", name="Undo").click()
        self.until(lambda: self.state(tube)["version"] == 0)

    def test_a_page_on_a_deleted_character_is_told_stops_and_goes_on_once_it_is_brought_back(self):
        tube = self.bench.bring_in("Tube", tube_file().pack())
        self.open(f"/characters/{tube}/bind")
        self.choose_joint("Upper")
        self.bench.remove(tube)
        self.page.wait_for_selector("text=Deleted in another window")
        frames = self.page.get_attribute(".view", "data-frame")
        self.page.get_by_role("radio", name="Replace").click()
        x, y = self.middle()
        self.page.mouse.click(x, y)
        self.page.wait_for_selector("text=bring it back above")
        self.assertEqual(self.page.get_attribute(".view", "data-frame"), frames)
        self.page.get_by_role("button", name="Bring it back").click()
        self.page.wait_for_selector("text=Saved")
        self.bend(40)
        self.until(lambda: int(self.page.get_attribute(".view", "data-frame")) > int(frames))
        # What it asked for meanwhile was refused, as the browser notes.
        self.errors[:] = [e for e in self.errors if not e.endswith(("404 (Not Found)", "response code: 403"))]

    def test_the_library_draws_each_picture_once(self):
        lamp = self.bench.bring_in("Lamp", tube_file().pack())
        meshes = []
        self.page.on("request", lambda r: meshes.append(r.url) if r.url.endswith(f"{lamp}/mesh") else None)
        self.page.goto(self.server.address)
        self.until(lambda: self.server.store.current(lamp).picture)
        self.page.reload()
        self.page.wait_for_selector(f"img[src^='/api/characters/{lamp}/picture']")
        self.assertEqual(len(meshes), 1)
