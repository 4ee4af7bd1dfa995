"""Several pages at one character: what is told as saved is stored, and no one's work is lost by another's."""

import json
import struct
import unittest
from unittest.mock import patch

import httpx
import numpy as np
from sqlalchemy.exc import OperationalError
from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync.client import connect

from plethos.service.desk.desk import Desk
from plethos.service.library.open_character import NotThereError
from plethos.service.library.workbench import Workbench
from plethos.store.repository import Store
from plethos.web import live_socket
from tests.figures import tube_file
from tests.server import PATIENT, RunningServer


class Page:
    """One page: its socket and its requests."""

    def __init__(self, server, character, name):
        self.http = httpx.Client(base_url=server.address, headers={"Plethos-Page": name}, timeout=PATIENT)
        self.base = f"/api/characters/{character}"
        address = f"ws://127.0.0.1:{server.port}{self.base}/live?page={name}"
        self.live, self.told, self.seq = connect(address, max_size=None), [], 0

    def ask(self, type_, **more):
        """The answer to a message: a frame's head and arrays, or what was told; all else is kept in `told`."""
        self.seq += 1
        self.live.send(json.dumps({"type": type_, "seq": self.seq, **more}))
        return self.until(lambda head: head.get("seq") == self.seq)

    def until(self, wanted):
        while True:
            data = self.live.recv(timeout=PATIENT)
            if isinstance(data, str):
                head = json.loads(data)
            else:
                (length,) = struct.unpack_from("<I", data)
                head, start = json.loads(data[4 : 4 + length]), 4 + length
                for name, size in head["fields"].items():
                    head[name] = np.frombuffer(data, "<f4", size, start)
                    start += 4 * size
            if wanted(head):
                return head
            self.told.append(head)

    def touch(self, triangle, at, tool=None, **want):
        tool = tool or {"tool": "paint", "joint": "lower", "mode": "replace"}
        dab = {"triangle": triangle, "at": at, "radius": 0.05, "strength": 1.0}
        return self.ask("stroke", settings=tool, dabs=[dab], want=want)

    def post(self, path, **body):
        return self.http.post(f"{self.base}/{path}", json=body)

    def close(self):
        self.http.close()
        self.live.close()


