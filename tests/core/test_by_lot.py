"""Faults that were drawn by lot and that no other test had caught: each by a worked value."""

import math
import unittest
from dataclasses import replace
from types import SimpleNamespace
from unittest.mock import patch

import numpy as np
import shapely
from scipy import sparse

from plethos.core.edits.shape_edits import _weighed
from plethos.core.edits.split import _cut_line
from plethos.core.edits.twins import _with_joint_across
from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.findings.of_triggers import _axis_name
from plethos.core.formats.bvh import read_bvh
from plethos.core.formats.drawn_frames import Thing
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_joints import _with_name
from plethos.core.formats.gltf_nodes import stored_hinge
from plethos.core.formats.gltf_parts import _triangles
from plethos.core.formats.gltf_read import read_character
from plethos.core.formats.obj_match import sculpt_from_obj
from plethos.core.formats.rules import InlineArrays
from plethos.core.formats.svg_file import parse_svg
from plethos.core.formats.svg_read import read_drawing
from plethos.core.formats.svg_rules import rules_of_drawing
from plethos.core.geometry.barycentric import barycentric
from plethos.core.geometry.outlines import crossed
from plethos.core.geometry.topology import Topology
from plethos.core.joints.draft import Draft
from plethos.core.joints.template import framed
from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.outline_site import _outer, near_joint
from plethos.core.measure.travel import bent
from plethos.core.propose.held import left_rest
from plethos.core.propose.hem import FURTHEST, TRIED, _Try
from plethos.core.propose.roll import Limb
from plethos.core.rules.remedies import Corrective, Helper, Relaxer, Remedy, Share, VolumeKeeper, remedy_from_document
from plethos.core.rules.remedies.helper_rules import rule_from_document
from plethos.core.rules.remedies.volume_keeper import MOST_SHARE
from plethos.core.rules.rules import Rules
from plethos.core.rules.triggers.pose_set import PoseSet
from plethos.core.rules.triggers.stored_pose import StoredPose
from plethos.core.sculpt.outline_brushes import OutlineSurface, move
from plethos.core.sculpt.push_room import PushRoom
from plethos.core.sculpt.session import Dab, SculptSurface
from plethos.core.sculpt.smooth import smooth
from plethos.core.skeleton.hinge import Hinge
from plethos.core.skeleton.reach import TwoBones, _side
from plethos.core.skin.mask import Mask
from plethos.core.skin.picked import PICKED, PickedRegion
from plethos.core.skin.shape import Shape
from plethos.core.weights.assign import with_joint_weights
from plethos.core.weights.automatic import _mirrored
from plethos.demo.catalogue import open_demo
from tests.core.formats.test_obj_match import obj_text
from tests.core.motion.test_motion import stick
from tests.drawings import bar, laid, svg
from tests.figures import pair_file, tube
from tests.making import everything

Z = (0.0, 0.0, 1.0)


