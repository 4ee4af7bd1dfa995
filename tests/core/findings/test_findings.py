"""What is wrong with rules is found, named and mended by its click; differences kept, and applied twice."""

import math
import unittest
from dataclasses import replace

import numpy as np

from plethos.core.edits.difference import of_file_shape, with_difference
from plethos.core.edits.recorded_behind import before_the_skin
from plethos.core.errors import BadEditError
from plethos.core.evaluate import NONE, Evaluator
from plethos.core.findings.findings import findings_of, twice_in
from plethos.core.findings.of_shapes import repeats
from plethos.core.geometry.topology import outward_normals
from plethos.core.joints import edit
from plethos.core.measure.travel import bent
from plethos.core.rules.dials import Dial
from plethos.core.rules.remedies import Corrective, Remedy
from plethos.core.rules.response import Response
from plethos.core.rules.triggers.dial import DialTrigger
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.sculpt.solve import guess_trigger, solve_corrective
from plethos.core.skeleton.hinge import Hinge
from plethos.core.skeleton.pose_files import pose_from_document, pose_to_json
from plethos.core.skin.shape import Shape
from plethos.demo.catalogue import open_demo
from tests.figures import tube
from tests.models import load

Z = (0.0, 0.0, 1.0)


def degrees(*knots) -> Response:
    return Response.of_knots([(math.radians(a), v) for a, v in knots])