class Desks(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.server = RunningServer()
        cls.bench = cls.server.app.state.bench

    @classmethod
    def tearDownClass(cls):
        cls.server.stop()

    def setUp(self):
        self.id = self.bench.bring_in("Tube", tube_file().pack())
        self.opened = self.bench.open(self.id)
        self.triangles = self.opened.character.mesh.topology.triangles

    def page(self, name):
        page = Page(self.server, self.id, name)
        self.addCleanup(page.close)
        return page

    def test_a_mask_painted_over_the_socket_is_stored_on_top_of_what_others_did(self):
        one, other = self.page("one"), self.page("other")
        made = one.post("masked", kind="skin_blend", joint="upper").json()
        own = made["remedies"][0]["id"]
        triangle = 470
        at = self.opened.character.mesh.rest[self.triangles[triangle]].mean(axis=0).tolist()
        tool = {"tool": "mask", "remedy_id": own, "mode": "take"}
        head = one.touch(triangle, at, tool, mask=own)
        self.assertLess(float(head["region"][self.triangles[triangle]].min()), 0.5)
        ended = one.ask("stroke_end")
        self.assertEqual(ended["type"], "version")
        stored = self.opened.character.rules.remedy(own).mask.dense(len(self.opened.character.mesh))
        np.testing.assert_allclose(stored, head["region"], atol=1e-6)
        told = other.until(lambda h: h.get("type") == "version" and h["state"]["version"] == 2)
        self.assertEqual(told["state"]["remedies"][0]["id"], own)
        # Deleted under the brush: refused with a sentence, nothing else changes.
        one.touch(triangle, at, tool, mask=own)
        other.post("lease")
        self.assertEqual(other.http.delete(f"{other.base}/remedies/{own}").status_code, 200)
        self.assertEqual(one.ask("stroke_end")["type"], "problem")
        self.assertEqual(self.opened.character.rules.remedies, ())

    def test_whoever_has_a_deleted_character_open_is_told_and_all_share_it_again_once_it_is_back(self):
        elsewhere = Workbench(Store(self.server.url))
        self.addCleanup(elsewhere.store.close)
        for removed_by in (self.bench, elsewhere):  # this process, and another
            one, other = self.page("one"), self.page("other")
            at = self.opened.character.mesh.rest[self.triangles[470]].mean(axis=0).tolist()
            one.touch(470, at)
            removed_by.remove(self.id)
            for page in (one, other):
                page.until(lambda head: head.get("type") == "gone")
                with self.assertRaises(ConnectionClosed) as closed:
                    page.ask("pose")
                self.assertEqual(closed.exception.rcvd.code, 4404)
            self.assertRaises(InvalidStatus, self.page, "late")
            # Whatever still had it in hand neither sees nor stores any more of it.
            self.assertRaises(NotThereError, lambda: Desk(self.opened, {}).version)
            self.assertEqual(one.post("undo").status_code, 404)
            self.bench.restore(self.id)
            one, other = self.page("one"), self.page("other")
            self.opened = self.bench.open(self.id)
            one.touch(470, at)
            self.assertIn("another window", other.touch(470, at)["detail"])
            one.ask("stroke_end")
            told = other.until(lambda head: head.get("type") == "version")
            self.assertEqual(told["state"]["version"], self.opened.revision.number)

    def test_bytes_are_answered_and_the_socket_stays(self):
        one = self.page("one")
        one.live.send(b"\x00\x01")
        self.assertIn("text", one.until(lambda head: head.get("type") == "problem")["detail"])
        self.assertIn("with", one.ask("pose"))

    def test_one_message_takes_no_server_with_it(self):
        one = self.page("one")
        for far in (1e30, 1e12, -1e300):
            pose = {"joints": {"upper": {"translation": [far, far, far]}}}
            for type_ in ("contacts", "pose"):
                self.assertIn("far too large", one.ask(type_, pose=pose)["detail"])
            self.assertEqual(one.post("poses", name="far", pose=pose).status_code, 409)
            for path in ("sculpt", "mirrored-pose", "bend/upper"):
                self.assertGreaterEqual(one.post(path, pose=pose, **pose).status_code, 400, path)
        self.assertEqual(self.opened.character.poses, ())

    def test_no_program_drops_the_sculpt_of_a_page_that_is_there(self):
        one = self.page("one")
        one.post("sculpt", pose={"joints": {"upper": [0, 0, 0.5, 0.8660254]}})
        program = httpx.Client(base_url=f"{self.server.address}/api/characters/{self.id}/", timeout=PATIENT)
        self.addCleanup(program.close)
        self.assertEqual(program.post("sculpt/drop").status_code, 423)
        self.assertEqual(program.post("undo").status_code, 423)
        one.live.close()
        one.live = self.page("two").live  # gone: whoever comes may go on
        self.assertEqual(program.post("undo").status_code, 200)

    def test_a_frame_without_measures_is_followed_by_one_with_them_whoever_finds_the_region(self):
        plain, joint = live_socket.frame, self.opened.character.skeleton.find("upper")

        def beside(desk, version, *more, **options):
            # As the bend strip, which asks at the same time: found once the frame is made.
            shown = plain(desk, version, *more, **options)
            version.measures.bend(joint)
            return shown

        page = self.page("one")
        with patch.object(live_socket, "frame", beside):
            first = page.ask("pose", pose={"joints": {"upper": [0, 0, 0.6, 0.8]}}, want={"measure": "upper"})
            self.assertNotIn("measures", first)
            later = page.until(lambda h: h.get("seq") is None and "measures" in h)
        self.assertLess(later["measures"]["with"]["volume"], 100)

    def at(self, triangle):
        return self.opened.rest[self.triangles[triangle]].mean(axis=0).tolist()

    def painted(self, triangle):
        """Whether the lower joint has more of the skin there than it came with, as it is stored."""
        fresh = Workbench(Store(self.server.url))
        self.addCleanup(fresh.store.close)
        before, now = (o.binding.joint_weights for o in (self.opened.bare, fresh.open(self.id).character))
        gain = (now - before)[self.triangles[triangle], self.opened.character.skeleton.find("lower")]
        return bool(gain.min() > 0.1)

    def test_a_stroke_is_stored_on_top_of_what_came_meanwhile(self):
        one = self.page("one")
        for step, (path, body) in enumerate(
            [("bind/regions/pick", {"by": "all"}), ("bind/give", {"target": {"part": "tube"}, "joint": "upper"}),
             ("undo", {})]
        ):  # fmt: skip
            triangle = 700 + 20 * step
            one.touch(triangle, self.at(triangle))
            self.assertEqual(one.post(path, **body).status_code, 200)
            # A name is no step of the history.
            self.assertEqual(one.http.patch(one.base, json={"name": f"Tube {step}"}).json()["name"], f"Tube {step}")
            saved = one.ask("stroke_end")
            self.assertEqual((saved["type"], saved["state"]["undo"]), ("version", "Paint lower"))
            self.assertTrue(self.painted(triangle))
            self.assertEqual(saved["state"]["name"], f"Tube {step}")
        self.assertFalse(self.painted(900), "and nothing else is painted")

    def test_a_sculpt_stroke_that_lost_its_session_is_refused_and_told(self):
        one, dab = self.page("one"), {"tool": "sculpt", "brush": "inflate"}
        one.post("sculpt", pose={})
        one.touch(480, self.at(480), dab)
        one.post("sculpt/drop")
        refused = one.ask("stroke_end")
        self.assertEqual(refused["type"], "problem")
        self.assertIn("changed meanwhile", refused["detail"])
        one.post("undo")
        one.touch(480, self.at(480), dab)
        one.post("undo")
        one.post("redo")
        self.assertEqual(one.ask("stroke_end")["state"]["sculpt"]["strokes"], 1)

    def test_a_page_that_goes_in_mid_stroke_leaves_nothing(self):
        one, other = self.page("one"), self.page("other")
        before = other.ask("pose", want={"weights": "lower"})["weights"]
        one.touch(700, self.at(700))
        one.close()
        other.until(lambda head: head.get("type") == "lease" and not head["elsewhere"])
        np.testing.assert_array_equal(other.ask("pose", want={"weights": "lower"})["weights"], before)
        other.touch(720, self.at(720))
        other.ask("stroke_end")
        self.assertTrue(self.painted(720))
        self.assertFalse(self.painted(700))

    def test_a_stroke_that_no_database_took_is_told_as_not_saved(self):
        one = self.page("one")
        one.touch(700, self.at(700))
        with patch.object(self.server.store, "append", side_effect=OperationalError("", {}, Exception())):
            told = one.ask("stroke_end")
            self.assertEqual(one.post("undo").status_code, 200)
        self.assertEqual((told["type"], "not saved" in told["detail"]), ("problem", True))
        one.touch(720, self.at(720))
        self.assertEqual(one.ask("stroke_end")["state"]["version"], 1)
        self.assertEqual((self.painted(700), self.painted(720)), (False, True))

    def test_every_answer_names_what_its_own_edit_made(self):
        one = self.page("one")
        for n in range(1, 4):
            one.touch(700 + n, self.at(700 + n))
            # A program's edit on the heels of the stroke.
            one.live.send(json.dumps({"type": "stroke_end", "seq": 1000 + n}))
            made = one.post("bind/regions/reshape", how="none").json()
            saved = one.until(lambda head, n=n: head.get("seq") == 1000 + n)["state"]
            self.assertEqual((saved["undo"], made["undo"]), ("Paint lower", "Clear what is picked"))
            self.assertEqual({saved["version"], made["version"]}, {2 * n - 1, 2 * n})

    def test_strokes_are_kept_while_many_characters_are_open(self):
        one = self.page("one")
        one.touch(700, self.at(700))
        for n in range(6):
            self.bench.open(self.bench.bring_in(f"Other {n}", tube_file().pack()))
        self.assertEqual(one.ask("stroke_end")["type"], "version")
        self.assertTrue(self.painted(700))
