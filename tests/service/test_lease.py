"""Who edits: one page at a time."""

import unittest

from plethos.service.library.lease import HANDS_OFF, WORKER, BeingEditedError, Lease


class Leases(unittest.TestCase):
    def setUp(self):
        self.now, self.told = 0.0, []
        self.lease = Lease(lambda: self.now)
        self.leave = {p: self.lease.come(p, lambda p=p: self.told.append(p)) for p in ("one", "other")}

    def may(self, page, sculpting=False):
        try:
            self.lease.edit(page, sculpting)
        except BeingEditedError:
            return False
        return True

    def test_who_edits_has_it_until_the_hands_rest(self):
        self.assertTrue(self.may("one"))
        self.assertEqual(self.told, ["one", "other"])
        self.now = HANDS_OFF - 0.1
        self.assertFalse(self.may("other"))
        self.assertTrue(self.may("one"), "and every edit counts anew")
        self.now += HANDS_OFF - 0.1
        self.assertFalse(self.may("other"))
        self.now += 0.2
        self.assertFalse(self.may("other", sculpting=True), "a sculpt in progress is not taken away by waiting")
        self.assertTrue(self.may("other"))
        self.assertFalse(self.may("one"))
        self.assertEqual(self.told, ["one", "other"] * 2)

    def test_it_is_taken_over_or_left(self):
        self.may("one", sculpting=True)
        self.lease.take_over("other")
        self.assertEqual((self.may("other", True), self.may("one", True)), (True, False))
        self.leave["other"]()
        self.assertTrue(self.may("one", True))
        self.assertFalse(self.may("stranger"), "who sits at no desk waits like all")
        self.leave["one"]()
        self.assertTrue(self.may("stranger"))
        self.assertFalse(self.lease.elsewhere("one", True), "and holds nothing")

    def test_who_sits_at_no_desk_gives_nobody_more_time(self):
        self.may("one")
        self.now = HANDS_OFF + 1
        self.assertTrue(self.may("stranger"))
        self.assertTrue(self.may("other"), "the hands of the first still rest")

    def test_a_page_that_is_there_twice_leaves_with_its_last_desk(self):
        again = self.lease.come("one", lambda: None)
        self.may("one")
        again()
        self.assertFalse(self.may("other"))
        self.leave["one"]()
        self.assertTrue(self.may("other"))

    def test_programs_wait_for_a_stroke_in_the_air_and_long_work_for_no_one(self):
        self.may("one")
        self.assertTrue(self.may(None))
        self.lease.stroke("other", True)
        self.assertTrue(self.may(None), "only who has it can have the pen down")
        self.lease.stroke("one", True)
        self.assertEqual((self.may(None), self.may(WORKER)), (False, True))
        self.now = HANDS_OFF + 1
        self.assertTrue(self.may(None), "a pen that was forgotten holds no one up")
        self.lease.stroke("one", True)
        self.lease.stroke("one", False)
        self.assertTrue(self.may(None))
        self.assertFalse(self.may("other"), "a program takes it from no page")