class OnATube(unittest.TestCase):
    def setUp(self):
        character = tube(rings=31)
        self.upper = character.skeleton.find("upper")
        self.character = edit.hinged(character, self.upper, Hinge(Z, math.radians(-10), math.radians(120)))
        self.pose = bent(self.character.skeleton.rest_pose(), self.upper, np.array(Z), math.radians(90))
        posed = Evaluator.of(self.character).pose(self.pose)
        sculpt = posed.exact_points()
        near = np.abs(self.character.mesh.rest[:, 1] - 0.5) < 0.1
        sculpt[near] += 0.02 * (sculpt[near] - sculpt[near].mean(axis=0)) / 0.1
        self.shape, self.report = solve_corrective(posed, sculpt, "Bend")

    def with_trigger(self, response, joint=None, axis=Z, pose=None):
        told = pose_to_json(self.character.skeleton, self.pose if pose is None else pose)
        trigger = HingeTrigger(self.upper if joint is None else joint, axis, response)
        remedy = Remedy(Corrective.of(self.shape, told), "Bend", by=trigger.id)
        character = self.character.with_remedy(remedy, trigger)
        return character, remedy

    def found(self, character, remedy):
        return findings_of(Evaluator.of(character), character.rules.remedy(remedy.id))

    def mended(self, character, remedy, finding):
        rules = character.rules
        if finding.trigger is not None:
            rules = rules.with_trigger(finding.trigger)
        if finding.remedy is not None:
            rules = rules.with_remedy(finding.remedy)
        return character.with_rules(rules)

    def check(self, kind, says, response, after=1.0, **where):
        character, remedy = self.with_trigger(response, **where)
        (finding,) = self.found(character, remedy)
        self.assertEqual(finding.kind, kind)
        self.assertRegex(finding.text, says)
        self.assertTrue(finding.click)
        mended = self.mended(character, remedy, finding)
        self.assertEqual(self.found(mended, remedy), [])
        evaluator = Evaluator.of(mended)
        self.assertAlmostEqual(evaluator.pose(self.pose).activation(remedy.id), after, delta=0.02)
        self.assertAlmostEqual(evaluator.pose(mended.skeleton.rest_pose()).activation(remedy.id), 0, delta=1e-9)

    def test_a_sound_rule_has_nothing_wrong(self):
        for response in (degrees((0, 0), (90, 1)), degrees((0, 0), (20, 0.1), (50, 1)), degrees((10, 0), (118, 1))):
            character, remedy = self.with_trigger(response)
            self.assertEqual(self.found(character, remedy), [])

    def test_knots_in_radians(self):
        self.check("unit", "looks like radians", degrees((0, 0), (math.pi / 2, 1)))

    def test_the_sign(self):
        self.check("sign", "off at 90°.*on at -90°", degrees((-90, 1), (0, 0)))

    def test_the_axis(self):
        self.check("axis", "hardly about this axis", degrees((0, 0), (90, 1)), axis=(1.0, 0.0, 0.0))

    def test_a_joint_that_is_not_turned_in_the_pose(self):
        lower = self.character.skeleton.find("lower")
        self.check("joint", "“lower” is not turned.*“upper” is", degrees((0, 0), (90, 1)), joint=lower)

    def test_what_is_on_at_rest(self):
        self.check("rest", "50 % on at rest", degrees((-90, 0), (0, 0.5), (90, 1)))

    def test_what_never_gets_all_the_way(self):
        character, remedy = self.with_trigger(degrees((0, 0), (200, 1)))
        (finding,) = self.found(character, remedy)
        self.assertEqual(finding.kind, "reach")
        self.assertRegex(finding.text, "at most.*from -10° to 120°")
        mended = self.mended(character, remedy, finding)
        self.assertEqual(self.found(mended, remedy), [])
        full = bent(mended.skeleton.rest_pose(), self.upper, np.array(Z), math.radians(120))
        self.assertAlmostEqual(Evaluator.of(mended).pose(full).activation(remedy.id), 1, places=6)

    def test_a_pose_beyond_the_range_counts_as_reached(self):
        self.pose = bent(self.character.skeleton.rest_pose(), self.upper, np.array(Z), math.radians(135))
        character, remedy = self.with_trigger(degrees((0, 0), (135, 1)))
        self.assertEqual(self.found(character, remedy), [])

    def test_a_dial_that_starts_where_it_is_on_is_told_while_the_remedy_is_on(self):
        dial = Dial("Tired", 0.0, 1.0, 0.4, id="d")
        character, remedy = self.with_trigger(degrees((0, 0), (90, 1)))
        rules = character.rules.with_dial(dial).tied(remedy.id, DialTrigger("d", Response((0.0, 1.0), (0.0, 1.0))))
        tied = character.with_rules(rules)
        (finding,) = self.found(tied, remedy)
        self.assertEqual(finding.kind, "rest")
        self.assertIn("40 % on at rest", finding.text)
        off = tied.with_remedy(replace(tied.rules.remedy(remedy.id), on=False))
        self.assertEqual(self.found(off, remedy), [])
        later = tied.with_rules(rules.with_dial(replace(dial, start=0.0)))
        self.assertEqual(self.found(later, remedy), [])

    def test_what_is_only_on_where_the_joint_never_goes_is_turned_round(self):
        character, remedy = self.with_trigger(degrees((-90, 1), (-20, 0)))
        silent = character.with_remedy(replace(remedy, body=Corrective.of(self.shape)))
        (finding,) = self.found(silent, remedy)
        self.assertEqual((finding.kind, finding.click), ("sign", "Flip the sign"))
        mended = self.mended(silent, remedy, finding)
        self.assertEqual(self.found(mended, remedy), [])
        self.assertAlmostEqual(Evaluator.of(mended).pose(self.pose).activation(remedy.id), 1, delta=1e-6)

    def test_more_than_all_of_it_is_told(self):
        character, remedy = self.with_trigger(degrees((0, 0), (90, 1)))
        character = character.with_remedy(replace(character.rules.remedy(remedy.id), amount=1.5))
        (finding,) = self.found(character, remedy)
        self.assertEqual((finding.kind, finding.click), ("amount", ""))
        self.assertIn("150 %", finding.text)

    def test_offsets_recorded_behind_the_skin_are_converted_with_the_same_result(self):
        """The classic fault of another order: a fixture of our own, since no open format can say it."""
        base = Evaluator.of(self.character).pose(self.pose).exact_points()
        near = np.flatnonzero(np.abs(self.character.mesh.rest[:, 1] - 0.5) < 0.12)
        # What the pinch has lost is pushed out again, on the posed skin.
        offsets = 0.03 * outward_normals(base, self.character.mesh.topology)[near]
        self.shape = Shape("Bend", near.astype(np.int32), offsets.astype(np.float32))
        character, remedy = self.with_trigger(degrees((0, 0), (90, 1)))
        wanted = base.copy()
        wanted[near] += offsets
        wrong = Evaluator.of(character).pose(self.pose).exact_points()
        self.assertGreater(np.abs(wrong - wanted).max(), 0.02)
        mended = before_the_skin(Evaluator.of(character), remedy)
        points = Evaluator.of(character.with_remedy(mended)).pose(self.pose).exact_points()
        np.testing.assert_allclose(points, wanted, atol=2e-6)
        # A file need not say in which pose it was made: then it is where its hinge is fully on.
        silent = replace(remedy, body=Corrective.of(self.shape))
        again = before_the_skin(Evaluator.of(character), silent)
        np.testing.assert_allclose(again.body.targets[0].shape.deltas, mended.body.targets[0].shape.deltas, atol=1e-9)
        with self.assertRaisesRegex(BadEditError, "in which pose"):
            before_the_skin(Evaluator.of(character), replace(silent, by=None))


