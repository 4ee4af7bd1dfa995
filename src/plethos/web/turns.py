"""Turns: work that takes seconds waits for one, without holding a thread, and is not begun for whoever is gone."""

from __future__ import annotations

import asyncio
import contextlib
from collections import Counter
from collections.abc import AsyncIterator, Callable
from dataclasses import dataclass, field
from functools import partial
from typing import Annotated

from fastapi import Depends, Request
from starlette.requests import HTTPConnection

from plethos.core.errors import PlethosError
from plethos.web.context import Page

AT_ONCE = 2  # pieces that are worked out at the same time; a page has one of them
MOST_WAITING = 6  # of a page, or of all programs together
LOOK = 0.25  # seconds between two looks whether whoever waits is still there
TOO_MUCH = "There is too much under way for this page already: wait until some of it is done."


class TooMuchAskedError(PlethosError):
    """A page asks for more than may wait."""


class GoneError(Exception):
    """Whoever asked has gone away while they waited."""


@dataclass(eq=False)
class _Turn:
    page: str | None
    come: asyncio.Event = field(default_factory=asyncio.Event)
    ended: bool = False


class Turns:
    """Who may work something out now. For one event loop.

    Whoever has asked longest comes first, of those whose page has nothing under way.
    """

    def __init__(self, at_once: int = AT_ONCE, waiting: int = MOST_WAITING) -> None:
        self._free, self._most = at_once, waiting
        self._under_way = Counter[str | None]()
        self._waiting = list[_Turn]()

    @contextlib.asynccontextmanager
    async def turn(self, page: str | None, request: Request) -> AsyncIterator[Callable[[], object]]:
        """Wait for a turn, and have it until the context ends, or what is given is called (from any thread).

        Raises
        ------
        TooMuchAskedError
            When the page waits for as many already.
        GoneError
            When whoever asked has gone.
        """
        asked = self._under_way[page] + sum(other.page == page for other in self._waiting)
        if asked >= self._most:
            raise TooMuchAskedError(TOO_MUCH)
        mine, loop = _Turn(page), asyncio.get_running_loop()
        self._waiting.append(mine)
        try:
            self._next()
            while not mine.come.is_set():
                with contextlib.suppress(TimeoutError):
                    await asyncio.wait_for(mine.come.wait(), LOOK)
                if not mine.come.is_set() and await request.is_disconnected():
                    raise GoneError
            yield partial(loop.call_soon_threadsafe, self._end, mine)
        finally:
            self._end(mine)

    def _end(self, mine: _Turn) -> None:
        """End a turn, or the wait for it."""
        if mine.ended:
            return
        mine.ended = True
        if mine.come.is_set():
            # Pages that have nothing under way are forgotten.
            self._under_way -= Counter([mine.page])
            self._free += 1
        else:
            self._waiting.remove(mine)
        self._next()

    def _next(self) -> None:
        for mine in list(self._waiting):
            # Programs have no page: they share the turns.
            if self._free and (mine.page is None or not self._under_way[mine.page]):
                self._waiting.remove(mine)
                self._under_way[mine.page] += 1
                self._free -= 1
                mine.come.set()


async def _in_turn(connection: HTTPConnection, page: Page) -> AsyncIterator[Callable[[], object]]:
    assert isinstance(connection, Request)
    async with connection.app.state.turns.turn(page, connection) as end:
        yield end


InTurn = Annotated[Callable[[], object], Depends(_in_turn)]
"""For routes that take seconds; called, it ends the turn before they do."""
