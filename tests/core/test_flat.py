"""Drawings: what is measured on them, weights over areas, brushes, mends; against closed forms, SciPy and shapely."""

import math
import unittest
from dataclasses import replace

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import BPoly
from scipy.spatial.transform import Rotation

from plethos.core.edits.split import split_across
from plethos.core.edits.twins import twinned
from plethos.core.errors import BadEditError
from plethos.core.evaluate import ALL, NONE, Evaluator, evaluate_exact
from plethos.core.formats.svg_file import parse_svg
from plethos.core.formats.svg_read import read_drawing
from plethos.core.geometry.outlines import (
    Curve,
    Drawn,
    Fill,
    Outlines,
    area_under,
    bernstein,
    crossed,
    cut,
    flattened,
    is_straight,
    points_on,
)
from plethos.core.geometry.rotations import twist_angle
from plethos.core.geometry.stroke_outline import ribbon, stroke_polygon
from plethos.core.joints.flat import laid_flat
from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.open_fill import open_area, painted, windings
from plethos.core.measure.outline_site import bends_outlines
from plethos.core.measure.travel import bent
from plethos.core.propose.flat_helper import flat_helper
from plethos.core.propose.flat_mend import width_kept
from plethos.core.propose.held import Held, furthest_turned, turned_joints
from plethos.core.propose.kinds import waterfall
from plethos.core.rules.remedies import Corrective, Order, Remedy
from plethos.core.rules.response import Response
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.sculpt.flat_surface import surface_under
from plethos.core.sculpt.outline_brushes import (
    OUTLINE_BRUSHES,
    OutlineSurface,
    move,
    put_back,
    roundness,
    smooth,
    width,
)
from plethos.core.sculpt.session import Dab
from plethos.core.sculpt.solve import solve_corrective
from plethos.core.skeleton.reach import reached
from plethos.core.skin.front_and_behind import behind_name, depth_joints, depth_vertices
from plethos.core.skin.shape import Shape
from plethos.core.weights.assign import with_joint_weights
from plethos.core.weights.bind import bound_automatically
from plethos.demo.drawings.finish import DemoBend, with_bend
from tests.drawings import ARM, Z, bar, laid, opened, posed, svg

HAT = {"name": "hat", "parent": None, "at": [0, 60]}


def lower(character):
    return character.skeleton.find("lower")


class CubicCurves(unittest.TestCase):
    @given(st.integers(0, 2**31))
    @settings(max_examples=30, deadline=None)
    def test_shares_of_the_four_points_are_scipys_bernstein_polynomials(self, seed):
        draw = np.random.default_rng(seed)
        at, bezier = draw.random(20), draw.normal(0, 1, (4, 2))
        np.testing.assert_allclose(bernstein(at).sum(axis=0), 1)
        curve = BPoly(bezier[:, None, :], [0, 1])
        np.testing.assert_allclose(np.einsum("kn,kc->nc", bernstein(at), bezier), curve(at), atol=1e-12)
        self.assertEqual(bernstein(0.25).shape, (4,))

    def test_only_segments_whose_handles_lie_in_their_points_are_straight(self):
        line = np.array([[0.0, 0], [0, 0], [3, 1], [3, 1]])
        bent = [line + np.eye(4)[[k]].T * [0, 0.1] for k in range(4)]
        self.assertEqual(is_straight(np.array([line, *bent])).tolist(), [True, False, False, False, False])


class Curves(unittest.TestCase):
    @given(st.lists(st.floats(-50, 50), min_size=8, max_size=8), st.floats(0.02, 0.98))
    @settings(deadline=None)
    def test_a_cut_curve_is_the_same_curve(self, numbers, t):
        bezier = np.array(numbers).reshape(4, 2)
        left, right = (np.stack(half) for half in cut(bezier, t, lambda a, b, s: a + s * (b - a)))
        at = np.linspace(0, 1, 9)
        np.testing.assert_allclose(points_on(left[None], at)[0], points_on(bezier[None], at * t)[0], atol=1e-9)
        np.testing.assert_allclose(
            points_on(right[None], at)[0], points_on(bezier[None], t + at * (1 - t))[0], atol=1e-9
        )

    @given(st.lists(st.floats(-50, 50), min_size=8, max_size=8), st.floats(-3.1, 3.1))
    @settings(deadline=None)
    def test_crossings_lie_on_the_line_and_as_far_along_it_as_told_and_none_is_left_out(self, numbers, angle):
        bezier, place = np.array(numbers).reshape(4, 2), np.array([3.0, -2.0])
        along = np.array([math.cos(angle), math.sin(angle)])
        found = crossed(bezier, place, along)
        for t, off in found:
            at = points_on(bezier[None], np.array([t]))[0, 0]
            np.testing.assert_allclose(at, place + off * np.array([-along[1], along[0]]), atol=1e-3)
        fine = (points_on(bezier[None], np.linspace(0, 1, 400))[0] - place) @ along
        clear = np.sign(fine[np.abs(fine) > 0.1])
        self.assertGreaterEqual(len(found), int((np.diff(clear) != 0).sum()))

    @given(st.integers(0, 2**31), st.integers(3, 7))
    @settings(max_examples=30, deadline=None)
    def test_greens_area_is_that_of_the_fine_polygon(self, seed, count):
        """Against shapely's area of the same loop as a polygon of many sides."""
        rng = np.random.default_rng(seed)
        points = np.zeros((3 * count, 3))
        angles = np.sort(rng.uniform(0, 2 * np.pi, count))
        for k, a in enumerate(angles):
            at = np.array([math.cos(a), math.sin(a)]) * rng.uniform(0.8, 1.2)
            points[3 * k : 3 * k + 3, :2] = at + np.array([[0, 0], *rng.normal(0, 0.1, (2, 2))])
        surface = Outlines((Curve(0, count),))
        bezier = surface.segments(surface.curves[0], points)
        ring = flattened(bezier, True, 400)
        signed = shapely.Polygon(ring).area if shapely.LinearRing(ring).is_simple else None
        area = area_under(bezier)
        x, y = ring.T
        shoelace = 0.5 * float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)))
        self.assertAlmostEqual(area, shoelace, places=4)
        if signed is not None:
            self.assertAlmostEqual(abs(area), signed, places=4)

    def test_a_circle_of_four_arcs_keeps_its_radius_to_the_known_error(self):
        """Closed form: four cubic arcs with handles of 4/3 tan(pi/8) stay within 2.8e-4 of the radius."""
        file = parse_svg(svg('<circle cx="0" cy="0" r="50"/>'))
        mesh = read_drawing(file, "c").mesh
        surface = mesh.parts[0].surface
        self.assertEqual(surface.curves[0].count, 4)
        far = np.linalg.norm(flattened(surface.segments(surface.curves[0], mesh.points), True, 200), axis=1) / 50
        self.assertLess(np.abs(far - 1).max(), 2.8e-4)
        self.assertGreater(far.max(), 1 + 2e-4)  # and not better than it can be: no finer cut


