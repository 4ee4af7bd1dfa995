"""Brushes over the posed surface: one file a brush, all listed in `BRUSHES`."""

from __future__ import annotations

from plethos.core.sculpt import (
    draw_together,
    even_loop,
    flatten,
    grab,
    inflate,
    push,
    push_apart,
    put_back,
    slide,
    smooth,
)
from plethos.core.sculpt.session import Brush

BRUSHES: dict[str, Brush] = {
    "grab": grab.grab,
    "inflate": inflate.inflate,
    "smooth": smooth.smooth,
    "flatten": flatten.flatten,
    "draw_together": draw_together.draw_together,
    "slide": slide.slide,
    "even_loop": even_loop.even_loop,
    "push": push.push,
    "push_apart": push_apart.push_apart,
    "put_back": put_back.put_back,
}

# Brushes that hold what they took at first and follow the pointer's whole way: their newest dab replaces the others.
DRAGS = frozenset({"grab", "slide", "push"})
