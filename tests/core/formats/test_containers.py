"""Files as containers: buffers, pictures, strides, chunks, nonsense in every place; OBJ as trimesh reads it."""

import base64
import copy
import io
import json
import struct
import unittest

import numpy as np
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from plethos.core.errors import BadFileError
from plethos.core.evaluate import Evaluator
from plethos.core.formats.files import open_file
from plethos.core.formats.gltf_build import GltfBuilder
from plethos.core.formats.gltf_file import COMPONENTS, GltfFile, whole
from plethos.core.formats.gltf_parse import parse
from plethos.core.formats.gltf_read import read_character
from plethos.core.formats.gltf_write import write_glb
from plethos.core.formats.obj import read_obj_points, write_obj
from plethos.core.formats.obj_match import sculpt_from_obj
from tests.figures import pair_file, paths, set_at, tube_file

EMPTY = GltfFile({"asset": {"version": "2.0"}}, ())


def as_text(file: GltfFile, uri: str) -> bytes:
    """A file as `.gltf` whose one buffer lies elsewhere."""
    document = copy.deepcopy(file.document)
    document["buffers"] = [{"byteLength": len(file.buffers[0]), "uri": uri}]
    return json.dumps(document).encode()


ANYTHING = st.recursive(
    st.booleans() | st.integers() | st.floats(allow_nan=False, allow_infinity=False) | st.text(),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(), inner, max_size=4),
    max_leaves=12,
)


class Text(unittest.TestCase):
    @given(ANYTHING, st.booleans())
    @settings(max_examples=150, deadline=None)
    def test_what_others_wrote_is_read_as_pythons_own_parser_reads_it(self, theirs, plain):
        text = json.dumps({**EMPTY.document, "extras": {"of": theirs}}, ensure_ascii=plain)
        self.assertEqual(repr(parse(text.encode()).document), repr(json.loads(text)))

    def test_what_is_no_number_no_sign_or_too_deep_is_refused(self):
        for theirs, why in (
            (b"NaN", "cannot be read"), (b"[-Infinity]", "cannot be read"), (b'"\\ud800"', "cannot be read"),
            (b'"\xff"', "cannot be read"), (b"[1,]", "cannot be read"), (b"[" * 210 + b"]" * 210, "200 deep"),
        ):  # fmt: skip
            with self.subTest(theirs), self.assertRaisesRegex(BadFileError, why):
                parse(b'{"asset":{"version":"2.0"},"extras":' + theirs + b"}")
        for theirs in (b'"\\ud83d\\udc1f"', b"[" * 190 + b"]" * 190):
            parse(b'{"asset":{"version":"2.0"},"extras":' + theirs + b"}")


