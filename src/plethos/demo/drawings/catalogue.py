"""The demo's drawings by name, and how each is made."""

from __future__ import annotations

import math
from dataclasses import dataclass

from plethos.core.formats.svg_write import write_drawing
from plethos.demo.drawings import bargehand, heron
from plethos.demo.drawings.finish import DemoBend, Grown, Keys, laid, with_bend, with_clip, with_growth

HERON_RIGID = {
    "head": "head", "front foot": "front_foot", "back foot": "back_foot", "tail": "tail", "trunk": "body", "plumes": "neck_1",
}  # fmt: skip
BARGEHAND_RIGID = {
    "head": "head", "front boot": "front_foot", "front sole": "front_foot", "back boot": "back_foot",
    "back sole": "back_foot", "front hand": "front_hand", "back hand": "back_hand", "waist": "pelvis",
}  # fmt: skip

HERON_BENDS = (
    DemoBend("front_shank", 85, "front knee back", (0.5,)), DemoBend("back_shank", 85, "back knee back", (0.5,)),
    DemoBend("front_shank", -70, "front knee forward"), DemoBend("back_shank", -70, "back knee forward"),
    DemoBend("neck_2", 45, "neck folded"), DemoBend("neck_2", -50, "neck stretched"), DemoBend("neck_3", 45, "throat folded"),
)  # fmt: skip
BARGEHAND_BENDS = (
    DemoBend("front_shin", -110, "front knee bent", (0.4, 0.75)), DemoBend("back_shin", -110, "back knee bent", (0.4, 0.75)),
    DemoBend("front_forearm", 120, "front elbow bent", (0.5,)), DemoBend("back_forearm", 120, "back elbow bent", (0.5,)),
    DemoBend("front_thigh", 80, "front hip forward"), DemoBend("front_thigh", -25, "front hip back"),
    DemoBend("back_thigh", 80, "back hip forward"), DemoBend("back_thigh", -25, "back hip back"),
)  # fmt: skip
BELLY = Grown("belly", "belly", (306, 366), 92, (34, 2))


def _steps(thigh: float, shin: float, foot: float, seconds: float, bend: float) -> Keys:
    """Two legs that walk: each swings forward while the other pushes back."""
    keys = []
    for k in range(9):
        pose = {}
        for side, phase in (("front", 0.0), ("back", math.pi)):
            a = 2 * math.pi * k / 8 + phase
            lifted = max(0.0, math.sin(a + 0.6))
            pose[f"{side}_thigh"] = thigh * math.cos(a) + 0.35 * thigh * lifted
            pose[f"{side}_{'shin' if bend < 0 else 'shank'}"] = shin * lifted + 6 * math.copysign(1, bend)
            pose[f"{side}_foot"] = -foot * lifted + 8 * math.cos(a)
        keys.append((seconds * k / 8, pose))
    return keys


def _hauling() -> Keys:
    """Hand over hand on a rope, leaning back."""
    keys = []
    for k in range(9):
        one, other = (0.5 + 0.5 * math.cos(2 * math.pi * k / 4), 0.5 - 0.5 * math.cos(2 * math.pi * k / 4))
        pose = {
            "spine": -14.0 - 8 * one, "chest": -6.0, "head": 12.0, "front_thigh": 34.0, "front_shin": -30.0,
            "back_thigh": -4.0, "back_shin": -12.0, "front_foot": 4.0, "back_foot": 14.0,
        }  # fmt: skip
        for side, near in (("front", one), ("back", other)):
            pose[f"{side}_upper_arm"] = 64.0 - 58.0 * near
            pose[f"{side}_forearm"] = 12.0 + 92.0 * near
        keys.append((0.5 * k, pose))
    return keys


@dataclass(frozen=True)
class Drawing:
    """One drawing of the demo."""

    title: str
    tells: str
    finished: bool


DRAWINGS: dict[str, Drawing] = {
    "heron": Drawing("Heron", "A drawing, finished: knees that bend backwards, and forwards too.", True),
    "heron-bare": Drawing("Heron, bare", "The same drawing, nothing mended: for learning.", False),
    "bargehand": Drawing(
        "Bargehand", "A drawing, finished: knees, elbows, hips for both directions, a belly on a dial.", True
    ),
    "bargehand-bare": Drawing("Bargehand, bare", "The same drawing, nothing mended: for learning.", False),
}


def draw(name: str) -> bytes:
    """A drawing of the demo as SVG, with joints, weights, clips and what mends it."""
    told = DRAWINGS[name]
    if name.startswith("heron"):
        character, file = laid(heron.drawing(), heron.joints(), HERON_RIGID, told.title)
        character = with_clip(character, "walk along the quay", _steps(22, 62, 20, 1.6, 1.0), _bob(1.6, 5))
        character = with_clip(character, "look for fish", LOOKING)
        bends = HERON_BENDS
    else:
        character, file = laid(bargehand.drawing(), bargehand.joints(), BARGEHAND_RIGID, told.title)
        character = with_clip(character, "walk along the quay", _swinging(), _bob(1.1, 6))
        character = with_clip(character, "haul a rope", _hauling())
        bends = BARGEHAND_BENDS
    if told.finished:
        for bend in bends:
            character = with_bend(character, bend)
        if name.startswith("bargehand"):
            character = with_growth(character, BELLY)
    return write_drawing(character, file)


def _swinging() -> Keys:
    """The bargehand's walk: legs as they step, arms against them."""
    keys = []
    for time, legs in _steps(26, -58, -16, 1.1, -1.0):
        swing = legs["front_thigh"]
        arms = {"front_upper_arm": -0.8 * swing, "back_upper_arm": 0.8 * swing, "front_forearm": 22.0 - 0.3 * swing,
                "back_forearm": 22.0 + 0.3 * swing, "spine": -3.0}  # fmt: skip
        keys.append((time, {**legs, **arms}))
    return keys


def _bob(seconds: float, high: float):  # type: ignore[no-untyped-def]
    """The root goes up and down twice a round."""
    return lambda t: (0.0, -high * math.cos(4 * math.pi * t / seconds) - high)


LOOKING: Keys = (
    (0.0, {}), (0.8, {"neck_1": -14.0, "neck_2": -34.0, "neck_3": 30.0, "head": -26.0}),
    (1.6, {"neck_1": -18.0, "neck_2": -44.0, "neck_3": 40.0, "head": -40.0, "wing": 6.0}),
    (2.1, {"neck_1": -18.0, "neck_2": -44.0, "neck_3": 40.0, "head": -34.0, "wing": 6.0}), (3.2, {}),
)  # fmt: skip


if __name__ == "__main__":
    from plethos.demo.catalogue import FILES

    for each in DRAWINGS:
        (FILES / f"{each}.svg").write_bytes(draw(each))
        print(each, flush=True)
