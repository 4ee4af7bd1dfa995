"""Repairs that a rigger makes every day, done with the tools and measured; the guide tells the same cases.

A stray weight on the inner leg and teeth that follow rigidly are in test_bind.py.
"""

import unittest
from functools import cache

import numpy as np

from plethos.core.evaluate import Evaluator
from plethos.core.joints.edit import moved_joints
from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.contact import fresh_pairs, intersecting_pairs
from plethos.core.measure.picked import PickedPatch
from plethos.core.measure.travel import bent
from plethos.core.regions import pick
from plethos.core.regions.loops import QuadEdges
from plethos.core.rules.rules import Rules
from plethos.core.sculpt.session import Dab, SculptSurface, Touched
from plethos.core.skin.picked import PICKED
from plethos.core.weights.assign import INSIDE, with_joint_weights
from plethos.core.weights.bind import bound_automatically
from plethos.core.weights.paint import Paint, PaintedWeights
from plethos.core.weights.rows import WeightRows
from plethos.demo.catalogue import open_demo


@cache
def figure(name: str):
    character, _ = open_demo(name)
    character = character.with_rules(Rules())
    return character, Evaluator.of(character).rest()


def brush(character) -> PaintedWeights:
    return PaintedWeights(
        character.mesh.topology, WeightRows(character.binding.by_vertex), character.skeleton.joint_parents
    )


def set_to(character, mode: str, joint: str, strength: float = 1.0, value: float = 1.0) -> Paint:
    skeleton = character.skeleton
    return Paint(mode, skeleton.find(joint), value, strength, np.zeros(len(skeleton), bool))


def whole(shares) -> Touched:
    """A region as the touch of a brush that covers it."""
    inside = np.flatnonzero(shares > 0).astype(np.int32)
    return Touched(inside, shares[inside].astype(float))


class TheArmDragsABulgeOutOfTheRibs(unittest.TestCase):
    def test_subtracting_and_smoothing_brings_their_volume_within_two_percent(self):
        keeper, rest = figure("lock-keeper-bare")
        s, t = keeper.skeleton, keeper.mesh.topology.triangles
        body = np.arange(len(rest)) < keeper.mesh.part("body").vertices[1]
        arm = [s.find(n) for n in ("left_upper_arm", "left_upper_arm_twist_1", "left_clavicle", "right_upper_arm")]
        ribs = body & (rest[:, 1] > 1.10) & (rest[:, 1] < 1.28) & (np.abs(rest[:, 0]) < 0.25)
        ribs &= keeper.binding.joint_weights[:, arm].sum(axis=1) < 0.3
        patch = PickedPatch.of(keeper.with_region(PICKED, ribs.astype(np.float32)), rest)
        lifted = bent(s.rest_pose(), arm[0], (0, 0, 1), np.radians(90))
        middle = rest[t].mean(axis=1)
        on_body = t[:, 0] < keeper.mesh.part("body").vertices[1]
        spot = int(np.argmin(np.where(on_body, np.linalg.norm(middle - [0.17, 1.25, 0], axis=1), np.inf)))
        surface = SculptSurface(keeper.mesh.topology, rest.astype(float), rest.astype(float))
        weights = brush(keeper)

        def touch(radius: float) -> Touched:
            return surface.touch(Dab(spot, tuple(surface.points[t[spot]].mean(axis=0)), radius, 1.0))

        def volume() -> float:
            surface.points[:] = Evaluator.of(with_joint_weights(keeper, weights.rows.over())).pose(lifted).points
            return patch.volume_percent(surface.points)

        weights.dab(touch(0.16), set_to(keeper, "add", "left_upper_arm", 0.5))
        spoiled = volume()
        self.assertGreater(spoiled, 110)
        for _ in range(8):
            weights.dab(touch(0.2), set_to(keeper, "subtract", "left_upper_arm", 0.12))
            weights.dab(touch(0.2), set_to(keeper, "smooth", "left_upper_arm", 0.3))
            mended = volume()
        self.assertAlmostEqual(mended, 100, delta=2)


