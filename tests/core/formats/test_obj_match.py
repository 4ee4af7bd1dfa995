"""A sculpt back from another program: in its own order, in another, in part; what is another mesh is refused."""

import unittest

import numpy as np

from plethos.core.errors import BadFileError
from plethos.core.formats.obj import write_obj
from plethos.core.formats.obj_match import sculpt_from_obj
from plethos.core.skin.mesh import Triangles
from plethos.demo.catalogue import open_demo
from tests.figures import tube


def obj_text(points, faces) -> str:
    lines = [f"v {x:.9g} {y:.9g} {z:.9g}" for x, y, z in points.tolist()]
    return "\n".join([*lines, *("f " + " ".join(f"{c + 1}/1/1" for c in f) for f in faces)]) + "\n"


class OnATube(unittest.TestCase):
    def setUp(self):
        self.character = tube(seam=True, rings=31)
        self.sent = self.character.mesh.rest.astype(float)
        self.sculpt = self.sent.copy()
        rng = np.random.default_rng(8)
        # A bump that moves a patch by up to two edges, and all its neighbours a little.
        away = np.linalg.norm(self.sent - self.sent[300], axis=1)
        self.sculpt += 0.06 * np.exp(-((away / 0.08) ** 2))[:, None] * rng.standard_normal(3)
        self.sculpt[away > 0.2] = self.sent[away > 0.2]

    def faces(self):
        return self.character.mesh.topology.triangles

    def test_in_the_order_that_it_went_out_in(self):
        back = sculpt_from_obj(self.character, write_obj(self.character, self.sculpt), self.sent)
        np.testing.assert_allclose(back.points, self.sculpt, atol=1e-8)
        self.assertEqual((back.how, back.held.all()), ("order", True))

    def test_with_copies_merged(self):
        back = sculpt_from_obj(self.character, obj_text(self.sculpt, self.faces()), self.sent)
        self.assertEqual(back.how, "order")
        np.testing.assert_allclose(back.points, self.sculpt, atol=1e-8)

    def test_shuffled_it_is_known_by_place_and_by_edges(self):
        for seed in range(3):
            order = np.random.default_rng(seed).permutation(len(self.sent))
            new = np.empty(len(order), int)
            new[order] = np.arange(len(order))
            back = sculpt_from_obj(self.character, obj_text(self.sculpt[order], new[self.faces()]), self.sent)
            self.assertEqual(back.how, "place")
            np.testing.assert_allclose(back.points, self.sculpt, atol=1e-7)

    def test_faces_that_are_cut_another_way_say_the_same_mesh(self):
        turned = [f[[1, 2, 0]] for f in self.faces()]
        back = sculpt_from_obj(self.character, obj_text(self.sculpt, turned), self.sent)
        self.assertEqual(back.how, "order")

    def test_another_mesh_is_refused_and_says_why(self):
        other = tube(rings=17)
        moved = other.mesh.rest.astype(float) + [0.3, 0, 0]
        with self.assertRaisesRegex(BadFileError, "not the same mesh"):
            sculpt_from_obj(self.character, obj_text(moved, other.mesh.topology.triangles), self.sent)
        # All of it moved, and shuffled besides: nothing is left to know it by.
        order = np.random.default_rng(1).permutation(len(self.sent))
        new = np.empty(len(order), int)
        new[order] = np.arange(len(order))
        with self.assertRaisesRegex(BadFileError, "not the same mesh"):
            sculpt_from_obj(self.character, obj_text((self.sent + [0.05, 0, 0])[order], new[self.faces()]), self.sent)
        with self.assertRaisesRegex(BadFileError, "same mesh"):
            sculpt_from_obj(self.character, "v 0 0 0\nv 1 0 0\n", self.sent)


class InParts(unittest.TestCase):
    def test_a_part_alone_is_known_and_the_rest_stays_as_it_was(self):
        character = open_demo("lock-keeper-bare")[0]
        mesh = character.mesh
        sent = mesh.rest.astype(float)
        part = next(p for p in mesh.parts if p.name == "waistcoat")
        first, last = part.file_vertices
        assert isinstance(part.surface, Triangles)
        rows = sent[mesh.file_to_vertex[first:last]] + [0, 0, 0.01]
        back = sculpt_from_obj(character, obj_text(rows, part.surface.corners), sent)
        own = np.zeros(len(mesh), bool)
        own[slice(*part.vertices)] = True
        np.testing.assert_array_equal(back.held, own)
        np.testing.assert_array_equal(back.points[~own], sent[~own])
        np.testing.assert_allclose(back.points[own], sent[own] + [0, 0, 0.01], atol=1e-7)