class Buffers(unittest.TestCase):
    def test_a_buffer_comes_beside_the_file_inside_its_text_or_in_its_chunk(self):
        file = tube_file()
        data = file.buffers[0]
        inline = "data:application/octet-stream;base64," + base64.b64encode(data).decode()
        wanted = read_character(parse(file.pack()), "Tube").mesh.rest
        for text, others in (
            (as_text(file, "a%20tube.bin"), {"a tube.bin": data}),
            (as_text(file, "deep/down/tube.bin"), {"tube.bin": data}),
            (b"\xef\xbb\xbf \n" + as_text(file, inline), None),
        ):
            read = read_character(open_file("tube.gltf", text, others), "Tube")
            np.testing.assert_array_equal(read.mesh.rest, wanted)
        for uri in ("data:application/octet-stream;base64,@@", "data:nothing", 7):
            with self.assertRaises(BadFileError):
                parse(as_text(file, uri))
        with self.assertRaisesRegex(BadFileError, "cut off"):
            parse(as_text(file, "tube.bin"), {"tube.bin": data[:-1]})

    def test_pictures_beside_a_file_are_taken_in_and_missing_ones_shown_plain(self):
        document = json.loads(as_text(tube_file(), "tube.bin"))
        png, jpeg = b"\x89PNG" + bytes(9), b"\xff\xd8\xff" + bytes(6)
        document["images"] = [
            {"uri": "skin.png", "name": "skin"},
            {"uri": "cloth.jpg"},
            {"uri": "lost.png"},
            {"uri": "data:image/png;base64,AAAA"},
        ]
        file = parse(json.dumps(document).encode(), {
            "tube.bin": tube_file().buffers[0], "skin.png": png, "cloth.jpg": jpeg,
        })  # fmt: skip
        packed = parse(file.pack())
        kinds = [i.get("mimeType") for i in packed.document["images"]]
        self.assertEqual(kinds, ["image/png", "image/jpeg", "image/png", None])
        stored = []
        for image in packed.document["images"][:3]:
            view = packed.document["bufferViews"][image["bufferView"]]
            self.assertNotIn("uri", image)
            stored.append(packed.buffers[0][view["byteOffset"] :][: view["byteLength"]])
        self.assertEqual(stored[:2], [png, jpeg])
        self.assertTrue(stored[2].startswith(b"\x89PNG\r\n"))
        self.assertEqual(len(file.notes), 1)
        self.assertIn("lost.png", file.notes[0])
        self.assertIn("lost.png", " ".join(read_character(file, "Tube").repairs))

    def test_chunks_we_do_not_know_are_passed_over_and_lengths_are_checked(self):
        data = tube_file().pack()
        more = struct.pack("<II", 4, 0x12345678) + b"what"
        longer = struct.pack("<4sII", b"glTF", 2, len(data) + 12) + data[12:] + more
        np.testing.assert_array_equal(
            read_character(parse(longer), "Tube").mesh.rest, read_character(parse(data), "Tube").mesh.rest
        )
        reaching = longer[:-12] + struct.pack("<II", 400, 0x12345678) + b"what"
        for broken, word in (
            (struct.pack("<4sII", b"glTF", 1, len(data)) + data[12:], "version 1"),
            (reaching, "beyond its end"),
            (struct.pack("<4sIIII", b"glTF", 2, 24, 4, 0x004E4942) + b"what", "no JSON chunk"),
        ):
            with self.assertRaisesRegex(BadFileError, word):
                parse(broken)

    def test_trimesh_reads_what_we_pack(self):
        # An independent reader of the same container: places and triangles of both parts, at rest.
        file = parse(pair_file().pack())
        packed = write_glb(read_character(file, "Pair"), file)
        scene = trimesh.load(io.BytesIO(packed), file_type="glb", process=False)
        character = read_character(parse(packed), "Pair")
        self.assertEqual(set(scene.geometry), {"tube", "sleeve"})
        for part in character.mesh.parts:
            theirs = scene.geometry[part.name]
            np.testing.assert_array_equal(
                theirs.vertices.astype(np.float32), character.mesh.rest[slice(*part.vertices)]
            )
            np.testing.assert_array_equal(theirs.faces, part.surface.corners)

    def test_several_buffers_are_joined_at_offsets_of_four(self):
        builder = GltfBuilder(EMPTY)
        builder.accessor(np.arange(3, dtype=np.uint8))
        one = builder.file()
        again = GltfBuilder(one)
        again.accessor(np.array([[1.5, 2, 3]], np.float32))
        joined = parse(again.file().pack())
        self.assertEqual(len(joined.buffers), 1)
        np.testing.assert_array_equal(joined.accessor(0, "it", "SCALAR")[:, 0], [0, 1, 2])
        np.testing.assert_array_equal(joined.accessor(1, "it", "VEC3"), [[1.5, 2, 3]])
        self.assertEqual(joined.document["bufferViews"][1]["byteOffset"] % 4, 0)


