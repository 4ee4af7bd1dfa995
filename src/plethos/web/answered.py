"""Answers of more than one route that are no plain JSON: steps line by line, pictures."""

from __future__ import annotations

import asyncio
import itertools
from collections.abc import AsyncGenerator, Callable, Generator
from contextlib import closing
from typing import TypeVar, cast

from fastapi import Response
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import StreamingResponse
from pydantic import BaseModel

from plethos.core.errors import PlethosError
from plethos.core.formats.picture_type import picture_type
from plethos.service.jobs.jobs import LOOK

T = TypeVar("T")
LONGEST = 1.5  # seconds between two looks, where many wait and nothing is new for long


class Problem(BaseModel):
    """The last line of an answer that could not be finished: nothing was changed."""

    problem: str


PICTURE = {"content": {"image/png": {}, "image/webp": {}}, "required": True}
"""What a route says of the picture that it takes."""


async def waited(steps: Generator[T | None, None, None]) -> AsyncGenerator[T, None]:
    """Steps as they are made, in a thread that is held only meanwhile.

    Where there is nothing new (None), they are asked for again after a while. Whoever stops asking stops them.
    """
    end, pause = object(), LOOK
    try:
        while (step := await run_in_threadpool(next, steps, end)) is not end:
            if step is None:
                await asyncio.sleep(pause)
                pause = min(1.2 * pause, LONGEST)
            else:
                pause = LOOK
                yield cast(T, step)
    finally:
        steps.close()


def by_lines(steps: Generator[T | None, None, None], told: Callable[[T], BaseModel]) -> StreamingResponse:
    """A line of JSON after each step; whoever goes away in between stops it.

    The first is made before anything is answered: what cannot be done at all is told as any other problem. What turns
    out later to be one is told in a last line of its own.
    """
    first = next(steps)

    def lines() -> Generator[str | None, None, None]:
        with closing(steps):
            try:
                for step in itertools.chain([first], steps):
                    yield None if step is None else f"{told(step).model_dump_json()}\n"
            except PlethosError as error:
                yield f"{Problem(problem=error.sentence).model_dump_json()}\n"

    return StreamingResponse(waited(lines()), media_type="application/x-ndjson")


def kept_picture(data: bytes) -> Response:
    """A picture that a page has drawn; its address changes when it does."""
    return Response(data, media_type=picture_type(data), headers={"Cache-Control": "private, max-age=31536000"})
