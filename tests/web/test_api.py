"""The API over real HTTP and a real socket."""

import json
import socket
import struct
import unittest

import httpx
import numpy as np
from websockets.exceptions import InvalidStatus
from websockets.sync.client import connect

from plethos.core.evaluate import evaluate_exact
from plethos.core.measure.travel import bent
from plethos.demo.catalogue import shipped
from plethos.store.sweep import Sweep
from tests.figures import tube_file
from tests.server import PATIENT, RunningServer


def unpack(data: bytes):
    (length,) = struct.unpack_from("<I", data)
    head, start, out = json.loads(data[4 : 4 + length]), 4 + length, {}
    for name, size in head["fields"].items():
        out[name] = np.frombuffer(data, "<f4", size, start)
        start += 4 * size
    return head, out


class Api(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.server = RunningServer()
        cls.http = httpx.Client(base_url=cls.server.address, timeout=PATIENT)

    @classmethod
    def tearDownClass(cls):
        cls.http.close()
        cls.server.stop()

    def setUp(self):
        answer = self.http.post("/api/characters", files={"files": ("Tube.glb", tube_file().pack())})
        self.assertEqual(answer.status_code, 201, answer.text)
        self.id = answer.json()["id"]
        self.base = f"/api/characters/{self.id}"

    def socket(self, **options):
        return connect(f"ws://127.0.0.1:{self.server.port}{self.base}/live", max_size=None, **options)

    def test_foreign_hosts_origins_and_sockets_are_refused(self):
        self.assertEqual(self.http.get("/api/characters", headers={"Host": "evil.example"}).status_code, 403)
        self.assertEqual(
            self.http.post(f"{self.base}/undo", headers={"Origin": "http://evil.example"}).status_code, 403
        )
        self.assertEqual(self.http.get("/api/characters", headers={"Sec-Fetch-Site": "cross-site"}).status_code, 403)
        self.assertEqual(self.http.get("/api/characters", headers={"Origin": self.server.address}).status_code, 200)
        with self.assertRaises(InvalidStatus):
            self.socket(origin="http://evil.example")

    def test_a_content_security_policy_allows_our_own_files_only(self):
        policy = self.http.get("/api/health").headers["content-security-policy"]
        self.assertIn("default-src 'none'", policy)
        self.assertIn("script-src 'self'", policy)
        self.assertNotIn("http", policy)

    def test_a_broken_file_gets_a_sentence_and_leaves_nothing(self):
        before = len(self.http.get("/api/characters").json())
        answer = self.http.post("/api/characters", files={"files": ("x.glb", tube_file().pack()[:300])})
        self.assertEqual(answer.status_code, 422)
        self.assertEqual(answer.headers["content-type"], "application/problem+json")
        self.assertIn("cut off", answer.json()["detail"])
        self.assertEqual(len(self.http.get("/api/characters").json()), before)

    def test_what_is_no_text_gets_a_sentence(self):
        deep = "[" * 100_000 + "]" * 100_000
        for name in ("a%00b", "%ED%A0%80", "%FF"):
            own = (f"{self.base}/joints/{name}/aim", f"{self.base}/bind/regions/{name}")
            for path in (f"/api/characters/{name}", *own, f"/api/jobs/{name}", f"/{name}", f"/assets/{name}"):
                for method in ("GET", "DELETE", "POST"):
                    self.assertLess(self.http.request(method, path).status_code, 500, (method, path))
        for name in ("a\\u0000b", "\\ud800"):
            for path, body in (("bind/regions/pick", f'{{"by": "part", "name": "{name}"}}'),
                               ("joints/upper/name", f'{{"name": "{name}"}}'), ("remedies", deep)):  # fmt: skip
                refused = self.http.post(f"{self.base}/{path}", content=body)
                self.assertIn(refused.status_code, (400, 409, 422), (path, name))
                self.assertTrue(refused.json()["detail"])
        self.assertEqual(self.http.get(self.base).json()["version"], 0)

    def test_uploads_are_capped(self):
        from plethos.web.context import Settings

        self.server.app.state.settings = Settings(upload_bytes=1000)
        self.addCleanup(setattr, self.server.app.state, "settings", Settings())
        answer = self.http.post("/api/characters", files={"files": ("x.glb", b"0" * 2000)})
        self.assertEqual(answer.status_code, 413)

    def test_what_claims_to_be_too_large_is_refused_before_it_comes(self):
        most = self.server.app.max_body_size
        with socket.create_connection(("127.0.0.1", self.server.port)) as raw:
            raw.sendall(
                f"POST /api/characters HTTP/1.1\r\nHost: 127.0.0.1:{self.server.port}\r\n"
                f"Content-Type: multipart/form-data; boundary=x\r\nContent-Length: {most + 1}\r\n\r\n".encode()
            )
            self.assertIn(b" 413 ", raw.recv(100).split(b"\r\n")[0], "before anything was sent")

    def test_a_picture_is_kept_for_the_library(self):
        where = f"{self.base}/picture"
        self.assertEqual(self.http.get(where).status_code, 404)
        picture = b"\x89PNG\r\n\x1a\n" + b"0" * 100
        for wrong in (b"", b"<svg onload='x'>", picture + b"0" * 300_000):
            self.assertEqual(self.http.put(where, content=wrong).status_code, 422)
        self.assertEqual(self.http.put(where, content=picture).status_code, 204)
        answer = self.http.get(where)
        self.assertEqual((answer.content, answer.headers["content-type"]), (picture, "image/png"))
        Sweep(self.server.store.transactions).all()
        self.assertEqual(self.http.get(where).content, picture)
        (card,) = [c for c in self.http.get("/api/characters").json() if c["id"] == self.id]
        self.assertTrue(card["picture"])
        self.assertEqual(card["version"], 0, "a picture is no edit")

    def test_a_pose_over_the_socket_is_what_the_core_gives(self):
        opened = self.server.app.state.bench.open(self.id)
        pose = bent(opened.character.skeleton.rest_pose(), opened.character.skeleton.find("upper"), (0, 0, 1), 1.1)
        with self.socket() as live:
            joints = {"upper": pose.rotations[opened.character.skeleton.find("upper")].tolist()}
            want = {"without": True, "heat": True, "measure": "upper"}
            live.send(json.dumps({"type": "pose", "seq": 7, "pose": {"joints": joints}, "want": want}))
            head, fields = unpack(live.recv())
            # No pose waits until the region of a joint is found: it is shown once more, measured.
            self.assertNotIn("measures", head)
            later, again = unpack(live.recv())
            live.send(json.dumps({"type": "pose", "seq": 8, "pose": {"joints": joints}, "want": want}))
            third, _ = unpack(live.recv())
            # What bends no skin has no measures, and is asked for once.
            for _ in range(2):
                live.send(json.dumps({"type": "pose", "seq": 9, "pose": {}, "want": {"measure": "root"}}))
            root, _ = unpack(live.recv())
        self.assertEqual((head["seq"], later["seq"], third["seq"], root["seq"]), (7, None, 8, 9))
        for shown in (fields, again):
            np.testing.assert_allclose(shown["with"].reshape(-1, 3), evaluate_exact(opened.character, pose), atol=1e-6)
        self.assertLess(later["measures"]["with"]["volume"], 100)
        self.assertEqual(third["measures"], later["measures"])
        self.assertIsNone(root.get("measures"))
        self.assertEqual(len(fields["heat"]), len(opened.character.mesh.points))

    def test_the_mesh_is_packed_as_the_view_unpacks_it(self):
        data = self.http.get(f"{self.base}/mesh").content
        vertices, triangles = struct.unpack_from("<II", data)
        opened = self.server.app.state.bench.open(self.id)
        self.assertEqual((vertices, triangles), (506, len(opened.character.mesh.topology.triangles)))
        rest = np.frombuffer(data, "<f4", 3 * vertices, 8).reshape(-1, 3)
        np.testing.assert_array_equal(rest, opened.rest)
        corners = np.frombuffer(data, "<u4", 3 * triangles, 8 + 12 * vertices).reshape(-1, 3)
        np.testing.assert_array_equal(corners, opened.character.mesh.topology.triangles)
        colours = np.frombuffer(data, np.uint8, 4 * vertices, 8 + 12 * (vertices + triangles))
        self.assertEqual(len(data), 8 + 12 * (vertices + triangles) + 4 * vertices)
        self.assertEqual(colours.max(), 0, "a file without colours has none")
        (part,) = self.http.get(f"{self.base}/figure").json()["parts"]
        self.assertEqual(part["drawn"], [0, triangles])

    def test_joints_are_edited_over_http_and_the_figure_says_so(self):
        def at(name: str) -> list[float]:
            joints = self.http.get(f"{self.base}/figure").json()["joints"]
            return next(j["at"] for j in joints if j["name"] == name)

        before = self.http.get(self.base).json()["skeleton"]
        moved = self.http.post(f"{self.base}/joints/upper/place", json={"at": [0, 0.55, 0], "mirror": False})
        self.assertEqual(moved.status_code, 200, moved.text)
        self.assertEqual(moved.json()["undo"], "Move upper")
        self.assertNotEqual(moved.json()["skeleton"], before)
        np.testing.assert_allclose(at("upper"), [0, 0.55, 0])
        undone = self.http.post(f"{self.base}/undo").json()
        self.assertEqual(undone["skeleton"], before)
        for path, body, label in (
            ("joints", {"name": "tip", "parent": "upper", "at": [0, 1, 0]}, "Make tip"),
            ("joints/tip/name", {"name": "top/end"}, "Rename tip"),
            ("joints/top%2Fend/parent", {"parent": "lower"}, "Hang top/end on lower"),
            ("joints/upper/turn", {"by_deg": [0, 30, 0]}, "Turn upper"),
            ("joints/lower/aim", {}, "Lay lower along its bone"),
            ("joints/upper/hinge", {"axis": [0, 0, 2], "low_deg": -10, "high_deg": 120}, "Range of upper"),
            ("joints/lower/range", {"preset": "knee_flexion"}, "Range of lower"),
            ("joints/lower/twists", {"count": 2}, "Twist joints along lower"),
        ):
            answer = self.http.post(f"{self.base}/{path}", json=body)
            self.assertEqual(answer.status_code, 200, (path, answer.text))
            self.assertEqual(answer.json()["undo"], label)
        joints = {j["name"]: j for j in self.http.get(f"{self.base}/figure").json()["joints"]}
        self.assertEqual((joints["upper"]["low_deg"], joints["upper"]["hinge_known"]), (-10, True))
        self.assertIn("lower_twist_2", joints)
        gone = self.http.delete(f"{self.base}/joints/top%2Fend")
        self.assertEqual(gone.json()["undo"], "Delete top/end")
        wrong = self.http.post(f"{self.base}/joints/knee/place", json={"at": [0, 0, 0]})
        self.assertIn("knee", wrong.json()["detail"])
        wrong = self.http.post(f"{self.base}/joints/upper/range", json={"preset": "tail"})
        self.assertIn("no range of motion called “tail”", wrong.json()["detail"])
        presets = {p["name"]: p for p in self.http.get("/api/ranges").json()}
        self.assertEqual(presets["elbow_flexion"]["high_deg"], 150)

    def test_weights_leave_as_a_plain_file_and_come_back(self):
        out = self.http.get(f"{self.base}/bind/weights.json")
        self.assertIn("weights.json", out.headers["content-disposition"])
        before = self.server.app.state.bench.open(self.id).character.binding.joint_weights.copy()
        self.http.post(f"{self.base}/bind/give", json={"target": {"part": "tube"}, "joint": "upper"})
        back = self.http.post(f"{self.base}/bind/weights", files={"file": ("w.json", out.content)})
        self.assertEqual(back.json()["undo"], "Weights from a file", back.text)
        after = self.server.app.state.bench.open(self.id).character.binding.joint_weights
        np.testing.assert_allclose(after, before, atol=2e-6)
        wrong = self.http.post(f"{self.base}/bind/weights", files={"file": ("w.json", b"{}")})
        self.assertIn("not of the form", wrong.json()["detail"])
        twins = np.frombuffer(self.http.get(f"{self.base}/bind/twins").content, "<i4")
        rest = self.server.app.state.bench.open(self.id).rest
        paired = np.flatnonzero(twins >= 0)
        self.assertGreater(len(paired), 400)
        np.testing.assert_allclose(rest[twins[paired]], rest[paired] * [-1, 1, 1], atol=1e-4)

    def test_contacts_are_counted_without_and_with(self):
        with self.socket() as live:
            for degrees, some in ((0, False), (170, True)):
                half = np.radians(degrees) / 2
                joints = {"upper": [0, 0, float(np.sin(half)), float(np.cos(half))]}
                live.send(json.dumps({"type": "contacts", "seq": 3, "pose": {"joints": joints}}))
                told = json.loads(live.recv())
                self.assertEqual((told["type"], told["seq"]), ("contacts", 3))
                self.assertEqual(told["without"], told["with"])
                self.assertEqual(told["with"] > 0, some)

    def test_heat_comes_for_both_sides_of_the_wipe(self):
        with self.socket() as live:
            want = {"without": True, "heat": True}
            pose = {"joints": {"upper": [0, 0.7071068, 0, 0.7071068]}}
            live.send(json.dumps({"type": "pose", "pose": pose, "want": want}))
            _, fields = unpack(live.recv())
        self.assertLess(fields["heat_without"].min(), -0.2)
        np.testing.assert_array_equal(fields["heat"], fields["heat_without"])

    def test_automatic_weights_tell_their_progress_and_poses_go_on(self):
        with self.socket() as live:
            asked = self.http.post(f"{self.base}/bind/automatic", json={})
            self.assertEqual(asked.status_code, 202, asked.text)
            live.send(json.dumps({"type": "pose", "seq": 5}))
            told, posed, states = [], 0, []
            while not (states and told and told[-1]["state"] == "done"):
                message = live.recv(timeout=20)
                if isinstance(message, bytes):
                    posed += 1
                    continue
                message = json.loads(message)
                (states if message["type"] == "version" else told).append(message)
        self.assertEqual(states[-1]["state"]["undo"], "Automatic weights")
        self.assertEqual({t["id"] for t in told}, {asked.json()["id"]})
        shares = [t["share"] for t in told if t["state"] == "running"]
        self.assertEqual(shares, sorted(shares))
        self.assertEqual(posed, 1)

    def test_automatic_weights_go_on_when_the_page_is_gone_and_the_next_one_is_told(self):
        bench = self.server.app.state.bench
        keeper = bench.bring_in("Lock keeper", shipped("lock-keeper-bare"))
        address = f"ws://127.0.0.1:{self.server.port}/api/characters/{keeper}/live"
        path = f"/api/characters/{keeper}/bind/automatic"
        with connect(address, max_size=None) as live:
            asked = self.http.post(path, json={}).json()
            self.assertEqual(json.loads(live.recv(timeout=20))["type"], "job")
        with connect(address, max_size=None) as live:
            # Asked for twice, it is done once.
            self.assertEqual(self.http.post(path, json={}).json()["id"], asked["id"])
            told = json.loads(live.recv(timeout=20))
            while told["type"] != "job" or told["state"] in ("waiting", "running"):
                told = json.loads(live.recv(timeout=30))
        self.assertEqual((told["id"], told["state"]), (asked["id"], "done"))
        self.assertEqual(bench.open(keeper).revision.number, 1)

    def test_rules_of_every_kind_over_http(self):
        answer = self.http.put(f"{self.base}/dials", json={"id": "wet", "name": "Wet", "low": 0, "high": 2})
        self.assertEqual(answer.json()["dials"][0]["name"], "Wet")
        dial = {
            "kind": "dial",
            "id": "soaked",
            "reads": "wet",
            "knots": [{"input": 0, "value": 0}, {"input": 2, "value": 1}],
        }
        hinge = {"kind": "hinge", "id": "bend", "joint": "upper", "axis": [0, 0, 1],
                 "knots": [{"angle_deg": 0, "value": 0}, {"angle_deg": 90, "value": 1}]}  # fmt: skip
        product = {"kind": "product", "id": "both", "name": "wet and bent", "of": ["soaked", "bend"]}
        for trigger in (dial, hinge, product):
            answer = self.http.put(f"{self.base}/triggers", json=trigger)
            self.assertEqual(answer.status_code, 200, answer.text)
        self.assertEqual([v["id"] for v in answer.json()["values"]], ["wet", "soaked", "bend", "both"])
        shape = {"vertices": [3, 4], "deltas": [[0.01, 0, 0], [0, 0.01, 0]]}
        remedy = {"kind": "corrective", "id": "r", "name": "Soggy", "by": "both",
                  "targets": [{"at": 1, "name": "Soggy", "shape": shape}]}  # fmt: skip
        card = self.http.post(f"{self.base}/remedies", json=remedy).json()["remedies"][0]
        self.assertEqual((card["kind"], card["trigger"]["kind"], card["joints"]), ("corrective", "product", ["upper"]))
        with self.socket() as live:
            pose = {"joints": {"upper": [0, 0, 0.7071068, 0.7071068]}, "dials": {"Wet": 1}}
            live.send(json.dumps({"type": "pose", "pose": pose, "want": {"without": True}}))
            head, fields = unpack(live.recv())
        self.assertAlmostEqual(head["activations"]["r"], 0.5, places=3)
        self.assertGreater(np.abs(fields["with"] - fields["without"]).max(), 0.004)
        gone = self.http.delete(f"{self.base}/dials/wet")
        self.assertEqual(gone.status_code, 409)
        self.assertIn("untie it first", gone.json()["detail"])
        document = self.http.get(f"{self.base}/rules").json()
        again = self.http.put(f"{self.base}/rules", json=document)
        self.assertEqual(again.status_code, 200, again.text)
        self.assertEqual(self.http.get(f"{self.base}/rules").json(), document)
        circle = self.http.put(f"{self.base}/triggers", json={**dial, "reads": "both"})
        self.assertEqual(circle.status_code, 409)
        self.assertIn("in a circle", circle.json()["detail"])

    def test_of_many_poses_only_the_newest_must_be_answered(self):
        with self.socket() as live:
            for n in range(200):
                live.send(json.dumps({"type": "pose", "seq": n}))
            answered = []
            while not answered or answered[-1] != 199:
                answered.append(unpack(live.recv(timeout=10))[0]["seq"])
        self.assertLess(len(answered), 200)
        self.assertEqual(answered, sorted(answered))

    def test_unreadable_messages_get_a_sentence_and_the_socket_lives(self):
        with self.socket() as live:
            for message in (
                "nonsense",
                "[]",
                '{"type": ["pose"]}',
                '{"type": "pose", "pose": {"joints": {"knee": [0, 0, 0, 1]}}}',
                '{"type": "stroke", "settings": {"tool": "sculpt", "brush": "grab"}, "dabs": [{}]}',
            ):
                live.send(message)
                self.assertEqual(json.loads(live.recv())["type"], "problem")
            live.send('{"type": "pose", "seq": 1}')
            self.assertEqual(unpack(live.recv())[0]["seq"], 1)

    def test_the_kinds_of_remedy_and_clips_are_told_in_sentences_too(self):
        turned = {"joints": {"upper": [0, 0, 0.6427876, 0.7660444]}}
        lines = self.http.post(f"{self.base}/proposals", json={"pose": turned}).text.splitlines()
        *steps, kinds = map(json.loads, lines)
        self.assertEqual([s["left"] for s in steps], list(range(len(steps), 0, -1)))
        self.assertIsNotNone(kinds.get("proposed"), kinds)
        self.assertEqual({k["kind"]: k["can"] for k in kinds["kinds"]}["twist"], False)
        made = self.http.post(f"{self.base}/proposals/volume_keeper", json={"pose": turned, "joint": "upper"}).json()
        (card,) = (r for r in made["remedies"] if r["kind"] == "volume_keeper")
        self.assertEqual((card["joints"], card["numbers"]["share"]), (["upper"], 1.0))
        moved = self.http.post(f"{self.base}/contributions", json={"pose": turned}).json()
        self.assertEqual([m["id"] for m in moved], [r["id"] for r in self.http.get(self.base).json()["remedies"]])
        self.assertGreater(max(m["greatest_m"] for m in moved), 1e-3)
        bars = self.http.post(f"{self.base}/waterfall", json={"pose": turned, "joint": "upper"}).json()
        self.assertIn(card["name"], [b["name"] for b in bars])
        for call, body, sentence in (
            ("proposals/magnet", {"pose": turned}, "no kind of remedy"),
            ("proposals", {"pose": {"joints": {}}}, "left rest"),
            ("clip", {"clip": "waltz", "joint": "upper"}, "no clip called “waltz”"),
            ("proposals", {"pose": {"clip": {"name": "waltz", "time": 1}}}, "no clip called “waltz”"),
        ):
            answer = self.http.post(f"{self.base}/{call}", json=body)
            self.assertIn(answer.status_code, (409, 422))
            self.assertIn(sentence, answer.json()["detail"])
        self.http.post(f"{self.base}/undo")
