"""Rows of the bench about making shapes: extraction, strokes, pushing apart, stored poses."""

from __future__ import annotations

import math
from collections.abc import Awaitable, Callable
from datetime import datetime

import numpy as np
from scipy.spatial.transform import Rotation

from plethos.core.character import Character
from plethos.core.evaluate import NONE, Evaluator
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_read import read_character
from plethos.core.formats.obj_mesh import file_from_obj
from plethos.core.geometry.subdivide import subdivided
from plethos.core.measure.contact import intersecting_pairs
from plethos.core.measure.travel import bent
from plethos.core.rules.remedies import Corrective, Remedy
from plethos.core.rules.triggers.pose_set import PoseSet
from plethos.core.rules.triggers.stored_pose import StoredPose
from plethos.core.sculpt.inflate import inflate
from plethos.core.sculpt.push_apart import push_apart
from plethos.core.sculpt.session import Dab, SculptSurface
from plethos.core.sculpt.solve import invert_offsets
from plethos.core.skeleton.pose_files import pose_to_json
from plethos.core.skin.shape import Shape
from plethos.service.desk.desk import Desk
from plethos.service.desk.frame import frame
from plethos.service.library.blob_arrays import BlobArrays
from plethos.service.library.documents import SculptNote
from plethos.service.library.open_character import OpenCharacter
from plethos.service.library.version import HeldSculpt
from plethos.service.schemas.tools import SculptSettings
from plethos.service.schemas.want import Want
from plethos.service.tools.sculpt_strokes import SculptTool
from plethos.store.revision import Revision

Row = tuple[str, str, str, str]
Beside = Callable[..., tuple[float, float, float]]
OverSocket = Callable[..., Awaitable[tuple[float, float, float]]]
Z = (0.0, 0.0, 1.0)
ELBOW = (0.39, 1.23, -0.02)  # of the lock keeper at rest, about


def extraction(beside: Beside) -> Row:
    """Offsets of 50,000 posed vertices in the space of the rest shape, with what is reported of each."""
    generator = np.random.default_rng(7)
    count = 50_000
    turns = Rotation.random(count, rng=generator).as_matrix()
    linear = turns @ (np.eye(3) + 0.05 * generator.standard_normal((count, 3, 3)))
    offsets, rest = generator.normal(0, 0.01, (count, 3)), np.tile(np.eye(3), (count, 1, 1))
    mine, theirs, ratio = beside(lambda: invert_offsets(linear, offsets, rest), lambda: np.linalg.inv(linear), 30)
    return (
        "Extraction of 50k vertices, round-trip errors and least singular values with it",
        f"{mine:.2f} ms", f"NumPy's batch 3 x 3 inverse alone {theirs:.2f} ms", f"{ratio:.2f} (at most 0.2)",
    )  # fmt: skip


def stored_poses(character: Character, beside: Beside) -> Row:
    """What a set of 30 stored poses of a shoulder adds to a plain evaluation."""
    skeleton = character.skeleton
    joint = skeleton.find("left_upper_arm")
    generator = np.random.default_rng(3)
    turns = Rotation.from_rotvec(generator.uniform(-1.4, 1.4, (30, 3))).as_quat()
    poses = tuple(StoredPose((tuple(q.tolist()),), "both", f"p{k}") for k, q in enumerate(turns))
    found = PoseSet((joint,), (skeleton.bone_axis(joint),), poses, math.radians(35))
    still = Shape("still", np.array([0], np.int32), np.zeros((1, 3), np.float32))
    tied = Remedy(Corrective.of(still), "still", by=found.poses[0].id)
    with_, plain = Evaluator.of(character.with_remedy(tied, found)), Evaluator.of(character)
    pose = bent(skeleton.rest_pose(), joint, Z, math.radians(50))
    mine, theirs, _ = beside(lambda: with_.pose(pose).points, lambda: plain.pose(pose).points)
    return (
        f"A set of 30 stored poses, {len(character.mesh) // 1000}k vertices",
        f"{1000 * max(0.0, mine - theirs):.0f} us more", f"a plain evaluation {theirs:.2f} ms",
        f"{max(0.0, mine - theirs) / theirs:.2f} (at most 0.1)",
    )  # fmt: skip