class OpenFill(unittest.TestCase):
    def test_the_formula_by_integration(self):
        """The area where both halves lie and beyond both joint lines, by counting on a grid."""
        for angle in (60, 90, 120):
            t = math.radians(angle)
            x, y = np.meshgrid(np.linspace(-4, 2, 2400), np.linspace(-2, 2, 1600))
            c, s = math.cos(t), math.sin(t)
            u, v = c * x + s * y, -s * x + c * y  # in the frame of the turned half
            both = (np.abs(y) < 1) & (x < 0) & (np.abs(v) < 1) & (u > 0)
            # Beyond the chord between the two ends of the joint lines on the inside.
            p, q = np.array([0, 1]), np.array([-s, c])
            beyond = (q[0] - p[0]) * (y - p[1]) - (q[1] - p[1]) * (x - p[0]) < 0
            area = float((both & beyond).sum()) * (6 / 2399) * (4 / 1599)
            self.assertAlmostEqual(area, opened(1, t), delta=0.01)
        self.assertAlmostEqual(opened(1, math.radians(120)), 1.299, places=3)

    def test_a_limb_of_rigid_halves_opens_by_the_formula_and_split_not_at_all(self):
        for half, points in ((10, 2), (17, 5)):
            character, _ = laid(svg(bar(half, points)), stiff=True)
            measure = BendMeasure.of(character, lower(character))
            split = split_across(character, lower(character))
            closed = BendMeasure.of(split, lower(split))
            for degrees in (-120, 30, 75, 120):
                found = measure.at(posed(character, lower=degrees)).open_fill
                self.assertAlmostEqual(found / opened(half, abs(math.radians(degrees))), 1, delta=2e-3)
                self.assertLess(closed.at(posed(split, lower=degrees)).open_fill, 1e-6)

    def test_by_the_nonzero_rule_nothing_opens(self):
        character, _ = laid(svg(bar(rule="nonzero")), stiff=True)
        self.assertEqual(BendMeasure.of(character, lower(character)).at(posed(character, lower=120)).open_fill, 0)

    def test_a_ribbon_laid_in_a_ring_opens_where_its_ends_lie_over_each_other_and_not_in_its_middle(self):
        """By hand: a ribbon two wide round a square, its end two by one over its beginning."""
        outline = [(0, 0), (12, 0), (12, 12), (1, 12), (1, 1), (3, 1), (3, 10), (10, 10), (10, 2), (0, 2)]
        points = np.repeat([(x, y, 0.0) for x, y in outline], 3, axis=0)
        for rule, opened_by, covers in (("evenodd", 2, 76), ("nonzero", 0, 78)):
            surface = Outlines((Curve(0, len(outline)),), (Drawn("s", (0,), Fill("#000000", rule=rule)),))
            self.assertAlmostEqual(open_area(surface.drawn[0], surface, points), opened_by)
            self.assertAlmostEqual(painted(surface.drawn[0], surface, points).area, covers)

    def test_what_is_drawn_open_is_not_told(self):
        """A ring by the even-odd rule has a hole at rest."""
        hole = '<path d="M-40 -30H240V30H-40Z M60 -12H140V12H60Z" fill="#888888" fill-rule="evenodd"/>'
        character, _ = laid(svg(hole))
        part = character.mesh.parts[0]
        rest = character.mesh.rest.astype(float)
        self.assertAlmostEqual(open_area(part.surface.drawn[0], part.surface, rest), 80 * 24, places=3)
        measure = BendMeasure.of(character, lower(character))
        self.assertAlmostEqual(measure.at(character.skeleton.rest_pose()).open_fill, 0, places=6)
        # The hole counts as none of its area.
        self.assertAlmostEqual(measure.site.volume, 280 * 60 - 80 * 24, places=2)

    def test_what_cannot_be_measured_is_told_in_a_sentence_for_each(self):
        limb, line = bar(points=6), '<path d="M0 0L60 0L99 0L101 0L140 0L200 0" fill="none" stroke="#000000"/>'
        for drawn, wanted in ((limb, ()), (line, ("no area", "no width"))):
            character, _ = laid(svg(drawn))
            site = BendMeasure.of(character, lower(character)).site
            self.assertEqual(len(site.why), len(wanted))
            for sentence, words in zip(site.why, wanted, strict=True):
                self.assertIn(words, sentence)
            measured = site.measured(character.mesh.rest[site.vertices])
            self.assertEqual((measured.volume is None, measured.girth is None), (bool(wanted), bool(wanted)))

    def test_windings_are_those_of_the_argument(self):
        """Against the sum of the angles that a ring turns by, seen from a place."""
        rng = np.random.default_rng(3)
        ring = rng.normal(0, 1, (9, 2))
        places = rng.uniform(-1, 1, (200, 2))
        found = windings([ring], places)
        to = ring[None] - places[:, None]
        angle = np.angle((to[..., 0] + 1j * to[..., 1]) / 1)
        step = (np.diff(np.concatenate([angle, angle[:, :1]], axis=1)) + np.pi) % (2 * np.pi) - np.pi
        np.testing.assert_array_equal(found, np.round(step.sum(axis=1) / (2 * np.pi)).astype(int))


class Bent(unittest.TestCase):
    def test_half_weighted_sides_come_together_by_the_cosine_and_keep_their_width_when_mended(self):
        """Closed form of linear skinning: cos(t / 2)."""
        x = [str(a) for a in range(0, 201, 10)]
        line = " L".join([f"{a} -10" for a in x] + [f"{a} 10" for a in x[::-1]])
        shape = f'<path d="M{line}Z"/>'
        character, _ = laid(svg(shape))
        weight = character.binding.subtree_weights(character.skeleton, lower(character))
        middle = np.flatnonzero(character.mesh.rest[:, 0] == 100)
        np.testing.assert_allclose(weight[middle], 0.5, atol=0.02)
        measure = BendMeasure.of(character, lower(character))
        for degrees in (30, -60, 90):
            pose = posed(character, lower=degrees)
            self.assertAlmostEqual(measure.at(pose).girth / 100, math.cos(math.radians(degrees / 2)), delta=0.01)
            kept = width_kept(character, lower(character), pose)
            # The two points beside the joint keep their distance to the last digit.
            above, below = (middle[(character.mesh.rest[middle, 1] > 0) == up][0] for up in (True, False))
            wide = np.linalg.norm(kept[above] - kept[below])
            turned = abs(float(weight[above] - weight[below])) * math.radians(abs(degrees))
            self.assertAlmostEqual(wide, 20 * math.cos(turned / 2), places=4)
            self.assertGreater(measure.of_points(kept[measure.site.vertices]).girth, 94)
            half = width_kept(character, lower(character), pose, share=0.5)
            np.testing.assert_allclose(half, 0.5 * (kept + evaluate_exact(character, pose)), atol=1e-9)

    def test_measures_at_rest_and_turned_as_a_whole_are_a_hundred(self):
        character, _ = laid(svg(bar(points=6)))
        measure = BendMeasure.of(character, lower(character))
        for degrees in (0, 33, 180):
            found = measure.at(posed(character, upper=degrees))
            self.assertAlmostEqual(found.volume, 100, places=3)
            self.assertAlmostEqual(found.girth, 100, places=3)

    def test_the_width_is_that_of_the_thing_whose_outline_is_nearest(self):
        """What else the joint bends is not measured there: a band behind the limb, or a strip along one side of it."""
        limb, band, strip = bar(points=6), bar(40, 6, name="band"), bar(20, 6, name="strip")
        for other in (band, f'<g transform="translate(0 25)">{strip}</g>'):
            for shapes in ((limb, other), (other, limb)):
                character, _ = laid(svg(*shapes))
                site = BendMeasure.of(character, lower(character)).site
                across = np.einsum(
                    "wek,wekc->wec", site.widths.basis, character.mesh.rest[site.vertices][site.widths.vertices]
                )
                self.assertLess(across[:, 0, 0].min(), 90)  # on both bones
                self.assertGreater(across[:, 0, 0].max(), 110)
                near = np.abs(across[:, 0, 0] - 100) < 20
                self.assertGreater(near.sum(), 2)
                np.testing.assert_allclose(site.at_rest[near], 20, atol=1e-3)

    def test_a_mend_makes_a_crease_on_the_inside_and_no_knot(self):
        """shapely: the line crosses itself nowhere, also where a bend is so narrow that its points pass each other."""
        x = np.arange(0, 201, 10)
        for wavy in (0, 3):
            over = [f"{a} {-30 - wavy * math.sin(a / 15):.3f}" for a in x]
            line = " L".join([*over, *(f"{a} 30" for a in x[::-1])])
            character, _ = laid(svg(f'<path d="M{line}Z"/>'))
            surface = character.mesh.parts[0].surface
            for degrees in (-110, -60, 45, 100):
                kept = width_kept(character, lower(character), posed(character, lower=degrees))
                ring = flattened(surface.segments(surface.curves[0], kept), True, 12)
                apart = ring[np.linalg.norm(np.roll(ring, -1, axis=0) - ring, axis=1) > 1e-6]
                self.assertTrue(shapely.LinearRing(apart).is_simple, (wavy, degrees))
                # What bends open on the outside keeps its distance from the joint.
                outer = np.sign(character.mesh.rest[:, 1]) != np.sign(degrees)
                now, was = (np.linalg.norm(p - [100, 0, 0], axis=1) for p in (kept, character.mesh.rest))
                np.testing.assert_allclose(now[outer], was[outer], atol=1e-3)
                # A crease lies as far from it as its points did on average.
                self.assertAlmostEqual(now.sum() / was.sum(), 1, places=5)

    def test_a_mend_leaves_what_wholly_turns_where_remedies_put_it(self):
        character, _ = laid(svg(bar(points=6)))
        weight = character.binding.subtree_weights(character.skeleton, lower(character))
        whole = np.flatnonzero(weight > 1 - 1e-6).astype(np.int32)
        self.assertGreater(len(whole), 0)
        shape = Shape("s", whole, np.tile(np.float32([0, 5, 0]), (len(whole), 1)))
        trigger = HingeTrigger(lower(character), Z, Response((0.0, 1.0), (0.0, 1.0)), id="t")
        shaped = character.with_remedy(Remedy(Corrective.of(shape), "s", by="t"), trigger)
        pose = posed(shaped, lower=90)
        np.testing.assert_array_equal(
            width_kept(shaped, lower(character), pose)[whole], evaluate_exact(shaped, pose)[whole]
        )

    def test_the_reference_twin_agrees_with_the_compiled_kernels_width_and_all(self):
        character, _ = laid(svg(bar(points=6)))
        rng = np.random.default_rng(1)
        moved = np.arange(0, 30, dtype=np.int32)
        shape = Shape("s", moved, rng.normal(0, 3, (30, 3)).astype(np.float32) * np.float32([1, 1, 0]),
                      channels=rng.uniform(0, 2, (30, 1)).astype(np.float32))  # fmt: skip
        trigger = HingeTrigger(lower(character), Z, Response((0.0, 1.0), (0.0, 1.0)), id="t")
        shaped = character.with_remedy(Remedy(Corrective.of(shape), "s", by="t"), trigger)
        pose = posed(shaped, lower=math.degrees(0.5), upper=20)
        made = Evaluator.of(shaped).pose(pose)
        np.testing.assert_allclose(made.points, made.exact_points(), atol=2e-4)
        np.testing.assert_allclose(
            made.channels[moved, 0], character.mesh.channels[moved, 0] + 0.5 * shape.channels[:, 0], atol=1e-5
        )

    def test_a_joint_that_bends_nothing_says_so(self):
        character, _ = laid(svg(bar()))
        with self.assertRaisesRegex(BadEditError, "bends no outline"):
            BendMeasure.of(character, character.skeleton.find("upper"))
        self.assertFalse(bends_outlines(character, character.skeleton.find("upper")))
        self.assertTrue(bends_outlines(character, lower(character)))

    def test_a_mend_of_what_is_no_drawing_or_not_bent_is_refused(self):
        character, _ = laid(svg(bar()))
        with self.assertRaisesRegex(BadEditError, "not bent"):
            width_kept(character, lower(character), character.skeleton.rest_pose())


