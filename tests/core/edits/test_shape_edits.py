"""Housekeeping of correctives: what is scaled, trimmed, split, merged and carried still adds up."""

import unittest
from dataclasses import replace

import numpy as np
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from plethos.core.edits.shape_edits import carried_to, copied, merged, scaled, split, thinned, trimmed
from plethos.core.errors import BadEditError
from plethos.core.geometry.topology import outward_normals
from plethos.core.rules.remedies import Corrective, Remedy, Target
from plethos.core.skin.shape import Shape
from plethos.demo.catalogue import open_demo


def shape(name, vertices, seed=0, size=0.01):
    rng = np.random.default_rng(seed)
    found = np.array(sorted(vertices), np.int32)
    return Shape(name, found, (size * rng.standard_normal((len(found), 3))).astype(np.float32))


class OnTheKeeper(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.character = open_demo("lock-keeper-bare")[0]
        cls.mesh = cls.character.mesh
        cls.count = len(cls.mesh)

    def dense(self, remedy, activation=1.0):
        body = remedy.body
        return sum(
            w * t.shape.dense(self.count).astype(float) * remedy.amount
            for t, w in zip(body.targets, body.weights(activation), strict=True)
        )

    def corrective(self, name="Belly", seed=0, ats=(1.0,), vertices=None, by="x"):
        chosen = np.random.default_rng(seed).permutation(self.count)[:600] if vertices is None else vertices
        targets = tuple(Target(shape(f"{name} {at}", chosen, seed + k), at) for k, at in enumerate(ats))
        return Remedy(Corrective(targets), name, by=by)

    def test_scaled_and_trimmed(self):
        remedy = self.corrective()
        np.testing.assert_allclose(self.dense(scaled(remedy, -1.5)), -1.5 * self.dense(remedy), atol=1e-7)
        for factor in (0, 11, float("nan")):
            with self.assertRaises(BadEditError):
                scaled(remedy, factor)
        less, gone = trimmed(remedy, 0.01)
        lengths = np.linalg.norm(remedy.body.targets[0].shape.deltas, axis=1)
        self.assertEqual(gone, int((lengths < 0.01).sum()))
        self.assertGreater(gone, 0)
        left = self.dense(less)
        whole = self.dense(remedy)
        kept = left.any(axis=1)
        np.testing.assert_array_equal(left[kept], whole[kept])
        self.assertGreaterEqual(np.linalg.norm(left[kept], axis=1).min(), 0.01 - 1e-9)
        with self.assertRaisesRegex(BadEditError, "shorter"):
            trimmed(remedy, 1.0)

    @settings(max_examples=20, deadline=None)
    @given(st.floats(0.0, 0.3), st.integers(0, 100))
    def test_the_two_halves_add_up_and_each_stays_on_its_side(self, soft, seed):
        remedy = self.corrective(seed=seed, ats=(0.4, 1.0))
        one, other = split(self.character, remedy, soft)
        for activation in (0.2, 0.4, 0.7, 1.0):
            both = self.dense(one, activation) + self.dense(other, activation)
            np.testing.assert_allclose(both, self.dense(remedy, activation), atol=1e-7)
        x = self.mesh.rest[:, 0]
        self.assertTrue((x[self.dense(one).any(axis=1)] > -soft / 2 - 1e-6).all())
        self.assertTrue((x[self.dense(other).any(axis=1)] < soft / 2 + 1e-6).all())
        self.assertEqual((one.id, one.by, other.by), (remedy.id, "x", "x"))
        self.assertNotEqual(one.name, other.name)

    def test_the_middle_fades_as_a_smooth_step(self):
        off = np.abs(self.mesh.rest[:, 0] - 0.01)
        vertex = int(off.argmin())
        remedy = self.corrective(vertices=[0, vertex, self.count - 1])
        one, _ = split(self.character, replace(remedy, body=self.everywhere(remedy, vertex)), 0.08)
        t = float(self.mesh.rest[vertex, 0]) / 0.08 + 0.5
        share = self.dense(one)[vertex] / self.dense(replace(remedy, body=self.everywhere(remedy, vertex)))[vertex]
        np.testing.assert_allclose(share, t * t * (3 - 2 * t), atol=1e-5)

    def everywhere(self, remedy, vertex):
        """A shape on both sides and at a vertex."""
        far = [int(self.mesh.rest[:, 0].argmin()), int(self.mesh.rest[:, 0].argmax())]
        return Corrective.of(Shape("s", np.array(sorted({*far, vertex}), np.int32), np.full((3, 3), 0.01, np.float32)))

    def test_what_lies_on_one_side_is_not_split(self):
        vertices = np.flatnonzero(self.mesh.rest[:, 0] > 0.1)[:50]
        with self.assertRaisesRegex(BadEditError, "one side"):
            split(self.character, self.corrective(vertices=vertices), 0.02)

    @settings(max_examples=20, deadline=None)
    @given(st.floats(0.1, 2.0), st.floats(0.0, 1.0), st.integers(0, 50))
    def test_merged_they_do_what_they_did_together(self, amount, activation, seed):
        one = self.corrective("One", seed, (0.3, 1.0))
        other = replace(self.corrective("Other", seed + 1, (0.6, 1.0)), amount=amount)
        both = merged(one, other)
        self.assertEqual([t.at for t in both.body.targets], [0.3, 0.6, 1.0])
        self.assertEqual((both.id, both.amount), (one.id, 1.0))
        together = self.dense(one, activation) + self.dense(other, activation)
        np.testing.assert_allclose(self.dense(both, activation), together, atol=1e-6)

    def test_what_follows_other_values_is_not_merged(self):
        with self.assertRaisesRegex(BadEditError, "different values"):
            merged(self.corrective(by="x"), self.corrective("Other", by="y"))
        eased = self.corrective("Other")
        eased = replace(eased, body=replace(eased.body, eased=True))
        with self.assertRaisesRegex(BadEditError, "eases"):
            merged(self.corrective(), eased)

    def test_a_copy_is_another_one_and_off(self):
        remedy = self.corrective()
        character = self.character.with_rules(replace(self.character.rules, remedies=(remedy,), groups=()))
        copy = copied(character, remedy)
        self.assertFalse(copy.on)
        self.assertNotEqual((copy.id, copy.name), (remedy.id, remedy.name))
        np.testing.assert_array_equal(self.dense(copy), self.dense(remedy))

    def part(self, name):
        own = np.zeros(self.count, bool)
        own[slice(*next(p for p in self.mesh.parts if p.name == name).vertices)] = True
        return own

    def test_a_garment_takes_the_shape_of_the_skin_under_it(self):
        body, coat = self.part("body"), self.part("waistcoat")
        chest = np.flatnonzero(
            body & (np.abs(self.mesh.rest[:, 1] - 1.25) < 0.12) & (np.abs(self.mesh.rest[:, 0]) < 0.2)
        )
        push = Shape("Chest", chest.astype(np.int32), np.tile(np.float32([0, 0.002, 0.01]), (len(chest), 1)))
        remedy = Remedy(Corrective.of(push), "Chest")
        made, count = carried_to(self.character, remedy, "waistcoat")
        dense = self.dense(made)
        np.testing.assert_allclose(dense[chest], self.dense(remedy)[chest], atol=1e-9)
        self.assertGreater(count, 100)
        self.assertEqual(count, int((dense[coat] != 0).any(axis=1).sum()))
        self.assertEqual((made.id, made.on, made.amount), (remedy.id, remedy.on, remedy.amount))
        # Over the middle of what moves the cloth goes as far as the skin, and nowhere further.
        middle = coat & (np.abs(self.mesh.rest[:, 1] - 1.25) < 0.06)
        self.assertGreater(np.linalg.norm(dense[middle], axis=1).max(), 0.009)
        self.assertLess(np.linalg.norm(dense[coat], axis=1).max(), 0.0103)
        far = coat & (np.abs(self.mesh.rest[:, 1] - 1.25) > 0.25)
        self.assertFalse(dense[far].any())
        with self.assertRaisesRegex(BadEditError, "too far"):
            carried_to(self.character, remedy, "trousers")
        # Further off it goes less far.
        rest = self.mesh.rest.copy()
        rest[coat] += np.float32([0, 0, 0.06])
        loose = replace(self.character, mesh=replace(self.mesh, rest=rest))
        less = np.linalg.norm(self.dense(carried_to(loose, remedy, "waistcoat")[0])[middle], axis=1)
        front = self.mesh.rest[middle, 2] > 0.05
        self.assertGreater(less[front].max(), 1e-4)
        self.assertLess(np.median(less[front]), 0.006)
        with self.assertRaisesRegex(BadEditError, "no part called"):
            carried_to(self.character, remedy, "cloak")

    def test_a_body_is_thinned_under_a_garment_and_nowhere_else(self):
        body, coat = self.part("body"), self.part("waistcoat")
        remedy = thinned(self.character, "waistcoat", 0.008, "Under the waistcoat")
        dense = self.dense(remedy)
        self.assertFalse(dense[coat].any())
        self.assertIsNone(remedy.by)
        moved = dense.any(axis=1)
        self.assertGreater(moved[body].sum(), 500)
        normals = outward_normals(self.mesh.rest.astype(float), self.mesh.topology)
        inwards = -(dense * normals).sum(axis=1)
        self.assertGreater(inwards[moved].min(), 0)
        self.assertLessEqual(inwards.max(), 0.008 + 1e-6)
        # Only what the coat hides: trimesh finds it within reach, hands and head stay.
        points = self.mesh.rest[moved & body]
        high = points[:, 1]
        self.assertTrue(((high > 0.85) & (high < 1.6)).all())
        volume = trimesh.Trimesh(self.mesh.rest + dense, self.mesh.topology.triangles, process=False).volume
        self.assertLess(volume, trimesh.Trimesh(self.mesh.rest, self.mesh.topology.triangles, process=False).volume)
        for depth in (0, -1, 5):
            with self.assertRaises(BadEditError):
                thinned(self.character, "waistcoat", depth, "x")


class Targets(unittest.TestCase):
    def setUp(self):
        shapes = [Shape(f"s{k}", np.array([k], np.int32), np.ones((1, 3), np.float32)) for k in range(3)]
        self.body = Corrective(tuple(Target(s, at) for s, at in zip(shapes, (0.25, 0.5, 1.0), strict=True)))

    def at(self, body):
        return [(t.shape.name, t.at) for t in body.targets]

    def test_an_in_between_is_moved_past_another_and_stays_in_order(self):
        moved = self.body.retimed(0.25, 0.75)
        self.assertEqual(self.at(moved), [("s1", 0.5), ("s0", 0.75), ("s2", 1.0)])
        self.assertEqual(self.at(self.body.retimed(0.5, 0.4)), [("s0", 0.25), ("s1", 0.4), ("s2", 1.0)])
        self.assertEqual(self.body.target_at(0.5).shape.name, "s1")
        for wrong in ((0.25, 0.5), (0.25, 0.0), (0.25, 1.0), (0.25, -0.2), (1.0, 0.6), (0.3, 0.6)):
            with self.assertRaises(BadEditError):
                self.body.retimed(*wrong)

    def test_an_in_between_goes_and_the_last_one_does_not(self):
        self.assertEqual(self.at(self.body.without_target(0.5)), [("s0", 0.25), ("s2", 1.0)])
        with self.assertRaisesRegex(BadEditError, "deleted by itself"):
            self.body.without_target(1.0)
        with self.assertRaisesRegex(BadEditError, "not there any more"):
            self.body.without_target(0.6)
