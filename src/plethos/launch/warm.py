"""Compiling the kernels ahead, so that the first pose is not slow. The compiled code is cached on disk."""

from __future__ import annotations

import numpy as np

from plethos.core.geometry.laplacian import SurfaceLaplacian
from plethos.core.geometry.topology import Topology
from plethos.core.measure import kernels as kernels_of_measures
from plethos.core.measure.contact import intersecting_pairs
from plethos.core.rules.remedies import kernels as remedy_kernels
from plethos.core.rules.triggers import kernels as trigger_kernels
from plethos.core.sculpt import BRUSHES
from plethos.core.sculpt.session import Dab, SculptSurface
from plethos.core.skeleton import kinematics
from plethos.core.skin import kernels
from plethos.core.weights import fit
from plethos.core.weights.bone_distances import segment_distances
from plethos.core.weights.bones import Segment
from plethos.core.weights.heated import heated
from plethos.core.weights.limit import limit_influences


def warm_kernels() -> None:
    """Import what compiles on import, and call the rest once on a tiny mesh."""
    assert kernels.deform is not None
    assert kinematics.from_hinges is not None
    assert trigger_kernels.set_values is not None
    assert remedy_kernels.clamped_activations is not None
    assert fit.fitted is not None
    points = np.array([[0.0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1]])
    triangles = np.array([[0, 2, 1], [0, 1, 3], [1, 2, 3], [0, 3, 2]], dtype=np.int32)
    intersecting_pairs(points, triangles)
    ends = np.array([0, 1, 2], np.int32)
    for kind in (np.float32, np.float64):
        measured = points.astype(kind)
        kernels_of_measures.signed_volume(measured, triangles, ends, ends, ends * 0, 1)
        kernels_of_measures.loop_areas(measured, np.array([0, 3]), ends, ends, np.zeros(3))
        segments = kernels_of_measures.bone_segments(ends, points)
        bones = kernels_of_measures.nearest_bones(measured, segments, ends, 3)
        squared = kernels_of_measures.squared_depths(measured, bones, segments)
        kernels_of_measures.depth_change(measured, bones, segments, 1e-6, squared)
    limit_influences(np.eye(4), 2)
    bones = [Segment(0, points[0], points[1])]
    segment_distances(points, np.zeros((4, 3)), bones)
    whole = heated(SurfaceLaplacian.of(Topology(4, triangles), points), np.zeros((4, 3)), bones, 1, lambda share: None)
    limit_influences(whole, 2)
    Topology(4, triangles).patches(np.ones(4, bool))
    surface = SculptSurface(Topology(4, triangles), points.copy(), points)
    for brush in BRUSHES.values():
        brush(surface, Dab(0, (0.2, 0.2, 0.0), 0.5, 0.1))