def apart(character: Character, beside: Beside) -> Row:
    """A touch of the brush that pushes apart, in a fold, beside counting what crosses in the whole skin."""
    skeleton, mesh = character.skeleton, character.mesh
    joint = skeleton.find("left_forearm")
    posed = Evaluator.of(character).pose(bent(skeleton.rest_pose(), joint, Z, math.radians(125)), NONE)
    base, t = posed.exact_points(), mesh.topology.triangles
    surface = SculptSurface(mesh.topology, base.copy(), base, at_rest=mesh.rest)
    triangle = int(np.linalg.norm(base[t].mean(axis=1) - posed.world[joint][:3, 3], axis=1).argmin())
    touch = Dab(triangle, tuple(base[t[triangle]].mean(axis=0).tolist()), 0.06, 0.5)

    def dab() -> object:
        surface.points[:] = base
        return push_apart(surface, touch)

    mine, theirs, ratio = beside(dab, lambda: intersecting_pairs(base, t), 20)
    return (
        f"A dab of Push apart in a fold, {len(mesh) // 1000}k vertices",
        f"{mine:.1f} ms", f"counting all that crosses once {theirs:.1f} ms", f"{ratio:.2f}",
    )  # fmt: skip


def finer(character: Character) -> tuple[Character, GltfFile]:
    """The first part of a character, smoothed by one level of subdivision: a mesh of some 60,000 vertices."""
    start, stop = character.mesh.parts[0].vertices
    fine = subdivided(character.mesh.topology)
    points = fine.weights @ character.mesh.rest.astype(np.float64)
    coarse = character.mesh.topology.triangles
    own = np.repeat(((coarse >= start) & (coarse < stop)).all(axis=1), 4)
    used, faces = np.unique(fine.triangles[own], return_inverse=True)
    lines = [f"v {x:.6f} {y:.6f} {z:.6f}" for x, y, z in points[used].tolist()]
    lines += [f"f {a} {b} {c}" for a, b, c in (faces.reshape(-1, 3) + 1).tolist()]
    file = file_from_obj("\n".join(lines))
    return read_character(file, "Finer"), file


async def stroke_trip(character: Character, source: GltfFile, over_a_socket: OverSocket) -> Row:
    """A dab of the brush to the new skin over a real socket, beside an echo of as many bytes and the dab itself."""
    skeleton = character.skeleton
    revision = Revision("r", "x", "x", 0, 0, "", {}, "", None, False, datetime.now())
    opened = OpenCharacter(revision, source, character, BlobArrays(lambda hashes: {}))
    pose = skeleton.rest_pose()
    evaluator = Evaluator.of(character)
    note = SculptNote(None, pose_to_json(skeleton, pose))
    opened.show(revision, evaluator, HeldSculpt.of(note, evaluator, None))
    desk = Desk(opened, {"sculpt": SculptTool()})
    version, held = desk.version, opened.version.sculpt
    assert held is not None, "just shown"
    t = character.mesh.topology.triangles
    at = held.points[t].mean(axis=1)
    triangle = int(np.linalg.norm(at - ELBOW, axis=1).argmin())
    touch, settings = Dab(triangle, tuple(at[triangle].tolist()), 0.05, 0.01), SculptSettings(brush="inflate")
    desk.touch(version, "sculpt", pose, settings, [touch])
    same = frame(desk, version, pose, Want(), {})
    alone = SculptSurface(character.mesh.topology, held.points.copy(), held.start)

    def answer(kind: str) -> bytes:
        if kind == "echo":
            return same
        desk.touch(version, "sculpt", pose, settings, [touch])
        return frame(desk, version, pose, Want(), {})

    ours, bare, dab = await over_a_socket(answer, ("sculpt", "echo"), ["x" * 200] * 120, lambda: inflate(alone, touch))
    return (
        f"A dab of the brush to new skin over the socket, {len(character.mesh) // 1000}k vertices",
        f"{ours:.2f} ms", f"echo of the same bytes {bare:.2f} ms + the dab {dab:.2f} ms",
        f"{ours / (bare + dab):.2f} (at most 3)",
    )  # fmt: skip
