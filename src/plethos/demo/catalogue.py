"""The demo characters by name: what ships with the package, and how each is made.

``python -m plethos.demo.catalogue`` makes all files anew; `tests/demo/test_demo.py` holds them to the generator.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

from plethos.core.character import Character
from plethos.core.errors import BadFileError
from plethos.core.formats import gltf_parse
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_read import read_character
from plethos.core.formats.gltf_write import write_glb
from plethos.demo.build import FERRY_COOK, LOCK_DIVER, LOCK_KEEPER
from plethos.demo.figure_file import Figure, build_file
from plethos.demo.mend import MIDDLE, SIDES, Blended, Capped, Helped, Mend, Rolled, SolvedMend, mended
from plethos.demo.wardrobe import ferry_cook_wears, lock_diver_wears, lock_keeper_wears

FILES = Path(__file__).with_name("files")

FINGERS = ("index", "middle", "ring", "little", "thumb")
ELBOW, KNEE = SolvedMend("forearm", 125, "elbow bent"), SolvedMend("shin", 125, "knee bent")
BELLY: tuple[tuple[Mend, tuple[str, ...]], ...] = (
    (Helped("spine_1", 35, "half", "belly bent"), MIDDLE),
    (Helped("chest", 28, "outside", "back bent"), MIDDLE),
    (SolvedMend("spine_2", 38, "belly folded"), MIDDLE),
)
PLATES: tuple[tuple[Mend, tuple[str, ...]], ...] = (
    (Helped("upper_arm", 105, "hem", "shoulder plate clear"), SIDES),
    (Helped("thigh", 100, "hem", "thigh plate clear"), SIDES),
    (SolvedMend("thigh", 95, "hip bent"), SIDES),
)
# Blends and twist joints first: what is solved after them gives back only what they leave.
FINISHED: tuple[tuple[Mend, tuple[str, ...]], ...] = (
    (Rolled("hand"), SIDES),
    (Rolled("foot"), SIDES),
    (Blended(("hand", *FINGERS), "hand full"), SIDES),
    (Blended(("foot", "toes"), "foot full"), SIDES),
    (Blended(("thigh",), "hip full"), SIDES),
    (Blended(("neck", "head"), "neck full"), MIDDLE),
    (Blended(("forearm",), "elbow full"), SIDES),
    (SolvedMend("forearm", 120, "elbow bent"), SIDES),
    (KNEE, SIDES),
    (Capped("shin", 125, 0.05, "knee cap"), SIDES),
    (Helped("thigh", 105, "front_pair", "hip front"), SIDES),
    (SolvedMend("thigh", 100, "hip bent"), SIDES),
    (SolvedMend("upper_arm", 105, "arm up"), SIDES),
    (SolvedMend("spine_1", 35, "waist bent"), MIDDLE),
    (SolvedMend("spine_2", 38, "belly folded"), MIDDLE),
    (SolvedMend("chest", 28, "chest bent forward"), MIDDLE),
)

_KEEPER = Figure(LOCK_KEEPER, lock_keeper_wears)


@dataclass(frozen=True)
class Demo:
    """One demo character.

    Parameters
    ----------
    title
        Its name in the library.
    tells
        What it is for, one sentence.
    figure
        Body and what it wears.
    mends
        What is done to it already, and on which sides.
    """

    title: str
    tells: str
    figure: Figure
    mends: tuple[tuple[Mend, tuple[str, ...]], ...] = ()


DEMOS: dict[str, Demo] = {
    "lock-keeper": Demo(
        "Lock keeper",
        "Finished: every joint mended, each by the kind that suits.",
        _KEEPER,
        FINISHED,
    ),
    "lock-keeper-half-done": Demo(
        "Lock keeper, half done", "The left arm and leg mended, the right ones not.", _KEEPER,
        ((ELBOW, ("left",)), (KNEE, ("left",))),
    ),
    "lock-keeper-bare": Demo("Lock keeper, bare", "Nothing done yet: for learning.", _KEEPER),
    "lock-diver": Demo(
        "Lock diver", "Rigid plates on shoulders and thighs, pushed clear of what is bent into them.",
        Figure(LOCK_DIVER, lock_diver_wears), PLATES,
    ),
    "ferry-cook": Demo(
        "Ferry cook", "Another body: shorter, heavier; her belly is mended, the limbs are not.",
        Figure(FERRY_COOK, ferry_cook_wears), BELLY,
    ),
}  # fmt: skip


def make(name: str) -> bytes:
    """A demo made by the generator, as a `.glb`."""
    demo = _demo(name)
    file = build_file(demo.figure)
    character = read_character(file, demo.title)
    for mend, sides in demo.mends:
        character = mended(character, mend, sides)
    # Blends and twist joints are made first, but what one looks at first are the correctives.
    remedies = sorted(character.rules.remedies, key=lambda r: r.sculpted is None)
    character = character.with_rules(replace(character.rules, remedies=tuple(remedies)))
    return write_glb(character, file)


def shipped(name: str) -> bytes:
    """A demo as it ships with the package."""
    _demo(name)
    return (FILES / f"{name}.glb").read_bytes()


def open_demo(name: str = "lock-keeper") -> tuple[Character, GltfFile]:
    """A shipped demo, read."""
    file = gltf_parse.parse(shipped(name))
    return read_character(file, DEMOS[name].title), file


def _demo(name: str) -> Demo:
    if name not in DEMOS:
        raise BadFileError(f"There is no demo called “{name}”; there are {', '.join(DEMOS)}.")
    return DEMOS[name]


if __name__ == "__main__":
    import json

    from plethos.demo.measures import RECORDED, measures_of

    FILES.mkdir(exist_ok=True)
    for each in DEMOS:
        (FILES / f"{each}.glb").write_bytes(make(each))
        print(each, flush=True)
    RECORDED.write_text(json.dumps(measures_of(open_demo("lock-keeper-bare")[0]), indent=1) + "\n")