class AKneeTooPointed(unittest.TestCase):
    def setUp(self):
        self.keeper, self.rest = figure("lock-keeper-bare")
        s = self.keeper.skeleton
        self.thigh, self.shin = s.find("left_thigh"), s.find("left_shin")
        self.knee = s.rest_global[self.shin, :3, 3]
        leg = [s.find(f"left_{n}{end}") for n in ("thigh", "shin") for end in ("", "_twist_1", "_twist_2")]
        dense = self.keeper.binding.joint_weights.astype(float)
        self.near = (np.abs(self.rest[:, 1] - self.knee[1]) < 0.1) & (dense[:, leg].sum(axis=1) > 0.9)
        dense[self.near] = 0
        dense[self.near, np.where(self.rest[self.near, 1] > self.knee[1], self.thigh, self.shin)] = 1
        self.pointed = with_joint_weights(self.keeper, dense)
        self.bend = bent(s.rest_pose(), self.shin, (0, 0, 1), np.radians(110))

    def loops(self, height: float) -> np.ndarray:
        """The loops of leg and trouser leg at a height over the knee, as two clicks on an edge pick them."""
        edges, rest = QuadEdges(self.keeper.mesh.topology, self.rest), self.rest
        level = self.keeper.mesh.topology.edges
        level = level[self.near[level].all(axis=1) & (np.abs(rest[level[:, 0], 1] - rest[level[:, 1], 1]) < 0.004)]
        found = []
        for name in ("body", "trousers"):
            first, last = self.keeper.mesh.part(name).vertices
            own = level[(level[:, 0] >= first) & (level[:, 0] < last)]
            middle = rest[own].mean(axis=1)
            off = np.abs(middle[:, 1] - self.knee[1] - height) + 0.2 * (middle[:, 2] < 0)
            found.append(edges.loop(*own[int(np.argmin(off))].tolist()))
            self.assertEqual(len(found[-1]), 32)
        return np.concatenate(found)

    def sharpest(self, character) -> float:
        """The sharpest angle between neighbouring triangles at the front of the bent knee, degrees."""
        t = character.mesh.topology.triangles
        t = t[self.near[t].all(axis=1) & (self.rest[t].mean(axis=1)[:, 2] > self.knee[2])]
        p = Evaluator.of(character).pose(self.bend).points.astype(float)
        normal = np.cross(p[t[:, 1]] - p[t[:, 0]], p[t[:, 2]] - p[t[:, 0]])
        normal /= np.linalg.norm(normal, axis=1, keepdims=True)
        sides = np.sort(t[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1)
        order = np.lexsort(sides.T)
        same = (np.diff(sides[order], axis=0) == 0).all(axis=1)
        one, other = order[:-1][same] // 3, order[1:][same] // 3
        return float(np.degrees(np.arccos(np.clip((normal[one] * normal[other]).sum(axis=1), -1, 1))).max())

    def test_sharing_the_loops_above_and_below_rounds_it_and_the_girth_rises(self):
        # The front of the knee goes with the shin too early and its hollow with the thigh too long: a point.
        height = self.rest[:, 1] - self.knee[1]
        around = self.near & (np.abs(height) < 0.03)
        front = self.rest[:, 2] > self.knee[2]
        weights = brush(self.pointed)
        for side, share in ((front, 0.8), (~front, 0.2)):
            spot = (around & side).astype(np.float32)
            weights.dab(whole(spot), set_to(self.pointed, "replace", "left_shin", value=share))
        pointed = with_joint_weights(self.pointed, weights.rows.over())
        # Mended: the loop above shared with the shin, the loop below with the thigh, whole beyond them.
        for above, joint in ((height > 0.01, "left_shin"), (height < -0.013, "left_thigh")):
            beyond = (self.near & above).astype(np.float32)
            weights.dab(whole(beyond), set_to(pointed, "replace", joint, value=0.0))
        for at, share in ((0.007, 0.25), (-0.002, 0.5), (-0.0105, 0.75)):
            ring = pick.of_vertices(len(self.rest), self.loops(at))
            weights.dab(whole(ring), set_to(pointed, "replace", "left_shin", value=share))
        mended = with_joint_weights(pointed, weights.rows.over())
        measure = BendMeasure.of(self.pointed, self.shin)
        before, after = (BendMeasure.of(c, measure.joint, measure).at(self.bend) for c in (pointed, mended))
        self.assertGreater(after.girth, before.girth + 15)
        self.assertGreater(after.volume, before.volume + 2)
        self.assertGreater(self.sharpest(pointed), 120)
        self.assertLess(self.sharpest(mended), 60)

    def test_the_girth_where_two_bones_share_by_halves_is_the_closed_form(self):
        # However the loops are shared, linear blending scales the ring of halves by cos(t/2) across the bend: at 110
        # degrees to 57 %. Weights alone cannot raise it; remedies do.
        bound = bound_automatically(self.keeper, INSIDE)
        girth = BendMeasure.of(bound, self.shin).at(self.bend).girth
        self.assertAlmostEqual(girth, 100 * np.cos(np.radians(55)), delta=1.5)


class AHipPivotOutOfPlace(unittest.TestCase):
    def test_moved_to_its_place_without_repainting_the_raised_thigh_keeps_more(self):
        # Three centimetres too low and two too far back. (The other way, up and back, loses on our figures: see
        # test_joints.py, forward keeps more.)
        for name in ("lock-keeper-bare", "lock-diver", "ferry-cook"):
            character, rest = figure(name)
            thigh = character.skeleton.find("left_thigh")
            good = character.skeleton.rest_global[thigh, :3, 3]
            wrong = bound_automatically(moved_joints(character, {thigh: good - [0, 0.03, 0.02]}), INSIDE)
            mended = moved_joints(wrong, {thigh: good})
            self.assertIs(mended.binding.weights, wrong.binding.weights)
            np.testing.assert_allclose(Evaluator.of(mended).rest(), rest, atol=1e-6)
            measure = BendMeasure.of(wrong, thigh)
            raised = bent(wrong.skeleton.rest_pose(), thigh, (0, 0, 1), np.radians(110))
            before, after = measure.at(raised), BendMeasure.of(mended, measure.joint, measure).at(raised)
            self.assertGreater(after.volume, before.volume + 1, name)

    def test_too_low_and_too_far_forward_it_swells_and_moved_up_and_back_it_is_right(self):
        keeper, _ = figure("lock-keeper-bare")
        thigh = keeper.skeleton.find("left_thigh")
        good = keeper.skeleton.rest_global[thigh, :3, 3]
        measure = BendMeasure.of(keeper, thigh)
        raised = bent(keeper.skeleton.rest_pose(), thigh, (0, 0, 1), np.radians(110))
        wrong = moved_joints(keeper, {thigh: good + [0, -0.03, 0.10]})
        mended = moved_joints(wrong, {thigh: good + [0, 0.0, 0.077]})
        self.assertIs(mended.binding.weights, keeper.binding.weights)
        volume = [BendMeasure.of(c, measure.joint, measure).at(raised).volume for c in (wrong, mended)]
        self.assertGreater(volume[0], 106)
        self.assertAlmostEqual(volume[1], 100, delta=1)


class ABellyThatFolds(unittest.TestCase):
    def test_moving_the_fold_to_the_ribs_and_fading_the_lower_part_ends_the_contacts(self):
        cook, rest = figure("ferry-cook")
        s = cook.skeleton
        trunk = [s.find(n) for n in ("pelvis", "spine_1", "spine_2", "chest")]
        dense, height = cook.binding.joint_weights.astype(float), rest[:, 1]
        held = dense[:, trunk].sum(axis=1)
        # All of the bend in four centimetres at the lowest pivot, far behind the belly.
        above = np.clip((height - s.rest_global[trunk[1], 1, 3]) / 0.04 + 0.5, 0, 1)
        dense[:, trunk] = 0
        dense[:, trunk[0]], dense[:, trunk[1]] = held * (1 - above), held * above
        folding = with_joint_weights(cook, dense)
        pose = s.rest_pose()
        for name, degrees in (("spine_1", 40), ("spine_2", 20), ("chest", 10)):
            pose = bent(pose, s.find(name), (0, 0, 1), np.radians(degrees))
        skin = cook.mesh.topology.triangles
        skin = skin[skin[:, 0] < cook.mesh.part("body").vertices[1]]
        at_rest = intersecting_pairs(rest, skin)

        def contacts(character) -> int:
            return len(np.unique(fresh_pairs(Evaluator.of(character).pose(pose).points, skin, at_rest)))

        before = contacts(folding)
        self.assertGreater(before, 50)
        ribs = s.rest_global[s.find("chest"), 1, 3]
        belly = (rest[:, 2] > -0.02) & (height < ribs) & (height > 0.85) & (held > 0.05)
        soft = pick.softened(cook.mesh.topology, rest, belly.astype(np.float32), 0.3)
        weights = brush(folding)
        weights.dab(whole(soft), set_to(folding, "replace", "pelvis", value=0.7))
        for _ in range(20):
            weights.dab(whole(soft), set_to(folding, "smooth", "pelvis"))
        mended = with_joint_weights(folding, weights.rows.over())
        self.assertLess(contacts(mended), 0.1 * before)
        volume = [BendMeasure.of(c, trunk[1]).at(pose).volume for c in (folding, mended)]
        self.assertGreater(volume[1], volume[0])
