"""Reading and writing glTF: what comes in right, and what is refused with a sentence."""

import copy
import json
import struct
import unittest
from dataclasses import replace

import jsonschema
import numpy as np
import trimesh
from scipy.spatial.transform import Rotation

from plethos.core.errors import BadEditError, BadFileError
from plethos.core.evaluate import Evaluator, evaluate_exact
from plethos.core.formats.files import open_file, packed, read_file
from plethos.core.formats.gltf_build import GltfBuilder
from plethos.core.formats.gltf_parse import parse
from plethos.core.formats.gltf_read import read_character
from plethos.core.formats.gltf_write import write_glb
from plethos.core.formats.obj import write_obj
from plethos.core.formats.obj_match import sculpt_from_obj
from plethos.core.formats.rules import plain_rules
from plethos.core.geometry import rotations
from plethos.core.joints import edit
from plethos.core.measure.travel import bent
from plethos.core.rules.remedies import Corrective, Remedy
from plethos.core.rules.rules import Rules
from plethos.core.sculpt.solve import guess_trigger, solve_corrective
from plethos.core.skeleton.hinge import Hinge
from plethos.core.skin.picked import PICKED
from plethos.core.skin.shape import Shape
from plethos.demo.catalogue import open_demo
from plethos.launch.front import ROOT
from plethos.service.schemas.document import rules_schema
from tests.figures import broken, tied, tube, tube_file, tube_points
from tests.models import DATA, load


def refused(test: unittest.TestCase, data: bytes, words: str) -> None:
    with test.assertRaisesRegex(BadFileError, words) as caught:
        read_character(parse(data), "x")
    test.assertRegex(caught.exception.sentence, r"^[A-Z“].*[^.]\.$")


