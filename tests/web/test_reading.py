"""Strangers' files are read in a process of their own, within limits."""

from __future__ import annotations

import ctypes
import threading
import time
import unittest
from unittest import mock

import httpx
import numpy as np

from plethos.core.errors import BadFileError, PlethosError
from plethos.core.formats.svg_size import MOST_CONTROLS, MOST_ELEMENTS
from plethos.service.library import reading
from plethos.service.library.reading import SenderGoneError, read_apart
from tests.server import PATIENT, RunningServer

HEAD = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100">'


def burn() -> None:
    while True:
        pass


def hoard() -> int:
    return len(np.ones(200_000_000))


def crash() -> None:
    ctypes.string_at(0)


def refuse() -> None:
    raise BadFileError("The lock is shut.")


def stumble() -> None:
    raise KeyError("sluice")


class Apart(unittest.TestCase):
    def told(self, work) -> str:
        with self.assertRaises(PlethosError) as caught:
            read_apart(work)
        return caught.exception.sentence

    def test_what_is_made_of_a_file_comes_back_and_so_does_why_not(self):
        np.testing.assert_array_equal(read_apart(np.arange, 5), np.arange(5))
        self.assertEqual(self.told(refuse), "The lock is shut.")
        with mock.patch.object(reading.log, "error") as logged:
            self.assertEqual(self.told(stumble), reading.BROKEN)
        self.assertIn("sluice", logged.call_args.kwargs["trace"])

    def test_nothing_that_it_does_takes_anyone_else_with_it(self):
        self.assertEqual(self.told(crash), reading.BROKEN)
        self.assertEqual(self.told(hoard), reading.TOO_LARGE)
        with mock.patch.object(reading, "SECONDS", 1):
            began = time.monotonic()
            self.assertEqual(self.told(burn), reading.TOO_LONG)
            self.assertGreater(time.monotonic() - began, 0.9)
        with mock.patch.object(reading, "WAITED", 0.2):
            self.assertEqual(self.told(burn), reading.TOO_LONG)

    def test_it_ends_when_the_sender_goes(self):
        gone = threading.Event()
        threading.Timer(0.3, gone.set).start()
        with self.assertRaises(SenderGoneError):
            read_apart(burn, gone=gone)


class OverHttp(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.server = RunningServer()
        cls.addClassCleanup(cls.server.stop)
        cls.url = f"http://127.0.0.1:{cls.server.port}/api/characters"

    def sent(self, text: str) -> str:
        answer = self.posted(text)
        self.assertEqual(answer.status_code, 422)
        return answer.json()["detail"]

    def posted(self, text: str, seconds: float = PATIENT) -> httpx.Response:
        return httpx.post(self.url, files={"files": ("a.svg", text.encode())}, timeout=seconds)

    def test_a_drawing_is_counted_with_all_that_it_uses_before_it_is_read(self):
        doubled = "".join(f'<g id="a{i + 1}"><use href="#a{i}"/><use href="#a{i}"/></g>' for i in range(25))
        many = f"control points; at most {MOST_CONTROLS}"
        self.assertIn(many, self.sent(f'{HEAD}<g id="a0"><rect width="3" height="3"/></g>{doubled}</svg>'))
        nothing = self.sent(f'{HEAD}<g id="a0"/>{doubled}<rect width="3" height="3"/></svg>')
        self.assertIn(f"elements; at most {MOST_ELEMENTS}", nothing)
        self.assertIn("uses itself", self.sent(f'{HEAD}<g id="a"><use href="#a"/><path d="M0 0h1"/></g></svg>'))
        self.assertIn(many, self.sent(HEAD + '<circle r="2"/>' * 50_000 + "</svg>"))
        for path in ("h1" * 200_000, " c1 1 2 2 3 1" * 30_000, "a1 1 0 0 1 2 2" * 20_001):
            self.assertIn(many, self.sent(f'{HEAD}<path d="M0 0{path}"/></svg>'))
        # What is not painted where it stands is not counted where it stands.
        unused = "<defs>" + '<circle r="2"/>' * 6000 + '</defs><rect width="3" height="3"/></svg>'
        self.assertEqual(self.posted(HEAD + unused).status_code, 201)

    def test_a_sender_who_goes_away_ends_the_reading(self):
        ended = threading.Event()
        real = reading.read_apart

        def endless(work, *given, gone=None):
            try:
                return real(burn, gone=gone)
            except SenderGoneError:
                ended.set()
                raise

        before = httpx.get(self.url, timeout=PATIENT).json()
        with mock.patch("plethos.service.library.workbench.read_apart", endless):
            with self.assertRaises(httpx.ReadTimeout):
                self.posted(HEAD, 0.5)
            self.assertTrue(ended.wait(10))
        self.assertEqual(httpx.get(self.url, timeout=PATIENT).json(), before)
