"""Kinds answer for themselves: outside of their own files nothing asks what kind a rule is."""

import ast
import unittest
from pathlib import Path

import plethos
from plethos.core.rules.remedies import KINDS as REMEDIES
from plethos.core.rules.remedies.body import Stage
from plethos.core.rules.remedies.helper_rules import RULES as HELPER_RULES
from plethos.core.rules.triggers import KINDS as TRIGGERS

SOURCE = Path(plethos.__file__).parent
OWN = ("core/rules/remedies/", "core/rules/triggers/")
# What may ask, and why.
MAY = {
    "core/measure/helper_path.py": "only a slide has stops that are drawn on the way",
    "core/propose/roll.py": "it evens out the shares that twist joints take",
    "service/edits/pose_set_edits.py": "its edits are those of stored poses",
}


class Kinds(unittest.TestCase):
    def test_nothing_else_asks_what_kind_a_rule_is(self):
        classes = {kind.__name__ for kinds in (REMEDIES, TRIGGERS, HELPER_RULES) for kind in kinds.values()}
        asks = set()
        for path in SOURCE.rglob("*.py"):
            name = path.relative_to(SOURCE).as_posix()
            for node in ast.walk(ast.parse(path.read_text())) if not name.startswith(OWN) else ():
                asked = None
                if isinstance(node, ast.Call) and getattr(node.func, "id", "") == "isinstance":
                    asked = {getattr(n, "id", getattr(n, "attr", "")) for n in ast.walk(node.args[1])} & classes
                elif isinstance(node, ast.Compare) and getattr(node.left, "attr", "") == "kind":
                    texts = {getattr(n, "value", None) for side in node.comparators for n in ast.walk(side)}
                    asked = texts & {*REMEDIES, *TRIGGERS, *HELPER_RULES}
                if asked:
                    asks.add(name)
        self.assertEqual(asks, set(MAY))

    def test_every_kind_says_where_in_a_pose_it_acts(self):
        self.assertEqual({kind.stage for kind in REMEDIES.values()}, set(Stage))
