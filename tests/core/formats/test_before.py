"""Files of before rules had a version 2: they open with all remedies, regions and weights, and show the same."""

import json
import math
import unittest
from pathlib import Path

import numpy as np

from plethos.core.edits.review import CHANGED
from plethos.core.errors import BadFileError
from plethos.core.evaluate import ALL, NONE, evaluate_exact
from plethos.core.formats.document import upgraded
from plethos.core.formats.gltf_parse import parse
from plethos.core.formats.gltf_read import read_character
from plethos.core.formats.gltf_write import write_glb
from plethos.core.measure.travel import bent

BEFORE = Path(__file__).parents[2] / "data" / "before"
EXPECTED = json.loads((BEFORE / "expected.json").read_text())


def poses(skeleton) -> dict:
    """The poses that were recorded with the code of before."""
    rest, upper = skeleton.rest_pose(), skeleton.find("upper")
    mixed = bent(bent(rest, upper, (0, 0, 1), math.radians(-40)), upper, (1, 0, 0), 0.3)
    return {"rest": rest, "bent": bent(rest, upper, (0, 0, 1), math.radians(70)), "mixed": mixed}


def differs(case: unittest.TestCase, character, key: str, atol: float = 2e-7) -> None:
    """Compare posed points, weights and regions with what was recorded, file vertex by file vertex."""
    recorded = np.load(BEFORE / f"{key}.npz")
    copies = character.mesh.file_to_vertex
    for name, pose in poses(character.skeleton).items():
        for which, acting in (("with", ALL), ("without", NONE)):
            got = evaluate_exact(character, pose, acting)[copies]
            np.testing.assert_allclose(got, recorded[f"{name}_{which}"], atol=atol, err_msg=f"{key} {name} {which}")
    np.testing.assert_allclose(character.binding.joint_weights[copies], recorded["weights"], atol=atol)
    for region in character.regions:
        got = region.dense(len(character.mesh))[copies]
        np.testing.assert_allclose(got, recorded[f"region_{region.name or 'picked'}"], atol=6e-5)
    told, rules = EXPECTED[key], character.rules
    case.assertEqual([r.id for r in rules.remedies], [r["id"] for r in told["remedies"]])
    case.assertEqual([r.name for r in rules.remedies], [r["name"] for r in told["remedies"]])
    case.assertEqual([r.by is not None for r in rules.remedies], [r["tied"] for r in told["remedies"]])
    case.assertEqual([(r.on, r.amount) for r in rules.remedies], [(r["on"], r["amount"]) for r in told["remedies"]])
    case.assertEqual([CHANGED in r.notes for r in rules.remedies], [CHANGED in r["warnings"] for r in told["remedies"]])


class FilesOfBefore(unittest.TestCase):
    def test_they_show_what_they_showed(self):
        for key, file in (("torn", "torn.glb"), ("pair", "pair-baked.glb")):
            character = read_character(parse((BEFORE / file).read_bytes()), key)
            differs(self, character, key)
            self.assertEqual([r.name for r in character.regions], [n for n in EXPECTED[key]["regions"] if n])

    def test_delivered_again_they_show_it_still(self):
        for key, file in (("torn", "torn.glb"), ("pair", "pair-baked.glb")):
            source = parse((BEFORE / file).read_bytes())
            data = write_glb(read_character(source, key), source)
            self.assertEqual(parse(data).document["extras"]["plethos"]["version"], 2)
            differs(self, read_character(parse(data), key), key)

    def test_a_baked_clip_does_not_apply_remedies_twice(self):
        character = read_character(parse((BEFORE / "pair-baked.glb").read_bytes()), "pair")
        (clip,) = character.clips
        self.assertEqual({t.channel for t in clip.tracks}, {"rotation", "translation"})
        # At half a second the clip is at the 50 degrees at which the remedy was sculpted, on both parts.
        pose = clip.pose_at(character.skeleton, 0.5)
        moved = np.abs(evaluate_exact(character, pose) - evaluate_exact(character, pose, NONE)).max(axis=1) > 1e-4
        for part in character.mesh.parts:
            self.assertTrue(moved[slice(*part.vertices)].any(), part.name)

    def test_the_weld_of_before_is_kept_for_what_was_stored_and_mended_for_new_files(self):
        source = parse((BEFORE / "torn.glb").read_bytes())
        old, new = (read_character(source, "x", cells_only=c) for c in (True, False))
        self.assertEqual(len(old.mesh), EXPECTED["torn"]["vertices"])
        self.assertLess(len(new.mesh), len(old.mesh))
        differs(self, old, "torn")

    def test_a_later_version_is_refused(self):
        with self.assertRaisesRegex(BadFileError, "later version"):
            upgraded({"version": 3, "remedies": []})
