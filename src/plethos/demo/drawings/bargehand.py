"""A bargehand, from the side: rolled sleeves, wide trousers, thick boots, a belly that a dial sizes."""

from __future__ import annotations

from typing import Any

from plethos.demo.drawings.pen import Place, Sheet, limb, shape, smooth

SKIN, SKIN_BACK, RED = "#d79a77", "#b97f60", "#c77257"
JERSEY, JERSEY_BACK, STRIPE = "#e9e1cf", "#c9c0ae", "#4d6d86"
CLOTH, CLOTH_BACK, BRACE = "#4a5a6c", "#39475a", "#8c4a3a"
BOOT, BOOT_BACK, SOLE = "#6b4a36", "#513728", "#2f2622"
CAP, BEARD, BEARD_DARK = "#38424f", "#8a5a3c", "#6f4630"

PELVIS, SPINE, CHEST, NECK, HEAD, CROWN = (246, 436), (246, 380), (250, 300), (258, 226), (266, 196), (272, 110)
FRONT_ARM: tuple[Place, ...] = ((254, 262), (244, 354), (286, 428), (310, 462))
BACK_ARM: tuple[Place, ...] = ((268, 264), (276, 352), (322, 414), (346, 446))
FRONT_LEG: tuple[Place, ...] = ((248, 452), (256, 570), (240, 690), (300, 716))
BACK_LEG: tuple[Place, ...] = ((258, 452), (286, 566), (284, 684), (342, 710))


def joints() -> list[dict[str, Any]]:
    """His joints, as `laid_flat` takes them."""
    rows: list[dict[str, Any]] = []

    def joint(name: str, parent: str | None, at: Place, low: float = -170, high: float = 170) -> None:
        rows.append({"name": name, "parent": parent, "at": list(at), "range_deg": [low, high]})

    joint("pelvis", None, PELVIS)
    joint("spine", "pelvis", SPINE, -60, 30)
    joint("chest", "spine", CHEST, -40, 30)
    joint("neck", "chest", NECK, -40, 40)
    joint("head", "neck", HEAD, -40, 40)
    joint("head_top", "head", CROWN)
    for side, arm, leg in (("front", FRONT_ARM, FRONT_LEG), ("back", BACK_ARM, BACK_LEG)):
        joint(f"{side}_upper_arm", "chest", arm[0], -80, 170)
        joint(f"{side}_forearm", f"{side}_upper_arm", arm[1], 0, 145)
        joint(f"{side}_hand", f"{side}_forearm", arm[2], -70, 70)
        joint(f"{side}_hand_end", f"{side}_hand", arm[3])
        joint(f"{side}_thigh", "pelvis", leg[0], -30, 115)
        joint(f"{side}_shin", f"{side}_thigh", leg[1], -140, 5)
        joint(f"{side}_foot", f"{side}_shin", leg[2], -40, 40)
        joint(f"{side}_toes", f"{side}_foot", leg[3])
    return rows


def _hand(arm: tuple[Place, ...], colour: str, name: str) -> str:
    (x, y), (u, v) = arm[2], arm[3]
    dx, dy = (u - x) / 41, (v - y) / 41

    def at(a: float, b: float) -> Place:
        return (x + a * dx + b * dy, y + a * dy - b * dx)

    line = smooth(
        [at(-6, 12), at(8, 15), at(16, 24), at(26, 27), at(29, 20), at(22, 13), at(38, 13), at(48, 6), at(49, -6), at(40, -14),
         at(22, -16), at(4, -14), at(-6, -12)],
        corners=(5,),
    )  # fmt: skip
    return shape(name, line, colour)


def _arm(sheet: Sheet, side: str, arm: tuple[Place, ...], skin: str, cloth: str) -> None:
    whole = limb(arm[:3], ((27, 28), (20.5, 20.5), (14, 14)), each=5)
    sleeve = limb((arm[0], (arm[0][0] * 0.12 + arm[1][0] * 0.88, arm[0][1] * 0.12 + arm[1][1] * 0.88)),
                  ((31, 32), (27, 28)), each=4, end=0.12)  # fmt: skip
    sheet.group(
        f"{side} arm", _hand(arm, skin, f"{side} hand"), shape(f"{side} bare arm", smooth(whole), skin),
        shape(f"{side} sleeve", smooth(sleeve), cloth),
    )  # fmt: skip