class Weights(unittest.TestCase):
    def test_they_sum_to_one_fall_along_the_bone_and_handles_have_those_of_their_point(self):
        character, _ = laid(svg(bar(half=12, points=14)))
        dense = character.binding.joint_weights
        np.testing.assert_allclose(dense.sum(axis=1), 1, atol=1e-6)
        np.testing.assert_array_equal(dense[::3], dense[1::3])
        np.testing.assert_array_equal(dense[::3], dense[2::3])
        top = np.flatnonzero(character.mesh.rest[:, 1] > 0)[::3]
        order = top[np.argsort(character.mesh.rest[top, 0])]
        falls = dense[order, character.skeleton.find("upper")]
        self.assertTrue((np.diff(falls) <= 1e-4).all())
        self.assertGreater(falls[0], 0.95)
        # Both sides of the limb alike: the area is what the heat spreads over.
        below = np.array([np.flatnonzero((character.mesh.rest[:, 0] == x) & (character.mesh.rest[:, 1] < 0))[0]
                          for x in character.mesh.rest[order, 0]])  # fmt: skip
        np.testing.assert_allclose(dense[order], dense[below], atol=0.06)

    def test_a_leg_in_front_follows_no_joint_of_the_one_behind(self):
        """Also where the two legs stand in one line, so that only their names tell them apart."""
        for apart in (2, 0.05, -0.05):
            joints = [{"name": "hip", "parent": None, "at": [0, -60]}]
            for side, x in (("front", -apart), ("back", apart)):
                joints += [
                    {"name": f"{side}_thigh", "parent": "hip", "at": [x, -50]},
                    {"name": f"{side}_shin", "parent": f"{side}_thigh", "at": [x, 20]},
                    {"name": f"{side}_foot", "parent": f"{side}_shin", "at": [x, 100]},
                ]
            legs = [f'<g id="{s} leg"><path id="{s} line" d="M{x - 12} -60H{x + 12}V20V110H{x - 12}V20Z"/></g>'
                    for s, x in (("back", apart), ("front", -apart))]  # fmt: skip
            character, _ = laid(svg(*legs), joints)
            for side, other in (("front", "back"), ("back", "front")):
                own = slice(*character.mesh.part(f"{side} leg").vertices)
                follows = np.flatnonzero(character.binding.joint_weights[own].any(axis=0))
                held = [character.skeleton.names[j] for j in follows]
                self.assertTrue(any(side in n for n in held))
                self.assertFalse([n for n in held if other in n])

    def test_an_arm_that_hangs_before_a_trunk_leaves_it_to_the_spine(self):
        joints = [
            {"name": "pelvis", "parent": None, "at": [0, 100]}, {"name": "spine", "parent": "pelvis", "at": [0, 40]},
            {"name": "chest", "parent": "spine", "at": [0, -30]}, {"name": "head", "parent": "chest", "at": [0, -100]},
            {"name": "arm", "parent": "chest", "at": [4, -20]}, {"name": "forearm", "parent": "arm", "at": [4, 50]},
            {"name": "hand", "parent": "forearm", "at": [30, 120]},
        ]  # fmt: skip
        trunk = '<g id="trunk"><path d="M-40 -50 L40 -50 L44 20 L40 110 L-40 110 L-44 20 Z"/></g>'
        arm = '<g id="arm"><path d="M-8 -26 L16 -26 L16 50 L36 116 L20 124 L-8 50 Z"/></g>'
        character, _ = laid(svg(trunk, arm), joints)
        dense, names = character.binding.joint_weights, character.skeleton.names
        held = {p.name: {names[j] for j in np.flatnonzero((dense[slice(*p.vertices)] > 0.05).any(axis=0))}
                for p in character.mesh.parts}  # fmt: skip
        self.assertLessEqual(held["trunk"], {"pelvis", "spine", "chest"})
        self.assertLessEqual(held["arm"], {"chest", "arm", "forearm", "hand"})
        self.assertIn("forearm", held["arm"])

    def test_whatever_is_given_to_a_point_its_handles_follow(self):
        character, _ = laid(svg(bar(half=12, points=5)))
        told = np.random.default_rng(2).dirichlet(np.ones(4), len(character.mesh))
        told[:, character.skeleton.find("end") + 1 :] = 0
        dense = with_joint_weights(character, told[:, : len(character.skeleton)]).binding.joint_weights
        own = told[::3, : len(character.skeleton)]
        np.testing.assert_allclose(dense[::3], own / own.sum(axis=1, keepdims=True), atol=1e-6)
        for handle in (1, 2):
            np.testing.assert_array_equal(dense[handle::3], dense[::3])

    def test_what_lies_beside_the_bones_follows_the_nearest(self):
        """A patch as it may be drawn on a sleeve: no bone goes through it."""
        tail = [{"name": "tail", "parent": "upper", "at": [0, 60]}, {"name": "tip", "parent": "tail", "at": [0, 120]}]
        for x, joint in ((30, "upper"), (150, "lower")):
            patch = f'<g id="patch"><path d="M{x} 20h10v10h-10z"/></g>'
            character, _ = laid(svg(f'<g id="limb">{bar(points=6)}</g>', patch), [*ARM, *tail])
            own = slice(*character.mesh.part("patch").vertices)
            np.testing.assert_allclose(character.binding.joint_weights[own, character.skeleton.find(joint)], 1)

    def test_without_joints_a_sentence(self):
        with self.assertRaisesRegex(BadEditError, "no joints"):
            bound_automatically(read_drawing(parse_svg(svg(bar())), "bare"), 4)