class Drawings(unittest.TestCase):
    def test_a_brush_fades_along_an_outline_by_its_length(self):
        character, _ = laid(svg(bar(points=6)))
        points, channels = character.mesh.rest.astype(float), character.mesh.channels.astype(float)
        surface = OutlineSurface(character.mesh, points.copy(), channels.copy(), points.copy(), channels.copy())
        far = np.linalg.norm(points[3] - points[6])
        move(surface, Dab(6, (0, 0, 0), 1.5 * far, 1.0, (0, 9, 0)))
        self.assertAlmostEqual(surface.points[3, 1] - points[3, 1], 9 * (1 - 1 / 1.5**2) ** 2, places=6)

    def test_widths_are_measured_along_the_bones_and_no_further(self):
        joints = [
            {"name": n, "parent": p, "at": [x, 0]} for n, p, x in (("a", None, 60), ("b", "a", 100), ("c", "b", 130))
        ]
        character, _ = laid(svg(bar(points=12)), joints)
        site = BendMeasure.of(character, character.skeleton.find("b")).site
        places = character.mesh.rest[site.vertices][site.widths.vertices]
        across = np.einsum("wek,wekc->wec", site.widths.basis, places)[:, 0, 0]
        self.assertTrue(60 - 1e-6 <= across.min() < across.max() <= 130 + 1e-6)

    def test_stray_weights_far_away_are_not_near_a_joint(self):
        character, _ = laid(svg(bar(points=12)))
        lower = character.skeleton.find("lower")
        dense = character.binding.joint_weights.copy()
        dense[:] = np.eye(dense.shape[1])[np.where(character.mesh.rest[:, 0] < 100, lower - 1, lower)][
            :, : dense.shape[1]
        ]
        near = np.abs(character.mesh.rest[:, 0] - 100) < 12
        far = character.mesh.rest[:, 0] < 1
        for some in (near, far):
            dense[some] = 0
            dense[some, lower - 1] = dense[some, lower] = 0.5
        found = near_joint(with_joint_weights(character, dense), lower)
        self.assertTrue(found[near].all())
        self.assertFalse(found[far].any())

    def test_a_curve_is_crossed_at_its_very_ends_too(self):
        bezier = np.array([[0.0, 0], [1, 0], [2, 0], [3, 0]])
        for at in (0.0, 3.0):
            ((t, off),) = crossed(bezier, np.array([at, -2.0]), np.array([1.0, 0.0]))
            self.assertAlmostEqual(t, at / 3)
            self.assertAlmostEqual(off, 2)

    def test_a_fill_is_cut_half_way_between_its_two_bones(self):
        joints = [{"name": "a", "parent": None, "at": [0, 0]}, {"name": "b", "parent": "a", "at": [100, 0]},
                  {"name": "c", "parent": "b", "at": [100, 100]}]  # fmt: skip
        character, _ = laid(svg(bar(points=6)), joints)
        _, along = _cut_line(character, character.skeleton.find("b"))
        np.testing.assert_allclose(np.abs(along), math.sqrt(0.5), atol=1e-9)

    def test_what_is_picked_is_nobody_elses_and_stays_out_of_files(self):
        character, _ = laid(svg(bar(points=6)))
        ones = np.ones(len(character.mesh), np.float32)
        kept = character.with_region(PICKED, ones).with_region("cuff", ones)
        document = rules_of_drawing(kept, replace(character, regions=()))
        self.assertEqual([r["name"] for r in document["regions"]], ["cuff"])


class Shapes(unittest.TestCase):
    def test_a_share_of_a_shape_is_that_of_its_widths_too(self):
        shape = Shape("s", np.array([1, 2], np.int32), np.ones((2, 3), np.float32), channels=np.float32([[4], [8]]))
        half = _weighed(shape, np.array([1.0, 0.5, 0.25]))
        np.testing.assert_array_equal(half.channels, [[2], [2]])

    def test_a_brush_smooths_no_further_than_to_the_mean(self):
        character = tube()
        at = tuple(character.mesh.rest[character.mesh.topology.triangles[40]].mean(axis=0).tolist())
        found = []
        for strength in (1.0, 3.0):
            rest = character.mesh.rest.astype(float)
            surface = SculptSurface(character.mesh.topology, rest.copy(), rest)
            smooth(surface, Dab(40, at, 0.2, strength))
            found.append(surface.points)
        np.testing.assert_array_equal(*found)

    def test_what_has_to_give_way_keeps_its_way_while_it_is_spread(self):
        way = np.array([[2.0, 0, 0], [0, 0, 0]])
        told = SimpleNamespace(beside=sparse.csr_matrix((2, 2)))
        np.testing.assert_allclose(PushRoom.spread(told, way), 0.5 * way)

    def test_in_a_triangle_without_area_one_stands_along_its_longest_side(self):
        place, a, b, c = np.array([[[0.75, 0, 0]], [[0.0, 0, 0]], [[1.0, 0, 0]], [[0.5, 0, 0]]])
        np.testing.assert_allclose(barycentric(place, a, b, c), [[0.25, 0.75, 0]])


