"""SVG in and out, animated SVG and Lottie: against svgpathtools, closed forms, and what a hostile file tries."""

import copy
import json
import math
import random
import tempfile
import unittest
import zipfile
from io import BytesIO
from pathlib import Path
from xml.etree import ElementTree

import jsonschema
import numpy as np
import svgpathtools
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from plethos.core.edits.split import split_across
from plethos.core.errors import BadEditError, BadFileError
from plethos.core.evaluate import Evaluator, evaluate_exact
from plethos.core.formats.drawn_frames import MOST_FRAMES, Frames
from plethos.core.formats.files import ending_of, open_file, read_file, written
from plethos.core.formats.lottie import lottie
from plethos.core.formats.obj import write_obj
from plethos.core.formats.pictures import picture_of, pictures
from plethos.core.formats.rules import plain_rules, with_plain_rules
from plethos.core.formats.svg_animate import animated_svg
from plethos.core.formats.svg_clean import OWN, SVG
from plethos.core.formats.svg_file import looks_like_svg, parse_svg
from plethos.core.formats.svg_read import NO_JOINTS, bare_drawing, read_drawing
from plethos.core.formats.svg_sculpt import sculpt_from_svg
from plethos.core.formats.svg_size import MOST_CONTROLS
from plethos.core.formats.svg_write import canvas_of, svg_of, write_drawing
from plethos.core.geometry.outlines import area_under, points_on
from plethos.core.rules.remedies import Corrective, Order, Remedy
from plethos.core.rules.response import Response
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.skeleton.clips import Clip, Track
from plethos.core.skin.shape import Shape
from plethos.demo.drawings.catalogue import DRAWINGS, draw
from plethos.demo.drawings.finish import DemoBend, with_bend, with_clip
from plethos.demo.shelf import shipped
from plethos.launch.front import ROOT
from tests.drawings import Z, bar, laid, posed, svg
from tests.figures import tube_file


def drawing(data: bytes):
    return read_drawing(parse_svg(data), "d")


def areas(data: bytes) -> list[float]:
    mesh = drawing(data).mesh
    return [area_under(s.segments(s.curves[n], mesh.rest[slice(*p.vertices)].astype(float)))
            for p, s in mesh.outlines() for d in s.drawn for n in d.curves]  # fmt: skip