class Accessors(unittest.TestCase):
    @given(st.sampled_from(sorted(COMPONENTS)), st.integers(1, 40), st.integers(0, 2**31), st.booleans())
    @settings(max_examples=60, deadline=None)
    def test_rows_come_out_of_any_stride_and_offset_and_normalised_as_the_format_says(self, code, count, seed, norm):
        generator = np.random.default_rng(seed)
        kind = COMPONENTS[code]
        size = 3 * kind.itemsize
        stride, start, offset = size + 4 * int(generator.integers(0, 9)), 4 * int(generator.integers(0, 5)), 8
        data = bytearray(generator.integers(0, 255, start + offset + stride * count, dtype=np.uint8).tobytes())
        rows = generator.integers(0, 100, (count, 3)).astype(kind)
        for n, row in enumerate(rows):
            at = start + offset + n * stride
            data[at : at + size] = row.tobytes()
        view = {"buffer": 0, "byteOffset": start, "byteLength": len(data) - start, "byteStride": stride}
        accessor = {"bufferView": 0, "byteOffset": offset, "componentType": code, "count": count, "type": "VEC3"}
        file = GltfFile(
            {"bufferViews": [view], "accessors": [{**accessor, "normalized": norm}]}, (bytes(data),)
        )  # fmt: skip
        wanted = rows.astype(float)
        if norm and kind.kind in "iu":
            # glTF 2.0, 3.11: f = c / (2^n - 1), signed f = max(c / (2^(n - 1) - 1), -1).
            bits = 8 * kind.itemsize
            wanted = np.maximum(wanted / (2**bits - 1 if kind.kind == "u" else 2 ** (bits - 1) - 1), -1)
        np.testing.assert_allclose(file.accessor(0, "it", "VEC3"), wanted, rtol=1e-12)
        np.testing.assert_array_equal(file.stored(accessor, "it"), rows)

    def test_the_least_signed_number_means_minus_one(self):
        file = GltfFile(
            {
                "bufferViews": [{"buffer": 0, "byteLength": 4}],
                "accessors": [
                    {"bufferView": 0, "componentType": 5120, "count": 4, "type": "SCALAR", "normalized": True}
                ],
            },
            (struct.pack("4b", -128, -127, 0, 127),),
        )
        np.testing.assert_array_equal(file.accessor(0, "it", "SCALAR")[:, 0], [-1, -1, 0, 1])

    @given(st.integers(1, 30), st.integers(0, 2**31))
    @settings(max_examples=30, deadline=None)
    def test_sparse_offsets_stand_where_they_belong_and_their_bounds_hold_what_is_not_named(self, count, seed):
        generator = np.random.default_rng(seed)
        rows = np.sort(generator.choice(count, generator.integers(0, count + 1), replace=False))
        values = generator.uniform(0.5, 2, (len(rows), 3)).astype(np.float32)
        builder = GltfBuilder(EMPTY)
        builder.offsets(rows, values, count)
        dense = np.zeros((count, 3), np.float32)
        dense[rows] = values
        file = parse(builder.file().pack())
        np.testing.assert_array_equal(file.accessor(0, "it", "VEC3", count), dense)
        there, found = file.changed(0, "it", "VEC3", count)
        np.testing.assert_array_equal(there, rows)
        np.testing.assert_array_equal(found, values)
        # Laid out whole, or named in any order, the same rows are found.
        builder = GltfBuilder(EMPTY)
        builder.accessor(dense)
        whole_of_it = parse(builder.file().pack()).changed(0, "it", "VEC3", count)
        shuffled = generator.permutation(rows).astype(np.uint32)
        offsets = dense[shuffled]
        document = {
            "bufferViews": [
                {"buffer": 0, "byteLength": shuffled.nbytes},
                {"buffer": 0, "byteOffset": shuffled.nbytes, "byteLength": offsets.nbytes},
            ],
            "accessors": [
                {
                    "componentType": 5126, "count": count, "type": "VEC3", "sparse": {
                        "count": len(shuffled), "indices": {"bufferView": 0, "componentType": 5125},
                        "values": {"bufferView": 1},
                    },
                }
            ],
        }  # fmt: skip
        jumbled = GltfFile(document, (shuffled.tobytes() + offsets.tobytes(),)).changed(0, "it", "VEC3", count)
        for one in (whole_of_it, jumbled):
            np.testing.assert_array_equal(one[0], rows)
            np.testing.assert_array_equal(one[1], values)
        told = file.document["accessors"][0]
        np.testing.assert_array_equal([told["min"], told["max"]], [dense.min(axis=0), dense.max(axis=0)])

    def test_whole_numbers_only(self):
        self.assertEqual(whole(4, "it", 5), 4)
        for value in (5, -1, 1.0, True, None, "1"):
            with self.assertRaises(BadFileError):
                whole(value, "it", 5)

    def test_matrices_and_keys_with_a_stride_are_written_without(self):
        # Many files give them one, which only vertex data may have (glTF 2.0, 3.6.2.4).
        builder = GltfBuilder(tube_file())
        accessor = builder.document["accessors"][builder.document["skins"][0]["inverseBindMatrices"]]
        view = builder.document["bufferViews"][accessor["bufferView"]]
        view["byteStride"] = 64
        source = parse(builder.file().pack())
        out = parse(write_glb(read_character(source, "Tube"), source))
        number = out.document["skins"][0]["inverseBindMatrices"]
        written = out.document["accessors"][number]
        self.assertNotIn("byteStride", out.document["bufferViews"][written["bufferView"]])
        np.testing.assert_array_equal(out.accessor(number, "it", "MAT4"), source.accessor(number, "it", "MAT4"))


