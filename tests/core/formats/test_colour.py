"""The plain colours of parts, which nothing broken ever refuses a file for, and those of joints."""

import unittest

import numpy as np

from plethos.core.formats.gltf_build import ARRAY_BUFFER, GltfBuilder
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_parse import parse
from plethos.core.formats.gltf_read import read_character
from plethos.core.weights import colours
from plethos.demo.catalogue import open_demo
from tests.figures import tube_file, tube_points

COUNT = len(tube_points()[0])


def coloured(given: np.ndarray | None = None, material: dict | None = None, **accessor) -> GltfFile:
    """The tube with vertex colours and a material."""
    builder = GltfBuilder(tube_file())
    primitive = builder.document["meshes"][0]["primitives"][0]
    if given is not None:
        number = builder.accessor(given, ARRAY_BUFFER, **accessor)
        primitive["attributes"] = {**primitive["attributes"], "COLOR_0": number}
    if material is not None:
        primitive["material"] = builder.add("materials", material)
    return builder.file()


def read(file: GltfFile) -> np.ndarray:
    found = read_character(parse(file.pack()), "Tube").mesh.colours
    assert found is not None
    return found


class Colours(unittest.TestCase):
    def test_a_file_that_says_none_is_told_apart(self):
        self.assertTrue(np.isnan(read(tube_file())).all())

    def test_the_material_gives_one_colour(self):
        look = {"pbrMetallicRoughness": {"baseColorFactor": [0.2, 0.4, 0.6, 1.0]}}
        np.testing.assert_allclose(read(coloured(material=look)), np.tile([0.2, 0.4, 0.6], (COUNT, 1)), atol=1e-6)

    def test_factors_beyond_0_and_1_are_held_there(self):
        got = read(coloured(None, {"pbrMetallicRoughness": {"baseColorFactor": [2, -1, 0.5, 1]}}))
        np.testing.assert_array_equal(got[[0, -1]], [[1, 0, 0.5]] * 2)

    def test_vertex_colours_in_bytes_are_multiplied_with_the_material(self):
        given = np.tile(np.array([255, 51, 0, 255], np.uint8), (COUNT, 1))
        look = {"pbrMetallicRoughness": {"baseColorFactor": [0.5, 1.0, 1.0, 1.0]}}
        found = read(coloured(given, look, normalized=True))
        np.testing.assert_allclose(found, np.tile([0.5, 0.2, 0.0], (COUNT, 1)), atol=1e-6)

    def test_vertex_colours_in_floats_of_three_stand_alone(self):
        given = np.random.default_rng(1).uniform(0, 1, (COUNT, 3)).astype(np.float32)
        np.testing.assert_allclose(read(coloured(given)), given, atol=1e-6)

    def test_what_only_a_texture_knows_is_not_guessed(self):
        look = {"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}, "baseColorFactor": [1, 0, 0, 1]}}
        self.assertTrue(np.isnan(read(coloured(material=look))).all())

    def test_broken_colours_count_as_not_said(self):
        wrong = np.full((COUNT, 3), np.nan, np.float32)
        self.assertTrue(np.isnan(read(coloured(wrong))).all())
        for look in (
            {"pbrMetallicRoughness": {"baseColorFactor": "red"}},
            {"pbrMetallicRoughness": {"baseColorFactor": [1, 2]}},
            {"pbrMetallicRoughness": []},
        ):
            self.assertTrue(np.isnan(read(coloured(material=look))).all(), look)
        file = tube_file()
        file.document["meshes"][0]["primitives"][0]["material"] = 7
        self.assertTrue(np.isnan(read(file)).all())
        file.document["meshes"][0]["primitives"][0]["attributes"]["COLOR_0"] = 10_000
        self.assertTrue(np.isnan(read(file)).all())


class OfJoints(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.skeleton = open_demo()[0].skeleton

    def test_the_palette_is_linear_as_the_srgb_standard_says(self):
        # IEC 61966-2-1, values from memory: white, black, and half grey (188) at half the light.
        self.assertEqual(colours._linear("#ffffff"), [1, 1, 1])
        self.assertEqual(colours._linear("#000000"), [0, 0, 0])
        self.assertAlmostEqual(colours._linear("#bcbcbc")[0], 0.5, delta=0.004)
        self.assertAlmostEqual(colours._linear("#0a0a0a")[0], 10 / 255 / 12.92, places=12)
        self.assertAlmostEqual(colours._linear("#0b0b0b")[0], colours._linear("#0a0a0a")[0] * 1.1, delta=5e-5)
        np.testing.assert_allclose(
            colours._linear("#102040"), [colours._linear(f"#{c}{c}{c}")[0] for c in ("10", "20", "40")]
        )

    def test_no_joint_has_the_colour_of_its_parent_or_of_a_sibling_while_there_are_enough(self):
        skeleton = self.skeleton
        of = [tuple(c) for c in colours.joint_colours(skeleton).tolist()]
        self.assertEqual(len(set(of)), len(colours.PALETTE))
        for j, parent in enumerate(skeleton.joint_parents):
            if parent >= 0:
                self.assertNotEqual(of[j], of[parent])
            beside = [of[k] for k in range(len(of)) if skeleton.joint_parents[k] == parent]
            if len(beside) < len(colours.PALETTE):
                self.assertEqual(len(set(beside)), len(beside))

    def test_mixed_colours_are_means_by_weight(self):
        of = colours.joint_colours(self.skeleton)
        weights = np.zeros((3, len(of)))
        weights[0, 4], weights[1, [2, 5]], weights[2] = 1, [0.25, 0.75], 1 / len(of)
        mixed = colours.mixed_colours(weights, self.skeleton)
        np.testing.assert_allclose(mixed, [of[4], 0.25 * of[2] + 0.75 * of[5], of.mean(axis=0)], atol=1e-6)
