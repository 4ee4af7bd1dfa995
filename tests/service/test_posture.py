"""A file with Z up, whose characters lie on their backs: found, stood up to be looked at, delivered as it was."""

import math
import unittest

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_parse import parse
from plethos.service.edits import joint_edits
from plethos.service.library.workbench import Workbench
from plethos.store.repository import Store
from tests.light import light_keeper
from tests.long_work import delivered
from tests.server import fresh_database


def lying(figure: bytes | None = None) -> GltfFile:
    """A figure as a file with Z up has it; the light lock keeper if none is given."""
    source = parse(figure or light_keeper())
    half = math.sqrt(0.5)
    nodes, scene = source.document["nodes"], source.document["scenes"][0]
    root = {"name": "file", "rotation": [half, 0, 0, half], "children": scene["nodes"]}
    scenes = [{**scene, "nodes": [len(nodes)]}]
    return GltfFile({**source.document, "nodes": [*nodes, root], "scenes": scenes}, source.buffers)


class Posture(unittest.TestCase):
    def setUp(self):
        self.url = fresh_database()
        store = Store(self.url)
        self.addCleanup(store.close)
        self.bench = Workbench(store)

    def test_standing_up_is_one_step_and_changes_nothing_else(self):
        keeper = self.bench.bring_in("Lying", lying().pack())
        before, rest = delivered(self.bench, keeper).data, self.bench.open(keeper).rest.copy()
        made = joint_edits.stand(self.bench, keeper, "z")
        self.assertEqual((made.character.up, made.revision.label), ("z", "Stand up"))
        again = Workbench(Store(self.url))
        self.addCleanup(again.store.close)
        self.assertEqual(again.open(keeper).character.up, "z")
        self.assertEqual(delivered(again, keeper).data, before)
        np.testing.assert_array_equal(again.open(keeper).character.mesh.rest, rest)
        # Other edits leave it standing; undo lays it down.
        joint_edits.rename(again, keeper, "head", "top", False)
        self.assertEqual(again.open(keeper).character.up, "z")
        again.step(keeper, -1)
        self.assertEqual(again.step(keeper, -1).character.up, "y")
        with self.assertRaisesRegex(BadEditError, "can be up"):
            joint_edits.stand(again, keeper, "x")