class Broken(unittest.TestCase):
    def test_not_gltf_and_cut_off(self):
        whole = tube_file().pack()
        refused(self, b"hello", "no file that is read")
        refused(self, whole[:15], "cut off")
        refused(self, whole[: len(whole) // 2], "cut off")
        refused(self, b'{"asset": ', "JSON")
        refused(self, struct.pack("<4sII", b"glTF", 2, 2**31) + whole[12:], "cut off")

    def test_faults_are_named(self):
        def change(path, value):
            def run(document):
                at = document
                for key in path[:-1]:
                    at = at[key]
                at[path[-1]] = value

            return run

        for path, value, words in (
            (("bufferViews", 0, "byteLength"), 10, "beyond the end"),
            (("bufferViews", 0, "byteOffset"), 10**9, "out of range"),
            (("accessors", 0, "count"), 500_000_000, "out of range"),
            (("accessors", 0, "count"), 400_000, "beyond the end"),
            (("nodes", 1, "children"), [0], "circle|two parents"),
            (("nodes", 0, "children"), [77], "out of range"),
            (("nodes", 1, "translation"), [0, 1], "not 3 finite"),
            (("skins", 0, "joints"), [0], "follows joint 1"),
            (("skins", 0, "joints"), [], "no joints"),
            (("meshes", 0, "primitives", 0, "attributes", "POSITION"), 99, "out of range"),
            (("extensionsRequired",), ["KHR_meshopt_compression"], "newer meshopt"),
            (("asset", "version"), "1.0", "2.0 is needed"),
        ):
            with self.subTest(path=path):
                refused(self, broken(change(path, value)), words)

    def test_a_claim_of_two_gigabytes_in_a_small_file(self):
        document = json.loads(json.dumps(tube_file().document))
        document["buffers"] = [{"byteLength": 2**31, "uri": "tube.bin"}]
        with self.assertRaisesRegex(BadFileError, "cut off"):
            parse(json.dumps(document).encode(), {"tube.bin": b"1234"})
        with self.assertRaisesRegex(BadFileError, "did not come with it"):
            parse(json.dumps(document).encode())

    def test_weights_without_skin(self):
        def unskinned(document):
            del document["nodes"][3]["skin"]

        refused(self, broken(unskinned), "no skin")

    def test_nan_and_indices_out_of_range(self):
        file = tube_file()
        data = bytearray(file.buffers[0])
        data[8:12] = struct.pack("<f", float("nan"))
        refused(self, type(file)(file.document, (bytes(data),)).pack(), "NaN")
        view = file.document["bufferViews"][
            file.document["accessors"][file.document["meshes"][0]["primitives"][0]["indices"]]["bufferView"]
        ]
        data = bytearray(file.buffers[0])
        data[view["byteOffset"] : view["byteOffset"] + 2] = struct.pack("<H", 65000)
        refused(self, type(file)(file.document, (bytes(data),)).pack(), "points beyond")


class Reading(unittest.TestCase):
    def test_eight_influences_weights_not_of_sum_1_and_scaled_roots(self):
        plain = tube()
        for character in (
            tube(influences=8),
            tube(weight_sum=0.5),
            tube(scale=0.01, root={"scale": [0.01] * 3}),
        ):
            joint = character.skeleton.find("upper")
            pose = bent(character.skeleton.rest_pose(), joint, (0, 0, 1), 1.0)
            reference = evaluate_exact(plain, bent(plain.skeleton.rest_pose(), joint, (0, 0, 1), 1.0))
            np.testing.assert_allclose(evaluate_exact(character, pose), reference, atol=1e-5)
        self.assertTrue(any("sum to 1" in r for r in tube(weight_sum=0.5).repairs))
        self.assertFalse(any("sum to 1" in r for r in plain.repairs))

    def test_unnamed_and_doubled_names(self):
        self.assertEqual(tube(names=(None, None)).skeleton.names, ("root", "joint_0", "joint_1"))
        self.assertEqual(tube(names=("bone", "bone")).skeleton.names, ("root", "bone", "bone_2"))
        # A plain node never takes a joint's name.
        self.assertEqual(tube(names=("root", "upper")).skeleton.names, ("root_2", "root", "upper"))

    def test_a_seam_is_one_vertex_and_comes_out_split(self):
        character = tube(seam=True)
        self.assertEqual(len(character.mesh.points), len(tube().mesh.points))
        self.assertEqual(len(character.mesh.file_to_vertex), len(character.mesh.points) + 21)
        text = write_obj(character, evaluate_exact(character, character.skeleton.rest_pose()))
        self.assertEqual(text.count("\nv "), len(character.mesh.file_to_vertex))

    def test_a_clip_lasts_as_long_as_its_last_key(self):
        character, source = load("fox/Fox.gltf")
        document = source.document
        for clip, animation in zip(character.clips, document["animations"], strict=True):
            inputs = [document["accessors"][s["input"]] for s in animation["samplers"]]
            self.assertAlmostEqual(clip.duration, max(a["max"][0] for a in inputs), places=6)
            self.assertGreater(clip.duration, 0.5)

    def test_what_the_file_says_of_a_hinge_is_read_and_written(self):
        told = {"hinge_axis": [0, 3, 4], "range_deg": [-10, 140], "others_deg": [[-20, 30], [-5, 4]]}

        def change(document):
            document["nodes"][1]["extras"] = {"plethos": told}

        source = parse(broken(change))
        character = read_character(source, "Tube")
        upper = character.skeleton.find("upper")
        for held in (character, read_character(parse(write_glb(character, source)), "again")):
            hinge = held.skeleton.known_hinge(upper)
            np.testing.assert_allclose(hinge.axis, [0, 0.6, 0.8], atol=1e-12)
            np.testing.assert_allclose(np.degrees([hinge.low, hinge.high]), told["range_deg"], atol=1e-9)
            np.testing.assert_allclose(np.degrees(hinge.others), told["others_deg"], atol=1e-9)
            self.assertIsNone(held.skeleton.known_hinge(held.skeleton.find("lower")))
        # One that was changed here is written over it.
        ranged = edit.hinged(character, upper, Hinge((1.0, 0.0, 0.0), -0.5, 2.0))
        again = read_character(parse(write_glb(ranged, source)), "again").skeleton.known_hinge(upper)
        np.testing.assert_allclose([*again.axis, again.low, again.high], [1, 0, 0, -0.5, 2.0], atol=1e-9)

    def test_one_file_is_kept_as_it_was_given_and_several_as_one(self):
        data = broken(lambda document: document["asset"].update(extras={"ours": None}))
        self.assertIs(packed(open_file("Tube.glb", data), "Tube.glb", data), data)
        fox = DATA / "fox"
        others = {p.name: p.read_bytes() for p in fox.iterdir() if p.suffix in (".bin", ".png")}
        text = (fox / "Fox.gltf").read_bytes()
        one = packed(open_file("Fox.gltf", text, others), "Fox.gltf", text, others)
        again, before = read_file("Fox", one)[1], read_file("Fox.gltf", text, others)[1]
        np.testing.assert_array_equal(again.mesh.points, before.mesh.points)
        cube = b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"
        self.assertEqual(packed(open_file("a.obj", cube), "a.obj", cube)[:4], b"glTF")

    def test_an_obj_comes_back(self):
        character = tube(seam=True)
        points = evaluate_exact(character, bent(character.skeleton.rest_pose(), 2, (0, 0, 1), 0.9))
        back = sculpt_from_obj(character, write_obj(character, points), points)
        np.testing.assert_allclose(back.points, points, atol=1e-8)
        with self.assertRaisesRegex(BadFileError, "same mesh"):
            sculpt_from_obj(character, "v 9 9 9\n", points)


class Names(unittest.TestCase):
    def test_the_mesh_names_its_shapes_before_its_primitives_do(self):
        def named(document):
            document["meshes"][0]["primitives"][0]["extras"] = {"targetNames": ["other"]}

        for change, name in ((named, "dent"), (lambda d: (named(d), d["meshes"][0].pop("extras")), "other")):
            (shape,) = read_character(parse(broken(change, target=True)), "Tube").mesh.shapes
            self.assertEqual(shape.name, name)


class Writing(unittest.TestCase):
    def mended(self, **options):
        file = parse(tube_file(**options).pack())
        character = read_character(file, "Tube")
        joint = character.skeleton.find("upper")
        pose = bent(character.skeleton.rest_pose(), joint, (0, 0, 1), 1.5)
        sculpt = evaluate_exact(character, pose)
        sculpt[200:260] += [0.01, 0.02, 0.03]
        shape, report = solve_corrective(Evaluator.of(character).pose(pose), sculpt, "dent")
        made = tied(shape, guess_trigger(character, pose, shape), report=report.to_json())
        return file, character.with_remedy(*made), pose, sculpt

    def test_remedies_and_triggers_come_back(self):
        for options in ({}, {"target": True}, {"seam": True}, {"weight_sum": 0.7}):
            file, character, pose, sculpt = self.mended(**options)
            again_file = parse(write_glb(character, file))
            again = read_character(again_file, "Tube")
            self.assertEqual(len(again.mesh.shapes), len(character.mesh.shapes))
            self.assertEqual([r.id for r in again.rules.remedies], [r.id for r in character.rules.remedies])
            np.testing.assert_allclose(evaluate_exact(again, pose), sculpt, atol=1e-6)
            half = bent(pose, character.skeleton.find("upper"), (0, 0, 1), 0.7)
            np.testing.assert_allclose(evaluate_exact(again, half), evaluate_exact(character, half), atol=1e-6)
            # Delivered a second time the file holds each target once.
            twice = read_character(parse(write_glb(again, again_file)), "Tube")
            self.assertEqual((len(twice.mesh.shapes), len(twice.rules.remedies)), (len(again.mesh.shapes), 1))

    def test_a_joint_that_the_file_scales_is_written_with_its_scale_when_it_is_turned(self):
        node = next(n for n, node in enumerate(tube_file().items("nodes")) if node.get("name") == "upper")
        for scale in ([1.5, 1.5, 1.5], [1.0, 1.0, 1.0]):
            file = parse(broken(lambda d, s=scale: d["nodes"][node].update(scale=s)))
            character = read_character(file, "Tube")
            upper = character.skeleton.find("upper")
            turned = edit.turned(character, upper, rotations.from_euler_xyz_deg([0, 20, 0]))
            written = parse(write_glb(turned, file))
            again = read_character(written, "Tube").skeleton
            np.testing.assert_allclose(again.rest_global, turned.skeleton.rest_global, atol=1e-6)
            np.testing.assert_allclose(again.rest_stretch[upper], np.diag(scale), atol=1e-9)
            self.assertEqual("scale" in written.items("nodes")[node], scale[0] != 1)

    def test_what_others_wrote_beside_our_rules_stays_and_without_rules_nothing_of_ours_is_left(self):
        file, character, _, _ = self.mended(target=True)
        for extras in (None, {"shot": 12}, {"shot": 12, "plethos": None}):
            document = {**file.document, "extras": extras} if extras is not None else file.document
            source = replace(file, document=document)
            delivered = parse(write_glb(character, source))
            told = delivered.document["extras"]
            self.assertEqual(told.get("shot"), extras and 12)
            again = read_character(delivered, "Tube")
            bare = parse(write_glb(again.with_rules(Rules()), delivered))
            self.assertEqual(bare.document.get("extras"), {"shot": 12} if extras else None)
            mesh = bare.document["meshes"][0]
            self.assertEqual(mesh["extras"]["targetNames"], ["dent"])
            self.assertEqual([len(p["targets"]) for p in mesh["primitives"]], [1])
            self.assertEqual(read_character(bare, "Tube").rules.remedies, ())

    def test_a_baked_clip_carries_the_activations(self):
        file, character, _, _ = self.mended()
        builder = GltfBuilder(file)
        times = builder.accessor(np.array([0.0, 1.0], np.float32), bounds=True)
        half = np.array([[0, 0, 0, 1], [0, 0, np.sin(0.75), np.cos(0.75)]], np.float32)
        sampler = {"input": times, "output": builder.accessor(half)}
        target = {"node": 1, "path": "rotation"}
        builder.add(
            "animations", {"name": "bend", "samplers": [sampler], "channels": [{"sampler": 0, "target": target}]}
        )
        moving = builder.file()
        animated = read_character(parse(moving.pack()), "Tube").with_rules(character.rules)
        baked = parse(write_glb(animated, moving, "bend"))
        # A viewer that knows no rules sees a plain morph target with keys.
        del baked.document["extras"]["plethos"]
        plain = read_character(baked, "Tube")
        self.assertEqual(plain.rules.remedies, ())
        for time in (0.0, 1 / 3, 1.0):
            pose = animated.clips[0].pose_at(animated.skeleton, time)
            shown = evaluate_exact(plain, plain.clips[0].pose_at(plain.skeleton, time))
            np.testing.assert_allclose(shown, evaluate_exact(animated, pose), atol=1e-5)
        with self.assertRaisesRegex(BadEditError, "no clip"):
            write_glb(animated, moving, "dance")

    def test_morph_targets_turn_normals_and_tangents_as_trimesh_has_them(self):
        file = tube_file(target=True)
        builder = GltfBuilder(file)
        primitive = builder.document["meshes"][0]["primitives"][0]
        points, triangles = tube_points()
        along = np.tile(np.array([0, 1, 0, 1], np.float32), (len(points), 1))
        primitive["attributes"]["TANGENT"] = builder.accessor(along, 34962)
        source = builder.file()
        character = read_character(parse(source.pack()), "Tube")
        twisted = Rotation.from_rotvec(np.outer(points[:, 1], [0.3, 0.9, 0])).apply(points)
        moved = np.flatnonzero(points[:, 1] > 0).astype(np.int32)
        deltas = (twisted - points)[moved].astype(np.float32)
        shape = Shape("Twisted", moved, deltas)
        made = character.with_remedy(Remedy(Corrective.of(shape), "Twisted"))
        written = parse(write_glb(made, source))
        primitive = written.document["meshes"][0]["primitives"][0]
        theirs, ours = primitive["targets"]
        # A target of the file says that normals stay as they were, as it did by saying nothing.
        for name in ("NORMAL", "TANGENT"):
            self.assertEqual(np.abs(written.accessor(theirs[name], "", "VEC3")).max(), 0)
        turned = written.accessor(ours["NORMAL"], "", "VEC3") + written.accessor(
            primitive["attributes"]["NORMAL"], "", "VEC3"
        )
        after = points.astype(float)
        after[moved] += deltas
        wanted = trimesh.Trimesh(after, triangles, process=False).vertex_normals
        side = np.abs(points[:, 1] - 0.5) < 0.49  # at the rims normals of side and cap are mixed, as each likes
        self.assertGreater((turned * wanted)[side].sum(axis=1).min(), 0.999)
        flat = trimesh.Trimesh(points, triangles, process=False).vertex_normals
        self.assertLess((flat * wanted)[side].sum(axis=1).min(), 0.9)
        tangents = written.accessor(ours["TANGENT"], "", "VEC3") + along[:, :3]
        np.testing.assert_allclose(np.linalg.norm(tangents, axis=1), 1, atol=1e-3)
        np.testing.assert_allclose((tangents * turned)[side].sum(axis=1), flat[side, 1], atol=0.02)

    def test_named_regions_leave_and_come_back_and_what_is_only_picked_stays(self):
        keeper, source = open_demo("lock-keeper-bare")
        shares = np.zeros(len(keeper.mesh.points), np.float32)
        shares[100:400] = np.linspace(0.1, 1, 300)
        named = keeper.with_region("left knee, “soft”", shares).with_region(PICKED, shares[::-1].copy())
        data = write_glb(named, source)
        back = read_character(parse(data), "Back")
        self.assertEqual([r.name for r in back.regions], ["left knee, “soft”"])
        np.testing.assert_allclose(back.region("left knee, “soft”"), shares, atol=6e-5)
        again = read_character(parse(write_glb(replace(back, regions=()), parse(data))), "Again")
        self.assertEqual(again.regions, ())
        document = parse(data).document
        for wrong in (
            {"vertices": [10**6]},
            {"vertices": [-1]},
            {"shares": "x"},
            {"vertices": [1, 2]},
            {"shares": [np.nan]},
        ):
            spoiled = copy.deepcopy(document)
            spoiled["extras"]["plethos"]["regions"][0]["mask"] = {"vertices": [1], "shares": [1.0], **wrong}
            with self.subTest(wrong), self.assertRaisesRegex(BadFileError, "array of its rules cannot be read"):
                read_character(replace(parse(data), document=spoiled), "Broken")

    def test_the_rules_fit_their_schema_in_the_documentation(self):
        file, character, _, _ = self.mended()
        rules = parse(write_glb(character, file)).document["extras"]["plethos"]
        schema = json.loads((ROOT / "docs" / "formats" / "plethos-rules.schema.json").read_text())
        self.assertEqual(schema, rules_schema(), "written anew by python -m plethos.service.schemas.document")
        jsonschema.validate(rules, schema)
        jsonschema.validate(plain_rules(character.with_region("all", np.ones(len(character.mesh)))), schema)
