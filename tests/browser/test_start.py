"""`./plethos start` itself: it starts, survives being killed, refuses a second start on its data, and stops whole."""

import json
import os
import re
import signal
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest.mock import patch

import httpx
from playwright.sync_api import sync_playwright
from websockets.sync.client import connect

from plethos.launch import front
from plethos.launch.start import BACKSEAT, Worker
from plethos.launch.testing import chromium
from tests.figures import tube_file
from tests.server import PATIENT


def answering(start: int) -> int:
    """The process that answers pages, of a start: forked from one that it keeps."""

    def below(number: int) -> list[int]:
        found = subprocess.run(["pgrep", "-P", str(number), "-f", "forkserver"], capture_output=True, text=True)
        return [int(n) for n in found.stdout.split()]

    return next(own for keeper in below(start) for own in below(keeper))


TUBE = {"files": ("Tube.glb", tube_file().pack())}


class Built(unittest.TestCase):
    def test_types_that_are_written_later_make_nothing_stale(self):
        # A page would be built anew under a server that is running.
        with tempfile.TemporaryDirectory() as folder:
            root = Path(folder)
            (root / "src" / "api").mkdir(parents=True)
            types = root / "src" / "api" / "schema.d.ts"
            with patch.multiple(front, ROOT=root, TYPES=types):
                (root / "src" / "main.ts").write_text("1")
                before = front._digest(root / "src")
                types.write_text("export interface paths {}")
                self.assertEqual(front._digest(root / "src"), before)
                (root / "src" / "main.ts").write_text("2")
                self.assertNotEqual(front._digest(root / "src"), before)