def _leg(sheet: Sheet, side: str, leg: tuple[Place, ...], cloth: str, boot: str) -> None:
    hip, knee, ankle, _ = leg
    x, y = ankle
    shoe = smooth(
        [(x - 27, y - 44), (x + 25, y - 44), (x + 27, y - 8), (x + 52, y + 2), (x + 84, y + 14), (x + 90, y + 34),
         (x + 40, y + 38), (x - 24, y + 38), (x - 32, y + 20), (x - 27, y - 14)],
        corners=(0, 1, 5, 7),
    )  # fmt: skip
    sole = smooth([(x - 31, y + 30), (x + 90, y + 30), (x + 91, y + 41), (x - 30, y + 42)], corners=(0, 1, 2, 3))
    end = (x * 0.86 + knee[0] * 0.14, y * 0.86 + knee[1] * 0.14)
    trousers = limb((hip, knee, end), ((46, 44), (35, 35), (33, 33)), each=5, end=0.1)
    sheet.group(
        f"{side} leg", shape(f"{side} boot", shoe, boot), shape(f"{side} sole", sole, SOLE, 2.4),
        shape(f"{side} trouser leg", smooth(trousers), cloth),
    )  # fmt: skip


def drawing() -> str:
    """The bargehand as SVG."""
    sheet = Sheet(560, 800)
    _arm(sheet, "back", BACK_ARM, SKIN_BACK, JERSEY_BACK)
    _leg(sheet, "back", BACK_LEG, CLOTH_BACK, BOOT_BACK)
    neck = smooth([(236, 182), (284, 196), (288, 232), (266, 252), (230, 246), (228, 214)])
    sheet.group("neck", shape("neck line", neck, SKIN))
    trunk = [(226, 232), (262, 230), (292, 250), (306, 292), (308, 340), (304, 388), (298, 428), (292, 470), (248, 484),
             (206, 470), (200, 428), (198, 386), (194, 340), (194, 292), (204, 252)]  # fmt: skip
    sheet.group(
        "trunk", shape("jersey", smooth(trunk), JERSEY),
        *(shape(f"stripe {k}", smooth([(195, y + 2), (230, y + 9), (270, y + 8), (306, y)], closed=False), None, 7, colour=STRIPE)
          for k, y in enumerate((292, 320, 348, 376), 1)),
        shape("waist", smooth([(201, 416), (250, 428), (300, 416), (296, 444), (290, 474), (248, 486), (208, 474), (200, 444)],
                              corners=(0, 2)), CLOTH),
        shape("brace", smooth([(236, 236), (222, 300), (226, 370), (236, 424)], closed=False), None, 9, colour=BRACE),
    )  # fmt: skip
    _leg(sheet, "front", FRONT_LEG, CLOTH, BOOT)
    face = smooth(
        [(224, 146), (232, 108), (268, 96), (304, 108), (314, 132), (316, 146), (336, 168), (326, 178), (314, 178), (312, 196),
         (290, 214), (254, 212), (230, 190)],
        corners=(5, 8),
    )  # fmt: skip
    beard = smooth(
        [(250, 166), (272, 186), (290, 184), (312, 184), (324, 194), (318, 220), (292, 244), (256, 238), (234, 208), (232, 172)],
        corners=(0, 3),
    )  # fmt: skip
    cap = smooth([(220, 132), (222, 98), (262, 76), (306, 92), (316, 118), (282, 120), (248, 130)], corners=(0, 4))
    peak = smooth([(304, 112), (336, 114), (356, 126), (330, 126), (300, 122)], corners=(2,))
    sheet.group(
        "head", shape("face", face, SKIN), shape("beard", beard, BEARD),
        shape("mouth", smooth([(296, 200), (308, 203), (318, 199)], closed=False), None, 2.6),
        shape("moustache", smooth([(288, 184), (304, 180), (322, 184), (326, 192), (308, 192), (290, 194)], corners=(0, 3)), BEARD_DARK, 2.2),
        shape("ear", smooth([(246, 146), (260, 142), (264, 158), (254, 172), (244, 162)]), RED, 2.4),
        shape("peak", peak, CAP), shape("cap", cap, CAP),
        '<ellipse id="eye" cx="300" cy="148" rx="3.6" ry="4.6" fill="#2c2a35"/>',
        shape("brow", smooth([(290, 137), (301, 132), (311, 136)], closed=False), None, 4, colour=BEARD_DARK),
    )  # fmt: skip
    _arm(sheet, "front", FRONT_ARM, SKIN, JERSEY)
    return sheet.text("Bargehand")
