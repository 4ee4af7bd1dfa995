"""The demo characters by name: what ships with the package, and how each is made.

``python -m plethos.demo.catalogue`` makes all files anew; `tests/core/test_demo.py` holds them to the generator.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from plethos.core.character import Character
from plethos.core.errors import BadFileError
from plethos.core.formats import gltf_file
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_read import read_character
from plethos.core.formats.gltf_write import write_glb
from plethos.demo.build import FERRY_COOK, LOCK_DIVER, LOCK_KEEPER
from plethos.demo.figure_file import Figure, build_file
from plethos.demo.mend import ROLL, Mend, mended
from plethos.demo.wardrobe import ferry_cook_wears, lock_diver_wears, lock_keeper_wears

FILES = Path(__file__).with_name("files")

ELBOWS = Mend("forearm", 130, "elbow bent")
KNEES = Mend("shin", 125, "knee bent")
# The armpit opens as the arm goes up: there is more volume there than at rest, and it has to stay.
SHOULDERS = Mend("upper_arm", 105, "arm up", rounds=2, full=1.06, rounded=0.5)
HIPS = Mend("thigh", 105, "thigh up")
WRISTS = Mend("hand", 65, "wrist bent", rounds=5)
PALMS_UP = Mend("hand", 80, "hand rolled outwards", rounds=3, axis=ROLL)
PALMS_DOWN = Mend("hand", -80, "hand rolled inwards", rounds=3, axis=ROLL)
NECK = Mend("neck", 38, "neck bent forward", rounds=4, full=0.99, sides=())
WRISTS_BACK = Mend("hand", -65, "wrist bent back", rounds=5)
ANKLES = Mend("foot", -45, "foot pointed", rounds=5)
TOES = Mend("toes", 55, "toes bent", rounds=4)
FINGERS = tuple(
    Mend(f"{finger}_{k}", 80 if finger != "thumb" else 60, f"{finger} {k} bent", rounds=3)
    for finger in ("index", "middle", "ring", "little", "thumb")
    for k in (1, 2, 3)
    if (finger, k) != ("thumb", 1)  # turns in its saddle without losing anything
)
CHEST = Mend("chest", 28, "chest bent forward", rounds=4, full=0.99, sides=())
HEAD = Mend("head", 38, "head bent forward", rounds=4, full=0.99, sides=())
BELLY = Mend("spine_2", 38, "belly folded", rounds=6, full=0.99, sides=())

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
        What is done to it already.
    """

    title: str
    tells: str
    figure: Figure
    mends: tuple[Mend, ...] = ()


DEMOS: dict[str, Demo] = {
    "lock-keeper": Demo(
        "Lock keeper",
        "Finished: every joint mended.",
        _KEEPER,
        (ELBOWS, KNEES, SHOULDERS, HIPS, WRISTS, WRISTS_BACK, PALMS_UP, PALMS_DOWN, ANKLES, TOES, *FINGERS,
         BELLY, CHEST, NECK, HEAD),
    ),
    "lock-keeper-half-done": Demo(
        "Lock keeper, half done", "The left arm and leg mended, the right ones not.", _KEEPER,
        (Mend("forearm", 130, "elbow bent", sides=("left",)), Mend("shin", 125, "knee bent", sides=("left",))),
    ),
    "lock-keeper-bare": Demo("Lock keeper, bare", "Nothing done yet: for learning.", _KEEPER),
    "lock-diver": Demo(
        "Lock diver", "Rigid plates on shoulders and thighs, for clipping work.",
        Figure(LOCK_DIVER, lock_diver_wears),
    ),
    "ferry-cook": Demo(
        "Ferry cook", "Another body: shorter, heavier; nothing done yet.",
        Figure(FERRY_COOK, ferry_cook_wears),
    ),
}  # fmt: skip


def make(name: str) -> bytes:
    """A demo made by the generator, as a `.glb`."""
    demo = _demo(name)
    file = build_file(demo.figure)
    character = read_character(file, demo.title)
    for mend in demo.mends:
        character = mended(character, mend)
    return write_glb(character, file)


def shipped(name: str) -> bytes:
    """A demo as it ships with the package."""
    _demo(name)
    return (FILES / f"{name}.glb").read_bytes()


def open_demo(name: str = "lock-keeper") -> tuple[Character, GltfFile]:
    """A shipped demo, read."""
    file = gltf_file.parse(shipped(name))
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
