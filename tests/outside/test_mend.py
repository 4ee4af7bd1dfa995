"""The first mend on a body that nobody here made, and on coarser, heavier and unevener ones made of it.

Outside: the body (CC0, see data/LICENCES.md), and libigl's test of two triangles, which counts what crosses.
"""

import itertools
import math
import unittest
from dataclasses import replace
from functools import cache

import igl
import numpy as np
from scipy.spatial import cKDTree

from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.measure.travel import bent
from plethos.core.propose.first_mend import FirstMend
from plethos.core.skin.binding import Binding
from plethos.core.skin.mesh import Mesh, Triangles
from tests.models import DATA, load

X = (1.0, 0.0, 0.0)
ELBOW, KNEE, HIP = ("lowerarm01.L", 98), ("lowerleg01.L", 122), ("upperleg01.L", -100)


@cache
def body():
    return load(DATA / "body_58_joints.glb")[0]


def remade(points, triangles, like):
    """The body with another surface, each vertex bound as the one of the body that `like` names."""
    count, own = len(points), body()
    part = replace(own.mesh.parts[0], vertices=(0, count), file_vertices=(0, count), surface=Triangles(triangles))
    points = points.astype(np.float32)
    mesh = Mesh((part,), points, points, np.arange(count, dtype=np.int32), mirror_x=own.mesh.mirror_x)
    binding = own.binding
    bound = Binding(binding.bones, binding.influences[like], binding.weights[like], binding.joints)
    return replace(own, mesh=mesh, binding=bound)


@cache
def coarse():
    rest, triangles = body().mesh.rest.astype(float), body().mesh.topology.triangles
    points, faces = igl.decimate(rest, triangles.astype(np.int64), 2400, False)[:2]
    return remade(points, faces.astype(np.int32), cKDTree(rest).query(points)[1])


@cache
def uneven():
    """Every vertex a third of the way to one of its neighbours."""
    mesh, rng = body().mesh, np.random.default_rng(1)
    rest, near = mesh.rest.astype(float), mesh.topology.adjacency
    to = np.array([rng.choice(near.indices[a:b]) if b > a else k for k, (a, b) in
                   enumerate(itertools.pairwise(near.indptr))])  # fmt: skip
    return remade(rest + 0.35 * (rest[to] - rest), mesh.topology.triangles, np.arange(len(rest)))


def crossing(points, triangles):
    """The pairs of triangles that cross and share no corner, by libigl's test of two triangles."""
    points = points.astype(float)
    corners = points[triangles]
    low, high = corners.min(axis=1), corners.max(axis=1)
    middles, radius = corners.mean(axis=1), np.linalg.norm(high - low, axis=1)
    i, j = cKDTree(middles).query_pairs(2 * float(np.quantile(radius, 0.99)), output_type="ndarray").T
    apart = ((low[i] > high[j]) | (low[j] > high[i])).any(axis=1)
    apart |= (triangles[i][:, :, None] == triangles[j][:, None]).any(axis=(1, 2))
    i, j = i[~apart], j[~apart]
    both = [np.ascontiguousarray(corners[pair][:, k]) for pair in (i, j) for k in range(3)]
    crosses = [igl.tri_tri_intersection_test_3d(*(p[[n]] for p in both))[0] for n in range(len(i))]
    return {(int(a), int(b)) for a, b, hit in zip(i, j, crosses, strict=True) if hit}


class AnotherBody(unittest.TestCase):
    def mended(self, character, joint, degrees):
        number = character.skeleton.find(joint)
        posed = Evaluator.of(character).pose(
            bent(character.skeleton.rest_pose(), number, X, math.radians(degrees))
        )  # fmt: skip
        return posed.exact_points(), FirstMend.of(character, number), posed

    def test_folds_open_whatever_the_mesh_and_nothing_else_gets_worse(self):
        for character, (joint, degrees) in itertools.product((body(), coarse(), uneven()), (ELBOW, KNEE, HIP)):
            with self.subTest(vertices=len(character.mesh), joint=joint):
                before, first, posed = self.mended(character, joint, degrees)
                mend = first.solved(posed)
                near = np.linalg.norm(before - posed.world[first.joint][:3, 3], axis=1) < 0.3
                triangles = character.mesh.topology.triangles
                triangles = triangles[near[triangles].all(axis=1)]
                at_rest = crossing(character.mesh.rest, triangles)
                was, left = (crossing(p, triangles) - at_rest for p in (before, mend.points))
                self.assertGreater(len(was), 10)
                self.assertEqual(left, set())
                self.assertEqual(mend.contacts, 0)
                self.assertLess(abs(mend.volume - 100), 0.4 * abs(mend.volume_before - 100))
                self.assertLessEqual(mend.stretch, 1.4)
                self.assertLess(mend.unevenness, 0.7)

    def test_both_sides_are_mended_alike(self):
        volumes = []
        for joint in ("lowerarm01.L", "lowerarm01.R"):
            _, first, posed = self.mended(uneven(), joint, 98)
            volumes.append(first.solved(posed).volume)
        self.assertAlmostEqual(*volumes, delta=1.5)

    def test_a_shoulder_that_has_lost_nothing_gets_nothing(self):
        number = body().skeleton.find("upperarm01.L")
        axis = body().skeleton.rest_global[number, :3, :3].T @ [0.0, 0.0, 1.0]
        posed = Evaluator.of(body()).pose(bent(body().skeleton.rest_pose(), number, axis, math.radians(60)))
        with self.assertRaisesRegex(BadEditError, "nothing crosses"):
            FirstMend.of(body(), number).solved(posed)
