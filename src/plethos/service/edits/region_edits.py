"""Picking regions: by stroke, edge loop, piece, part or joint; kept under names, each pick an undo step."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.regions import pick
from plethos.core.regions.loops import QuadEdges
from plethos.core.skeleton.pose import Pose
from plethos.core.skin.picked import PICKED
from plethos.service.library.version import Version
from plethos.service.library.workbench import Workbench
from plethos.service.schemas.bind import Pick

Shares = NDArray[np.float32]
LABELS = {"piece": "Pick a piece", "loop": "Pick a loop", "all": "Pick all", "joint": "Pick what follows"}


def choose(workbench: Workbench, character_id: str, wanted: Pick, pose: Pose | None, mirror: bool) -> Version:
    """Pick something; `pose` is what `wanted.at` was said of."""

    def change(character: Character) -> Character:
        fresh = _found(character, wanted, pose)
        if mirror and wanted.by != "all":
            fresh = pick.mirrored_too(fresh, character.mesh.pairs)
        return character.with_region(PICKED, pick.combined(character.region(), fresh, wanted.how))

    label = LABELS.get(wanted.by, "Pick")
    return workbench.edit(character_id, f"{label} {wanted.name}" if wanted.name else label, change)


def _found(character: Character, wanted: Pick, pose: Pose | None) -> Shares:
    topology, count = character.mesh.topology, len(character.mesh)
    if wanted.by == "all":
        return np.ones(count, dtype=np.float32)
    if wanted.by == "part":
        return pick.by_part(character, wanted.name)
    if wanted.by == "joint":
        return pick.by_joint(character, character.skeleton.find(wanted.name), wanted.least)
    if wanted.by == "region":
        return character.region(wanted.name)
    if wanted.by in ("piece", "loop"):
        if not 0 <= wanted.triangle < len(topology.triangles):
            raise BadEditError("That place does not lie on the character.")
        if wanted.by == "piece":
            return pick.by_piece(topology, int(topology.triangles[wanted.triangle, 0]))
        posed = Evaluator.of(character).pose(pose or character.skeleton.rest_pose()).points
        edges = QuadEdges(topology, character.mesh.rest)
        found = edges.loop(*edges.nearest(wanted.triangle, np.array(wanted.at), posed))
        return pick.of_vertices(count, found)
    raise BadEditError(f"There is no way to pick by “{wanted.by}”; there are piece, part, joint, loop, region and all.")


def reshape(workbench: Workbench, character_id: str, how: str, width: float) -> Version:
    """Grow or shrink what is picked by a ring, soften its border over so many metres, turn it over, or drop it."""

    def change(character: Character) -> Character:
        shares, topology = character.region(), character.mesh.topology
        if how == "none":
            return character.with_region(PICKED, None)
        if how == "invert":
            return character.with_region(PICKED, 1 - shares)
        if not shares.any():
            raise BadEditError("Nothing is picked yet: stroke over the skin, or pick a piece, a part or a joint.")
        if how == "grow":
            fresh = pick.grown(topology, shares)
        elif how == "shrink":
            fresh = pick.shrunk(topology, shares)
        elif how == "soften":
            fresh = pick.softened(topology, character.mesh.rest, shares, width)
        else:
            raise BadEditError(f"There is no “{how}” for a region; there are grow, shrink, soften, invert and none.")
        return character.with_region(PICKED, fresh)

    labels = {"none": "Clear what is picked", "invert": "Invert what is picked"}
    return workbench.edit(character_id, labels.get(how, f"{how.capitalize()} the region"), change)


def keep(workbench: Workbench, character_id: str, name: str) -> Version:
    """Keep what is picked under a name, in place of what had that name."""
    name = name.strip()

    def change(character: Character) -> Character:
        shares = character.region()
        if not name:
            raise BadEditError("A region needs a name.")
        if not shares.any():
            raise BadEditError("Nothing is picked, so there is nothing to keep.")
        return character.with_region(name, shares)

    return workbench.edit(character_id, f"Keep the region {name}", change)


def forget(workbench: Workbench, character_id: str, name: str) -> Version:
    """Delete a kept region."""

    def change(character: Character) -> Character:
        character.region(name)
        return character.with_region(name, None)

    return workbench.edit(character_id, f"Delete the region {name}", change)


def regions_json(character: Character) -> list[dict[str, Any]]:
    """The kept regions, and what is picked (without a name), each with how many vertices it holds."""
    return [{"name": r.name, "vertices": len(r.vertices)} for r in character.regions]
