"""Brushes over the posed surface: one file a brush, all listed in `BRUSHES`."""

from __future__ import annotations

from plethos.core.sculpt import grab, inflate, put_back, smooth
from plethos.core.sculpt.session import Brush

BRUSHES: dict[str, Brush] = {
    "grab": grab.grab,
    "inflate": inflate.inflate,
    "smooth": smooth.smooth,
    "put_back": put_back.put_back,
}
