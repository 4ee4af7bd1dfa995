"""Stress in a real browser: a sweep is asked for, a spot gone to and accepted; an edit is measured by itself."""

from playwright.sync_api import expect

from plethos.service.edits import joint_edits
from tests.browser.stage import BrowserCase
from tests.figures import pair_file


class Stress(BrowserCase):
    def test_from_nothing_to_the_worst_spot_and_what_is_made_of_it(self):
        tube = self.bench.bring_in("Pair", pair_file().pack())
        joint_edits.set_hinge(self.bench, tube, "upper", (0, 0, 1), -60, 90, False)
        self.open(f"/characters/{tube}/mend")
        self.page.keyboard.press("2")
        expect(self.page.get_by_text("Turn every joint through its range")).to_be_visible()
        self.page.get_by_role("button", name="Sweep", exact=True).click()
        expect(self.page.get_by_text("up to date")).to_be_visible(timeout=60_000)
        rows = self.page.locator(".trouble .row")
        bent = self.page.locator('[data-spot="joint:upper:z+:loss"]')
        expect(bent).to_contain_text("Upper bent 99°")
        expect(self.page.locator('[data-ring="upper"] .gap.loss').first).to_be_attached()

        # The worst pose: the joint is turned as the spot says, and what was measured is told.
        bent.click()
        expect(self.page.get_by_role("row", name="Volume lost")).to_be_visible()
        expect(self.page.locator(".turned")).to_contain_text("99°")
        self.page.keyboard.press("n")
        expect(bent).not_to_have_attribute("aria-current", "true")
        self.page.keyboard.press("b")
        expect(bent).to_have_attribute("aria-current", "true")

        # Accepted with a reason, it leaves the open ones until it is opened again.
        count = rows.count()
        self.page.get_by_role("button", name="Accept…").click()
        self.page.get_by_label("Why it may stay as it is").fill("Nobody sees it")
        self.page.get_by_role("button", name="Accept", exact=True).click()
        expect(rows).to_have_count(count - 1)
        self.page.reload()
        expect(self.page.get_by_text("1 accepted")).to_be_visible()

        # An edit is measured by itself: the range is shorter, and so is what is told.
        joint_edits.set_hinge(self.bench, tube, "upper", (0, 0, 1), -60, 70, False)
        self.until(lambda: "Upper bent 77°" in self.page.locator(".trouble").inner_text() or self.shown_all())
        expect(self.page.get_by_text("up to date")).to_be_visible()
        self.assertEqual(self.bench.open(tube).version.revision.number, 2)

    def shown_all(self) -> bool:
        """Ask for all states: what was accepted is among them."""
        if self.page.locator(".trouble .el-select").first.inner_text() != "All":
            self.page.locator(".trouble .el-select").first.click()
            self.page.get_by_role("option", name="All", exact=True).click()
        return False
