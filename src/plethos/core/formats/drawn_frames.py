"""The frames of a drawing over a clip, its correctives baked: what players read that know no rules."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.geometry.outlines import Drawn, Outlines
from plethos.core.geometry.rotations import Array
from plethos.core.skeleton.clips import Clip
from plethos.core.skin.mesh import Part

RATE = 30.0
MOST_FRAMES = 3000
EVEN = 1e-4  # of the widest: a stroke that varies less is of one width


@dataclass(frozen=True, eq=False)
class Frames:
    """A drawing over a clip.

    Parameters
    ----------
    rate
        Frames a second.
    points
        ``(F, V, 3)`` in the world.
    widths
        ``(F, V)`` of strokes; a control point's stands at its first vertex.
    orders
        ``(F,)`` the parts by number in the order of painting.
    """

    character: Character
    rate: float
    points: NDArray[np.float32]
    widths: NDArray[np.float32]
    orders: tuple[tuple[int, ...], ...]

    @classmethod
    def of(
        cls,
        character: Character,
        clip: Clip,
        rate: float = RATE,
        progress: Callable[[float], None] = lambda share: None,
    ) -> Frames:
        """The frames of a clip, the last at its end.

        Raises
        ------
        BadEditError
            When the character is no drawing, or the clip too long.
        """
        if not character.mesh.is_flat:
            raise BadEditError("This is no drawing: it has no outlines to be animated.")
        count = round(clip.duration * rate) + 1
        if count > MOST_FRAMES:
            raise BadEditError(f"The clip has {count} frames; at most {MOST_FRAMES} are written.")
        evaluator = Evaluator.of(character)
        points = np.empty((count, len(character.mesh), 3), np.float32)
        widths = np.ones((count, len(character.mesh)), np.float32)
        orders = []
        for k in range(count):
            posed = evaluator.pose(clip.pose_at(character.skeleton, k / rate))
            points[k] = posed.points
            orders.append(posed.order)
            if posed.channels is not None:
                widths[k] = posed.channels[:, 0]
            progress((k + 1) / count)
        return cls(character, rate, points, widths, tuple(orders))

    def __len__(self) -> int:
        return len(self.points)

    @property
    def seconds(self) -> float:
        """How long it goes."""
        return (len(self) - 1) / self.rate

    def spans(self) -> list[tuple[int, int, tuple[int, ...]]]:
        """Runs of frames in which one order of painting holds: the first, the one after the last, and the order."""
        out: list[tuple[int, int, tuple[int, ...]]] = []
        for k, order in enumerate(self.orders):
            if out and out[-1][2] == order:
                out[-1] = (out[-1][0], k + 1, order)
            else:
                out.append((k, k + 1, order))
        return out

    def things(self, order: tuple[int, ...]) -> Iterator[Thing]:
        """What is drawn, from back to front."""
        for number in order:
            part = self.character.mesh.parts[number]
            surface = part.surface
            assert isinstance(surface, Outlines), "drawings have outlines only"
            own = slice(*part.vertices)
            for drawn in surface.drawn:
                yield Thing(part, surface, drawn, self.points[:, own], self.widths[:, own])


@dataclass(frozen=True, eq=False)
class Thing:
    """One drawn thing over all frames; `points` ``(F, N, 3)`` and `widths` ``(F, N)`` of its part."""

    part: Part
    surface: Outlines
    drawn: Drawn
    points: NDArray[np.float32]
    widths: NDArray[np.float32]

    @property
    def own(self) -> NDArray[np.intp]:
        """The vertices of its control points and handles, counted from the part's first."""
        return np.asarray((3 * self.surface.controls(self.drawn)[:, None] + np.arange(3)).ravel())

    @property
    def moves(self) -> bool:
        """Whether it is not the same in all frames."""
        return bool(np.ptp(self.points[:, self.own], axis=0).max() > 0)

    @property
    def stroke_widths(self) -> Array | None:
        """Its stroke's width in each frame ``(F,)``; None where it is not the same all along the line."""
        own = self.widths[:, self.own[::3]].astype(np.float64)
        even = np.ptp(own, axis=1) <= EVEN * np.maximum(own.max(axis=1), 1e-12)
        return own[:, 0] if even.all() else None

    @property
    def is_whole(self) -> bool:
        """Whether its line has no hidden edge."""
        hidden = set(self.drawn.stroke.hidden) if self.drawn.stroke else set()
        return not hidden & set((self.own[::3] // 3).tolist())
