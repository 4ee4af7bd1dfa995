"""Answers of more than one route that are no plain JSON: steps line by line, pictures."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator
from typing import TypeVar

from fastapi import Response
from fastapi.responses import StreamingResponse
from pydantic import BaseModel

from plethos.core.errors import PlethosError
from plethos.core.formats.picture_type import picture_type

T = TypeVar("T")


class Problem(BaseModel):
    """The last line of an answer that could not be finished: nothing was changed."""

    problem: str


PICTURE = {"content": {"image/png": {}, "image/webp": {}}, "required": True}
"""What a route says of the picture that it takes."""


def by_lines(steps: Iterator[T], told: Callable[[T], BaseModel]) -> StreamingResponse:
    """A line of JSON after each step; whoever goes away in between stops it.

    The first is made before anything is answered: what cannot be done at all is told as any other problem. What turns
    out later to be one is told in a last line of its own.
    """
    first = next(steps)

    def lines() -> Iterator[str]:
        try:
            for step in itertools.chain([first], steps):
                yield f"{told(step).model_dump_json()}\n"
        except PlethosError as error:
            yield f"{Problem(problem=error.sentence).model_dump_json()}\n"

    return StreamingResponse(lines(), media_type="application/x-ndjson")


def kept_picture(data: bytes) -> Response:
    """A picture that a page has drawn; its address changes when it does."""
    return Response(data, media_type=picture_type(data), headers={"Cache-Control": "private, max-age=31536000"})
