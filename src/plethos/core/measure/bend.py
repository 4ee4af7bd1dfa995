"""What the bend strip draws: measures of a joint's region over the whole travel of one axis."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import ALL, Acting, Evaluator
from plethos.core.measure.measured import Measured
from plethos.core.measure.outline_site import FlatSite
from plethos.core.measure.site import BendSite
from plethos.core.skeleton.pose import Pose


@dataclass(frozen=True, eq=False)
class BendMeasure:
    """The measures of one joint, made ready for a version of the character.

    Parameters
    ----------
    joint
        Whose bend.
    site
        Its region.
    evaluator
        Of the region's vertices.
    """

    joint: int
    site: BendSite | FlatSite
    evaluator: Evaluator

    @property
    def skin(self) -> BendSite:
        """Its region of triangles.

        Raises
        ------
        BadEditError
            When the character is a drawing.
        """
        if isinstance(self.site, FlatSite):
            raise BadEditError("This is a drawing: it has outlines, and no skin of triangles round a volume.")
        return self.site

    @classmethod
    def of(cls, character: Character, joint: int, before: BendMeasure | None = None) -> BendMeasure:
        """The measures of a joint.

        Parameters
        ----------
        before
            Those of another version on the same mesh, skeleton and binding: its region is taken over.

        Raises
        ------
        BadEditError
            When the joint bends no skin.
        """
        kind = FlatSite if character.mesh.is_flat else BendSite
        site = kind.of(character, joint) if before is None else before.site
        known = None if before is None else before.evaluator
        return cls(joint, site, Evaluator.of(character, known, site.vertices))

    def of_points(self, points: NDArray[np.floating]) -> Measured:
        """Measures of posed points ``(N, 3)`` of the region's vertices."""
        return self.site.measured(points)

    def with_skin(self, points: NDArray[np.floating]) -> Measured:
        """The same with stretch and folds of the skin."""
        return self.site.with_skin(points)

    def at(self, pose: Pose, acting: Acting = ALL) -> Measured:
        """Measures in any pose."""
        return self.of_points(self.evaluator.pose(pose, acting).points)