def elsewhere(data: bytes) -> list[svgpathtools.Path]:
    """The paths of a document as svgpathtools reads them, transforms applied."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "d.svg"
        path.write_bytes(data)
        return svgpathtools.Document(str(path)).paths()


class Read(unittest.TestCase):
    @given(st.integers(0, 2**31))
    @settings(max_examples=25, deadline=None)
    def test_points_and_areas_of_paths_under_transforms_are_those_of_svgpathtools(self, seed):
        rng = random.Random(seed)
        number = lambda low, high: round(rng.uniform(low, high), 3)  # noqa: E731
        steps = [f"M{number(-50, 50)} {number(-50, 50)}"]
        for _ in range(rng.randint(3, 7)):
            kind = rng.choice("LlCcQqHvST")
            count = {"L": 2, "l": 2, "C": 6, "c": 6, "Q": 4, "q": 4, "H": 1, "v": 1, "S": 4, "T": 2}[kind]
            steps.append(kind + " ".join(str(number(-50, 50)) for _ in range(count)))
        d = " ".join(steps) + "Z"
        turn, move = number(-180, 180), (number(-80, 80), number(-80, 80))
        shift = f'transform="translate({move[0]} {move[1]}) rotate({turn})"'
        data = svg(f'<g {shift}><g transform="scale(1.5 0.7) skewX(12)"><path d="{d}"/></g></g>')
        (theirs,) = elsewhere(data)
        (ours,) = areas(data)
        # y is up here: what goes round the other way there counts below 0.
        self.assertAlmostEqual(-ours, theirs.area(), delta=2e-3 * max(abs(theirs.area()), 100))
        mesh = drawing(data).mesh
        surface = mesh.parts[0].surface
        bezier = surface.segments(surface.curves[0], mesh.rest.astype(float))
        starts = {
            (round(s.start.real, 2), round(s.start.imag, 2)) for s in theirs if not isinstance(s, svgpathtools.Arc)
        }
        own = {(round(float(b[0, 0]), 2), round(float(-b[0, 1]), 2)) for b in bezier}
        near = [min(math.hypot(x - u, y - v) for u, v in own) for x, y in starts]
        self.assertLess(max(near), 0.02)

    @given(st.integers(0, 2**31))
    @settings(max_examples=25, deadline=None)
    def test_points_on_arcs_are_those_of_svgpathtools(self, seed):
        rng = random.Random(seed)
        number = lambda low, high: round(rng.uniform(low, high), 3)  # noqa: E731
        d = (f"M0 0A{number(20, 60)} {number(20, 60)} {number(0, 180)} {rng.randint(0, 1)} {rng.randint(0, 1)} "
             f"{number(5, 30)} {number(5, 30)}")  # fmt: skip
        mesh = drawing(svg(f'<path d="{d}"/>')).mesh
        surface = mesh.parts[0].surface
        bezier = surface.segments(surface.curves[0], mesh.rest.astype(float))
        fine = points_on(bezier, np.linspace(0, 1, 400)).reshape(-1, 2)
        (arc,) = svgpathtools.parse_path(d)
        for t in np.linspace(0, 1, 23):
            at = arc.point(t)
            away = np.linalg.norm(fine - [at.real, -at.imag], axis=1).min()
            self.assertLess(away, 3e-4 * max(abs(arc.radius.real), abs(arc.radius.imag)) + 0.1)

    @given(st.integers(0, 2**31))
    @settings(max_examples=30, deadline=None)
    def test_shapes_and_arcs_go_with_any_transform(self, seed):
        # An affine map takes an area by its determinant, and its middle along: closed forms of both.
        rng = np.random.default_rng(seed)
        linear, moved = rng.uniform(-2, 2, (2, 2)), rng.uniform(-50, 50, 2)
        linear[:, 0] += np.sign(np.linalg.det(linear)) * 0.1 * linear[::-1, 1] * [1, -1]
        (a, c), (b, d) = linear
        by = f'transform="matrix({a} {b} {c} {d} {moved[0]} {moved[1]})"'
        x, y, rx, ry = rng.uniform(1, 30, 4)
        half = (
            f"M{x - rx * math.cos(0.7)} {y - rx * math.sin(0.7)}"
            f"A{rx} {ry} {math.degrees(0.7)} 0 1 {x + rx * math.cos(0.7)} {y + rx * math.sin(0.7)}Z"
        )
        shapes = [
            (f'<rect x="{x - rx}" y="{y - ry}" width="{2 * rx}" height="{2 * ry}"', 4 * rx * ry),
            (f'<circle cx="{x}" cy="{y}" r="{rx}"', math.pi * rx * rx),
            (f'<ellipse cx="{x}" cy="{y}" rx="{rx}" ry="{ry}"', math.pi * rx * ry),
            (f'<path d="{half}"', math.pi * rx * ry / 2),
        ]
        data = svg(*(f"{told} {by}/>" for told, _ in shapes), *(f"<g {by}>{told}/></g>" for told, _ in shapes))
        mesh = drawing(data).mesh
        for k, (got, (told, area)) in enumerate(zip(areas(data), 2 * shapes, strict=True)):
            wanted = area * abs(np.linalg.det(linear))
            self.assertAlmostEqual(abs(got), wanted, delta=5e-4 * wanted + 1e-3, msg=told)
            if k % 4 < 3:
                own = mesh.rest[slice(*mesh.parts[k].vertices)][::3, :2]
                middle = (linear @ [x, y] + moved) * [1, -1]
                np.testing.assert_allclose(own.mean(axis=0), middle, atol=1e-3, err_msg=told)

    def test_what_is_used_is_counted_where_it_is_used(self):
        doubled = "".join(f'<g id="a{i + 1}"><use href="#a{i}"/><use href="#a{i}"/></g>' for i in range(14))
        with self.assertRaisesRegex(BadFileError, f"{4 * (2**15 - 1)} control points"):
            parse_svg(svg(f'<g id="a0"><rect width="3" height="3"/></g>{doubled}'))

    def test_lengths_are_of_what_the_standard_says(self):
        # SVG 1.1, 7.10: of the width, the height, or the diagonal over the root of two; worked by hand.
        head = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 80">'
        for told, low, high in (
            ('<rect x="10%" y="20%" width="50%" height="25%"/>', (20, 16), (120, 36)),
            ('<ellipse cx="50%" cy="50%" rx="10%" ry="10%"/>', (80, 32), (120, 48)),
            ('<circle cx="100" cy="40" r="10%"/>', (84.7685, 24.7685), (115.2315, 55.2315)),
            ('<svg x="10%" viewBox="0 0 40 40" width="40" height="40"><rect width="50%" height="25%"/></svg>',
             (20, 0), (40, 10)),
            ('<svg x="5" y="6" width="100" height="40" viewBox="10 0 20 20"><rect x="10" width="20" height="20"/></svg>',
             (35, 6), (75, 46)),
            ('<svg width="100" height="40" viewBox="0 0 20 20" preserveAspectRatio="xMaxYMin slice">'
             '<rect width="20" height="20"/></svg>', (0, 0), (100, 100)),
            ('<svg width="100" height="40" viewBox="0 0 20 20" preserveAspectRatio="none">'
             '<rect width="20" height="20"/></svg>', (0, 0), (100, 40)),
            ('<rect width="2em" height="1ex" font-size="20px"/>', (0, 0), (40, 10)),
            ('<rect width="1in" height="72pt"/>', (0, 0), (96, 96)),
        ):  # fmt: skip
            rest = drawing(f"{head}{told}</svg>".encode()).mesh.rest[::3, :2] * [1, -1]
            np.testing.assert_allclose([rest.min(axis=0), rest.max(axis=0)], [low, high], atol=1e-3, err_msg=told)
        wide = f'{head}<path d="M0 0h10" stroke="red" style="stroke-width:10%"/></svg>'
        self.assertAlmostEqual(float(drawing(wide.encode()).mesh.widths[0]), 15.2315, delta=1e-3)

    def test_shapes_become_outlines_of_their_area(self):
        data = svg('<rect x="1" y="2" width="30" height="20"/>', '<rect width="30" height="20" rx="5" ry="4"/>',
                   '<circle cx="3" cy="4" r="10"/>', '<ellipse cx="0" cy="0" rx="20" ry="7"/>',
                   '<polygon points="0,0 10,0 10,10"/>', '<polyline points="0,0 10,0 10,10 0,10"/>')  # fmt: skip
        wanted = [600, 600 - (4 - math.pi) * 20, math.pi * 100, math.pi * 140, 50, 0]
        for ours, closed in zip(areas(data)[:5], wanted[:5], strict=True):
            self.assertAlmostEqual(abs(ours) / closed, 1, delta=3.1e-4)
        line = drawing(data).mesh.parts[5].surface
        self.assertFalse(line.curves[0].closed)

    def test_styles_come_from_attributes_groups_and_sheets(self):
        data = svg(
            "<style>.red{fill:#ff0000;stroke:blue;stroke-width:3}</style>",
            '<g id="a" opacity="50%" fill-rule="evenodd" stroke-linecap="round"><path id="p" class="red" d="M0 0H9V9Z" opacity="0.5"/></g>',
            '<g id="b"><path id="q" d="M0 0H9V9Z" style="fill:none;stroke:#123456;stroke-opacity:0.25;stroke-dasharray:4 2"/></g>',
            '<g id="c"><path id="r" d="M0 0H9V9Z" stroke-linejoin="bevel" stroke-miterlimit="7" stroke="#010203" transform="scale(4)"/></g>',
        )
        (a, sa), (_, sb), (_, sc) = list(drawing(data).mesh.outlines())
        self.assertEqual(a.name, "a")
        p, q, r = sa.drawn[0], sb.drawn[0], sc.drawn[0]
        self.assertEqual((p.fill.colour, p.fill.opacity, p.fill.rule), ("#ff0000", 0.25, "evenodd"))
        self.assertEqual((p.stroke.colour, p.stroke.cap), ("#0000ff", "round"))
        self.assertEqual((q.fill, q.stroke.colour, q.stroke.opacity, q.stroke.dashes), (None, "#123456", 0.25, "4 2"))
        self.assertEqual((r.stroke.join, r.stroke.miter), ("bevel", 7))
        mesh = drawing(data).mesh
        self.assertAlmostEqual(float(mesh.channels[0, 0]), 3)
        self.assertAlmostEqual(float(mesh.channels[-1, 0]), 4)  # widths are scaled with what they are on

    def test_parts_are_groups_or_what_one_group_holds(self):
        path = '<path id="{}" d="M0 0H9V9Z"/>'
        one = svg('<g id="layer">' + path.format("arm") + path.format("leg") + "</g>")
        self.assertEqual([p.name for p in drawing(one).mesh.parts], ["arm", "leg"])
        two = svg('<g id="arm">' + path.format("x") + path.format("y") + "</g>", path.format("hat"), path.format("hat"))
        self.assertEqual([p.name for p in drawing(two).mesh.parts], ["arm", "hat", "hat 2"])
        labelled = svg(
            '<g xmlns:e="urn:editor" e:label="Left arm" id="g12">' + path.format("x") + "</g>", path.format("hat")
        )
        self.assertEqual([p.name for p in drawing(labelled).mesh.parts], ["Left arm", "hat"])

    def test_gradients_are_kept_as_a_colour_and_what_is_left_out_is_named(self):
        file = parse_svg(svg(
            '<defs><linearGradient id="g"><stop offset="0" stop-color="#000000"/><stop offset="1" style="stop-color:#ff8800"/></linearGradient></defs>',
            '<path d="M0 0H9V9Z" fill="url(#g)"/>', "<text>hi</text>", '<image href="#x"/>',
        ))  # fmt: skip
        self.assertEqual(file.shapes[0].fill.colour, "#804400")
        self.assertIn("pictures, text", " ".join(file.notes))

    def test_a_document_without_view_box_or_size_gets_one_round_what_is_drawn(self):
        file = parse_svg(f'<svg xmlns="{SVG}"><path d="M10 20H110V70Z"/></svg>'.encode())
        x, y, w, h = file.canvas.view
        self.assertTrue(x < 10 and y < 20 and x + w > 110 and y + h > 70)
        sized = parse_svg(f'<svg xmlns="{SVG}" width="300" height="200"><path d="M10 20H110V70Z"/></svg>'.encode())
        self.assertEqual(sized.canvas.view, (0, 0, 300, 200))

    def test_that_there_are_no_joints_yet_is_told_until_there_are(self):
        self.assertIn(NO_JOINTS, drawing(svg(bar())).repairs)
        character, file = laid(svg(bar()))
        self.assertNotIn(NO_JOINTS, read_file("d.svg", write_drawing(character, file))[1].repairs)

    def test_posed_points_go_out_as_a_plain_list_without_faces(self):
        limb, _ = laid(svg(bar()))
        lines = write_obj(limb, limb.mesh.rest).splitlines()
        points = [[float(x) for x in line.split()[1:]] for line in lines if line.startswith("v ")]
        np.testing.assert_allclose(points, limb.mesh.rest[limb.mesh.file_to_vertex], atol=1e-6)
        self.assertFalse([line for line in lines if line.startswith("f ")])

    def test_what_a_file_is_shows_in_it(self):
        self.assertTrue(looks_like_svg(b'\xef\xbb\xbf<?xml version="1.0"?><svg/>'))
        self.assertFalse(looks_like_svg(b"glTF"))
        self.assertFalse(looks_like_svg(b'{"asset": "<svg"}'))
        _, character = read_file("Heron.svg", shipped("heron-bare"))
        self.assertEqual(character.name, "Heron")


class Hostile(unittest.TestCase):
    def refused(self, data: bytes, why: str = ".") -> str:
        with self.assertRaises(BadFileError) as stop:
            read_file("x.svg", data)
        self.assertRegex(stop.exception.sentence, why)
        return stop.exception.sentence

    def test_what_would_be_dangerous_or_nothing_is_refused_with_a_sentence(self):
        bomb = b'<!DOCTYPE svg [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;">]><svg xmlns="http://www.w3.org/2000/svg"><path d="&b;"/></svg>'
        self.refused(bomb, "entities")
        outside = b'<!DOCTYPE svg [<!ENTITY x SYSTEM "file:///etc/passwd">]><svg xmlns="http://www.w3.org/2000/svg"><text>&x;</text></svg>'
        self.refused(outside, "entities")
        self.refused(b"<svg", "well-formed")
        self.refused(b"<html/>", "no SVG")
        self.refused(svg(), "no paths")
        self.refused(svg('<path d="M0 0"/>'), "no paths")
        self.refused(svg('<path d="M0 0L0 0"/>'), "one place")
        self.refused(svg('<path d="M0 0 L1e30 4Z"/>'), "no place")
        self.refused(svg('<path d="' + "M0 0" + "L1 1 2 3" * 600_000 + '"/>'), "control points")
        self.refused(svg("<g>" * 300 + '<path d="M0 0H9V9"/>' + "</g>" * 300), "nested")
        rules = f'<metadata><p:rules xmlns:p="{OWN}">{{broken</p:rules></metadata>'
        self.refused(svg(rules, '<path d="M0 0H9V9"/>'), "is broken")
        for text in ('{"joints": [1]}', '{"joints": [{"name": 3}]}', '{"clips": [{}]}', '{"version": 99}', '{"weights": {}}',
                     '{"clips": [{"name": "a", "seconds": 1, "tracks": [{"channel": "rotation", "joint": "x"}]}]}'):  # fmt: skip
            rules = f'<metadata><p:rules xmlns:p="{OWN}">{text}</p:rules></metadata>'
            self.refused(svg(rules, '<path d="M0 0H9V9"/>'))

    def test_nothing_of_it_is_run_or_fetched_and_that_is_told(self):
        data = svg('<script>alert(1)</script>', '<path d="M0 0H9V9Z" onclick="alert(2)" fill="url(http://elsewhere/x#y)"/>',
                   '<use href="http://elsewhere/x.svg#y"/>', '<image href="file:///etc/passwd"/>',
                   '<path d="M0 0H8V8Z"><animate attributeName="d" values="M0 0"/></path>',
                   '<foreignObject><iframe src="http://elsewhere"/></foreignObject>')  # fmt: skip
        file, character = read_file("x.svg", data)
        told = " ".join(character.repairs)
        self.assertIn("nothing of it is run", told)
        self.assertIn("nothing is fetched", told)
        for out in (write_drawing(character, file), svg_of(character, file.canvas, character.mesh.rest).encode()):
            for word in (b"script", b"alert", b"elsewhere", b"passwd", b"onclick", b"iframe"):
                self.assertNotIn(word, out)

    def test_broken_paths_are_left_out_by_name_and_the_rest_is_read(self):
        file = parse_svg(
            svg(
                '<path id="bad" d="M0 0 L NaN 4"/>',
                '<path id="worse" d="C 1"/>',
                '<path id="dot" d="M3 3Z M0 0H9V9Z"/>',
            )
        )
        self.assertEqual([s.name for s in file.shapes], ["dot"])
        told = " ".join(file.notes)
        for name in ("bad", "worse", "dot"):
            self.assertIn(f"“{name}”", told)

    def test_names_with_markup_come_out_as_names(self):
        data = svg('<g id="&lt;b&gt; &amp; &quot;x&quot;"><path d="M0 0H9V9Z"/></g>', '<path id="hat" d="M0 0H9V9Z"/>')
        file = parse_svg(data)
        character = read_drawing(file, 'a <"&> name')
        again = parse_svg(write_drawing(character, file))
        self.assertEqual([s.group for s in again.shapes], ['<b> & "x"', "hat"])

    def test_mutated_files_are_read_or_refused_with_a_sentence(self):
        """A seeded mutator over a finished drawing: no traceback, nothing but a sentence."""
        data = shipped("heron-bare")
        rng = random.Random(11)
        for _ in range(120):
            broken = bytearray(data)
            for _ in range(rng.choice((1, 1, 3, 9))):
                at = rng.randrange(len(broken))
                kind = rng.randrange(4)
                if kind == 0:
                    broken[at] = rng.randrange(32, 127)
                elif kind == 1:
                    del broken[at : at + rng.randrange(1, 40)]
                elif kind == 2:
                    broken[at:at] = rng.choice((b"-", b"9", b".", b"<", b'"', b"null", b"1e99", b"[", b"}"))
                else:
                    broken = broken[:at] if rng.random() < 0.1 else broken
            try:
                _, character = read_file("x.svg", bytes(broken))
                self.assertTrue(np.isfinite(character.mesh.rest).all())
            except BadFileError as error:
                self.assertTrue(error.sentence.endswith((".", "…")), error.sentence)


class Whole(unittest.TestCase):
    def finished(self):
        """A drawing with a bit of everything."""
        limb = bar(points=6, name="skin")
        character, file = laid(
            svg(f'<g id="limb">{limb}</g>', '<g id="hat"><circle cx="200" cy="-60" r="20" fill="#aa0000"/></g>')
        )
        character = with_bend(character, DemoBend("lower", 80, "mend", (0.5,)))
        trigger = HingeTrigger(character.skeleton.find("lower"), Z, Response((0.0, 1.0), (0.0, 1.0)), id="o")
        character = character.with_remedy(Remedy(Order("limb", "hat"), "over", by="o"), trigger)
        # It also rounds a corner: what is a straight line at rest is none in the bend.
        wide = Shape(
            "wide", np.array([0, 1], np.int32), np.float32([[0, 0, 0], [-3, 2, 0]]), channels=np.float32([[6], [0]])
        )
        character = character.with_remedy(Remedy(Corrective.of(wide), "wide", by="o"))
        return with_clip(
            character, "wave", [(0.0, {}), (0.5, {"lower": 80.0}), (1.0, {})], lambda t: (4 * t, 0.0)
        ), file

    def test_it_comes_back_whole_and_the_same_again(self):
        character, file = self.finished()
        data = write_drawing(character, file)
        again_file, again = read_file("drawing.svg", data)
        self.assertEqual(write_drawing(again, again_file), data)
        np.testing.assert_array_equal(again.mesh.points, character.mesh.points)
        np.testing.assert_allclose(again.binding.joint_weights, character.binding.joint_weights, atol=1e-6)
        self.assertEqual(again.skeleton.names, character.skeleton.names)
        self.assertEqual([r.to_document(again.skeleton, _NoArrays()) for r in again.rules.remedies],
                         [r.to_document(character.skeleton, _NoArrays()) for r in character.rules.remedies])  # fmt: skip
        (clip,) = again.clips
        for time in (0.0, 0.4, 1.0):
            one, other = (c.clips[0].pose_at(c.skeleton, time) for c in (character, again))
            np.testing.assert_allclose(evaluate_exact(again, other), evaluate_exact(character, one), atol=1e-4)
        self.assertEqual(clip.duration, 1.0)

    def test_its_rules_fit_their_schema_and_come_back_from_the_plain_document(self):
        character, _ = self.finished()
        plain = json.loads(json.dumps(plain_rules(character)))
        schema = json.loads((ROOT / "docs" / "formats" / "plethos-rules.schema.json").read_text())
        jsonschema.validate(plain, schema)
        self.assertEqual(plain_rules(with_plain_rules(character, plain)), plain_rules(character))
        (wide,) = [r for r in plain["remedies"] if r["name"] == "wide"]
        for wrong in ([[1, 2], [3, 4]], [1, 2], [[1]], [["x"], [1]]):
            spoiled = copy.deepcopy(wide)
            spoiled["targets"][0]["shape"]["channels"] = wrong
            others = [spoiled if r is wide else r for r in plain["remedies"]]
            with self.subTest(wrong), self.assertRaisesRegex(BadFileError, "array of its rules cannot be read"):
                with_plain_rules(character, {**plain, "remedies": others})
        del next(r for r in plain["remedies"] if r["kind"] == "order")["other"]
        with self.assertRaises(jsonschema.ValidationError):
            jsonschema.validate(plain, schema)
        with self.assertRaisesRegex(BadFileError, "two parts"):
            with_plain_rules(character, plain)

    def test_every_demo_drawing_comes_back_whole(self):
        for name in DRAWINGS:
            data = shipped(name)
            file, character = read_file(f"{DRAWINGS[name].title}.svg", data)
            self.assertEqual(write_drawing(character, file), data, name)

    def test_what_others_have_placed_by_transforms_comes_back_where_it_stood(self):
        path = 'd="M3 4c10 -7 22 -3 30 0v9L3 20z"'
        corners = np.array([[3.0, 4], [33, 4], [33, 13], [3, 20]])
        half = np.array([[math.cos(math.pi / 6), -0.5], [0.5, math.cos(math.pi / 6)]])
        for number, (told, turned, moved) in enumerate((
            (f'<g transform="rotate(30) scale(2 0.5)"><path {path}/></g>', half @ np.diag([2, 0.5]), (0, 0)),
            (f'<path {path} transform="translate(40 -9)"/>', np.eye(2), (40, -9)),
            (f'<path {path} style="transform:translate(40px,-9px)"/>', np.eye(2), (40, -9)),
            (f'<svg x="20" y="30" width="90" height="80"><path {path}/></svg>', np.eye(2), (20, 30)),
            (f'<defs><path id="a" {path}/></defs><use href="#a" x="15" y="5"/>', np.eye(2), (15, 5)),
            (f"<path {path}/>", np.eye(2), (0, 0)),
        )):  # fmt: skip
            file = parse_svg(svg(told))
            character = read_drawing(file, "d")
            np.testing.assert_allclose(
                character.mesh.rest[::3, :2], (corners @ turned.T + moved) * [1, -1], atol=1e-4, err_msg=told
            )
            again = read_file("d.svg", write_drawing(character, file))[1]
            np.testing.assert_allclose(again.mesh.rest, character.mesh.rest, atol=2e-4, err_msg=told)
            # Only what nothing places stands in its own numbers.
            self.assertEqual(path.encode() in write_drawing(character, file), number == 5, told)

    def test_widths_that_vary_and_hidden_edges_come_back_though_svg_has_neither(self):
        character, _ = laid(svg(bar(points=6)))
        split = split_across(character, character.skeleton.find("lower"))
        canvas = parse_svg(svg(bar())).canvas
        widths = np.linspace(1, 5, len(split.mesh))[:, None]
        text = svg_of(split, canvas, split.mesh.rest, widths)
        mesh = bare_drawing(parse_svg(text.encode()), "x").mesh
        np.testing.assert_allclose(mesh.rest, split.mesh.rest, atol=1e-4)
        np.testing.assert_allclose(mesh.channels[::3], widths[::3], rtol=1e-5)
        ours, theirs = ([d.stroke.hidden for _, s in m.outlines() for d in s.drawn] for m in (split.mesh, mesh))
        self.assertEqual(ours, theirs)
        # What others see: a filled band, and no stroke along the cut.
        root = ElementTree.fromstring(text)
        bands = [e for e in root.iter(f"{{{SVG}}}path") if e.get("fill") == "#000000"]
        self.assertEqual(len(bands), 2)

    def test_a_sculpt_is_a_drawing_of_the_same_points(self):
        character, file = laid(svg(bar(points=6)))
        pose = posed(character, lower=50)
        made = Evaluator.of(character).pose(pose)
        points = made.exact_points()
        points[9:12] += [3, 4, 0]
        widths = made.channels.copy()
        widths[12] = 9
        found = sculpt_from_svg(character, svg_of(character, file.canvas, points, widths).encode())
        np.testing.assert_allclose(found.points, points, atol=1e-4)
        self.assertAlmostEqual(found.channels[12, 0], 9, places=5)
        with self.assertRaisesRegex(BadFileError, "same points"):
            sculpt_from_svg(character, svg(bar(points=7)))


class _NoArrays:
    def put(self, kind, label, *arrays):
        return [kind, *(np.round(np.asarray(a, np.float64), 3).tolist() for a in arrays)]


class Animated(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.character, cls.file = Whole().finished()
        cls.frames = Frames.of(cls.character, cls.character.clips[0])

    def test_frames_are_the_poses_of_the_clip_with_widths_and_order(self):
        frames = self.frames
        self.assertEqual(len(frames), 31)
        for k in (0, 7, 30):
            made = Evaluator.of(self.character).pose(self.character.clips[0].pose_at(self.character.skeleton, k / 30))
            np.testing.assert_allclose(frames.points[k], made.points, atol=1e-5)
            np.testing.assert_allclose(frames.widths[k], made.channels[:, 0], atol=1e-6)
            self.assertEqual(frames.orders[k], made.order)
        spans = frames.spans()
        self.assertEqual([o for _, _, o in spans], [(0, 1), (1, 0), (0, 1)])
        self.assertEqual((spans[0][0], spans[-1][1]), (0, 31))
        long = Clip("long", MOST_FRAMES, (Track("rotation", 1, np.zeros(1), np.array([[0, 0, 0, 1.0]])),))
        with self.assertRaisesRegex(BadEditError, "at most"):
            Frames.of(self.character, long)

    def test_an_animated_svg_has_the_same_commands_in_every_frame(self):
        root = ElementTree.fromstring(animated_svg(self.frames, self.file.canvas, "x & <y>"))
        animates = [a for a in root.iter(f"{{{SVG}}}animate") if a.get("attributeName") == "d"]
        self.assertTrue(animates)
        for a in animates:
            values = a.get("values").split(";")
            self.assertEqual(len(values), 31)
            self.assertEqual(len({"".join(c for c in v if c.isalpha() and c != "e") for v in values}), 1)
        shown = [
            a.get("values").split(";") for a in root.iter(f"{{{SVG}}}animate") if a.get("attributeName") == "visibility"
        ]
        # Of the orders of painting exactly one is seen in each frame.
        self.assertEqual([sum(s[k] == "visible" for s in shown) for k in range(31)], [1] * 31)

    def test_parts_are_called_in_an_animated_svg_what_they_are_called(self):
        character, file = laid(svg(f'<g id="skin &amp; bone">{bar(points=6)}</g>', f'<g id="hat">{bar()}</g>'))
        character = with_clip(character, "c", [(0.0, {}), (0.1, {"lower": 30.0})])
        text = animated_svg(Frames.of(character, character.clips[0]), file.canvas, "x & <y>")
        labels = [g.get(f"{{{OWN}}}label") for g in ElementTree.fromstring(text).iter(f"{{{SVG}}}g")]
        self.assertEqual(labels, ["skin & bone", "hat"])

    def test_lottie_holds_the_points_of_every_frame(self):
        document = json.loads(json.dumps(lottie(self.frames, self.file.canvas, "x")))
        self.assertEqual((document["fr"], document["op"]), (30, 30))
        x, y, _, _ = self.file.canvas.view
        hats = [la for la in document["layers"] if la["nm"].startswith("hat")]
        self.assertEqual([(h["ip"], h["op"]) for h in sorted(hats, key=lambda h: h["ip"])],
                         [(s, e if e < 31 else 30) for s, e, _ in self.frames.spans()])  # fmt: skip
        shape = hats[0]["shapes"][0]["it"][0]
        part = self.character.mesh.part("hat")
        for k in (0, 10, 20):
            told = shape["ks"]["k"][k]["s"][0] if shape["ks"]["a"] else shape["ks"]["k"]
            at = self.frames.points[k][slice(*part.vertices)].astype(float)
            np.testing.assert_allclose(told["v"], at[::3, :2] * [1, -1] - [x, y], atol=1e-3)
            np.testing.assert_allclose(np.array(told["i"]) + told["v"], at[1::3, :2] * [1, -1] - [x, y], atol=2e-3)
            np.testing.assert_allclose(np.array(told["o"]) + told["v"], at[2::3, :2] * [1, -1] - [x, y], atol=2e-3)

    def test_the_first_layers_of_a_lottie_are_in_front(self):
        layers = lottie(self.frames, self.file.canvas, "x")["layers"]
        self.assertEqual(sorted(la["ind"] for la in layers), list(range(1, len(layers) + 1)))
        names = [p.name for p in self.character.mesh.parts]
        for k in (0, 15, 29):
            shown = [la["nm"].split(":")[0] for la in layers if la["ip"] <= k < la["op"]]
            self.assertEqual(shown[::-1], [names[n] for n in self.frames.orders[k]])
        # Nothing is placed by a transform: places are in the paths.
        still = {"a": [0, 0], "p": [0, 0], "s": [100, 100], "r": 0, "o": 100}
        for layer in layers:
            for told in (layer["ks"], *(i for g in layer["shapes"] for i in g["it"] if i["ty"] == "tr")):
                self.assertEqual({k: told[k]["k"] for k in still}, still)

    def test_a_hidden_edge_is_no_line_in_a_lottie(self):
        character, file = laid(svg(bar(points=6)))
        split = with_clip(
            split_across(character, character.skeleton.find("lower")), "c", [(0.0, {}), (0.1, {"lower": 30.0})]
        )
        layers = lottie(Frames.of(split, split.clips[0]), file.canvas, "x")["layers"]
        (surface,) = [s for _, s in split.mesh.outlines()]
        for layer, drawn in zip(layers, surface.drawn[::-1], strict=True):
            (curve,) = [surface.curves[n] for n in drawn.curves]
            (line,) = [g["it"] for g in layer["shapes"] if g["nm"].endswith(" line")]
            ways = [i["ks"]["k"] if i["ks"]["a"] == 0 else i["ks"]["k"][0]["s"][0] for i in line if i["ty"] == "sh"]
            self.assertEqual(sum(len(w["v"]) - 1 for w in ways), curve.count - 1)
            self.assertLessEqual(len(ways), 2)
            self.assertFalse(any(w["c"] for w in ways))

    def test_paint_is_told_alike_in_all_files(self):
        """A line of half its opacity whose width varies is a filled band of half; inside stays what it was."""
        for rule, number in (("evenodd", 2), ("nonzero", 1)):
            told = bar(points=6, rule=rule).replace("/>", ' stroke-opacity="0.5" fill-opacity="0.25"/>')
            character, file = laid(svg(told))
            trigger = HingeTrigger(character.skeleton.find("lower"), Z, Response((0.0, 1.0), (0.0, 1.0)), id="o")
            wide = Shape("w", np.array([0], np.int32), np.zeros((1, 3), np.float32), channels=np.float32([[6]]))
            character = character.with_remedy(Remedy(Corrective.of(wide), "w", by="o"), trigger)
            character = with_clip(character, "c", [(0.0, {}), (0.1, {"lower": 60.0})], lambda t: (0.0, 0.0))
            frames = Frames.of(character, character.clips[0])
            last = svg_of(character, file.canvas, frames.points[-1], frames.widths[-1][:, None])
            for text in (last, animated_svg(frames, file.canvas, "x")):
                paths = list(ElementTree.fromstring(text).iter(f"{{{SVG}}}path"))
                (band,) = [p for p in paths if p.get("fill") == "#000000"]
                (inside,) = [p for p in paths if p.get("fill") == "#cc8800"]
                self.assertEqual((band.get("fill-opacity"), inside.get("fill-opacity")), ("0.5", "0.25"))
                self.assertEqual((inside.get("fill-rule") or "nonzero"), rule)
            (layer,) = lottie(frames, file.canvas, "x")["layers"]
            band, inside = (next(i for i in g["it"] if i["ty"] == "fl") for g in layer["shapes"])
            self.assertEqual((band["o"]["k"], band["r"], band["c"]["k"]), (50, 1, [0, 0, 0, 1]))
            self.assertEqual((inside["o"]["k"], inside["r"]), (25, number))

    def test_a_line_that_widens_all_over_is_a_stroke_whose_width_is_keyed(self):
        character, file = laid(svg(bar(points=6).replace("/>", ' stroke-width="4"/>')))
        trigger = HingeTrigger(character.skeleton.find("lower"), Z, Response((0.0, 1.0), (0.0, 1.0)), id="o")
        count = len(character.mesh)
        wider = np.full((count, 1), 3, np.float32)
        wide = Shape("w", np.arange(count, dtype=np.int32), np.zeros((count, 3), np.float32), channels=wider)
        character = character.with_remedy(Remedy(Corrective.of(wide), "w", by="o"), trigger)
        angles = [(0.0, {}), (0.1, {"lower": math.degrees(1.0)})]
        hidden = split_across(character, character.skeleton.find("lower"))
        for one, paths in ((character, 1), (hidden, 2)):
            moved = with_clip(one, "c", angles, lambda t: (0.0, 0.0))
            frames = Frames.of(moved, moved.clips[0])
            root = ElementTree.fromstring(animated_svg(frames, file.canvas, "x"))
            keyed = [a for a in root.iter(f"{{{SVG}}}animate") if a.get("attributeName") == "stroke-width"]
            self.assertEqual(len(keyed), paths)
            for a in keyed:
                np.testing.assert_allclose([float(w) for w in a.get("values").split(";")], [4, 5, 6, 7], atol=1e-3)
            layers = lottie(frames, file.canvas, "x")["layers"]
            strokes = [i for la in layers for g in la["shapes"] for i in g["it"] if i["ty"] == "st"]
            self.assertEqual(len(strokes), paths)
            for stroke in strokes:
                self.assertEqual([(k["t"], k["s"]) for k in stroke["w"]["k"]], [(0, [4]), (1, [5]), (2, [6]), (3, [7])])

    def test_pictures_are_png_of_the_width_one_a_frame(self):
        told: list[float] = []
        data = pictures(self.frames, self.file.canvas, 64, told.append)
        with zipfile.ZipFile(BytesIO(data)) as archive:
            names = archive.namelist()
            self.assertEqual((len(names), names[0], names[-1]), (31, "0000.png", "0030.png"))
            first = archive.read(names[0])
        self.assertEqual(first[:8], b"\x89PNG\r\n\x1a\n")
        self.assertEqual(int.from_bytes(first[16:20], "big"), 64)
        self.assertEqual(told[-1], 1.0)
        with self.assertRaisesRegex(BadEditError, "pixels"):
            pictures(self.frames, self.file.canvas, 5)


class OneOfAFewKinds(unittest.TestCase):
    """What is asked of a file whether it is of a figure or of a drawing."""

    def test_it_is_written_as_what_it_came_as(self):
        drawing, figure = bar(points=6), tube_file().pack()
        for name, data, ending in (("arm.svg", svg(drawing), ".svg"), ("arm.glb", figure, ".glb")):
            file, character = read_file(name, data)
            self.assertEqual((ending_of(file), character.name), (ending, "arm"))
            again, back = read_file(name, written(character, file))
            self.assertIs(type(again), type(file))
            np.testing.assert_allclose(back.mesh.rest, character.mesh.rest, atol=1e-3)
            self.assertEqual(
                sum(len(b) for b in open_file(name, file.pack()).buffers), sum(len(b) for b in file.buffers)
            )

    def test_a_drawing_is_kept_as_it_came_and_only_drawings_have_a_canvas(self):
        file, _ = read_file("arm.svg", svg(bar()))
        self.assertEqual(file.buffers, (file.pack(),))
        self.assertEqual(canvas_of(file), file.canvas)
        with self.assertRaisesRegex(BadEditError, "no drawing"):
            canvas_of(tube_file())

    def test_one_picture_is_a_frame_of_many(self):
        character, file = Whole().finished()
        frames = Frames.of(character, character.clips[0])
        with zipfile.ZipFile(BytesIO(pictures(frames, file.canvas, 64))) as archive:
            every = [archive.read(n) for n in sorted(archive.namelist())]
        pose = character.clips[0].pose_at(character.skeleton, 0.0)
        one = picture_of(Evaluator.of(character).pose(pose), file.canvas, 64)
        own, first, last = (np.asarray(Image.open(BytesIO(d)).convert("RGBA"), int) for d in (one, every[0], every[-1]))
        self.assertLess(np.abs(own - first).max(), 3)
        self.assertGreater(np.abs(own - last).max(), 60)

    def test_what_moves_is_what_is_not_alike_in_all_frames(self):
        character, _ = laid(svg(bar(name="limb"), '<path id="hat" d="M-50 -100H-40V-90Z"/>'))
        still = with_clip(character, "c", [(0.0, {}), (0.5, {})], lambda t: (0.0, 0.0))
        bending = with_clip(character, "c", [(0.0, {}), (0.5, {"lower": 60.0})], lambda t: (0.0, 0.0))
        for one in (still, bending):
            frames = Frames.of(one, one.clips[0])
            self.assertAlmostEqual(frames.seconds, 0.5)
            for thing in frames.things(tuple(range(len(one.mesh.parts)))):
                own = np.ptp(frames.points[:, slice(*thing.part.vertices)], axis=0).max() > 1e-9
                self.assertEqual(thing.moves, bool(own))
            self.assertEqual(any(t.moves for t in frames.things((0, 1))), one is bending)


class Demo(unittest.TestCase):
    def test_the_shipped_drawings_are_what_the_code_draws(self):
        for name in DRAWINGS:
            made, kept = (read_file("x.svg", d)[1] for d in (draw(name), shipped(name)))
            np.testing.assert_allclose(made.mesh.rest, kept.mesh.rest, atol=1e-3)
            np.testing.assert_allclose(made.binding.joint_weights, kept.binding.joint_weights, atol=0.02)
            self.assertEqual([r.name for r in made.rules.remedies], [r.name for r in kept.rules.remedies])
            self.assertEqual([c.name for c in made.clips], [c.name for c in kept.clips])
            self.assertLess(len(kept.mesh) // 3, MOST_CONTROLS)
