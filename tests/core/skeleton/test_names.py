"""Names: what is free, what the other side is called, what a name tells."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from plethos.core.skeleton.names import (
    SIDES,
    free_name,
    is_tip,
    new_id,
    other_side_name,
    other_side_names,
    printable,
    words_of,
)

STEMS = st.sampled_from(["arm", "thigh", "upper_arm", "toe-2", "Hand", "ear"])


class Names(unittest.TestCase):
    @given(STEMS, st.sampled_from(SIDES), st.booleans(), st.sampled_from("_.-"), st.booleans())
    def test_the_other_side_of_the_other_side_is_the_name_itself(self, stem, sides, first, mark, before):
        one, other = sides if first else sides[::-1]
        name, across = ((f"{s}{mark}{stem}" if before else f"{stem}{mark}{s}") for s in (one, other))
        self.assertEqual(other_side_name(name), across)
        self.assertIn(name, other_side_names(across))

    def test_a_name_that_tells_no_side_has_no_other(self):
        for name in ("spine", "jaw", "rope", "lower", "l2", ""):
            self.assertIsNone(other_side_name(name), name)

    @given(st.lists(st.sampled_from(["arm", "arm_2", "leg", ""]), max_size=12))
    def test_free_names_are_all_different_and_begin_as_wanted(self, wanted):
        plain: set[str] = set()
        quick: set[str] = set()
        last: dict[str, int] = {}
        for name in wanted:
            found = free_name(name, plain)
            self.assertTrue(found == name or found.startswith(f"{name}_"))
            self.assertTrue(free_name(name, quick, last).startswith(name))
        self.assertEqual(len(plain), len(wanted))
        self.assertEqual(len(quick), len(wanted))
        self.assertEqual(free_name("arm", {"arm", "arm_2", "arm_4"}), "arm_3")

    @given(st.text())
    def test_what_cannot_be_seen_is_left_out_once_and_for_all(self, text):
        name = printable(text)
        self.assertTrue(name.isprintable() or not name)
        self.assertEqual(printable(name), name)
        self.assertEqual(printable("\x00 left\x07 arm \u200b"), "left arm")

    def test_words_and_tips(self):
        self.assertEqual(words_of("front_upperLeg.L2"), ["front", "upper", "leg", "l"])
        self.assertEqual(words_of("HeadEND"), ["head", "end"])
        for name, tip in (
            ("index_tip_L", True),
            ("HeadEnd", True),
            ("tipper", False),
            ("left", False),
            ("end_1", True),
        ):
            self.assertEqual(is_tip(name), tip, name)

    def test_ids_are_never_the_same(self):
        self.assertEqual(len({new_id() for _ in range(1000)}), 1000)
