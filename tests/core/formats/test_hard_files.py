"""Corners of glTF that few files have: strips and fans, matrices, sheared and mirrored nodes, many vertices."""

from __future__ import annotations

import json
import pickle
import unittest
from dataclasses import replace

import numpy as np
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.linalg import polar
from scipy.spatial.transform import Rotation

from plethos.core.errors import BadEditError, BadFileError, WhichSceneError
from plethos.core.evaluate import NONE, Evaluator
from plethos.core.formats.files import packed, read_file
from plethos.core.formats.gltf_build import GltfBuilder
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_parse import parse
from plethos.core.formats.gltf_read import read_character
from plethos.core.formats.gltf_write import write_glb
from plethos.core.geometry import rotations
from plethos.core.joints import edit
from plethos.core.rules.remedies import Corrective, Remedy
from plethos.core.rules.triggers.hinge import guess_hinge
from plethos.core.sculpt.inflate import inflate
from plethos.core.sculpt.session import Dab, SculptSurface
from plethos.core.skeleton.clips import Track
from plethos.core.skin.shape import Shape
from tests.figures import pair_file, tube, tube_file, tube_points

UP_AT = np.array([0.0, 0.5, 0.0])


def changed(change, **options):
    """The tube whose builder was changed by `change(builder)`."""
    builder = GltfBuilder(tube_file(**options))
    change(builder)
    return read_character(parse(builder.file().pack()), "Tube")


def four(rotation=None, place=(0, 0, 0)) -> np.ndarray:
    out = np.eye(4)
    out[:3, :3], out[:3, 3] = np.eye(3) if rotation is None else rotation, place
    return out


class Winding(unittest.TestCase):
    def indexed(self, mode: int, index) -> np.ndarray:
        def change(builder: GltfBuilder) -> None:
            primitive = builder.document["meshes"][0]["primitives"][0]
            primitive["mode"] = mode
            primitive["indices"] = builder.accessor(np.array(index, np.uint16), 34963)

        return changed(change).mesh.topology.triangles

    def same_way_round(self, found: np.ndarray, wanted: np.ndarray) -> None:
        def turned(t):
            return sorted(tuple(np.roll(row, -int(np.argmin(row))).tolist()) for row in t)

        self.assertEqual(turned(found), turned(wanted))

    def test_a_strip_winds_every_second_triangle_the_other_way(self):
        # A band of the tube as one strip; the same triangles as the tube's own list.
        strip = [v for k in range(24) for v in (k, k + 24)]
        own = tube_points()[1]
        wanted = [t for t in own.tolist() if max(t) < 48 and not {0, 23} <= {v % 24 for v in t}]
        self.same_way_round(self.indexed(5, strip), np.array(wanted))

    def test_a_fan_turns_about_its_first_vertex(self):
        low = len(tube_points()[0]) - 2
        wanted = [t for t in tube_points()[1].tolist() if low in t and not {0, 23} <= set(t)]
        self.same_way_round(self.indexed(6, [low, *range(24)]), np.array(wanted))


