"""A scratch trigger, remedy and measure, and what the recipes of CONTRIBUTING ask for to add them: nothing else."""

MASK = "    mask: MaskBody\n"
RULE = 'class {0}Rule({1}Base):\n    kind: Literal["{2}"]\n'
RULES, SCHEMAS = "core/rules/", "service/schemas/"

# Files of their own, and where they go.
FILES = {"absence.py": RULES + "triggers/absence.py", "lift.py": RULES + "remedies/lift.py"}

# What is put before which line of what is there.
LINES = {
    RULES + "triggers/__init__.py": [
        ("from plethos.core.rules.triggers.dial", "from plethos.core.rules.triggers.absence import AbsenceTrigger\n"),
        ("PoseSet)}", "AbsenceTrigger, "),
    ],
    RULES + "remedies/remedy.py": [
        ("from plethos.core.rules.remedies.order", "from plethos.core.rules.remedies.lift import Lift\n"),
        ("Corrective, Helper,", "Lift, "),
    ],
    SCHEMAS + "rules.py": [
        ("TriggerRule = ", RULE.format("Absence", "Trigger", "absence") + "    of: Id\n\n\n"),
        ("HingeTriggerRule | ", "AbsenceRule | "),
        ("UnsculptedRule = ", RULE.format("Lift", "Remedy", "lift") + MASK + "    metres: FiniteFloat\n\n\n"),
        ("HelperRemedyRule | ", "LiftRule | "),
    ],
    SCHEMAS + "remedies.py": [('"corrective", "helper"', '"lift", ')],
    SCHEMAS + "mending.py": [
        ("    steps: int", "    metres: FiniteFloat | None = None\n"),
        ('"skin_blend", "relaxer", "volume_keeper"', '"lift", '),
    ],
    "service/edits/mask_edits.py": [
        ('    "relaxer": lambda', '    "lift": lambda character, joint: Lift(_soft(character, joint)),\n'),
        ("from plethos.core.skeleton.names", "from plethos.core.rules.remedies.lift import Lift\n"),
    ],
    "core/measure/measured.py": [("    volume: float", "    height: float\n")],
    "core/measure/site.py": [("            None if self.volume is None", "            float(points[:, 1].max()),\n")],
    "core/measure/outline_site.py": [("area, 100 *", "0.0, ")],
    "core/measure/badness.py": [
        ('    "volume_loss",\n', '    "height",\n'),
        ('    "volume_loss": (', '    "height": (0.01, 0.02),\n'),
        ("    if measured.volume is not", '    found["height"] = measured.height\n'),
    ],
}