class Turned(unittest.TestCase):
    def test_a_joint_that_moves_no_point_is_not_the_one_that_a_pose_is_about(self):
        character, _ = laid(svg(bar(points=6)))
        weights = character.binding.joint_weights.copy()
        weights[:, lower(character)] += weights[:, character.skeleton.find("end")]
        weights[:, character.skeleton.find("end")] = 0
        character = with_joint_weights(character, weights, 4)
        pose = posed(character, lower=20, end=80)
        self.assertEqual(list(turned_joints(character, pose)), [lower(character)])
        with self.assertRaises(BadEditError):
            furthest_turned(character, posed(character, end=80))


class Laying(unittest.TestCase):
    def test_joints_stand_where_they_are_told_and_turn_counter_clockwise_as_seen(self):
        character, _ = laid(svg(bar()))
        world = character.skeleton.rest_global
        np.testing.assert_allclose(world[lower(character), :3, 3], [100, 0, 0])
        turned = character.skeleton.global_matrices(posed(character, lower=90))
        # Up in the world is up as seen: y below 0 in user units.
        np.testing.assert_allclose(turned[character.skeleton.find("end"), :3, 3], [100, 100, 0], atol=1e-9)
        self.assertEqual(character.skeleton.hinge(lower(character)).axis, Z)

    def test_children_may_come_before_their_parents(self):
        character = laid_flat(read_drawing(parse_svg(svg(bar())), "x"), ARM[::-1])
        self.assertEqual(character.skeleton.names[character.skeleton.joint_parents[lower(character)]], "upper")

    def test_what_is_told_wrongly_is_refused_with_a_sentence(self):
        bare = read_drawing(parse_svg(svg(bar())), "x")
        a = {"name": "a", "parent": None, "at": [0, 0]}
        for told, why in (
            ([], "told as"), ({}, "told as"), ("x", "told as"), ([1], "told as"), ([{**a, "name": " "}], "told as"),
            ([{**a, "at": [0]}], "in full"), ([{**a, "at": [0, math.nan]}], "in full"),
            ([{**a, "at": [0, True]}], "in full"),
            ([{**a, "at": [1e9, 0]}], "in full"), ([{**a, "parent": 3}], "in full"),
            ([a, a], "already"), ([{**a, "parent": "b"}], "parent of"),
            ([{**a, "parent": "b"}, {**a, "name": "b", "parent": "a"}], "circle"),
            ([{**a, "range_deg": [10, -10]}], "whole turn"), ([{**a, "range_deg": [-300, 300]}], "whole turn"),
        ):  # fmt: skip
            with self.assertRaisesRegex(BadEditError, why):
                laid_flat(bare, told)


class Reaching(unittest.TestCase):
    @given(st.floats(0.3, 0.97), st.floats(-3.1, 3.1), st.sampled_from([-40.0, 40.0]))
    @settings(max_examples=40, deadline=None)
    def test_the_end_comes_to_the_place_in_the_plane_by_the_law_of_cosines(self, share, angle, bend):
        character, _ = laid(svg(bar()))
        skeleton = character.skeleton
        pose = posed(character, lower=bend)
        at = share * 200 * np.array([math.cos(angle), math.sin(angle), 0])
        for joint, q in reached(skeleton, pose, skeleton.find("end"), at).items():
            np.testing.assert_allclose(q[:2], 0, atol=1e-9)  # nothing leaves the plane
            pose = pose.with_rotation(joint, q)
        world = skeleton.global_matrices(pose)
        inner = math.acos(1 - (share * 200) ** 2 / (2 * 100 * 100))
        swung = float(twist_angle(pose.rotations[skeleton.find("upper")], np.array(Z)))
        if max(math.pi - inner, abs(swung)) < math.radians(155):  # within the soft ends of the ranges
            np.testing.assert_allclose(world[skeleton.find("end"), :3, 3], at, atol=1e-6)
        # The side of the bend is kept.
        a, b = world[lower(character), :2, 3], world[skeleton.find("end"), :2, 3] - world[lower(character), :2, 3]
        self.assertGreater((a[0] * b[1] - a[1] * b[0]) * bend, 0)