class Matrices(unittest.TestCase):
    """Nodes that say a matrix; plain 4x4 products in float64 beside ours."""

    @given(st.integers(0, 2**31), st.booleans())
    @settings(max_examples=25, deadline=None)
    def test_a_sheared_or_mirrored_root_and_a_sheared_joint_pose_as_plain_matrices_do(self, seed, mirrored):
        draw = np.random.default_rng(seed)

        def sheared() -> np.ndarray:
            turn = Rotation.random(rng=draw).as_matrix()
            return turn @ (np.eye(3) + draw.uniform(-0.3, 0.3, (3, 3)))

        root = four(sheared() @ np.diag([-1.0 if mirrored else 1.0, 1, 1]), draw.normal(size=3))
        lower = four(sheared(), draw.normal(0, 0.1, 3))
        binds = [np.linalg.inv(root @ lower), np.linalg.inv(root @ lower @ four(place=UP_AT))]

        def change(builder: GltfBuilder) -> None:
            nodes = builder.document["nodes"]
            nodes[2]["matrix"] = root.T.ravel().tolist()
            nodes[0]["matrix"] = lower.T.ravel().tolist()
            stored = np.stack([b.T for b in binds]).astype(np.float32).reshape(2, 16)
            builder.document["skins"][0]["inverseBindMatrices"] = builder.accessor(stored)

        character = changed(change)
        skeleton = character.skeleton
        pose = skeleton.rest_pose()
        turns = [Rotation.random(rng=draw), Rotation.random(rng=draw)]
        for name, turn in zip(("lower", "upper"), turns, strict=True):
            pose.rotations[skeleton.find(name)] = turn.as_quat()
        # SciPy's polar decomposition: a joint turns between its rotation and its stretch.
        rotation, stretch = polar(lower[:3, :3])
        one = root @ four(rotation @ turns[0].as_matrix() @ stretch, lower[:3, 3])
        two = one @ four(turns[1].as_matrix(), UP_AT)
        points = np.c_[tube_points()[0].astype(float), np.ones(len(character.mesh))]
        share = np.clip((points[:, 1] - 0.5) / 0.25 + 0.5, 0, 1)[:, None]
        wanted = (1 - share) * (points @ (one @ binds[0]).T) + share * (points @ (two @ binds[1]).T)
        posed = Evaluator.of(character).pose(pose, NONE)
        np.testing.assert_allclose(posed.points, wanted[:, :3], atol=2e-5)
        np.testing.assert_allclose(posed.exact_points(), wanted[:, :3], atol=2e-6)

    def test_a_matrix_comes_back_from_a_delivered_file(self):
        builder = GltfBuilder(tube_file())
        builder.document["nodes"][2]["matrix"] = [0, 2, 0, 0, -1, 0.5, 0, 0, 0, 0, 1, 0, 3, 4, 5, 1]
        file = parse(builder.file().pack())
        character = read_character(file, "Tube")
        back = read_character(parse(write_glb(character, file)), "Back")
        pose = character.skeleton.rest_pose().with_rotation(2, rotations.from_axis_angle([1, 2, 3], 0.8))
        np.testing.assert_array_equal(Evaluator.of(back).pose(pose).points, Evaluator.of(character).pose(pose).points)

    @given(st.integers(0, 2**31), st.booleans())
    @settings(max_examples=15, deadline=None)
    def test_joints_are_turned_in_the_world_by_the_turns_along_the_way(self, seed, mirrored):
        generator = np.random.default_rng(seed)
        turns = Rotation.random(2, rng=generator)
        root = {"rotation": turns[0].as_quat().tolist(), "scale": [-1.5 if mirrored else 1.5, 0.7, 2]}
        skeleton = tube(root=root).skeleton
        pose = skeleton.rest_pose()
        pose.rotations[:] = Rotation.random(len(skeleton), rng=generator).as_quat()
        told = dict(zip(skeleton.names, skeleton.turned_in_world(pose.rotations), strict=True))
        own = {n: Rotation.from_quat(pose.rotations[skeleton.find(n)]) for n in skeleton.names}
        above = turns[0] * own[skeleton.names[0]]  # by SciPy, whatever the root's sizes are
        for name in ("lower", "upper"):
            above = above * own[name]
            self.assertLess((above.inv() * Rotation.from_quat(told[name])).magnitude(), 1e-6)

    def test_what_stands_outside_of_the_scene_is_named(self):
        def second(builder):
            builder.add("nodes", {"name": "spare", "mesh": 0})
            builder.add("scenes", {"nodes": [len(builder.document["nodes"]) - 1]})

        character = changed(second)
        self.assertEqual(len(character.mesh.parts), 1)
        self.assertTrue(any("spare" in told and "left out" in told for told in character.repairs), character.repairs)
        self.assertFalse(any("left out" in told for told in changed(lambda _: None).repairs))


class SeveralScenes(unittest.TestCase):
    """A tube and a second one beside it, each in a scene of its own, and a scene that shows nothing."""

    def setUp(self):
        builder = GltfBuilder(tube_file())
        spare = builder.add("meshes", {**builder.document["meshes"][0], "name": "spare"})
        builder.add("nodes", {"mesh": spare, "skin": 0})
        builder.document["scenes"] = [{"nodes": [2, 3], "name": "Lock gate"}]
        builder.add("scenes", {"name": "Lock gate", "nodes": [2, len(builder.document["nodes"]) - 1]})
        builder.add("scenes", {"name": "Camera", "nodes": []})

        self.data = builder.file().pack()

    def test_whoever_brings_it_in_is_asked_for_one_by_name(self):
        with self.assertRaises(WhichSceneError) as raised:
            read_file("tubes.glb", self.data, None, None)
        self.assertEqual(raised.exception.scenes, ("Lock gate", "Lock gate_2"))
        self.assertIn("several scenes: say which", raised.exception.sentence)
        self.assertEqual(pickle.loads(pickle.dumps(raised.exception)).scenes, raised.exception.scenes)
        for scene, part in (("Lock gate", "tube"), ("Lock gate_2", "spare")):
            file, character = read_file("tubes.glb", self.data, None, scene)
            self.assertEqual([p.name for p in character.mesh.parts], [part])
            # What is kept shows that scene by itself.
            again = read_file("tubes.glb", packed(file, "tubes.glb", self.data, None, scene))[1]
            self.assertEqual([p.name for p in again.mesh.parts], [part])
        with self.assertRaisesRegex(BadFileError, "no scene called “Camera”"):
            read_file("tubes.glb", self.data, None, "Camera")
        self.assertEqual(len(read_file("tubes.glb", self.data)[1].mesh.parts), 1)


