"""The way of scratch kinds through document, API, what the page is told, and delivery; run in a copy that has them."""

import json
import unittest

import numpy as np

from plethos.core.evaluate import evaluate_exact
from plethos.core.formats.gltf_parse import parse
from plethos.core.formats.gltf_read import read_character
from plethos.service.schemas.document import RulesInFile
from tests.web import test_api


class Walk(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        test_api.Api.setUpClass.__func__(cls)

    @classmethod
    def tearDownClass(cls):
        test_api.Api.tearDownClass.__func__(cls)

    setUp, socket = test_api.Api.setUp, test_api.Api.socket

    def told(self, method: str, path: str, **body) -> dict:
        answer = self.http.request(method, f"{self.base}/{path}", json=body or None)
        self.assertEqual(answer.status_code, 200, answer.text)
        return answer.json()

    def test_they_are_stored_shown_delivered_and_undone(self):
        self.told("PUT", "dials", id="wet", name="Wet", low=0, high=1, start=0.25)
        self.told("PUT", "triggers", kind="absence", id="dry", name="dry", of="wet")
        (card,) = self.told("POST", "masked", kind="lift", joint="upper")["remedies"]
        self.assertEqual((card["kind"], card["stage"], card["numbers"]["metres"]), ("lift", "after", 0.1))
        self.told("PUT", f"remedies/{card['id']}/by", value="dry")
        state = self.told("PUT", f"remedies/{card['id']}/body", metres=0.4)
        self.assertIn({"id": "dry", "name": "dry", "kind": "absence"}, state["values"])
        self.assertEqual(state["remedies"][0]["trigger"], {"kind": "absence", "id": "dry", "name": "dry", "of": "wet"})
        character = self.server.app.state.bench.open(self.id).character
        mask, rest = character.rules.remedies[0].mask, character.mesh.rest
        lifted = rest.astype(float)
        lifted[mask.vertices, 1] += 0.75 * 0.4 * mask.shares
        with self.socket() as live:
            live.send(json.dumps({"type": "pose", "seq": 1, "pose": {}, "want": {}}))
            head, fields = test_api.unpack(live.recv())
        self.assertEqual(head["activations"], {card["id"]: 0.75})
        np.testing.assert_allclose(fields["with"].reshape(-1, 3), lifted, atol=1e-6)
        document = self.told("GET", "rules")
        RulesInFile.model_validate({**document, "version": 2})
        file = self.http.get(f"{self.base}/delivery.glb").content
        again = read_character(parse(file), "Again")
        np.testing.assert_allclose(evaluate_exact(again, again.skeleton.rest_pose()), lifted, atol=1e-6)
        self.assertEqual([t.kind for t in again.rules.triggers], ["absence"])
        for _ in range(5):
            state = self.told("POST", "undo")
        self.assertEqual((state["remedies"], state["values"]), ([], []))

    def test_the_strip_is_told_what_is_worst(self):
        points = self.told("POST", "bend", joint="upper", axis=[0, 0, 1], angles_deg=[0, 40])
        self.assertEqual([p["badness"]["measure"] for p in points], ["height", "height"])
        self.assertGreater(points[0]["badness"]["value"], 0.1)
