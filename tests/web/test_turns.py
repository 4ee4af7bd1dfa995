"""Turns of what takes seconds: fair between pages, bounded, and not begun for whoever is gone."""

import asyncio
import unittest

from plethos.web.turns import GoneError, TooMuchAskedError, Turns


class Asker:
    def __init__(self, gone=False):
        self.gone = gone

    async def is_disconnected(self):
        return self.gone


class Taken(unittest.IsolatedAsyncioTestCase):
    async def asyncSetUp(self):
        self.turns, self.order, self.ends = Turns(at_once=2, waiting=3), [], {}

    def ask(self, page, name, asker=None):
        self.ends[name] = asyncio.Event()

        async def work():
            async with self.turns.turn(page, asker or Asker()):
                self.order.append(name)
                await self.ends[name].wait()

        return asyncio.create_task(work())

    async def settled(self):
        for _ in range(10):
            await asyncio.sleep(0)

    async def test_a_page_has_one_and_whoever_asked_longest_comes_first(self):
        asked = [self.ask(page, name) for page, name in (("a", "a1"), ("a", "a2"), ("b", "b1"), ("c", "c1"))]
        await self.settled()
        self.assertEqual(self.order, ["a1", "b1"], "two at once, and a page has only one of them")
        self.ends["b1"].set()
        await self.settled()
        self.assertEqual(self.order, ["a1", "b1", "c1"], "what waits for its own page lets others go before")
        for name in ("a1", "a2", "c1"):
            self.ends[name].set()
        await asyncio.gather(*asked)
        self.assertEqual(self.order[-1], "a2")
        self.assertEqual((self.turns._free, self.turns._waiting), (2, []))

    async def test_more_than_may_wait_is_refused_for_that_page_only(self):
        asked = [self.ask("a", f"a{n}") for n in range(3)]
        await self.settled()
        with self.assertRaises(TooMuchAskedError):
            await self.ask("a", "a3")
        other = self.ask("b", "b1")
        await self.settled()
        self.assertEqual(self.order, ["a0", "b1"])
        for event in self.ends.values():
            event.set()
        await asyncio.gather(*asked, other)

    async def test_whoever_is_gone_is_passed_over(self):
        asked = [self.ask(None, "p1"), self.ask(None, "p2"), self.ask(None, "p3", Asker(gone=True))]
        await self.settled()
        self.assertEqual(self.order, ["p1", "p2"], "programs share the turns")
        with self.assertRaises(GoneError):
            await asked[2]
        self.ends["p1"].set()
        self.ends["p2"].set()
        await asyncio.gather(*asked[:2])
        self.assertEqual((self.order, self.turns._free), (["p1", "p2"], 2))

    async def test_a_turn_that_is_ended_early_is_the_next_ones_and_ends_once(self):
        turns = Turns(at_once=1)
        async with turns.turn("a", Asker()) as end:
            end()
            end()
            await self.settled()
            async with turns.turn("a", Asker()):
                self.assertEqual(turns._free, 0)
        self.assertEqual((turns._free, turns._under_way.total()), (1, 0))