class MoreMatricesThanJoints(unittest.TestCase):
    def test_the_first_count(self):
        def longer(builder):
            inverse = np.tile(np.eye(4, dtype=np.float32), (3, 1, 1))
            inverse[1, 1, 3], inverse[2] = -0.5, 7.0
            binds = builder.accessor(inverse.transpose(0, 2, 1).reshape(3, 16))
            builder.document["skins"][0]["inverseBindMatrices"] = binds

        plain, more = tube(), changed(longer)
        joint = plain.skeleton.find("upper")
        turned = Rotation.from_euler("z", 70, degrees=True).as_quat()
        points = [
            Evaluator.of(c).pose(c.skeleton.rest_pose().with_rotation(joint, turned)).points for c in (plain, more)
        ]
        np.testing.assert_allclose(*points, atol=1e-6)


class ManyVertices(unittest.TestCase):
    """More vertices than 16 bits can count."""

    def test_a_corrective_at_the_far_end_of_70000_vertices_comes_back(self):
        file = tube_file(rings=2920)
        character = read_character(parse(file.pack()), "Long")
        self.assertGreater(len(character.mesh), 70_000)
        chosen = np.array([5, 65_534, 65_535, 65_536, 70_010], np.int32)
        shape = Shape("far", chosen, np.random.default_rng(1).normal(0, 0.01, (5, 3)).astype(np.float32))
        trigger = guess_hinge(
            character.skeleton,
            character.skeleton.rest_pose().with_rotation(2, rotations.from_axis_angle([0, 0, 1], 1.0)),
            2,
        )
        character = character.with_remedy(Remedy(Corrective.of(shape), "far", by=trigger.id), trigger)
        data = write_glb(character, parse(file.pack()))
        back = read_character(parse(data), "Back")
        ((_, body),) = back.rules.correctives
        np.testing.assert_array_equal(body.targets[0].shape.vertices, chosen)
        np.testing.assert_array_equal(body.targets[0].shape.deltas, shape.deltas)
        # And by another reader: the sparse accessor of the morph target, as glTF 2.0 describes it.
        document = GltfFile(json.loads(json.dumps(parse(data).document)), parse(data).buffers)
        (target,) = document.document["meshes"][0]["primitives"][0]["targets"]
        sparse = document.document["accessors"][target["POSITION"]]["sparse"]
        self.assertEqual(sparse["indices"]["componentType"], 5125)
        view = document.document["bufferViews"][sparse["indices"]["bufferView"]]
        start = view.get("byteOffset", 0)
        stored = np.frombuffer(document.buffers[0][start : start + 4 * 5], "<u4")
        np.testing.assert_array_equal(stored, chosen)