class Files(unittest.TestCase):
    def test_joints_stand_in_the_order_of_the_file(self):
        file = pair_file()
        document = {**file.document, "nodes": [dict(n) for n in file.document["nodes"]]}
        first = len(document["nodes"])
        document["nodes"] += [{"name": f"leaf {k}"} for k in range(3)]
        skin = {**document["skins"][0], "joints": [*document["skins"][0]["joints"], first, first + 1, first + 2]}
        skin.pop("inverseBindMatrices")
        document["skins"] = [skin]
        top = document["nodes"][skin["joints"][0]]
        top["children"] = [*top.get("children", []), first, first + 1, first + 2]
        names = read_character(GltfFile(document, file.buffers), "Pair").skeleton.names
        self.assertEqual([n for n in names if n.startswith("leaf")], ["leaf 0", "leaf 1", "leaf 2"])

    def test_quads_that_are_cut_the_other_way_are_the_same_mesh(self):
        character = tube(seam=True, rings=31)
        sent, faces = character.mesh.rest.astype(float), character.mesh.topology.triangles
        turned = []
        for one, other in zip(faces[::2], faces[1::2], strict=True):
            both = [v for v in one if v in other]
            alone = [v for v in (*one, *other) if v not in both]
            turned += [[*alone, both[0]], [*alone, both[1]]] if len(both) == 2 else [one, other]
        back = sculpt_from_obj(character, obj_text(sent + [0, 0.01, 0], turned), sent)
        self.assertEqual(back.how, "order")

    def test_what_a_node_says_of_its_shapes_goes_over_what_its_mesh_says(self):
        file = pair_file(target=True)
        document = {**file.document, "nodes": [dict(n) for n in file.document["nodes"]]}
        document["meshes"] = [{**m, "weights": [0.25, 0.25]} for m in document["meshes"]]
        nodes = [n for n in document["nodes"] if "mesh" in n]
        for told, weight in (({}, 0.25), ({"weights": [0.75, 0.75]}, 0.75)):
            for node in nodes:
                node.update(told)
            shapes = read_character(GltfFile(document, file.buffers), "Pair").mesh.shapes
            self.assertEqual({s.weight for s in shapes} - {0.0}, {weight})

    def test_ranges_across_a_hinge_that_run_backwards_are_taken_for_nothing(self):
        own = {"hinge_axis": [0, 0, 1], "range_deg": [0, 90]}
        for others, known in (([[-10, 20], [0, 5]], True), ([[-10, 20], [5, 0]], False), ([[20, -10], [0, 5]], False)):
            hinge = stored_hinge({"extras": {"plethos": {**own, "others_deg": others}}})
            self.assertEqual(hinge.others is not None, known)

    def test_a_size_of_type_in_percent_is_of_the_one_above(self):
        for size, wide in (("50%", 5.0), ("2em", 20.0), ("7px", 7.0)):
            told = f'<g font-size="10"><g font-size="{size}"><rect width="1em" height="3"/></g></g>'
            mesh = read_drawing(parse_svg(svg(told)), "r").mesh
            self.assertAlmostEqual(float(np.ptp(mesh.rest[:, 0])), wide, places=4)

    def test_quaternions_of_a_motion_may_have_any_length(self):
        motion = read_bvh(stick([0, 0, 0, 10, 20, 30, 40, 50, 60]), "Stick")
        np.testing.assert_allclose(replace(motion, turned=3 * motion.turned).world, motion.world, atol=1e-6)


class Rigging(unittest.TestCase):
    def test_a_remedy_of_which_a_document_says_nothing_more_is_on(self):
        mask = {"vertices": [1, 2], "shares": [1.0, 0.5]}
        character = tube()
        told = {"kind": "relaxer", "id": "r", "name": "r", "mask": mask, "steps": 3}
        remedy = remedy_from_document(told, character.skeleton, InlineArrays(character))
        self.assertEqual((remedy.on, remedy.amount, remedy.by), (True, 1.0, None))

    def test_vertices_that_are_not_laid_out_are_skinned_as_where_nothing_blends(self):
        character, rows = tube(), np.arange(40, dtype=np.int32)
        pose = character.skeleton.rest_pose().with_rotation(2, np.array([0, 0, 0.6, 0.8]))
        few, whole = (
            Evaluator.of(character, rows=r).pose(pose).affine_of(np.arange(len(character.mesh))) for r in (rows, None)
        )
        for one, other in zip(few, whole, strict=True):
            np.testing.assert_allclose(one, other, atol=1e-12)

    def test_rules_mean_the_same_however_long_their_axes_are(self):
        skeleton = tube().skeleton
        knots = [{"angle_deg": 0, "metres": 0}, {"angle_deg": 90, "metres": 0.1}]
        slide = {"kind": "slide", "joint": "upper", "axis": [0, 0, 1], "along": [0, 1, 0], "knots": knots}
        one, long = (rule_from_document({**slide, "axis": [0, 0, n], "along": [0, n, 0]}, skeleton, 2) for n in (1, 5))
        self.assertEqual((long.axis, long.along), (one.axis, one.along))

    def test_tied_anew_a_remedy_keeps_the_pose_that_it_follows(self):
        poses = tuple(
            StoredPose(((math.sin(a), 0.0, 0.0, math.cos(a)),), name=n, id=n) for n, a in (("p", 0.5), ("q", -0.5))
        )
        poses_of = PoseSet((1,), (Z,), poses, 0.5, id="set")
        nothing = Shape("n", np.array([0], np.int32), np.zeros((1, 3), np.float32))
        rules = Rules(triggers=(poses_of,), remedies=(Remedy(Corrective.of(nothing), "r", "q", id="r"),))
        self.assertEqual(rules.tied("r", replace(poses_of, radius=0.6)).remedy("r").by, "q")

    def test_a_limb_is_the_joints_own_before_the_one_above(self):
        keeper = open_demo("lock-keeper-bare")[0]
        for joint in ("left_forearm", "left_shin"):
            self.assertEqual(Limb.of(keeper, keeper.skeleton.find(joint)).bone.joint, keeper.skeleton.find(joint))

    def test_where_nothing_frees_a_hem_it_goes_where_least_crosses(self):
        steps = np.linspace(0, FURTHEST, TRIED)
        crossing = dict(zip(steps.tolist(), [9, 7, 2, *[5] * TRIED], strict=False))
        told = SimpleNamespace(hem=SimpleNamespace(radius=1.0), count=lambda share, far: crossing.get(far, 8))
        self.assertEqual(_Try.least(told, 1.0, 0.0, 2 * FURTHEST), steps[2])


