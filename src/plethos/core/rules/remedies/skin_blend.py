"""The skin blend: where the skin is dual quaternion skinning, and by how much."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar

from plethos.core.arrays import Arrays
from plethos.core.errors import BadEditError
from plethos.core.rules.remedies.body import Body, Stage
from plethos.core.skeleton.mapping import IdMap, JointMap, VertexMap
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skin.mask import Mask


@dataclass(frozen=True, eq=False)
class SkinBlend(Body):
    """A mask between linear (0) and dual quaternion skinning (1), in place of what the file says there.

    Parameters
    ----------
    mask
        Whose shares are those of dual quaternions; vertices that it does not name keep the file's.
    """

    mask: Mask
    kind: ClassVar[str] = "skin_blend"
    stage: ClassVar[Stage] = Stage.SKIN

    def mapped(
        self, joints: JointMap, vertices: VertexMap | None, ids: IdMap, skeleton: Skeleton, name: str
    ) -> SkinBlend:
        return SkinBlend(self.mask.mapped(vertices))

    def to_document(self, skeleton: Skeleton, arrays: Arrays) -> dict[str, Any]:
        return {"mask": arrays.put("shares", self.kind, self.mask.vertices, self.mask.shares)}

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton, arrays: Arrays) -> SkinBlend:
        if "mask" not in document:
            raise BadEditError("A skin blend needs a mask.")
        return cls(Mask(*arrays.get("shares", document["mask"])))