class Mirrored(unittest.TestCase):
    def test_under_a_mirrored_root_skin_is_wound_outwards_and_inflate_grows(self):
        for root in ({}, {"scale": [-1, 1, 1]}):
            character = tube(root=root)
            rest = Evaluator.of(character).rest().astype(float)
            triangles = character.mesh.topology.triangles
            volume = trimesh.Trimesh(rest, triangles, process=False).volume
            self.assertGreater(volume, 0.02)
            surface = SculptSurface(character.mesh.topology, rest.copy(), rest)
            for n in range(0, len(triangles), 50):
                inflate(surface, Dab(n, tuple(rest[triangles[n]].mean(axis=0).tolist()), 0.1, 1.0))
            self.assertGreater(trimesh.Trimesh(surface.points, triangles, process=False).volume, volume * 1.01)

    def mirrored_joint(self):
        """The tube whose upper joint has a mirrored axis."""

        def change(builder: GltfBuilder) -> None:
            builder.document["nodes"][1]["scale"] = [-1, 1, 1]
            binds = [np.eye(4), np.linalg.inv(four(np.diag([-1.0, 1, 1]), UP_AT))]
            stored = np.stack([b.T for b in binds]).astype(np.float32).reshape(2, 16)
            builder.document["skins"][0]["inverseBindMatrices"] = builder.accessor(stored)

        return changed(change)

    def test_an_edited_joint_with_a_mirrored_axis_means_the_same_by_its_poses(self):
        character = self.mirrored_joint()
        upper, draw = character.skeleton.find("upper"), np.random.default_rng(5)
        at = character.skeleton.rest_global[upper, :3, 3]
        there = edit.moved_joints(character, {upper: at + [0.1, 0, 0]})
        for edited in (
            edit.moved_joints(there, {upper: at}),
            edit.renamed(character, upper, "other"),
            edit.moved_joints(character, {upper: at}),
        ):
            for _ in range(5):
                pose = character.skeleton.rest_pose().with_rotation(upper, Rotation.random(rng=draw).as_quat())
                np.testing.assert_allclose(
                    Evaluator.of(edited).pose(pose).points, Evaluator.of(character).pose(pose).points, atol=1e-6
                )  # fmt: skip

    def test_its_frame_may_be_turned_and_clips_move_it_alike(self):
        character = self.mirrored_joint()
        upper = character.skeleton.find("upper")
        keys = Rotation.from_euler("XYZ", [[0, 0, 0], [20, 30, 80]], degrees=True).as_quat()
        track = Track("rotation", upper, np.array([0.0, 1.0]), keys)
        clip = replace(read_character(parse(pair_file().pack()), "x").clips[0], tracks=(track,), duration=1.0)
        character = replace(character, clips=(clip,))
        turned = edit.turned(character, upper, Rotation.from_euler("XYZ", [10, 50, -20], degrees=True).as_quat())
        for t in (0.0, 0.4, 1.0):
            shown = [Evaluator.of(c).pose(c.clips[0].pose_at(c.skeleton, t)).points for c in (character, turned)]
            np.testing.assert_allclose(shown[1], shown[0], atol=2e-6)

    def test_keys_with_tangents_move_alike_when_the_joint_above_is_moved_or_turned(self):
        for interpolation in ("CUBICSPLINE", "LINEAR"):
            pair = read_character(parse(pair_file(interpolation).pack()), "Pair")
            lower = pair.skeleton.find("lower")
            at = pair.skeleton.rest_global[lower, :3, 3]
            for edited in (
                # The clip leaves it at rest, so wherever it stands, nothing moves otherwise.
                edit.moved_joints(pair, {lower: at + [0.05, -0.1, 0.2]}),
                edit.turned(pair, lower, Rotation.from_euler("XYZ", [40, -20, 70], degrees=True).as_quat()),
                edit.turned(pair, lower + 1, Rotation.from_euler("XYZ", [40, -20, 70], degrees=True).as_quat()),
            ):
                for t in (0.0, 0.2, 0.5, 0.9, 1.2):
                    shown = [Evaluator.of(c).pose(c.clips[0].pose_at(c.skeleton, t)).points for c in (pair, edited)]
                    np.testing.assert_allclose(shown[1], shown[0], atol=2e-6)

    def test_a_clip_that_stretches_unevenly_is_carried_by_quarter_turns_and_else_refused(self):
        pair = read_character(parse(pair_file().pack()), "Pair")
        upper = pair.skeleton.find("upper")
        stretch = Track("scale", upper, np.array([0.0, 1.0]), np.array([[1, 1, 1], [1.5, 0.8, 1.2]], float))
        clip = replace(pair.clips[0], tracks=(*pair.clips[0].tracks, stretch))
        pair = replace(pair, clips=(clip,))
        quarter = edit.turned(pair, upper, Rotation.from_euler("Y", 90, degrees=True).as_quat())
        for t in (0.0, 0.3, 1.0):
            shown = [Evaluator.of(c).pose(c.clips[0].pose_at(c.skeleton, t)).points for c in (pair, quarter)]
            np.testing.assert_allclose(shown[1], shown[0], atol=2e-6)
        with self.assertRaisesRegex(BadEditError, "quarter turns"):
            edit.turned(pair, upper, Rotation.from_euler("Y", 30, degrees=True).as_quat())