class Nonsense(unittest.TestCase):
    def test_a_file_with_nonsense_anywhere_is_read_or_refused_with_a_sentence(self):
        file = tube_file(target=True, rings=3)
        document = json.loads(json.dumps(pair_document(file)))
        generator = np.random.default_rng(2)
        values = ("gone", None, "x", -1, 1.5, 10**12, float("inf"), [], {}, [None], True)
        refused = 0
        for path in paths(document):
            for k in generator.choice(len(values), 3, replace=False):
                changed = copy.deepcopy(document)
                set_at(changed, path, values[k])
                with self.subTest(path=path, value=values[k]):
                    try:
                        data = GltfFile(changed, file.buffers).pack()
                    except Exception:
                        continue  # our own packing of such a thing is not what is tested
                    try:
                        character = read_character(parse(data), "x")
                        self.assertTrue(np.isfinite(Evaluator.of(character).rest()).all())
                    except BadFileError as error:
                        refused += 1
                        self.assertRegex(error.sentence, r"^[A-Z“].*\.$")
        self.assertGreater(refused, 100)


def pair_document(file: GltfFile):
    """The document of a file with a clip that turns, moves and stretches its upper joint."""
    builder = GltfBuilder(file)
    times = builder.accessor(np.array([0, 1], np.float32), bounds=True)
    samplers, channels = [], []
    for path, row in (("rotation", [0, 0, 0, 1]), ("translation", [0, 0.5, 0]), ("scale", [1, 1, 1])):
        samplers.append({"input": times, "output": builder.accessor(np.array([row, row], np.float32))})
        channels.append({"sampler": len(samplers) - 1, "target": {"node": 1, "path": path}})
    builder.add("animations", {"name": "still", "samplers": samplers, "channels": channels})
    built = builder.file()
    object.__setattr__(file, "buffers", built.buffers)
    return built.document


class Endings(unittest.TestCase):
    def test_an_obj_is_known_by_its_ending_in_any_case(self):
        text = b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"
        for name in ("a.obj", "A.OBJ", "b.Obj"):
            self.assertEqual(len(read_character(open_file(name, text), name).mesh), 3)