class UnderTheBrush(unittest.TestCase):
    def test_it_reaches_the_points_within_it_and_their_handles_with_them(self):
        mesh = read_drawing(parse_svg(svg(bar(points=6))), "b").mesh
        surface = surface_under(mesh, mesh.rest.astype(float), mesh.rest.astype(float))
        at = mesh.rest[3].astype(float) + [3, 0, 0]
        for falloff in (1.0, 0.5):
            touched = surface.touch(Dab(0, tuple(at), 50.0, 1.0, (0, 0, 0), falloff))
            away = np.linalg.norm(mesh.rest[::3, :2] - at[:2], axis=1)
            np.testing.assert_array_equal(np.unique(touched.vertices // 3), np.flatnonzero(away < 50))
            np.testing.assert_array_equal(np.bincount(touched.vertices // 3)[away < 50], 3)
            # Wholly within the share that does not fade; then (1 - t^2)^2 as on a skin.
            out = np.clip(away / 50 - (1 - falloff), 0, None) / falloff
            wanted = (1 - out[touched.vertices // 3] ** 2) ** 2
            np.testing.assert_allclose(touched.shares, wanted, atol=1e-12)
        surface.within = (mesh.rest[:, 1] > 0).astype(float)
        kept = surface.touch(Dab(0, tuple(at), 500.0, 1.0, (0, 0, 0), 1.0)).vertices
        self.assertTrue((mesh.rest[kept, 1] > 0).all())
        self.assertGreater(len(kept), 0)
        for wrong in ((math.nan, 0, 0), (1e9, 0, 0)):
            with self.assertRaisesRegex(BadEditError, "outside of the drawing"):
                surface.touch(Dab(0, wrong, 5.0, 1.0))
        with self.assertRaisesRegex(BadEditError, "outside of the drawing"):
            surface.touch(Dab(0, tuple(at), 0.0, 1.0))

    def test_weights_of_chosen_joints_leave_those_that_they_do_not_hold(self):
        character, _ = laid(svg(bar(points=6), '<circle cx="0" cy="-60" r="9"/>'), [*ARM, HAT])
        chosen = np.zeros(len(character.skeleton), bool)
        chosen[character.skeleton.find("hat")] = True
        again = bound_automatically(character, 4, joints=chosen)
        limb = slice(*character.mesh.parts[0].vertices)
        np.testing.assert_array_equal(
            again.binding.joint_weights[limb], character.binding.joint_weights[limb]
        )  # fmt: skip


class Brushes(unittest.TestCase):
    def setUp(self):
        shape = '<path d="M0 0C10 -30 30 -30 40 0S70 30 80 0S110 -30 120 0L60 80Z" stroke="#000000" stroke-width="4"/>'
        self.mesh = read_drawing(parse_svg(svg(shape, '<path d="M0 90H120" stroke="#000000"/>')), "b").mesh

    def surface(self, **more):
        points, channels = self.mesh.rest.astype(float), self.mesh.channels.astype(float)
        return OutlineSurface(self.mesh, points.copy(), channels.copy(), points.copy(), channels.copy(), **more)

    def dab(self, vertex=3, drag=(0, 0, 0), strength=1.0, radius=0.0):
        return Dab(vertex, (0, 0, 0), radius, strength, drag)

    def test_a_point_takes_its_handles_along_and_nothing_else(self):
        surface = self.surface()
        move(surface, self.dab(drag=(5, 7, 3)))
        np.testing.assert_allclose((surface.points - surface.start)[3:6], [[5, 7, 0]] * 3)
        self.assertEqual(np.abs(surface.points - surface.start).sum(axis=1).astype(bool).sum(), 3)
        # The pointer's whole way counts, not the way since the last touch.
        move(surface, self.dab(drag=(1, 0, 0)))
        np.testing.assert_allclose((surface.points - surface.start)[3:6], [[1, 0, 0]] * 3)

    def test_neighbours_along_the_outline_fade_and_those_through_the_air_come_only_when_asked(self):
        surface = self.surface()
        move(surface, self.dab(vertex=6, drag=(0, 9, 0), radius=60))
        far = np.abs(surface.points - surface.start)[::3, 1]
        self.assertEqual(far[2], 9)
        self.assertTrue(0 < far[1] < 9 and 0 < far[3] < 9)
        self.assertEqual(far[5], 0)  # the other path
        # The last point lies beside the line below it.
        near = self.surface(others=True)
        move(near, self.dab(vertex=12, drag=(0, 9, 0), radius=70))
        alone = self.surface()
        move(alone, self.dab(vertex=12, drag=(0, 9, 0), radius=70))
        self.assertGreater(np.abs(near.points - near.start)[15:].max(), 0)
        self.assertEqual(np.abs(alone.points - alone.start)[15:].max(), 0)

    def test_picked_points_move_together_when_one_of_them_is_taken(self):
        surface = self.surface(picked=(0, 9))
        move(surface, self.dab(vertex=9, drag=(2, 0, 0)))
        np.testing.assert_allclose((surface.points - surface.start)[[0, 9], 0], 2)
        alone = self.surface(picked=(0, 9))
        move(alone, self.dab(vertex=3, drag=(2, 0, 0)))
        self.assertEqual(np.abs(alone.points - alone.start)[[0, 9]].max(), 0)

    def test_a_handle_turns_its_other_one_while_they_are_in_line(self):
        surface = self.surface()
        move(surface, self.dab(vertex=5, drag=(3, 5, 0)))
        at, before, after = surface.points[3:6]
        self.assertAlmostEqual(float(np.cross(before - at, after - at)[2]), 0, places=6)
        self.assertAlmostEqual(
            np.linalg.norm(before - at), np.linalg.norm(surface.start[4] - surface.start[3]), places=9
        )
        corner = self.surface()
        move(corner, self.dab(vertex=1, drag=(3, 5, 0)))
        np.testing.assert_array_equal(corner.points[2], corner.start[2])

    def test_roundness_scales_both_handles_down_to_a_corner_and_opens_a_corner(self):
        for strength, factor in ((-0.5, 0.5), (-1, 0), (-3, 0), (1, 2), (9, 3)):
            surface = self.surface()
            roundness(surface, self.dab(vertex=6, strength=strength))
            arms = surface.points[7:9] - surface.points[6]
            np.testing.assert_allclose(arms, factor * (surface.start[7:9] - surface.start[6]), atol=1e-9)
            np.testing.assert_array_equal(surface.points[6], surface.start[6])
        surface = self.surface()
        roundness(surface, self.dab(vertex=12, strength=1))
        arms = surface.points[13:15] - surface.points[12]
        self.assertLess(arms[0] @ arms[1], 0)
        self.assertGreater(np.linalg.norm(arms, axis=1).min(), 1)
        # Along the way from the point before it to the one after it, a third as far as these are.
        one, other = (surface.start[3 * surface.beside[k][4]] for k in (0, 1))
        way = (other - one) / np.linalg.norm(other - one)
        far = [np.linalg.norm(p - surface.start[12]) / 3 for p in (one, other)]
        np.testing.assert_allclose(arms, [-far[0] * way, far[1] * way], atol=1e-9)

    def test_width_never_goes_below_nothing_and_moves_no_point(self):
        surface = self.surface()
        width(surface, self.dab(vertex=6, strength=0.5))
        self.assertAlmostEqual(surface.channels[6, 0], 6)
        width(surface, self.dab(vertex=6, strength=-7))
        self.assertEqual(surface.channels[6, 0], 0)
        np.testing.assert_array_equal(surface.points, surface.start)
        self.assertEqual((surface.channels != surface.start_channels).sum(), 1)

    def test_neighbours_are_those_before_and_after_along_each_outline(self):
        before, after = self.surface().beside
        self.assertEqual(before.tolist(), [4, 0, 1, 2, 3, 5, 5])
        self.assertEqual(after.tolist(), [1, 2, 3, 4, 0, 6, 6])
        # A whole smooth takes a point half of the way to the middle of them, its arms into line with the way past it.
        surface = self.surface()
        smooth(surface, self.dab(vertex=6, strength=1.0))
        one, at, other = surface.start[3], surface.start[6], surface.start[9]
        np.testing.assert_allclose(surface.points[6], at + 0.5 * (0.5 * (one + other) - at), atol=1e-12)
        arms, way = surface.points[7:9] - surface.points[6], (other - one) / np.linalg.norm(other - one)
        lengths = np.linalg.norm(surface.start[7:9] - at, axis=1)
        np.testing.assert_allclose(arms, [-lengths[0] * way, lengths[1] * way], atol=1e-12)
        np.testing.assert_array_equal(np.delete(surface.points, [6, 7, 8], 0), np.delete(surface.start, [6, 7, 8], 0))

    def test_smooth_takes_out_a_bump_and_put_back_undoes_all(self):
        surface = self.surface()
        move(surface, self.dab(vertex=6, drag=(0, 40, 0)))
        surface.let_go()
        bump = surface.points[6, 1]
        for _ in range(6):
            smooth(surface, self.dab(vertex=6, strength=0.8))
            surface.let_go()
        self.assertLess(surface.points[6, 1], 0.5 * bump)
        width(surface, self.dab(vertex=6, strength=1))
        surface.let_go()
        put_back(surface, self.dab(vertex=6, radius=1000, strength=1.0))
        np.testing.assert_allclose(surface.points[6], surface.start[6], atol=1e-9)
        np.testing.assert_allclose(surface.channels[6], surface.start_channels[6], atol=1e-9)

    def test_nonsense_is_refused_before_anything_moves(self):
        for dab in (self.dab(vertex=-1), self.dab(vertex=10**6), self.dab(drag=(math.nan, 0, 0)),
                    self.dab(radius=-1), self.dab(drag=(1e9, 0, 0))):  # fmt: skip
            with self.assertRaises(BadEditError):
                self.surface().check(dab)
        with self.assertRaises(BadEditError):
            self.surface(picked=(10**6,)).check(self.dab())
        self.assertEqual(set(OUTLINE_BRUSHES), {"move", "roundness", "width", "smooth", "put_back"})


class Strokes(unittest.TestCase):
    def test_a_stroke_of_one_width_covers_what_shapely_buffers(self):
        mesh = read_drawing(
            parse_svg(svg('<path d="M0 0C40 -60 80 60 120 0L160 40" fill="none" stroke="#000000"/>')), "s"
        ).mesh
        surface = mesh.parts[0].surface
        drawn, points = surface.drawn[0], mesh.rest.astype(float)
        line = shapely.LineString(flattened(surface.segments(surface.curves[0], points), False, 200))
        rings = stroke_polygon(drawn, surface, points, np.full(len(points), 8.0))
        area = shapely.union_all([shapely.Polygon(r) for r in rings]).area
        self.assertAlmostEqual(area / line.buffer(4).area, 1, delta=0.01)
        # The band for animations has square ends: shorter by half a disc at each.
        band = ribbon(drawn, surface, points, np.full(len(points), 8.0))
        area = shapely.Polygon(band[0]).buffer(0).area
        self.assertAlmostEqual(area / (line.buffer(4).area - math.pi * 16), 1, delta=0.03)

    def test_a_cone_of_widths_has_the_area_of_its_trapezoid(self):
        mesh = read_drawing(parse_svg(svg('<path d="M0 0H100" fill="none" stroke="#000000"/>')), "s").mesh
        surface = mesh.parts[0].surface
        widths = np.repeat([4.0, 12.0], 3)
        band = ribbon(surface.drawn[0], surface, mesh.rest.astype(float), widths)[0]
        self.assertAlmostEqual(shapely.Polygon(band).area, 100 * (4 + 12) / 2, places=2)


class Splitting(unittest.TestCase):
    def test_nothing_is_seen_of_it_at_rest_and_all_goes_along(self):
        above = "M0 -12C30 -16 55 -18 80 -18S110 -18 120 -18S170 -16 200 -12C206 -6 206 6 200 12"
        below = "C170 16 140 18 120 18S90 18 80 18S30 16 0 12C-6 6 -6 -6 0 -12Z"
        round_limb = f'<path id="limb" d="{above}{below}" fill="#cc8800" fill-rule="evenodd" stroke="#000000"/>'
        character, _ = laid(svg(round_limb))
        character = with_bend(character, DemoBend("lower", 80, "mend"))
        split = split_across(character, lower(character))
        drawn = [d for _, s in split.mesh.outlines() for d in s.drawn]
        self.assertEqual([len(d.stroke.hidden) for d in drawn], [1, 1])
        whole = painted(character.mesh.parts[0].surface.drawn[0], character.mesh.parts[0].surface, character.mesh.rest)
        surface = split.mesh.parts[0].surface
        halves = shapely.union_all([painted(d, surface, split.mesh.rest) for d in surface.drawn])
        self.assertLess(halves.symmetric_difference(whole).area, 0.01)
        np.testing.assert_allclose(split.binding.joint_weights.sum(axis=1), 1, atol=1e-6)
        # In any pose the halves cover what the whole did, and the corrective still acts.
        for pose in (posed(split, lower=40), posed(split, lower=80)):
            now = Evaluator.of(split).pose(pose)
            was = Evaluator.of(character).pose(pose)
            drawn_now = shapely.union_all([painted(d, surface, now.points) for d in surface.drawn])
            drawn_was = painted(character.mesh.parts[0].surface.drawn[0], character.mesh.parts[0].surface, was.points)
            self.assertLess(drawn_now.symmetric_difference(drawn_was).area / drawn_was.area, 0.04)
            without = Evaluator.of(split).pose(pose, NONE).points
            self.assertGreater(np.abs(now.points - without).max(), 0.3)

    def test_a_new_point_follows_what_it_lies_between_and_shapes_go_on_over_it(self):
        """By de Casteljau's scheme a cut curve is the same curve, whatever its control points were moved by."""
        shape = '<path d="M0 -20C30 -30 50 -26 80 -20S110 -12 120 -20L200 -20V20H120C110 26 90 12 80 20H0Z"/>'
        character, _ = laid(svg(shape), stiff=True)
        moved = np.arange(len(character.mesh), dtype=np.int32)
        deltas = np.random.default_rng(4).normal(0, 2, (len(moved), 3)).astype(np.float32) * np.float32([1, 1, 0])
        trigger = HingeTrigger(lower(character), Z, Response((0.0, 1.0), (0.0, 1.0)), id="t")
        shaped = character.with_remedy(Remedy(Corrective.of(Shape("s", moved, deltas)), "s", by="t"), trigger)
        split = split_across(shaped, lower(shaped))
        heads = np.flatnonzero(np.abs(split.mesh.rest[::3, 0] - 100) < 1e-3) * 3
        self.assertEqual(len(heads), 4)  # two crossings, on both sides of the cut
        self.assertTrue((split.binding.joint_weights[heads, lower(split)] > 0.3).all())
        self.assertTrue((split.binding.joint_weights[heads, lower(split)] < 0.7).all())
        one, other = (
            shapely.union_all([painted(d, c.mesh.parts[0].surface, Evaluator.of(c).pose(posed(c, lower=90)).shaped())
                               for d in c.mesh.parts[0].surface.drawn]) for c in (shaped, split)
        )  # fmt: skip
        self.assertLess(one.symmetric_difference(other).area, 1e-3 * one.area)

    def test_the_half_behind_goes_on_under_the_other_and_masks_go_along(self):
        character, _ = laid(svg(bar(points=6)))
        helped = flat_helper(Held.of(character, lower(character), posed(character, lower=60)), 15, 40)
        split = split_across(helped, lower(helped))
        surface = split.mesh.parts[0].surface
        one, other = (painted(d, surface, split.mesh.rest) for d in surface.drawn)
        self.assertGreater(one.intersection(other).area, 5)
        self.assertLess(one.intersection(other).area, 0.25 * 20 * 20)
        before, after = (c.rules.remedies[0].mask.dense(len(c.mesh)) for c in (helped, split))
        for at, share in zip(helped.mesh.rest[::3], before[::3], strict=True):
            same = int(np.linalg.norm(split.mesh.rest[::3] - at, axis=1).argmin())
            self.assertAlmostEqual(after[3 * same], share, places=6)

    def test_a_joint_without_bones_is_refused(self):
        character, _ = laid(svg(bar(points=6)), [{"name": "lone", "parent": None, "at": [100, 0]}])
        with self.assertRaises(BadEditError):
            split_across(character, 0)

    def test_what_lies_in_a_hole_goes_with_the_half_that_it_lies_in(self):
        shape = '<path d="M0 -20H200V20H0Z M20 -5H60V5H20Z M140 -5H180V5H140Z" fill="#888888" fill-rule="evenodd"/>'
        character, _ = laid(svg(shape))
        split = split_across(character, lower(character))
        surface = split.mesh.parts[0].surface
        self.assertEqual([len(d.curves) for d in surface.drawn], [2, 2])
        for d, low, high in zip(surface.drawn, (0, 99), (101, 200), strict=True):
            area = painted(d, surface, split.mesh.rest)
            self.assertTrue(low - 6 <= area.bounds[0] and area.bounds[2] <= high + 6)

    def test_where_nothing_goes_across_it_is_refused(self):
        character, _ = laid(svg('<path d="M110 -10H190V10H110Z"/>'))
        with self.assertRaisesRegex(BadEditError, "nothing to be split"):
            split_across(character, lower(character))
        with self.assertRaisesRegex(BadEditError, "no part called"):
            split_across(character, lower(character), "cap")


class OrderOfPainting(unittest.TestCase):
    def test_a_part_comes_to_the_front_from_the_middle_of_the_bend_on(self):
        shapes = [f'<g id="{n}"><path d="M0 -9H60V9H0Z M60 -9H200V9H60Z"/></g>' for n in ("far", "middle", "near")]
        character, _ = laid(svg(*shapes))
        trigger = HingeTrigger(lower(character), Z, Response((0.0, 1.0), (0.0, 1.0)), id="t")
        remedy = Remedy(Order("far", "near"), "over", by="t")
        switched = character.with_remedy(remedy, trigger)
        evaluator = Evaluator.of(switched)
        for angle, order in ((0.0, (0, 1, 2)), (0.49, (0, 1, 2)), (0.51, (1, 2, 0)), (1.4, (1, 2, 0))):
            pose = bent(switched.skeleton.rest_pose(), lower(switched), Z, angle)
            self.assertEqual(evaluator.pose(pose).order, order)
            self.assertEqual(evaluator.pose(pose, NONE).order, (0, 1, 2))
        behind = switched.with_remedy(replace(remedy, body=Order("near", "far", True)))
        pose = bent(behind.skeleton.rest_pose(), lower(behind), Z, 0.8)
        self.assertEqual(Evaluator.of(behind).pose(pose).order, (2, 0, 1))
        # It gives no area back, and stops nobody from asking what does.
        self.assertEqual(waterfall(switched, lower(switched), pose), [])
        # A part that is gone switches nothing.
        gone = switched.with_remedy(replace(remedy, body=Order("far", "hat")))
        self.assertEqual(Evaluator.of(gone).pose(pose).order, (0, 1, 2))


class TwinsAcross(unittest.TestCase):
    def test_each_point_and_handle_has_the_one_in_its_mirror_image_whichever_way_the_line_goes(self):
        here = "M10 0C14 -6 22 -9 30 -2L28 12C20 16 12 11 10 0Z"
        there = "M-10 0C-14 -6 -22 -9 -30 -2L-28 12C-20 16 -12 11 -10 0Z"
        around = "M-10 0C-12 11 -20 16 -28 12L-30 -2C-22 -9 -14 -6 -10 0Z"  # the same, the other way round
        middle = "M0 40C20 40 20 80 0 80C-20 80 -20 40 0 40Z"
        for other in (there, around):
            mesh = read_drawing(parse_svg(svg(*(f'<path d="{d}"/>' for d in (here, other, middle)))), "d").mesh
            twin = mesh.pairs
            self.assertTrue((twin >= 0).all())
            np.testing.assert_allclose(mesh.rest[twin], mesh.rest * [-1, 1, 1], atol=1e-5)
            np.testing.assert_array_equal(twin[twin], np.arange(len(twin)))
            np.testing.assert_array_equal(twin % 3 == 0, np.arange(len(twin)) % 3 == 0)
        lone = read_drawing(parse_svg(svg(f'<path d="{here}"/>', f'<path d="{middle}"/>')), "d").mesh
        first = slice(*lone.parts[0].vertices)
        self.assertTrue((lone.pairs[first] < 0).all())


class TwinsInDepth(unittest.TestCase):
    def test_names_of_the_other_side(self):
        """Common practice, no source: what is in front is named so."""
        for one, other in (("front_shin", "back_shin"), ("Near Arm", "Far Arm"), ("fore-leg", "hind-leg"),
                           ("shin", None), ("backpack", None), ("frontier", None)):  # fmt: skip
            self.assertEqual(behind_name(one), other)

    def test_the_twin_of_a_knee_acts_on_the_leg_behind_just_so(self):
        joints = [{"name": "hip", "parent": None, "at": [0, -60]}]
        for side, x in (("front", -6), ("back", 6)):
            joints += [{"name": f"{side}_shin", "parent": "hip", "at": [x, 20]},
                       {"name": f"{side}_foot", "parent": f"{side}_shin", "at": [x, 100]}]  # fmt: skip
        legs = [f'<g id="{s} leg"><path id="{s} line" d="M{x - 9} -60H{x + 9}V0V20V40V110H{x - 9}V40V20V0Z"/></g>'
                for s, x in (("back", 6), ("front", -6))]  # fmt: skip
        character, _ = laid(svg(*legs), joints)
        self.assertTrue(character.in_depth)
        other = depth_joints(character.skeleton)
        self.assertEqual(other[other].tolist(), list(range(len(other))))
        pairs = depth_vertices(character.mesh)
        np.testing.assert_array_equal(pairs[pairs], np.arange(len(pairs)))
        mended = with_bend(character, DemoBend("front_shin", 70, "front knee"))
        both = twinned(mended, mended.rules.remedies[0].id)
        twin = both.rules.remedies[1]
        self.assertEqual(twin.name, "back knee")
        pose = posed(both, front_shin=70, back_shin=70)
        moved = evaluate_exact(both, pose) - evaluate_exact(both, pose, NONE)
        self.assertGreater(np.abs(moved).max(), 1)
        front, back = (slice(*both.mesh.part(f"{s} leg").vertices) for s in ("front", "back"))
        np.testing.assert_allclose(moved[front], moved[back], atol=0.15)

    def test_nothing_is_mirrored_from_front_to_back_and_back_again_all_is_as_it_was(self):
        joints = [{"name": "hip", "parent": None, "at": [0, -60]}]
        joints += [{"name": f"{s}_shin", "parent": "hip", "at": [x, 20]} for s, x in (("front", -6), ("back", 6))]
        lines = (f'<path id="{s} leg" d="M{x} -60H{x + 9}V90Z"/>' for s, x in (("back", 6), ("front", -6)))
        character, _ = laid(svg(*lines), joints)
        there, shin = character.mirror, character.skeleton.find("front_shin")
        self.assertIs(there.after, character.skeleton)
        generator = np.random.default_rng(2)
        for change in (there.offset, there.stretch, there.axis):
            given = tuple(generator.normal(0, 1, 3).tolist())
            np.testing.assert_array_equal(change(shin, given), given)
        turn = Rotation.random(rng=generator).as_quat()
        np.testing.assert_array_equal(there.rotation(shin, turn), turn)
        self.assertEqual(character.skeleton.names[there.joint(shin)], "back_shin")
        self.assertEqual(there.joint(there.joint(shin)), shin)


class WorkedCases(unittest.TestCase):
    """The cases of the issue on drawings, each by a rigger's practice (common practice, no source)."""

    def test_a_knee_mended_at_90_on_the_shin_holds_all_the_way_by_the_handle(self):
        """Case 1: lifted by its foot, which turns thigh and shin; the mend is tied to the shin."""
        joints = [{"name": "hip", "parent": None, "at": [0, -80]}, {"name": "thigh", "parent": "hip", "at": [0, -70]},
                  {"name": "shin", "parent": "thigh", "at": [0, 0]},
                  {"name": "foot", "parent": "shin", "at": [0, 70]}]  # fmt: skip
        side = "V-40V-20V-8V0V8V20V40V80"
        back = "V40V20V8V0V-8V-20V-40V-80"
        leg = f'<path d="M-12 -80{side}H12{back}Z"/>'
        character, _ = laid(svg(leg), joints)
        shin, foot = character.skeleton.find("shin"), character.skeleton.find("foot")
        mended = with_bend(character, DemoBend("shin", 90, "knee"))
        measure = BendMeasure.of(mended, shin)
        pose = posed(mended, shin=5)
        for lift in np.linspace(0, 68, 12):
            for joint, q in reached(mended.skeleton, pose, foot, np.array([25.0 * lift / 68, -70 + lift, 0])).items():
                pose = pose.with_rotation(joint, q)
            with_, without = measure.at(pose), measure.at(pose, NONE)
            turn = math.degrees(2 * math.asin(min(1, abs(pose.rotations[shin, 2]))))
            if 8 < turn <= 90:
                self.assertGreaterEqual(with_.girth, without.girth)
                self.assertGreater(with_.girth, 96.5)

    def test_an_arm_corrected_at_quarters_is_exact_there_and_monotone_between(self):
        """Case 2, and its other side by Twin, in a figure drawn from the front."""
        joints = [{"name": "chest", "parent": None, "at": [0, 0]}]
        for side, s in (("left", 1), ("right", -1)):
            joints += [{"name": f"{side}_arm", "parent": "chest", "at": [30 * s, 0]},
                       {"name": f"{side}_fore", "parent": f"{side}_arm", "at": [100 * s, 0]},
                       {"name": f"{side}_hand", "parent": f"{side}_fore", "at": [170 * s, 0]}]  # fmt: skip
        arms = []
        for side, s in (("left", 1), ("right", -1)):
            x = [30, 60, 80, 92, 100, 108, 120, 140, 170]
            line = " L".join([f"{s * a} -9" for a in x] + [f"{s * a} 9" for a in x[::-1]])
            arms.append(f'<g id="{side} arm"><path id="{side} line" d="M{line}Z"/></g>')
        character, _ = laid(svg(*arms, view="-200 -100 400 200"), joints)
        self.assertFalse(character.in_depth)
        angle = 96.0
        mended = with_bend(character, DemoBend("left_fore", angle, "left elbow", (0.25, 0.5, 0.75)))
        joint = mended.skeleton.find("left_fore")
        evaluator = Evaluator.of(mended)
        for step in (6, 12, 18, 24):
            pose = posed(mended, left_fore=angle * step / 24)
            wanted = width_kept(character, joint, pose)
            np.testing.assert_allclose(evaluator.pose(pose).exact_points(), wanted, atol=1e-4)
        # Between, what it does only grows; the way of a point is no zigzag.
        poses = [posed(mended, left_fore=a) for a in np.linspace(0, angle, 49)]
        with_, without = ([evaluator.pose(p, acting).exact_points() for p in poses] for acting in (ALL, NONE))
        size = [np.linalg.norm(a - b) for a, b in zip(with_, without, strict=True)]
        self.assertTrue((np.diff(size) >= -1e-6).all())
        both = twinned(mended, mended.rules.remedies[0].id)
        self.assertEqual([r.name for r in both.rules.remedies], ["left elbow", "right elbow"])
        pose = posed(both, left_fore=60, right_fore=-60)
        now = evaluate_exact(both, pose)
        self.assertTrue((both.mesh.pairs >= 0).all())
        mirrored = now[both.mesh.pairs] * [-1, 1, 1]
        # Automatic weights of the two sides are alike to a percent or so.
        np.testing.assert_allclose(now, mirrored, atol=1.0)

    def test_a_thigh_forward_and_back_is_two_shapes_each_silent_for_the_other_way(self):
        """Case 4; the waist stays where it was at rest."""
        joints = [{"name": "waist", "parent": None, "at": [0, -60]}, {"name": "thigh", "parent": "waist", "at": [0, 0]},
                  {"name": "knee", "parent": "thigh", "at": [0, 90]}]  # fmt: skip
        outline = '<path d="M-30 -80V-40V-20V0V20V60V100H30V60V20V0V-20V-40V-80Z"/>'
        character, _ = laid(svg(outline), joints)
        character = with_bend(with_bend(character, DemoBend("thigh", 60, "forward")), DemoBend("thigh", -40, "back"))
        ways = {r.name: r.id for r in character.rules.remedies}
        evaluator = Evaluator.of(character)
        for degrees, on, off in ((60, "forward", "back"), (25, "forward", "back"), (-40, "back", "forward")):
            made = evaluator.pose(posed(character, thigh=degrees))
            self.assertGreater(made.activation(ways[on]), 0.3)
            self.assertEqual(made.activation(ways[off]), 0)
            waist = np.flatnonzero(character.binding.joint_weights[:, character.skeleton.find("waist")] > 0.999)
            self.assertGreater(len(waist), 0)
            np.testing.assert_allclose(made.points[waist], character.mesh.rest[waist], atol=1e-5)

    def test_a_knee_helper_takes_place_and_angle_never_opens_backwards_and_grows(self):
        """Case 5, against the joints themselves worked out with SciPy."""
        from plethos.core.formats.rules import plain_rules, with_plain_rules

        character, _ = laid(svg(bar(points=6)))
        pose = posed(character, lower=40)
        helped = flat_helper(Held.of(character, lower(character), pose), 15, 40)
        document = plain_rules(helped)
        document["remedies"][0]["rules"] = [
            {"kind": "anchor", "place": "upper", "turn": "lower"},
            {"kind": "limit", "axis": [0, 0, 1], "low_deg": 0, "high_deg": None},
            {"kind": "grow", "joint": "lower", "axis": [0, 0, 1], "along": [0, 1, 0], "cut": False,
             "knots": [{"angle_deg": 0, "factor": 1}, {"angle_deg": 90, "factor": 1.5}]},
        ]  # fmt: skip
        try:
            made = with_plain_rules(helped, document)
        except Exception as error:  # the words of a rule are those of the schema: shown when they change
            self.fail(f"{error}")
        helper = made.skeleton.find(made.skeleton.names[-1])
        evaluator = Evaluator.of(made)
        rest = made.skeleton.rest_global
        for upper, angle in ((20.0, 50.0), (-35.0, 90.0), (10.0, -30.0)):
            world = evaluator.pose(posed(made, upper=upper, lower=angle)).world
            carried = Rotation.from_euler("z", upper, degrees=True)
            np.testing.assert_allclose(world[helper, :3, 3], carried.apply(rest[helper, :3, 3]), atol=1e-6)
            turn = math.degrees(math.atan2(world[helper, 1, 0], world[helper, 0, 0]))
            self.assertAlmostEqual(turn, upper + max(angle, 0.0), places=5)
            grown = np.linalg.norm(world[helper, :3, 1])
            self.assertAlmostEqual(grown, 1 + 0.5 * max(angle, 0.0) / 90, delta=0.05)

    def test_a_joint_without_influence_sizes_a_belly(self):
        """Case 6: a joint that moves no point is one more dial."""
        joints = [*ARM, {"name": "belly_size", "parent": None, "at": [50, 60]}]
        character, _ = laid(svg(bar(points=6)), ARM)
        character = laid_flat(character, joints[3:])
        joint = character.skeleton.find("belly_size")
        self.assertEqual(float(character.binding.joint_weights[:, joint].max()), 0)
        moved = np.array([6, 7, 8], np.int32)
        shape = Shape("belly", moved, np.tile(np.float32([0, 20, 0]), (3, 1)))
        trigger = HingeTrigger(joint, Z, Response((0.0, math.pi / 2), (0.0, 1.0)), id="t")
        sized = character.with_remedy(Remedy(Corrective.of(shape), "belly", by="t"), trigger)
        evaluator = Evaluator.of(sized)
        for degrees, share in ((0, 0.0), (45, 0.5), (90, 1.0), (120, 1.0), (-30, 0.0)):
            now = evaluator.pose(posed(sized, belly_size=degrees)).points
            self.assertAlmostEqual(float(now[6, 1] - sized.mesh.rest[6, 1]), 20 * share, places=4)


class SculptedWidth(unittest.TestCase):
    def test_a_wider_stroke_is_solved_like_a_moved_point(self):
        character, _ = laid(svg(bar(points=6)))
        pose = posed(character, lower=60)
        made = Evaluator.of(character).pose(pose)
        points, widths = made.exact_points(), made.channels.astype(float)
        widths[9] += 5
        shape, _ = solve_corrective(made, points, "wide", 0.5, channels=widths)
        self.assertEqual(shape.vertices.tolist(), [9])
        np.testing.assert_allclose(shape.channels, [[10]], atol=1e-5)
        with self.assertRaisesRegex(BadEditError, "channels"):
            solve_corrective(made, points, "wide", channels=widths[:, [0, 0]])
        with self.assertRaisesRegex(BadEditError, "the same"):
            solve_corrective(made, points, "none", channels=made.channels)


class Acting(unittest.TestCase):
    def test_correctives_of_any_joint_may_move_points_of_any_part(self):
        shapes = svg('<g id="limb">' + bar(points=4) + "</g>", '<g id="sun"><circle cx="0" cy="-120" r="20"/></g>')
        character, _ = laid(shapes)
        sun = np.arange(*character.mesh.part("sun").vertices, dtype=np.int32)
        shape = Shape("rise", sun, np.tile(np.float32([0, 12, 0]), (len(sun), 1)))
        trigger = HingeTrigger(lower(character), Z, Response((0.0, 1.0), (0.0, 1.0)), id="t")
        tied = character.with_remedy(Remedy(Corrective.of(shape), "rise", by="t"), trigger)
        pose = bent(tied.skeleton.rest_pose(), lower(tied), Z, 1.0)
        moved = Evaluator.of(tied).pose(pose, ALL).points[sun] - Evaluator.of(tied).pose(pose, NONE).points[sun]
        # Added before the skin, so it turns with what the sun follows.
        np.testing.assert_allclose(np.linalg.norm(moved, axis=1), 12, atol=1e-4)
