"""Compressed glTF, written by what nobody here made: Draco's own encoder, and meshopt's, of the outside body."""

import base64
import copy
import ctypes.util
import json
import os
import subprocess
import unittest
from dataclasses import replace

import DracoPy
import numpy as np

from plethos.core.errors import BadFileError
from plethos.core.formats.files import packed, read_file
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_packed import DRACO, MESHOPT, unpacked
from plethos.core.formats.gltf_parse import parse
from plethos.launch.front import FRONT
from tests.models import load

ENCODE = """
import { MeshoptEncoder as E } from 'meshoptimizer'; import fs from 'node:fs';
await E.ready;
const asked = JSON.parse(fs.readFileSync(0, 'utf8')), out = [];
for (const a of asked) {
  const data = Uint8Array.from(Buffer.from(a.data, 'base64'));
  let from = data;
  if (a.filter === 'EXPONENTIAL') from = E.encodeFilterExp(new Float32Array(data.buffer), a.count, a.stride, 20);
  out.push(Buffer.from(E.encodeGltfBuffer(from, a.count, a.stride, a.mode)).toString('base64'));
}
console.log(JSON.stringify(out));
"""
COMPRESSED = ("POSITION", "TEXCOORD_0", "JOINTS_0", "WEIGHTS_0")


def plain(name: str) -> GltfFile:
    return load(name)[1]


def with_meshopt(file: GltfFile) -> GltfFile:
    """Every buffer view of the mesh compressed, in a buffer of their own; places by the exponential filter."""
    document = copy.deepcopy(file.document)
    primitive = document["meshes"][0]["primitives"][0]
    asked = [("indices", primitive["indices"])] if "indices" in primitive else []
    asked += [(name, a) for name, a in primitive["attributes"].items() if name in COMPRESSED]
    told = []
    for name, accessor in asked:
        data = file.stored(document["accessors"][accessor], name)
        mode = "TRIANGLES" if name == "indices" else "ATTRIBUTES"
        stride = data.itemsize * data.shape[1]
        one = {
            "count": len(data),
            "stride": stride,
            "mode": mode,
            "filter": "EXPONENTIAL" if name == "POSITION" else None,
        }
        told.append({**one, "data": base64.b64encode(data.tobytes()).decode()})
    node = ["node", "--input-type=module", "-e", ENCODE]
    done = subprocess.run(node, input=json.dumps(told), cwd=FRONT, capture_output=True, text=True, check=True)
    own = b""
    for (name, accessor), one, data in zip(asked, told, json.loads(done.stdout), strict=True):
        found, size = base64.b64decode(data), one["count"] * one["stride"]
        extension = {"buffer": len(file.buffers), "byteOffset": len(own), "byteLength": len(found)}
        extension |= {"mode": one["mode"], "count": one["count"], "byteStride": one["stride"]}
        extension |= {"filter": one["filter"]} if one["filter"] else {}
        view = {
            "buffer": len(file.buffers) + 1,
            "byteOffset": 0,
            "byteLength": size,
            "extensions": {MESHOPT: extension},
        }
        if name != "indices":
            view["byteStride"] = one["stride"]
        document["accessors"][accessor].update(bufferView=len(document["bufferViews"]), byteOffset=0)
        document["bufferViews"].append(view)
        own += found
    empty = {"byteLength": 10_000_000, "extensions": {MESHOPT: {"fallback": True}}}
    document["buffers"] += [{"byteLength": len(own)}, empty]
    document["extensionsRequired"] = document["extensionsUsed"] = [MESHOPT]
    return GltfFile(document, (*file.buffers, own, b""))


