"""The immutable description of a character: four values that edits replace one at a time.

Everything about a character that does not depend on the pose. Each value is frozen and owns what is worked out from
it, so that an edit which replaces one of them shares the others with all that they have found out. Keeping the old is
undo.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadEditError
from plethos.core.motion.motion import Motion
from plethos.core.motion.retarget import clip_of
from plethos.core.rules.remedies import Remedy
from plethos.core.rules.rules import Rules
from plethos.core.rules.triggers import Trigger
from plethos.core.skeleton.clips import Clip
from plethos.core.skeleton.kept_poses import KeptPose
from plethos.core.skeleton.mapping import JointMap, MirrorMap
from plethos.core.skeleton.names import other_side_name
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skeleton.symmetry import joint_mirror
from plethos.core.skin.binding import Binding
from plethos.core.skin.front_and_behind import DepthMap, behind_name, depth_joints, depth_vertices
from plethos.core.skin.mesh import Mesh
from plethos.core.skin.picked import PICKED, PickedRegion
from plethos.core.skin.shape import Shape

NO_RULES = Rules()


@dataclass(frozen=True, eq=False)
class Character:
    """A character.

    Parameters
    ----------
    mesh
        Its parts.
    skeleton
        Its joints.
    binding
        What the skin follows.
    rules
        What mends it.
    clips
        Keyed motion that came with its file.
    motions
        Motion of other skeletons that was brought onto its joints.
    poses
        Poses that are kept under a name.
    regions
        What was picked and kept under a name, and what is picked at the moment.
    repairs
        Sentences that say what was mended on reading.
    up
        Which axis is up where it is looked at: see `posture`. Nothing that is computed or delivered depends on it.
    """

    name: str
    mesh: Mesh
    skeleton: Skeleton
    binding: Binding
    rules: Rules = NO_RULES
    clips: tuple[Clip, ...] = ()
    motions: tuple[Motion, ...] = ()
    poses: tuple[KeptPose, ...] = ()
    regions: tuple[PickedRegion, ...] = ()
    repairs: tuple[str, ...] = ()
    up: str = "y"

    @cached_property
    def joint_pairs(self) -> NDArray[np.int32]:
        """The mirror image of each joint ``(J,)``; a joint with none, or in the middle, is its own."""
        return joint_mirror(self.skeleton, self.mesh.mirror_x)

    @property
    def sides(self) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
        """The mirror images of the vertices ``(V,)``, -1 for none, and of the joints ``(J,)``."""
        return self.mesh.pairs, self.joint_pairs

    @cached_property
    def in_depth(self) -> bool:
        """Whether it is a drawing from the side, whose sides are in front and behind."""
        return self.mesh.is_flat and bool((self._behind != np.arange(len(self.skeleton))).any())

    @cached_property
    def _behind(self) -> NDArray[np.int32]:
        return depth_joints(self.skeleton)

    @cached_property
    def mirror(self) -> JointMap:
        """Its joints as they are on the other side: mirrored, or in front for behind."""
        if self.in_depth:
            return DepthMap(self.skeleton, self._behind)
        return MirrorMap(self.skeleton, self.joint_pairs)

    @cached_property
    def vertices_across(self) -> NDArray[np.int32]:
        """The vertex ``(V,)`` on the other side of each, -1 for none."""
        return depth_vertices(self.mesh) if self.in_depth else self.mesh.pairs

    def name_across(self, name: str) -> str | None:
        """What something is called on the other side; None when its name tells no side."""
        return (behind_name(name) if self.in_depth else None) or other_side_name(name)

    @cached_property
    def all_clips(self) -> tuple[Clip, ...]:
        """The clips of its file, and those that motions make of its joints."""
        brought = (clip_of(m, self.skeleton, self.up, self.mesh.mirror_x) for m in self.motions)
        return (*self.clips, *brought)

    @cached_property
    def shapes(self) -> tuple[Shape, ...]:
        """The shapes of its file, then those of the correctives, in order."""
        return self.mesh.shapes + self.rules.shapes

    @cached_property
    def shapes_after(self) -> tuple[int, ...]:
        """Which of the shapes act after the skin."""
        return tuple(i for i, s in enumerate(self.shapes) if s.after_skin)

    @cached_property
    def widening(self) -> tuple[tuple[int, NDArray[np.int32], NDArray[np.float32]], ...]:
        """Those of the shapes that say something of channels: their numbers, vertices and channels."""
        return tuple((i, s.vertices, s.channels) for i, s in enumerate(self.shapes) if s.channels is not None)

    @property
    def is_bound(self) -> bool:
        """Whether any of the skin follows a joint."""
        return self.binding.follows_joints(self.skeleton)

    def region(self, name: str = PICKED) -> NDArray[np.float32]:
        """The shares ``(V,)`` of a region; of what is picked at the moment when no name is given.

        Raises
        ------
        BadEditError
            When there is no region of that name.
        """
        for region in self.regions:
            if region.name == name:
                return region.dense(len(self.mesh))
        if name == PICKED:
            return np.zeros(len(self.mesh), dtype=np.float32)
        raise BadEditError(f"There is no region called “{name}” in this character.")

    def with_region(self, name: str, shares: NDArray[np.floating] | None) -> Character:
        """This character with a region set; None or nothing inside takes it away."""
        left = tuple(r for r in self.regions if r.name != name)
        fresh = None if shares is None else PickedRegion.of(name, shares)
        if fresh is not None and len(fresh.vertices):
            left = (*left, fresh)
        return replace(self, regions=left)

    def with_rules(self, rules: Rules) -> Character:
        """This character with other rules."""
        return replace(self, rules=rules)

    def with_remedy(self, remedy: Remedy, *triggers: Trigger) -> Character:
        """This character with a remedy replaced (same id) or added, and the triggers that it brings."""
        return replace(self, rules=self.rules.with_remedy(remedy, *triggers))
