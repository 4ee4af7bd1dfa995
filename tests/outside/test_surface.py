"""How a surface is seen, on files that nobody here made: pictures to the byte, coordinates as trimesh reads them."""

import copy
import hashlib
import json
import math
import unittest
from dataclasses import replace

import numpy as np
import trimesh

from plethos.core.formats.files import read_file
from plethos.core.formats.gltf_parse import parse
from plethos.core.formats.gltf_surface import seen_surface
from plethos.core.formats.gltf_write import write_glb
from tests.models import DATA, load


def changed(file, change):
    document = copy.deepcopy(file.document)
    change(document)
    return replace(file, document=document)


class Surfaces(unittest.TestCase):
    def test_coordinates_and_pictures_are_those_of_the_file(self):
        # Outside: trimesh, which counts the second coordinate from below.
        for name in (
            "body_58_joints.glb",
            "fox/Fox.gltf",
        ):
            character, file = load(name)
            seen = seen_surface(file)
            (other,) = trimesh.load(DATA / name, process=False).geometry.values()
            np.testing.assert_allclose(seen.coordinates, other.visual.uv * [1, -1] + [0, 1], atol=1e-6)
            self.assertEqual(sum(r.count for r in seen.runs), len(character.mesh.file_triangles))
            (run,) = seen.runs
            base = seen.materials[run.material].base
            self.assertEqual(hashlib.sha256(seen.pictures[base.picture]).hexdigest(), base.picture)
            # Delivered to the byte.
            again = seen_surface(parse(write_glb(character, file)))
            self.assertEqual((again.materials, again.pictures), (seen.materials, seen.pictures))
        picture = (DATA / "fox" / json.loads((DATA / "fox" / "Fox.gltf").read_text())["images"][0]["uri"]).read_bytes()
        self.assertEqual(list(seen.pictures.values()), [picture])

    def test_materials_say_what_lets_through_and_where_pictures_lie(self):
        _, file = load("fox/Fox.gltf")
        before = seen_surface(file)

        def change(document):
            material = document["materials"][0]
            texture = material["pbrMetallicRoughness"]["baseColorTexture"]
            material.update(alphaMode="MASK", alphaCutoff=0.3, normalTexture={"index": texture["index"]})
            material["pbrMetallicRoughness"]["baseColorFactor"] = [0.5, 0.25, 1, 0.75]
            told = {"offset": [0.1, 0.2], "rotation": math.pi / 2, "scale": [2, 3]}
            texture["extensions"] = {"KHR_texture_transform": told}
            document["samplers"] = [{"wrapS": 33071, "wrapT": 33648}]
            document["textures"][0]["sampler"] = 0

        seen = seen_surface(changed(file, change))
        (material,) = seen.materials
        self.assertEqual((material.colour, material.cutoff, material.blended), ((0.5, 0.25, 1, 0.75), 0.3, False))
        self.assertEqual((material.base.wrap, material.normal.picture), (("clamp", "mirror"), material.base.picture))
        strip = seen_surface(changed(file, lambda d: d["meshes"][0]["primitives"][0].update(mode=5)))
        self.assertEqual(strip.runs[0].count, len(seen.coordinates) - 2)
        # The extension's own formula: scaled, then turned counterclockwise about the upper left corner, then moved.
        u, v = before.coordinates.T
        np.testing.assert_allclose(seen.coordinates, np.stack([3 * v + 0.1, -2 * u + 0.2], axis=1), atol=1e-5)

    def test_an_obj_comes_with_its_materials_and_their_pictures(self):
        picture = (DATA / "fox" / "Texture.png").read_bytes()
        faces = "usemtl Wet wool\nf 1/1 2/2 3/3\nusemtl brass\nf 1/1 3/3 4/1\nusemtl gone\nf 2/1 3/3 4/1\n"
        text = (
            "mtllib the lock.mtl\nmtllib other.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nvt 0 0\nvt 1 0\nvt 0 1\n"
            + faces
        )
        library = (
            b"newmtl Wet wool\nKd 0.1 0.2 0.3\nmap_Kd -s 2 2 1 C:\\wool one.png\nnewmtl brass\nKd 1 0.5 0.25\nTr 0.75\n"
        )
        others = {"The Lock.mtl": library, "wool one.png": picture}
        file, character = read_file("gate.obj", text.encode(), others)
        seen = seen_surface(file)
        self.assertEqual(list(seen.pictures.values()), [picture])
        wool, brass = seen.materials
        self.assertEqual((wool.name, wool.colour, wool.base is None), ("Wet wool", (1, 1, 1, 1), False))
        self.assertEqual((brass.name, brass.colour, brass.blended), ("brass", (1, 0.5, 0.25, 0.25), True))
        self.assertEqual([(r.material, r.start, r.count) for r in seen.runs], [(0, 0, 1), (1, 1, 1), (-1, 2, 1)])
        self.assertTrue(any("other.mtl" in told for told in character.repairs))

    def test_what_is_broken_about_looks_counts_as_not_said(self):
        character, file = load("fox/Fox.gltf")
        ways = (
            lambda d: d["textures"][0].update(source=99),
            lambda d: d["images"][0].update(bufferView="x"),
            lambda d: d["materials"][0].update(pbrMetallicRoughness=[]),
            lambda d: d["materials"][0].update(alphaCutoff="x", alphaMode=3),
            lambda d: d["meshes"][0]["primitives"][0].update(material=7),
            lambda d: d.update(samplers=[{"wrapS": {}}]),
            lambda d: d["meshes"][0]["primitives"][0]["attributes"].pop("TEXCOORD_0"),
        )
        for change in ways:
            seen = seen_surface(changed(file, change))
            self.assertEqual(len(seen.coordinates), len(character.mesh.file_to_vertex))
        self.assertTrue(np.isnan(seen.coordinates).all())
        self.assertEqual(seen_surface(changed(file, ways[0])).pictures, {})