class Start(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory(dir="/var/tmp", prefix="plethos-start-")
        self.addCleanup(folder.cleanup)
        Path(folder.name).chmod(0o755)
        self.data = Path(folder.name) / "data"
        self.running: list[subprocess.Popen] = []
        self.addCleanup(self.stop)

    def start(self, *options: str) -> tuple[subprocess.Popen, str]:
        command = [sys.executable, "-m", "plethos.launch", "start", "--data", str(self.data), *options]
        process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
        self.running.append(process)
        for line in process.stdout:
            found = re.search(r"ready: (http://127\.0\.0\.1:\d+)/", line)
            if found:
                return process, found.group(1)
        self.fail("it did not become ready")

    def stop(self):
        for process in self.running:
            if process.poll() is None:
                process.send_signal(signal.SIGTERM)
                process.wait(30)
            process.stdout.close()

    def stroke(self, address: str, character: str) -> None:
        with connect(f"{address.replace('http', 'ws')}/api/characters/{character}/live", max_size=None) as live:
            dab = {"triangle": 480, "at": [0.1, 0.5, 0.0], "radius": 0.5, "strength": 1.0}
            live.send(json.dumps({"type": "stroke", "settings": {"tool": "sculpt", "brush": "inflate"}, "dabs": [dab]}))
            live.recv()
            live.send(json.dumps({"type": "stroke_end"}))
            self.assertEqual(json.loads(live.recv())["type"], "version")

    def test_killed_stopped_and_started_again(self):
        server, address = self.start()
        self.assertTrue(httpx.get(f"{address}/api/characters", timeout=PATIENT).json()[0]["demo"])
        posted = httpx.post(f"{address}/api/characters", files=TUBE, timeout=PATIENT)
        tube = posted.json()["id"]
        httpx.post(
            f"{address}/api/characters/{tube}/sculpt",
            json={"pose": {"joints": {"upper": [0, 0, 0.5, 0.8660254]}}},
            timeout=PATIENT,
        )
        self.stroke(address, tube)

        second = subprocess.run(
            [sys.executable, "-m", "plethos.launch", "start", "--data", str(self.data)], capture_output=True, text=True
        )
        self.assertEqual(second.returncode, 1)
        self.assertIn("already runs", second.stderr)

        with sync_playwright() as p:
            browser = p.chromium.launch(executable_path=chromium(), args=["--disable-quic"])
            page = browser.new_page()
            page.goto(f"{address}/characters/{tube}?quality=least")
            page.wait_for_selector("text=1 stroke,")
            # Whatever kills the process that answers, it is there again, and the page goes on.
            for death in (signal.SIGSEGV, signal.SIGKILL):
                with page.expect_response(f"**/api/characters/{tube}", timeout=60_000):  # it asks anew, once it is back
                    os.kill(answering(server.pid), death)
                page.wait_for_selector("text=Saved")
                page.wait_for_selector("text=1 stroke,")
            server.kill()
            server.wait()
            page.wait_for_selector("text=Connection lost")
            server, again = self.start("--port", address.rsplit(":", 1)[1])
            self.assertEqual(again, address)
            # The page finds its way back by itself, and the stroke is still there.
            page.wait_for_selector("text=Saved")
            page.wait_for_selector("text=1 stroke,")
            browser.close()

        server.send_signal(signal.SIGTERM)
        self.assertEqual(server.wait(30), 0)
        self.assertFalse((self.data / "database" / "data" / "postmaster.pid").exists())

    def test_twenty_minutes_of_painting_survive_a_killed_server(self):
        server, address = self.start("--empty")
        posted = httpx.post(f"{address}/api/characters", files=TUBE, timeout=PATIENT)
        tube = f"/api/characters/{posted.json()['id']}"

        def weights() -> dict:
            return httpx.get(f"{address}{tube}/bind/weights.json", timeout=PATIENT).json()["parts"]

        # A stroke every twenty seconds.
        before = weights()
        paint = {"tool": "paint", "joint": "upper", "mode": "add", "value": 1.0, "strength": 0.3, "mirror": False}
        with connect(f"{address.replace('http', 'ws')}{tube}/live", max_size=None) as live:
            for k in range(60):
                dab = {"triangle": 480 + k % 7, "at": [0.1, 0.5, 0.0], "radius": 0.1 + 0.005 * k, "strength": 0.4}
                live.send(json.dumps({"type": "stroke", "settings": paint, "dabs": [dab]}))
                live.recv()
                live.send(json.dumps({"type": "stroke_end"}))
                self.assertEqual(json.loads(live.recv())["type"], "version")
        painted = weights()
        server.kill()
        server.wait()
        server, address = self.start()
        self.assertEqual(weights(), painted)
        for _ in range(60):
            self.assertEqual(httpx.post(f"{address}{tube}/undo", timeout=PATIENT).status_code, 200)
        self.assertEqual(weights(), before)
        self.assertNotEqual(painted, before)

    def test_its_own_worker_takes_a_back_seat_and_is_started_again_when_it_dies(self):
        worker = Worker(self.data)
        self.addCleanup(worker.stop)
        worker.keep()
        first = worker._process
        self.assertEqual(os.getpriority(os.PRIO_PROCESS, first.pid), BACKSEAT)
        worker.keep()
        self.assertIs(worker._process, first)
        first.kill()
        first.wait()
        worker.keep()
        self.assertIsNone(worker._process.poll())

    def test_two_with_their_own_data_run_side_by_side(self):
        _, one = self.start("--empty")
        self.data = self.data.with_name("other")
        _, other = self.start("--empty")
        self.assertNotEqual(one, other)
        httpx.post(f"{one}/api/characters", files=TUBE, timeout=PATIENT)
        self.assertEqual(len(httpx.get(f"{one}/api/characters").json()), 1)
        self.assertEqual(httpx.get(f"{other}/api/characters").json(), [])

    def test_empty_starts_without_the_demo_and_a_worker_stands_beside_it(self):
        command = [sys.executable, "-m", "plethos.launch", "worker", "--data", str(self.data)]
        early = subprocess.run(command, capture_output=True, text=True)
        self.assertEqual((early.returncode, len(early.stderr.strip().splitlines())), (1, 1), early.stderr)
        _, address = self.start("--empty")
        self.assertEqual(httpx.get(f"{address}/api/characters", timeout=PATIENT).json(), [])
        # It ends at once, however early it is told to: nothing that it had begun holds it.
        for told in (signal.SIGTERM, signal.SIGINT):
            worker = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
            self.running.append(worker)
            self.assertIn("works along", worker.stdout.readline())
            worker.send_signal(told)
            self.assertEqual(worker.wait(30), 0)
