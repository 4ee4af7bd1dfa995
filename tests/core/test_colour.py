"""The plain colours of parts: what the file says, and that nothing broken about them ever refuses a file."""

import unittest

import numpy as np

from plethos.core.formats.gltf_build import ARRAY_BUFFER, GltfBuilder
from plethos.core.formats.gltf_file import GltfFile, parse
from plethos.core.formats.gltf_read import read_character
from tests.figures import tube_file, tube_points

COUNT = len(tube_points()[0])


def coloured(colours: np.ndarray | None = None, material: dict | None = None, **accessor) -> GltfFile:
    """The tube with vertex colours and a material."""
    builder = GltfBuilder(tube_file())
    primitive = builder.document["meshes"][0]["primitives"][0]
    if colours is not None:
        number = builder.accessor(colours, ARRAY_BUFFER, **accessor)
        primitive["attributes"] = {**primitive["attributes"], "COLOR_0": number}
    if material is not None:
        primitive["material"] = builder.add("materials", material)
    return builder.file()


def read(file: GltfFile) -> np.ndarray:
    colours = read_character(parse(file.pack()), "Tube").mesh.colours
    assert colours is not None
    return colours


class Colours(unittest.TestCase):
    def test_a_file_that_says_none_is_told_apart(self):
        self.assertTrue(np.isnan(read(tube_file())).all())

    def test_the_material_gives_one_colour(self):
        look = {"pbrMetallicRoughness": {"baseColorFactor": [0.2, 0.4, 0.6, 1.0]}}
        np.testing.assert_allclose(read(coloured(material=look)), np.tile([0.2, 0.4, 0.6], (COUNT, 1)), atol=1e-6)

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
