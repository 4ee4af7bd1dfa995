"""The private database: what a crash, a full disk or another program left behind is no reason to fail."""

import os
import shutil
import socket
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest.mock import patch

import psycopg

from plethos.launch import cluster as cluster_module
from plethos.launch.cluster import Cluster, SetupError
from plethos.launch.front import ROOT
from plethos.launch.start import STOPPING, _alone_in


class Folder(unittest.TestCase):
    def setUp(self):
        self.folder = Path(tempfile.mkdtemp(prefix="plethos-cluster-", dir="/var/tmp"))
        self.addCleanup(shutil.rmtree, self.folder, True)
        self.folder.chmod(0o755)


class Left(Folder):
    def setUp(self):
        super().setUp()
        self.cluster = Cluster(self.folder / "database")
        self.addCleanup(self.cluster.stop)

    def ask(self, url):
        with psycopg.connect(url.replace("+psycopg", "")) as connection:
            return connection.execute("select 1").fetchone()

    def test_a_lock_file_of_before_hurts_no_stranger_and_no_start(self):
        self.cluster.start()
        self.cluster.stop()
        lock = self.folder / "database" / "data" / "postmaster.pid"
        stranger = subprocess.Popen([sys.executable, "-c", "import time; time.sleep(60)"])
        self.addCleanup(stranger.wait)
        self.addCleanup(stranger.kill)
        for left in (f"{stranger.pid}\n/somewhere\n", "", "garbled\n", "999999999\n", "\x00\x00"):
            lock.write_text(left)
            self.assertFalse(self.cluster.runs())
            self.assertEqual(self.ask(self.cluster.start()), (1,), repr(left))
            self.assertIsNone(stranger.poll(), "it was not told to stop")
            self.cluster.stop()
            self.assertFalse(self.cluster.runs())

    def test_a_server_that_a_killed_start_left_is_stopped(self):
        self.cluster.start()
        again = Cluster(self.folder / "database")
        self.assertEqual(self.ask(again.start()), (1,))
        self.assertTrue(again.runs())

    def test_a_first_start_on_a_full_disk_leaves_nothing_half_made(self):
        def full(*_, **__):
            raise OSError(28, "No space left on device")

        with patch.object(Path, "write_text", full), self.assertRaisesRegex(SetupError, "No space left"):
            self.cluster.start()
        (self.folder / "database" / "password").touch()  # as earlier versions left it
        (self.folder / "database" / "data.new").mkdir()
        (self.folder / "database" / "data").mkdir()
        self.assertEqual(self.ask(self.cluster.start()), (1,))
        self.cluster.stop()
        (self.folder / "database" / "password").write_text("")
        with self.assertRaisesRegex(SetupError, "password is gone or empty"):
            self.cluster.start()

    def test_where_postgresql_is_missing_it_says_what_to_ask_for(self):
        nowhere = patch.object(cluster_module, "BINARIES", self.folder)
        person = patch.object(cluster_module.os, "geteuid", lambda: 1000)
        alone = patch.object(cluster_module.shutil, "which", lambda _: None)
        told = self.assertRaisesRegex(SetupError, "Ask an administrator to run `apt-get install postgresql-15`")
        with nowhere, person, alone, told:
            self.cluster.start()


class Starts(Folder):
    def start(self, *arguments, **told):
        """What `./plethos start` says when it cannot."""
        command = [sys.executable, "-m", "plethos.launch", "start", *arguments]
        environment = {**os.environ, "PYTHONPATH": str(ROOT / "src"), **told}
        done = subprocess.run(command, capture_output=True, text=True, timeout=60, env=environment)
        self.assertNotEqual(done.returncode, 0)
        self.assertNotIn("Traceback", done.stderr)
        return done.stderr

    def test_every_wrong_start_gets_a_sentence(self):
        file = self.folder / "file"
        file.touch()
        with patch("plethos.launch.start.build_front"):
            for data, words in ((file, "is a file"), (file / "in", "Cannot write"), (Path("/proc/plethos"), "Cannot")):
                with self.assertRaisesRegex(SetupError, words), _alone_in(data):
                    pass
        self.assertIn("65535", self.start("--port", "80000"))
        self.assertIn("--port", self.start("--port", "abc"))
        for wrong in ("abc", "-1", "0", "1.5"):
            self.assertEqual(
                self.start(PLETHOS_UPLOAD_MB=wrong),
                f"plethos: PLETHOS_UPLOAD_MB has to be a number of megabytes, not “{wrong}”.\n",
            )
        for name in ("database", "database.url", "lock"):
            data = self.folder / f"with-{name}"
            data.mkdir()
            (data / name).touch() if name == "database" else (data / name).mkdir()
            told = self.start("--data", str(data))
            self.assertEqual((len(told.strip().splitlines()), name in told or "Cannot" in told), (1, True), told)

    def test_a_second_start_is_told_and_one_that_is_stopping_is_waited_for(self):
        with _alone_in(self.folder), self.assertRaisesRegex(SetupError, "already runs"), _alone_in(self.folder):
            pass
        self.assertEqual((self.folder / "lock").read_text(), STOPPING)
        with _alone_in(self.folder):
            self.assertEqual((self.folder / "lock").read_text(), "")

    def test_a_taken_port_is_told(self):
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            told = self.start("--port", str(taken.getsockname()[1]), "--data", str(self.folder))
        self.assertIn("taken: pass --port", told)
