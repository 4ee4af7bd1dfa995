"""Long work step by step: generators that tell how far they are, and return what they come to."""

from __future__ import annotations

from collections.abc import Callable, Generator
from typing import TypeVar

A = TypeVar("A")
B = TypeVar("B")
R = TypeVar("R")


def told_as(steps: Generator[A, None, R], tell: Callable[[A], B]) -> Generator[B, None, R]:
    """The same steps, told otherwise."""
    while True:
        try:
            now = next(steps)
        except StopIteration as ended:
            made: R = ended.value
            return made
        yield tell(now)


def run_through(steps: Generator[A, None, R], tell: Callable[[A], object] = lambda step: None) -> R:
    """What steps come to in the end; `tell` is called with each."""
    while True:
        try:
            tell(next(steps))
        except StopIteration as ended:
            made: R = ended.value
            return made
