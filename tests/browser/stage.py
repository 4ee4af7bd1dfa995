"""A running server and a browser page that watches for errors and foreign requests: what browser tests stand on."""

from __future__ import annotations

import unittest

from playwright.sync_api import expect, sync_playwright

from plethos.launch.testing import chromium
from plethos.service.library.workbench import Workbench
from tests.server import RunningServer

# What a page shows follows what the server has stored a little later: what is read there is waited for.
expect.set_options(timeout=20_000)


class BrowserCase(unittest.TestCase):
    """One server and one browser a class, one page a test."""

    motion = "reduce"  # a tenth of the time went into drawing what fades and slides

    @classmethod
    def setUpClass(cls):
        cls.server = RunningServer()
        cls.bench: Workbench = cls.server.app.state.bench
        cls.playwright = sync_playwright().start()
        cls.browser = cls.playwright.chromium.launch(executable_path=chromium(), headless=True, args=["--disable-quic"])
        # One for all tests of the class: what the page's scripts were compiled to is kept.
        cls.context = cls.browser.new_context(viewport={"width": 1100, "height": 760}, reduced_motion=cls.motion)

    @classmethod
    def tearDownClass(cls):
        cls.browser.close()
        cls.playwright.stop()
        cls.server.stop()

    def setUp(self):
        self.errors: list[str] = []
        self.foreign: list[str] = []
        self.page = self.context.new_page()
        self.addCleanup(self.forget)
        self.page.set_default_timeout(30_000)
        self.page.on("console", lambda m: self.errors.append(m.text) if m.type == "error" else None)
        self.page.on("pageerror", lambda e: self.errors.append(str(e)))
        self.page.on(
            "request",
            lambda r: (
                self.foreign.append(r.url)
                if not r.url.startswith((self.server.address, "ws://127.0.0.1", "blob:", "data:"))
                else None
            ),
        )

    def tearDown(self):
        self.assertEqual(self.errors, [])
        self.assertEqual(self.foreign, [], "nothing may be fetched from elsewhere")

    def forget(self) -> None:
        """Close all pages, and with them what the browser keeps of where one left off: the next test starts anew."""
        for page in [p for p in self.context.pages if p is not self.page]:
            page.close()
        kept = self.context.new_cdp_session(self.page)
        self.page.goto("about:blank")
        kept.send("Storage.clearDataForOrigin", {"origin": self.server.address, "storageTypes": "local_storage"})
        self.page.close()

    def open(self, path: str) -> None:
        self.page.goto(self.server.address + path + "?quality=least")
        self.page.wait_for_selector(".view[data-ready=true]")

    def until(self, condition, seconds: float = 20.0) -> None:
        """Wait for a condition; the page's policy forbids the polling that evaluates text."""
        for _ in range(int(seconds * 20)):
            if condition():
                return
            self.page.wait_for_timeout(50)
        self.fail("waited in vain")

    def state(self, character: str) -> dict:
        return self.page.request.get(f"{self.server.address}/api/characters/{character}").json()

    def choose_joint(self, name: str) -> None:
        finder = self.page.get_by_role("combobox", name="Find a joint")
        finder.click()
        finder.fill(name)
        self.page.get_by_role("option", name=name, exact=True).click()

    def bend(self, degrees: float) -> None:
        typed = self.page.get_by_label("Angle in degrees")
        typed.fill(str(degrees))
        typed.press("Enter")

    def ask_about_a_roll(self, character: str, degrees: float) -> None:
        """Roll the left hand of the lock keeper and ask which kind of remedy suits."""
        self.open(f"/characters/{character}")
        self.choose_joint("Left hand")
        self.page.get_by_role("button", name="Y", exact=True).click()
        self.bend(degrees)
        self.page.get_by_role("button", name="Which kind?").click()
        self.page.get_by_text("Twist joints.").wait_for()

    def middle(self) -> tuple[float, float]:
        """The middle of the view, where the faced joint is."""
        view = self.page.locator(".view canvas").bounding_box()
        return view["x"] + view["width"] / 2, view["y"] + view["height"] / 2

    def standing(self, locator) -> dict:
        """Where an element is once it has come to stand: the same for four of the page's own drawings."""
        seen: list = [None]

        def stands() -> bool:
            self.page.evaluate(
                "() => new Promise((drawn) => requestAnimationFrame(() => requestAnimationFrame(drawn)))"
            )
            seen.append(locator.bounding_box())
            return seen[-1] is not None and seen[-1] == seen[-2] and seen[-1] == seen[max(0, len(seen) - 4)]

        self.until(stands)
        return seen[-1]

    def drag(self, x: float, y: float, right: float, down: float) -> None:
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + right, y + down, steps=5)
        self.page.mouse.up()