class SecondLot(unittest.TestCase):
    def test_what_reaches_no_sculpt_gives_no_way_and_what_does_fades(self):
        mesh = tube().mesh
        mask = Mask(np.arange(100, 200, dtype=np.int32), np.ones(100, np.float32))
        ready = Relaxer(mask).ready(mesh)
        far = np.zeros(len(mesh), bool)
        with self.assertRaisesRegex(BadEditError, "holds nothing back"):
            ready.giving_way(mesh, mesh.points, far, 0.01)
        far[120] = True
        left = ready.giving_way(mesh, mesh.points, far, 0.01).mask.dense(len(mesh))
        self.assertEqual((left[120], left[199]), (0, 1))

    def test_an_eased_roll_starts_and_ends_where_an_even_one_does(self):
        told = Limb.ideal(None, np.array([-1, 0, 0.25, 0.5, 1, 2]), True)
        np.testing.assert_allclose(told, [0, 0, 0.15625, 0.5, 1, 1])

    def test_what_is_turned_furthest_comes_first(self):
        skeleton = tube().skeleton
        pose = skeleton.rest_pose()
        for joint, angle in (("lower", 0.3), ("upper", 1.2)):
            pose = bent(pose, skeleton.find(joint), Z, angle)
        self.assertEqual(left_rest(skeleton, pose), [skeleton.find("upper"), skeleton.find("lower")])

    def test_less_than_a_thousandth_is_not_picked(self):
        found = PickedRegion.of("cuff", np.array([0.0009, 0.0012, 1.5]))
        self.assertEqual((found.vertices.tolist(), found.shares.tolist()[1]), ([1, 2], 1.0))

    def test_sides_get_the_same_weights_whichever_vertex_comes_first(self):
        twin, side = np.array([3, 1, -1, 0]), np.array([0, 1])
        before = sparse.csr_matrix(np.random.default_rng(4).dirichlet([1, 1], 4))
        sides = SimpleNamespace(sides=(twin, side))
        with patch("plethos.core.weights.automatic.is_symmetric", lambda *_: True):
            found = _mirrored(sides, before).toarray()
        np.testing.assert_allclose(found[0], found[3])
        np.testing.assert_allclose(found[2], before.toarray()[2])

    def test_what_may_not_move_is_not_pushed_apart(self):
        points = np.array([[0.0, 0, 0], [1, 0, 0], [0, 1, 0], [-1, -1, -1], [1.5, 1.5, 1], [-1, 1.5, 1]])
        topology = Topology(6, np.array([[0, 1, 2], [3, 4, 5]], np.int32))
        rest = points + np.array([[0, 0, 0]] * 3 + [[9, 0, 0]] * 3)
        for shares, pairs in (([0, 0, 0, 0, 0, 1], 1), ([0] * 6, 0)):
            room = PushRoom.of(topology, points, rest, np.array([0, 0, 0, 0, 0, 1.0]))
            room = replace(room, shares=np.array(shares, float)[room.local])
            self.assertEqual(len(room.pairs(points[room.local])), pairs)

    def test_the_largest_ring_round_a_place_says_how_a_fill_goes_round(self):
        square = np.array([[0, 0], [1, 0], [1, 1], [0, 1]])
        rings = [shapely.Polygon(4 * square - 1), shapely.Polygon((2 * square - 0.5)[::-1])]
        self.assertEqual(_outer(rings, np.array([0.5, 0.5])), 1.0)
        self.assertEqual(_outer(rings[::-1], np.array([0.5, 0.5])), 1.0)

    def test_an_axis_is_called_by_its_letter_only_where_it_is_one(self):
        self.assertEqual(_axis_name((0.0, -1.0, 0.0)), "the axis Y")
        self.assertEqual(_axis_name((0.6, 0.8, 0.0)), "the axis it was turned about")

    def test_a_helper_joint_gets_one_across_unless_it_stands_in_the_middle(self):
        made = everything(np.random.default_rng(1))
        for x, more in ((0.05, 1), (0.0, 0)):
            draft = Draft(made)
            draft.add("bulge", made.skeleton.find("upper"), np.array([x, 0.6, 0.02]), np.eye(3), helper=True)
            character = draft.finish()
            joint = character.skeleton.find("bulge")
            mask = Mask(np.arange(50, dtype=np.int32), np.ones(50, np.float32))
            body = Helper(joint, (Share(character.skeleton.find("upper"), 0.5),), mask)
            across = _with_joint_across(character, Remedy(body, "bulge"))
            self.assertEqual(len(across.skeleton) - len(character.skeleton), more, x)
            if more:
                place = across.skeleton.rest_global[-1, :3, 3] if across.skeleton.names[-1] != "bulge" else None
                self.assertIsNotNone(place)
                self.assertAlmostEqual(place[0], -0.05)

    def test_a_joint_of_the_template_bends_about_its_own_z(self):
        for name in ("forearm", "shin", "thigh"):
            frame, hinge = framed(name, np.array([0.3, -0.4, 0.0]))
            self.assertEqual(hinge.axis, Z)
            np.testing.assert_allclose(frame[:, 1], [0.6, -0.8, 0], atol=1e-12)

    def test_a_strip_of_fewer_than_three_has_no_triangles(self):
        for mode in (5, 6):
            found = _triangles(None, {"mode": mode}, 2, "x")
            self.assertEqual(found.shape, (0, 3))
        self.assertEqual(_triangles(None, {"mode": 5}, 4, "x").tolist(), [[0, 1, 2], [2, 1, 3]])

    def test_only_another_name_is_written_to_a_node(self):
        for stored, name, same in ((None, "joint_3", True), (None, "knee", False), ("knee", "knee_2", True),
                                   ("knee", "kneecap", False), ("", "joint_3", True)):  # fmt: skip
            node = {} if stored is None else {"name": stored}
            self.assertEqual(_with_name(node, 3, name) == node, same, (stored, name))

    def test_a_straight_limb_bends_across_its_bone(self):
        skeleton = everything(np.random.default_rng(1)).skeleton
        skeleton = replace(skeleton, hinges=(Hinge((0.6, 0.0, 0.8), 0.0, 2.0),) * len(skeleton))
        root, middle, tip = (np.array([0.3 * k, 0.0, 0.0]) for k in range(3))
        world = np.broadcast_to(np.eye(4), (len(skeleton), 4, 4))
        limb = TwoBones(skeleton.find("upper"), skeleton.find("lower"), skeleton.find("lower"))
        np.testing.assert_allclose(_side(skeleton, world, limb, root, middle, tip), Z, atol=1e-12)

    def test_a_keeper_says_how_much_may_be_kept(self):
        with self.assertRaisesRegex(BadEditError, f"between 0 and {100 * MOST_SHARE:.0f} percent"):
            VolumeKeeper(Mask(np.zeros(1, np.int32), np.ones(1, np.float32)), share=MOST_SHARE + 0.1)

    def test_what_is_drawn_with_more_than_one_width_has_none(self):
        widths = np.array([[2.0, 2.0, 2.0], [3.0, 3.0, 3.0]])
        told = SimpleNamespace(widths=np.repeat(widths, 3, axis=1), own=np.arange(9))
        np.testing.assert_allclose(Thing.stroke_widths.fget(told), [2, 3])
        told.widths[1, 3] = 0.0
        self.assertIsNone(Thing.stroke_widths.fget(told))
