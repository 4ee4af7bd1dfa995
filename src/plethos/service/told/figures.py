"""What the view draws: the figure with its joints, and its skin as bytes."""

from __future__ import annotations

import math

import numpy as np

from plethos.core.geometry import rotations
from plethos.core.geometry.subdivide import subdivided
from plethos.core.geometry.topology import extent
from plethos.core.joints.body_plan import proposed_hinges
from plethos.core.joints.ranges import suggested
from plethos.core.measure.outline_site import bends_outlines
from plethos.core.skeleton.posture import lies_on_its_back
from plethos.core.skin.mesh import Mesh, Triangles
from plethos.core.weights.bones import twist_joints
from plethos.service.library.version import Version
from plethos.service.schemas.figure import FigureInfo, JointInfo, PartInfo
from plethos.service.told.drawings import drawing_info


def figure_info(version: Version) -> FigureInfo:
    """What the workbench needs to draw and to bend a character, until its joints change."""
    character, skeleton = version.character, version.character.skeleton
    world = skeleton.rest_global
    joints = []
    # Parts follow each other, in vertices and so in triangles.
    first_corner = character.mesh.topology.triangles[:, 0]
    carried = None if character.mesh.is_flat else character.binding.carried(skeleton).tocsc()
    proposed = proposed_hinges(character)
    twists = twist_joints(skeleton)
    for j, name in enumerate(skeleton.names):
        if not skeleton.is_joint[j]:
            continue
        hinge = skeleton.hinge(j)
        if carried is None:
            bends = bends_outlines(character, j)
        else:
            w = carried.data[carried.indptr[j] : carried.indptr[j + 1]]
            bends = bool(((w > 0.02) & (w < 0.98)).any())
        joints.append(
            JointInfo(
                index=j,
                name=name,
                parent=skeleton.joint_parents[j],
                at=tuple(world[j, :3, 3].tolist()),
                turn=tuple(rotations.from_matrix(rotations.rotation_part(world[j, :3, :3])).tolist()),
                hinge_axis=hinge.axis,
                low_deg=math.degrees(hinge.low),
                high_deg=math.degrees(hinge.high),
                hinge_known=skeleton.known_hinge(j) is not None,
                range_proposed=j in proposed,
                likely_range=suggested(name),
                bends=bends,
                on_bone=j in twists,
            )
        )
    return FigureInfo(
        nodes=len(skeleton),
        vertices=len(character.mesh.points),
        triangles=len(character.mesh.topology.triangles),
        height=extent(character.mesh.rest),
        mirror_x=character.mesh.mirror_x,
        lies=lies_on_its_back(skeleton),
        parts=[
            PartInfo(
                name=p.name,
                vertices=p.file_vertices[1] - p.file_vertices[0],
                triangles=len(p.surface.corners) if isinstance(p.surface, Triangles) else 0,
                drawn=(int(a), int(b)),
            )
            for p in character.mesh.parts
            for a, b in [np.searchsorted(first_corner, p.vertices)]
        ],
        joints=joints,
        shapes=[s.name for s in character.mesh.shapes],
        repairs=list(character.repairs),
        drawing=drawing_info(character.mesh),
    )


def mesh_bytes(mesh: Mesh) -> bytes:
    """What the view draws: vertex and triangle counts (uint32), then rest points float32, triangles uint32, and
    four bytes a vertex: linear RGB and 255, or zeros where the file says no colour."""
    triangles = mesh.topology.triangles
    counts = np.array([len(mesh), len(triangles)], dtype="<u4")
    colours = np.zeros((len(mesh), 4), dtype=np.uint8)
    if mesh.colours is not None:
        known = np.isfinite(mesh.colours).all(axis=1)
        colours[known, :3] = np.round(mesh.colours[known] * 255)
        colours[known, 3] = 255
    parts = [counts.tobytes(), mesh.rest.astype("<f4").tobytes(), triangles.astype("<u4").tobytes()]
    return b"".join([*parts, colours.tobytes()])


def subdivision_bytes(mesh: Mesh) -> bytes:
    """The finer skin: counts of its points, entries and triangles (uint32), where each point's entries begin (one more
    than there are points) and the coarse vertices they name uint32, their weights float32, triangles uint32."""
    fine = subdivided(mesh.topology)
    weights = fine.weights
    counts = np.array([weights.shape[0], weights.nnz, len(fine.triangles)], "<u4")
    parts = (counts, weights.indptr.astype("<u4"), weights.indices.astype("<u4"), weights.data.astype("<f4"))
    return b"".join([*(p.tobytes() for p in parts), fine.triangles.astype("<u4").tobytes()])