def recorded_behind(evaluator, remedy):
    """The fault, made from a sound corrective: its offsets as they are seen on the posed skin."""
    (target,) = remedy.body.targets
    pose = pose_from_document(evaluator.character.skeleton, target.pose)
    linear = evaluator.pose(pose, NONE).affine[0][target.shape.vertices]
    offsets = np.einsum("vij,vj->vi", linear, target.shape.deltas).astype(np.float32)
    return replace(remedy, body=Corrective.of(replace(target.shape, deltas=offsets), target.pose))


class Order(unittest.TestCase):
    """Which order fits better is told by how smooth a sculpt is: on our own sculpts, made wrong on purpose."""

    def kinds(self, character, remedy):
        return [f.kind for f in findings_of(Evaluator.of(character.with_remedy(remedy)), remedy)]

    def test_no_corrective_of_a_demo_is_accused(self):
        for name in ("lock-keeper", "lock-keeper-half-done", "ferry-cook"):
            character = open_demo(name)[0]
            for remedy, _ in character.rules.correctives:
                self.assertNotIn("order", self.kinds(character, remedy), remedy.name)

    def test_recorded_behind_the_skin_is_found_and_its_click_gives_the_sound_shape_back(self):
        character = open_demo("lock-keeper-half-done")[0]
        evaluator = Evaluator.of(character)
        for sound, body in character.rules.correctives:
            wrong = recorded_behind(evaluator, sound)
            faulty = Evaluator.of(character.with_remedy(wrong))
            (finding,) = [f for f in findings_of(faulty, wrong) if f.kind == "order"]
            self.assertEqual(finding.click, "Put it before the skin")
            self.assertNotIn("order", self.kinds(character, finding.remedy))
            target = body.targets[0]
            pose = pose_from_document(character.skeleton, target.pose)
            mended = Evaluator.of(character.with_remedy(finding.remedy)).pose(pose).points
            np.testing.assert_allclose(mended, evaluator.pose(pose).points, atol=2e-4)
            self.assertGreater(np.abs(faulty.pose(pose).points - mended).max(), 0.01)

    def test_strokes_at_random_places_are_never_accused_and_often_found_when_made_wrong(self):
        character = tube(rings=61)
        upper, evaluator = character.skeleton.find("upper"), Evaluator.of(character)
        rng, rest, found = np.random.default_rng(7), character.mesh.rest, 0
        for turn in range(24):
            angle = math.radians(rng.uniform(40, 110))
            axis = ((0.0, 0.0, 1.0), (1.0, 0.0, 0.0))[turn % 2]
            pose = bent(character.skeleton.rest_pose(), upper, np.array(axis), angle)
            points = evaluator.pose(pose).exact_points()
            seed = rng.choice(np.flatnonzero(np.abs(rest[:, 1] - 0.5) < 0.05))
            fade = np.clip(1 - (np.linalg.norm(points - points[seed], axis=1) / 0.2) ** 2, 0, 1) ** 2
            normals = outward_normals(points, character.mesh.topology)
            along = normals if turn % 3 else rng.normal(size=3)
            shape, _ = solve_corrective(evaluator.pose(pose), points + 0.02 * fade[:, None] * along, "Stroke")
            trigger = HingeTrigger(upper, axis, degrees((0, 0), (math.degrees(angle), 1)))
            body = Corrective.of(shape, pose_to_json(character.skeleton, pose))
            sound = Remedy(body, "Stroke", by=trigger.id)
            tied = character.with_remedy(sound, trigger)
            self.assertNotIn("order", self.kinds(tied, sound), turn)
            found += "order" in self.kinds(tied, recorded_behind(Evaluator.of(tied), sound))
        self.assertGreaterEqual(found, 5)


