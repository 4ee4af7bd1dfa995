"""Files that are broken on purpose: refused with a sentence, or taken in, posed and delivered; never anything else."""

import json
import time
import unittest

import numpy as np

from plethos.core.errors import BadFileError, PlethosError
from plethos.core.evaluate import Evaluator
from plethos.core.formats.files import open_file, read_file
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_parse import parse
from plethos.core.formats.gltf_read import read_character
from plethos.core.formats.gltf_write import write_glb
from plethos.core.formats.limits import check_parts, check_weights
from tests.figures import tube_file
from tests.hostile import hostile_files
from tests.models import load


def outside() -> tuple[tuple[dict, bytes], ...]:
    """Two models that nobody here made, small enough to be broken often."""
    found = []
    for path in ("morphcube/AnimatedMorphCube.gltf", "fox/Fox.gltf"):
        _, file = load(path)
        document = json.loads(json.dumps(file.document))
        document["buffers"] = [{"byteLength": len(file.buffers[0])}]
        document.pop("images", None)
        document.pop("textures", None)
        found.append((document, file.buffers[0]))
    return tuple(found)


class Hostile(unittest.TestCase):
    def taken_in(self, name: str, data: bytes) -> bool:
        """Whether a file is taken in; then it can be posed, and is delivered and read again."""
        try:
            file, character = read_file(name, data)
        except PlethosError as error:
            self.assertRegex(error.sentence, r"[.?]$")
            error.sentence.encode()
            return False
        draw = np.random.default_rng(1)
        pose = character.skeleton.rest_pose()
        turned = pose.rotations + draw.normal(0, 0.2, pose.rotations.shape)
        pose.rotations[:] = turned / np.linalg.norm(turned, axis=1, keepdims=True)
        self.assertTrue(np.isfinite(Evaluator.of(character).pose(pose).points).all(), name)
        again = read_character(parse(write_glb(character, file)), "again")
        self.assertEqual(len(again.mesh.parts), len(character.mesh.parts))
        return True

    def test_two_thousand_of_a_seeded_mutator(self):
        taken = 0
        for name, data in hostile_files(1, 2000, outside()):
            began = time.monotonic()
            with self.subTest(name):
                taken += self.taken_in(name, data)
            self.assertLess(time.monotonic() - began, 20, f"{name} takes for ever")
        self.assertTrue(200 < taken < 1900, f"{taken} of 2000 are taken in: the mutator breaks too little or too much")

    def test_what_someone_thought_of(self):
        tube = tube_file()

        def with_nodes(more: list[dict]) -> GltfFile:
            return GltfFile({**tube.document, "nodes": [*tube.document["nodes"], *more]}, tube.buffers)

        count = len(tube.document["nodes"])
        chain = with_nodes([{"children": [count + k + 1]} for k in range(99_999)] + [{}])
        ring = "\n".join(
            f"v {np.cos(a):.6f} {np.sin(a):.6f} {k % 2}" for k, a in enumerate(np.linspace(0, 6.28, 200_000))
        )
        face = ring + "\nf " + " ".join(map(str, range(1, 200_001)))
        groups = "v 0 0 0\nv 1 0 0\nv 0 1 0\n" + "".join(f"g part {k}\nf 1 2 3\n" for k in range(20_000))
        marked = {
            **chain.document,
            "nodes": [{**n, "extras": {"plethos": {"joint": True}}} for n in chain.document["nodes"]],
        }
        deep: dict = {}
        for _ in range(900):
            deep = {"deep": deep}
        nowhere = {**tube.document, "skins": [{**s, "inverseBindMatrices": None} for s in tube.document["skins"]]}
        for name, data, taken in (
            ("chain.glb", chain.pack(), True),
            ("joints.glb", GltfFile(marked, tube.buffers).pack(), False),
            ("face.obj", face.encode(), True),
            ("groups.obj", groups.encode(), False),
            ("normal.obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\nvn 0 0 0\nf 1//1 2//1 3//1", True),
            ("nul.obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\no a\x00b\nf 1 2 3", True),
            ("long.obj", b"# " + b"x" * 10_000_000 + b"\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3", True),
            ("extras.glb", GltfFile({**tube.document, "extras": deep}, tube.buffers).pack(), False),
            ("nowhere.glb", GltfFile(nowhere, tube.buffers).pack(), True),
        ):  # fmt: skip
            began = time.monotonic()
            with self.subTest(name):
                self.assertEqual(self.taken_in(name, data), taken)
            self.assertLess(time.monotonic() - began, 30, name)

    def test_what_would_fill_the_memory_is_refused_by_its_numbers(self):
        check_weights(4000, 50_000)
        check_parts(4000)
        for joints, vertices in ((4001, 10), (300, 700_000)):
            with self.assertRaisesRegex(BadFileError, f"{joints} joints over {vertices} vertices"):
                check_weights(joints, vertices)
        with self.assertRaisesRegex(BadFileError, "4001 parts"):
            check_parts(4001)

    def test_names_hold_only_what_can_be_seen_and_kept(self):
        tube = tube_file()
        nodes = [{**n, "name": f"\u202e{n.get('name', '')}\0 "} for n in tube.document["nodes"]]
        meshes = [{**m, "name": "\0"} for m in tube.document["meshes"]]
        _, character = read_file(
            "x.glb", GltfFile({**tube.document, "nodes": nodes, "meshes": meshes}, tube.buffers).pack()
        )
        self.assertTrue({"upper", "lower"} <= set(character.skeleton.names))
        self.assertTrue(all(p.name and p.name.isprintable() for p in character.mesh.parts))
        self.assertEqual(BadFileError("a\0b\ud800").sentence, "a?b?")

    def test_null_is_as_good_as_missing_save_in_what_is_not_ours_to_read(self):
        tube = tube_file()
        theirs = {"lamp": None, "more": [{"wick": None}]}
        nodes = [{**n, "matrix": None, "extras": theirs} for n in tube.document["nodes"]]
        file = parse(
            GltfFile({**tube.document, "nodes": nodes, "cameras": None, "extras": theirs}, tube.buffers).pack()
        )
        self.assertEqual(file.document["extras"], theirs)
        self.assertEqual({str(n["extras"]) for n in file.document["nodes"]}, {str(theirs)})
        self.assertFalse(any("matrix" in n for n in file.document["nodes"]) or "cameras" in file.document)

    def test_an_ending_alone_makes_no_file(self):
        for name in ("x.glb", "x.obj", "x.gltf", "x"):
            with self.assertRaises(BadFileError):
                open_file(name, b"")