def with_draco(file: GltfFile) -> GltfFile:
    """The one primitive compressed, its order kept; joints and weights as attributes of their own."""
    document = copy.deepcopy(file.document)
    primitive = document["meshes"][0]["primitives"][0]
    kinds = {n: file.stored(document["accessors"][a], n) for n, a in primitive["attributes"].items()}
    faces = file.stored(document["accessors"][primitive["indices"]], "indices").reshape(-1, 3)
    others = {k: v for k, (n, v) in enumerate(kinds.items(), 1) if n != "POSITION"}
    generic = {k: v if v.dtype.kind == "u" else v.astype("f4") for k, v in others.items()}
    exact = {"quantization_bits": 16, "preserve_order": True}
    data = DracoPy.encode(kinds["POSITION"], faces=faces.astype("u4"), generic_attributes=generic, **exact)
    (places,) = (a["unique_id"] for a in DracoPy.decode(data).attributes if a["attribute_type"] == 0)
    numbers = {n: places if n == "POSITION" else k for k, n in enumerate(kinds, 1)}
    for accessor in (*primitive["attributes"].values(), primitive["indices"]):
        document["accessors"][accessor].pop("bufferView")
    primitive["extensions"] = {DRACO: {"bufferView": len(document["bufferViews"]), "attributes": numbers}}
    document["bufferViews"].append({"buffer": len(file.buffers), "byteOffset": 0, "byteLength": len(data)})
    document["buffers"].append({"byteLength": len(data)})
    document["extensionsRequired"] = document["extensionsUsed"] = [DRACO]
    return GltfFile(document, (*file.buffers, data))


def as_gltf(file: GltfFile) -> bytes:
    """A `.gltf` with its buffers in it, but for what is only a place."""
    document = copy.deepcopy(file.document)
    for told, data in zip(document["buffers"], file.buffers, strict=True):
        if data:
            told.update(uri="data:;base64," + base64.b64encode(data).decode(), byteLength=len(data))
    return json.dumps(document).encode()


class Packed(unittest.TestCase):
    def setUp(self):
        # Debian's package, which only an administrator can install: `./plethos test` does where it may.
        if ctypes.util.find_library("meshoptimizer") is None and os.geteuid() != 0:
            self.skipTest("libmeshoptimizer2d is not installed")

    def test_what_was_compressed_comes_in_as_it_was(self):
        before = load("body_58_joints.glb")[0]
        for name, make, near in (("Draco", with_draco, 3e-5), ("meshopt", with_meshopt, 1e-5)):
            with self.subTest(name):
                data = as_gltf(make(plain("body_58_joints.glb")))
                file, character = read_file("body.gltf", data)
                np.testing.assert_allclose(character.mesh.points, before.mesh.points, atol=near)
                # Where a triangle begins may be another of its corners.
                corners = (np.sort(c.mesh.file_triangles, axis=1) for c in (character, before))
                np.testing.assert_array_equal(*corners)
                np.testing.assert_allclose(character.binding.joint_weights, before.binding.joint_weights, atol=1e-6)
                self.assertTrue(any(f"compressed ({name})" in told for told in character.repairs))
                # What is kept has no compression any more, and is the same.
                kept = packed(file, "body.gltf", data)
                self.assertNotIn(b"compression", kept[:200_000])
                again, same = read_file("body.gltf", kept)
                self.assertIs(unpacked(again), again)
                np.testing.assert_array_equal(same.mesh.points, character.mesh.points)

    def test_what_is_broken_gets_a_sentence(self):
        rng = np.random.default_rng(2)
        for make, key in ((with_draco, DRACO), (with_meshopt, MESHOPT)):
            whole = make(plain("body_58_joints.glb"))
            owner = whole.document["meshes"][0]["primitives"][0] if key == DRACO else whole.document["bufferViews"][-1]
            told = owner["extensions"][key]
            at = 1  # the buffer that holds what is compressed
            cut = replace(whole, buffers=(*whole.buffers[:at], bytes(len(whole.buffers[at])), *whole.buffers[at + 1 :]))
            noise = rng.integers(0, 256, len(whole.buffers[at]), np.uint8).tobytes()
            wild = replace(whole, buffers=(*whole.buffers[:at], noise, *whole.buffers[at + 1 :]))
            broken = [cut, wild]
            for field in told:
                document = copy.deepcopy(whole.document)
                other = document["meshes"][0]["primitives"][0] if key == DRACO else document["bufferViews"][-1]
                other["extensions"][key][field] = {"x": 99} if isinstance(told[field], dict) else -1
                broken.append(replace(whole, document=document))
            for file in broken:
                with self.assertRaises(BadFileError):
                    parse(as_gltf(file))