class Differences(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.character = open_demo("lock-keeper-bare")[0]

    def yawn(self):
        """A yawn by joints: the jaw down, the head back a little."""
        skeleton = self.character.skeleton
        pose = bent(skeleton.rest_pose(), skeleton.find("jaw"), np.array([1.0, 0, 0]), math.radians(22))
        return bent(pose, skeleton.find("head"), np.array([1.0, 0, 0]), math.radians(-6))

    def test_a_yawn_made_with_joints_is_kept_on_head_and_teeth_and_applied_twice_it_is_found(self):
        pose = self.yawn()
        kept = with_difference(self.character, pose, "Yawn")
        (remedy,) = [r for r in kept.rules.remedies if r.name == "Yawn"]
        moved = remedy.body.targets[0].shape.vertices
        parts = {kept.mesh.parts[k].name for k in np.unique(kept.mesh.part_numbers[moved])}
        self.assertGreater(len(parts), 1)
        # Reset, with the dial on, it looks the same.
        rest = replace(kept.skeleton.rest_pose(), dials={"Yawn": 1.0})
        evaluator = Evaluator.of(kept)
        wanted = Evaluator.of(self.character).pose(pose).exact_points()
        np.testing.assert_allclose(evaluator.pose(rest).exact_points(), wanted, atol=2e-6)
        self.assertEqual(twice_in(evaluator, rest), [])
        # Still posed, with the dial on, the movement is there twice, and is found.
        both = replace(pose, dials={"Yawn": 1.0})
        ((same, finding),) = twice_in(evaluator, both)
        self.assertIs(same, remedy)
        mended = finding.remedy
        self.assertEqual(
            (finding.kind, mended.id, mended.on, mended.amount), ("twice", remedy.id, False, remedy.amount)
        )
        self.assertIs(mended.body, remedy.body)
        self.assertIn("applied twice", finding.text)
        self.assertEqual(twice_in(evaluator, pose), [])

    def test_a_file_whose_shape_equals_what_its_joint_does_is_found(self):
        character = tube(rings=31)
        upper = character.skeleton.find("upper")
        pose = bent(character.skeleton.rest_pose(), upper, np.array(Z), math.radians(40))
        evaluator = Evaluator.of(character)
        moved = evaluator.pose(pose).exact_points() - character.mesh.rest
        trigger = guess_trigger(character, pose, Shape.from_dense("", moved, 1e-6))
        remedy = Remedy(Corrective.of(Shape.from_dense("Bend", moved, 1e-6)), "Bend", by=trigger.id)
        kinds = [f.kind for f in findings_of(Evaluator.of(character.with_remedy(remedy, trigger)), remedy)]
        self.assertIn("twice", kinds)

    def test_what_goes_the_same_way_but_not_as_far_is_no_repetition(self):
        evaluator = Evaluator.of(self.character)
        pose = self.yawn()
        moved = evaluator.pose(pose).exact_points() - evaluator.rest()
        for share, twice in ((1.0, True), (0.3, False), (2.5, False), (-1.0, False)):
            self.assertEqual(repeats(evaluator, Shape.from_dense("s", share * moved, 1e-5), pose), twice)

    def test_nothing_is_wrong_with_what_ships(self):
        for name in ("lock-keeper", "lock-diver", "ferry-cook"):
            character = open_demo(name)[0]
            evaluator = Evaluator.of(character)
            for remedy in character.rules.remedies:
                told = [f.text for f in findings_of(evaluator, remedy) if f.kind != "amount"]
                self.assertEqual(told, [], (name, remedy.name))

    def test_a_pose_that_moves_nothing_has_no_difference(self):
        with self.assertRaisesRegex(BadEditError, "no difference"):
            with_difference(self.character, self.character.skeleton.rest_pose(), "Nothing")


class FileShapes(unittest.TestCase):
    def test_a_morph_target_becomes_a_corrective_that_is_off_until_it_is_tied(self):
        character, _ = load("morphcube/AnimatedMorphCube.gltf")
        name = character.mesh.shapes[0].name
        remedy = of_file_shape(character, name)
        self.assertIsNone(remedy.by)
        self.assertEqual((remedy.on, remedy.amount, remedy.kind), (True, 1.0, "corrective"))
        shape = remedy.body.targets[0].shape
        np.testing.assert_array_equal(shape.deltas, character.mesh.shapes[0].deltas)
        np.testing.assert_array_equal(shape.vertices, character.mesh.shapes[0].vertices)
        self.assertNotEqual(remedy.name, name)
        made = character.with_remedy(remedy)
        rest = character.skeleton.rest_pose()
        np.testing.assert_array_equal(Evaluator.of(made).pose(rest).points, Evaluator.of(character).pose(rest).points)
        with self.assertRaisesRegex(BadEditError, "no shape called"):
            of_file_shape(character, "nobody")


class Elbow(unittest.TestCase):
    """Worked case: an elbow at -100 degrees (practice) is guessed right in sign and axis."""

    def check(self, character, joint, axis, angle):
        skeleton = character.skeleton
        pose = bent(skeleton.rest_pose(), joint, np.array(axis), math.radians(angle))
        posed = Evaluator.of(character).pose(pose)
        sculpt = posed.exact_points()
        weights = character.binding.subtree_weights(skeleton, joint)
        shared = (weights > 0.2) & (weights < 0.8)
        self.assertGreater(shared.sum(), 3)
        sculpt[shared] *= 1.002
        moved = Shape.from_dense("", sculpt - posed.exact_points(), 1e-9)
        trigger = guess_trigger(character, pose, moved)
        self.assertEqual(trigger.joint, joint)
        self.assertGreater(abs(float(np.dot(trigger.axis, axis))), 0.999)
        sign = math.copysign(1, float(np.dot(trigger.axis, axis)))
        self.assertAlmostEqual(math.degrees(trigger.response.end) * sign, angle, delta=0.5)
        self.assertEqual(trigger.response.start, 0)

    def test_on_the_demo_and_on_the_fixtures(self):
        keeper = open_demo("lock-keeper-bare")[0]
        for name in ("left_forearm", "right_forearm"):
            joint = keeper.skeleton.find(name)
            for axis in ((1.0, 0, 0), (0, 1.0, 0), (0, 0, 1.0)):
                self.check(keeper, joint, axis, -100.0)
        fox, _ = load("fox/Fox.gltf")
        joint = next(j for j, n in enumerate(fox.skeleton.names) if "LeftForeArm" in n)
        for axis in ((1.0, 0, 0), (0, 0, 1.0)):
            self.check(fox, joint, axis, -100.0)
        hand, _ = load("hand_r.glb")
        joint = next(j for j, n in enumerate(hand.skeleton.names) if "index" in n and "intermediate" in n)
        self.check(hand, joint, (1.0, 0, 0), -100.0)
