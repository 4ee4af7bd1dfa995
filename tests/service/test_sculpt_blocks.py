"""Offsets of a sculpt in blocks: whatever strokes did, what is read is what was put, and only what changed is put."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from plethos.service.library.blob_arrays import BlobArrays
from plethos.service.library.sculpt_blocks import BLOCK, SculptBlocks

COUNT = 3 * BLOCK + 100
# Where a stroke begins, how many vertices it moves, and whether it brings them back.
STROKES = st.lists(st.tuples(st.integers(0, COUNT - 1), st.integers(1, 6000), st.booleans()), min_size=1, max_size=5)


class Blocks(unittest.TestCase):
    @given(STROKES, st.booleans(), st.integers(0, 2**31))
    def test_what_is_read_is_what_was_put(self, strokes, channels, seed):
        rng, stored = np.random.default_rng(seed), dict[str, bytes]()

        def fetch(hashes):
            return {name: stored[name] for name in hashes}

        arrays = BlobArrays(fetch)
        offsets, before = np.zeros((COUNT, 3)), None
        for first, many, back in strokes:
            offsets = offsets.copy()
            rows = slice(first, first + many)
            offsets[rows] = 0 if back else rng.normal(size=offsets[rows].shape)
            widened = np.float32(offsets[:, :2]).astype(float) if channels else None
            touched = {b for b in range(4) if first < (b + 1) * BLOCK and first + many > b * BLOCK}
            before = SculptBlocks.put(arrays, offsets, widened, before)
            self.assertLessEqual(len(arrays.fresh), len(touched))
            stored.update(arrays.fresh)
            arrays.stored()
            got = SculptBlocks.got(BlobArrays(fetch), before.refs, COUNT)
            if channels and before.refs:
                np.testing.assert_array_equal(got.widened, widened)
                np.testing.assert_allclose(got.offsets, offsets, atol=1e-6)
            else:
                np.testing.assert_array_equal(got.offsets, offsets)
            self.assertEqual(got.refs, before.refs)

    def test_what_others_keep_is_put_anew(self):
        one, other = (BlobArrays(lambda hashes: self.fail("it is fetched")) for _ in range(2))
        offsets = np.ones((COUNT, 3))
        before = SculptBlocks.put(one, offsets, None, None)
        again = SculptBlocks.put(other, offsets, None, before)
        self.assertEqual((len(other.fresh), again.refs), (4, before.refs))
        other.stored()
        other.prefetch(again.refs)  # held: nothing is fetched
