"""A figure that lies on its back is told from one that stands, by where its joints lie."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from plethos.core.geometry import rotations
from plethos.core.skeleton.posture import lies_on_its_back
from plethos.core.skeleton.skeleton import Skeleton
from plethos.demo.catalogue import open_demo


def figure(places):
    """Joints at these places, each hanging on none."""
    count = len(places)
    return Skeleton(
        names=tuple(f"j{k}" for k in range(count)),
        parents=np.full(count, -1, np.int32),
        rest_translation=np.ascontiguousarray(places, dtype=float),
        rest_rotation=np.tile(rotations.IDENTITY, (count, 1)),
        rest_stretch=np.tile(np.eye(3), (count, 1, 1)),
        is_joint=np.ones(count, bool),
        nodes=np.arange(count, dtype=np.int32),
    )


class Posture(unittest.TestCase):
    def setUp(self):
        skeleton = open_demo("lock-keeper-bare")[0].skeleton
        self.standing = skeleton.rest_global[skeleton.is_joint, :3, 3]
        self.lying = self.standing[:, [0, 2, 1]] * [1, -1, 1]

    @given(st.floats(0.01, 300), st.lists(st.floats(-50, 50), min_size=3, max_size=3))
    def test_size_and_place_do_not_matter(self, size, place):
        self.assertTrue(lies_on_its_back(figure(size * self.lying + place)))
        self.assertFalse(lies_on_its_back(figure(size * self.standing + place)))

    def test_what_is_no_figure_does_not_lie(self):
        self.assertFalse(lies_on_its_back(figure(self.lying[:7])))  # too few joints to tell
        self.assertFalse(lies_on_its_back(figure(self.lying * [0.1, 1, 1])))  # a pole
        self.assertFalse(lies_on_its_back(figure(self.lying * [1, 12, 1])))  # as deep as tall