class Obj(unittest.TestCase):
    TEXT = """
v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
v 0.5 0.5 1
vt 0 0
vt 1 0
vt 1 1
vt 0 1
vn 0 0 2
vn 0 1 1
f 1/1/1 2/2/1 3/3/1 4/4/1
f 1/1/2 2/2/2 5/3/2
f -4/2/2 -3/3/2 -1/1/2
"""

    def test_places_pictures_and_normals_are_those_that_trimesh_reads(self):
        file = parse(open_file("roof.obj", self.TEXT.encode()).pack())
        # It does not count back from the newest, as numbers below 0 do.
        counted = self.TEXT.replace("-4/2/2 -3/3/2 -1/1/2", "2/2/2 3/3/2 5/1/2")
        theirs = trimesh.load(io.StringIO(counted), file_type="obj", process=False)
        primitive = file.document["meshes"][0]["primitives"][0]
        index = file.accessor(primitive["indices"], "it", "SCALAR")[:, 0]
        names = primitive["attributes"]
        places, normals = (file.accessor(names[k], "it", "VEC3")[index] for k in ("POSITION", "NORMAL"))
        uv = file.accessor(names["TEXCOORD_0"], "it", "VEC2")[index]

        def triangles(*of_corners):
            rows = np.round(np.concatenate([np.asarray(a, float) for a in of_corners], axis=1), 5).tolist()
            # A triangle may be told from any of its corners on.
            each = [rows[k : k + 3] for k in range(0, len(rows), 3)]
            return sorted(min(t[k:] + t[:k] for k in range(3)) for t in each)

        faces = theirs.faces.ravel()
        given = theirs.vertex_normals[faces]
        given = given / np.linalg.norm(given, axis=1, keepdims=True)
        # glTF counts pictures from the top (2.0, 3.8.3), OBJ from below.
        theirs_uv = theirs.visual.uv[faces] * [1, -1] + [0, 1]
        ours = triangles(places, normals, uv)
        self.assertEqual(len(ours), 4)
        np.testing.assert_allclose(ours, triangles(theirs.vertices[faces], given, theirs_uv), atol=1e-4)

    def test_colours_behind_places_are_passed_over(self):
        text = "v 0 0 0 1 0.5 0\nv 1 0 0 1 1 1\nv 0 1 0 0 0 0\nvt 0 0 0\nvt 1 0 0\nvt 0 1 0\nf 1/1 2/2 3/3\n"
        character = read_character(parse(open_file("painted.obj", text.encode()).pack()), "Painted")
        np.testing.assert_array_equal(character.mesh.rest, [[0, 0, 0], [1, 0, 0], [0, 1, 0]])

    def test_a_sculpt_of_split_vertices_is_the_mean_of_its_copies(self):
        character = read_character(parse(tube_file(seam=True).pack()), "Tube")
        rest = character.mesh.rest.astype(float)
        text = write_obj(character, rest)
        np.testing.assert_allclose(sculpt_from_obj(character, text, rest).points, rest, atol=1e-7)
        points = read_obj_points(text)
        copies = character.mesh.file_to_vertex
        v = int(np.flatnonzero(np.bincount(copies) == 2)[3])
        one, other = np.flatnonzero(copies == v)
        points[one] += [0, 0, 0.2]
        points[other] += [0, 0.4, 0]
        moved = "\n".join(f"v {x} {y} {z}" for x, y, z in points.tolist())
        wanted = rest.copy()
        wanted[v] += [0, 0.2, 0.1]
        np.testing.assert_allclose(sculpt_from_obj(character, moved, rest).points, wanted, atol=1e-7)
        with self.assertRaisesRegex(BadFileError, "same mesh"):
            sculpt_from_obj(character, moved + "\nv 0 0 0", rest)

    def test_what_is_broken_is_told(self):
        for text, word in (
            ("v 0 0\n", "line 1 is not a vertex"),
            ("\nv 0 0 x\n", "line 2 is not a vertex"),
            ("f 1 2 3\n", "no vertices"),
            ("v 0 0 nan\n", "not finite"),
        ):
            with self.assertRaisesRegex(BadFileError, word):
                read_obj_points(text)
