"""In-betweens against usd-core: UsdSkel's blend shapes give the same points before the skin."""

import unittest
from dataclasses import replace

import numpy as np
from pxr import Usd, UsdSkel, Vt

from plethos.core.evaluate import Evaluator
from plethos.core.rules.dials import Dial
from plethos.core.rules.remedies import Corrective, Remedy, Target
from plethos.core.rules.response import Response
from plethos.core.rules.triggers.dial import DialTrigger
from plethos.core.skin.shape import Shape
from tests.figures import tube

AT = (0.2, 0.45, 0.7, 1.0)


class ThreeInBetweens(unittest.TestCase):
    """Worked case: an elbow with three in-betweens, inside [0, 1] and at its ends."""

    def setUp(self):
        self.character = tube(rings=31)
        rng = np.random.default_rng(6)
        count = len(self.character.mesh)
        self.vertices = np.sort(rng.choice(count, 200, replace=False)).astype(np.int32)
        self.deltas = [rng.normal(0, 0.02, (200, 3)).astype(np.float32) for _ in AT]
        targets = tuple(Target(Shape(f"e {a}", self.vertices, d), a) for a, d in zip(AT, self.deltas, strict=True))
        self.body = Corrective(targets)
        stage = Usd.Stage.CreateInMemory()
        shape = UsdSkel.BlendShape.Define(stage, "/Elbow")
        shape.CreateOffsetsAttr(Vt.Vec3fArray.FromNumpy(self.deltas[-1]))
        shape.CreatePointIndicesAttr(Vt.IntArray.FromNumpy(self.vertices))
        for at, deltas in zip(AT[:-1], self.deltas[:-1], strict=True):
            between = shape.CreateInbetween(f"at{int(100 * at)}")
            between.SetWeight(at)
            between.SetOffsets(Vt.Vec3fArray.FromNumpy(deltas))
        mesh = UsdSkel.BindingAPI.Apply(stage.DefinePrim("/Mesh", "Mesh"))
        mesh.CreateBlendShapesAttr(["elbow"])
        mesh.CreateBlendShapeTargetsRel().SetTargets(["/Elbow"])
        self.stage, self.query = stage, UsdSkel.BlendShapeQuery(mesh)

    def usd(self, weight: float) -> np.ndarray:
        indices, offsets = self.query.ComputeBlendShapePointIndices(), self.query.ComputeSubShapePointOffsets()
        found = self.query.ComputeSubShapeWeights([weight])
        self.assertTrue(found)
        weights, shapes, subs = found if len(found) == 3 else found[1:]
        points = Vt.Vec3fArray.FromNumpy(self.character.mesh.points.astype(np.float32))
        done = self.query.ComputeDeformedPoints(weights, shapes, subs, indices, offsets, points)
        self.assertIsNot(done, False)
        return np.array(points)

    def test_the_points_before_the_skin_are_the_same(self):
        for weight in (0.0, 0.1, 0.2, 0.3, 0.45, 0.5, 0.699, 0.7, 0.85, 1.0):
            ours = self.character.mesh.points.astype(np.float64)
            for target, share in zip(self.body.targets, self.body.weights(weight), strict=True):
                ours[self.vertices] += share * target.shape.deltas
            np.testing.assert_allclose(ours, self.usd(weight), atol=1e-6)

    def test_what_is_evaluated_is_what_they_give(self):
        """At rest the skin changes nothing: the evaluated points are those before it."""
        dial = Dial("Elbow", 0.0, 1.0, 0.0, "d")
        trigger = DialTrigger("d", Response((0.0, 1.0), (0.0, 1.0)))
        made = self.character.with_rules(self.character.rules.with_dial(dial))
        made = made.with_remedy(Remedy(self.body, "Elbow", by=trigger.id), trigger)
        evaluator = Evaluator.of(made)
        rest = made.skeleton.rest_pose()
        for weight in (0.1, 0.33, 0.6, 1.0):
            posed = evaluator.pose(replace(rest, dials={"Elbow": weight})).exact_points()
            np.testing.assert_allclose(posed, self.usd(weight), atol=1e-6)
