"""The lock's heron, from the side: long thin legs whose joint bends backwards, a neck in an S."""

from __future__ import annotations

from typing import Any

from plethos.demo.drawings.pen import Place, Sheet, limb, shape, smooth

SLATE, DEEP, PALE, WHITE, CREST = "#8b9fae", "#5f7488", "#c9d4da", "#eef1f0", "#2b3340"
BILL, LEG, BACK_LEG = "#dd9b3f", "#b89a5e", "#8c7548"

HIP: Place = (292, 372)
NECK: tuple[Place, ...] = ((352, 300), (398, 246), (366, 190), (378, 128), (408, 96))
FRONT: tuple[Place, ...] = ((300, 398), (318, 474), (296, 640), (330, 664))
BACK: tuple[Place, ...] = ((268, 396), (280, 470), (246, 634), (280, 658))


def joints() -> list[dict[str, Any]]:
    """Its joints, as `laid_flat` takes them."""
    rows: list[dict[str, Any]] = [{"name": "body", "parent": None, "at": list(HIP)}]

    def chain(parent: str, names: tuple[str, ...], places: tuple[Place, ...], spans: dict[str, tuple[float, float]]):  # type: ignore[no-untyped-def]
        for name, at in zip(names, places, strict=True):
            row: dict[str, Any] = {"name": name, "parent": parent, "at": list(at)}
            if name in spans:
                row["range_deg"] = list(spans[name])
            rows.append(row)
            parent = name

    chain("body", ("neck_1", "neck_2", "neck_3", "head", "bill"), NECK,
          {"neck_1": (-50, 60), "neck_2": (-70, 70), "neck_3": (-70, 70), "head": (-60, 60)})  # fmt: skip
    for side, places in (("front", FRONT), ("back", BACK)):
        chain("body", (f"{side}_thigh", f"{side}_shank", f"{side}_foot", f"{side}_toes"), places,
              {f"{side}_thigh": (-60, 60), f"{side}_shank": (-110, 110), f"{side}_foot": (-60, 60)})  # fmt: skip
    chain("body", ("wing", "wing_tip"), ((322, 316), (170, 380)), {"wing": (-100, 40)})
    chain("body", ("tail",), ((196, 392),), {"tail": (-30, 30)})
    return rows


def _leg(sheet: Sheet, side: str, places: tuple[Place, ...], colour: str) -> None:
    hip, knee, heel, toes = places
    line = limb((hip, knee, heel), ((15, 17), (7.5, 7.5), (5.5, 5.5)), each=4)
    x, y = heel
    foot = smooth(
        [(x - 6, y - 6), (x + 6, y - 6), (toes[0] + 2, toes[1] - 6), (toes[0] + 22, toes[1] + 2), (toes[0] + 2, toes[1] + 4),
         (x + 12, y + 9), (x + 16, y + 22), (x + 8, y + 25), (x - 1, y + 8), (x - 18, y + 20), (x - 22, y + 14)],
        corners=(3, 6, 10),
    )  # fmt: skip
    sheet.group(
        f"{side} leg", shape(f"{side} foot", foot, colour, 2.4), shape(f"{side} leg line", smooth(line), colour, 2.6)
    )


def drawing() -> str:
    """The heron as SVG."""
    sheet = Sheet(560, 720)
    _leg(sheet, "back", BACK, BACK_LEG)
    tail = smooth([(232, 352), (176, 392), (118, 432), (150, 436), (196, 424), (250, 404)], corners=(2,))
    sheet.group("tail", shape("tail feathers", tail, DEEP))
    _leg(sheet, "front", FRONT, LEG)
    body = smooth(
        [(384, 286), (388, 322), (372, 366), (330, 408), (276, 424), (226, 412), (196, 388), (214, 350), (264, 312),
         (318, 286), (356, 270)],
    )  # fmt: skip
    neck = limb(NECK, ((30, 32), (17, 18), (12.5, 12.5), (12, 12), (16, 13)), each=4, curved=True)
    sheet.group("body", shape("trunk", body, SLATE))
    sheet.group(
        "neck", shape("neck line", smooth(neck), PALE),
        shape("streak", smooth([(372, 306), (398, 262), (392, 226), (366, 190), (374, 150)], closed=False), None, 2.4, colour=CREST),
        shape("plumes", smooth([(352, 296), (384, 300), (388, 330), (380, 366), (374, 338), (368, 378), (360, 344), (350, 368),
                                (344, 326)], corners=(3, 4, 5, 6, 7)), WHITE, 2.2),
    )  # fmt: skip
    head = smooth(
        [(380, 110), (384, 84), (404, 68), (432, 70), (448, 84), (446, 100), (424, 112), (398, 120)], corners=(4, 5)
    )  # fmt: skip
    upper = smooth([(444, 82), (470, 86), (536, 102), (470, 98), (444, 96)], corners=(0, 2, 4))
    lower = smooth([(442, 96), (470, 99), (526, 105), (468, 107), (438, 106)], corners=(0, 2, 4))
    crest = smooth([(438, 82), (410, 74), (372, 80), (318, 104), (352, 106), (386, 98), (420, 88)], corners=(0, 3))
    sheet.group(
        "head", shape("lower bill", lower, "#b97e30", 2.4), shape("skull", head, WHITE), shape("upper bill", upper, BILL, 2.4),
        shape("crest", crest, CREST, 2.0),
        '<circle id="eye" cx="426" cy="89" r="5.2" fill="#f5cf5e" stroke="#2c2a35" stroke-width="2"/>',
        '<circle id="pupil" cx="427" cy="89" r="2.2" fill="#2c2a35"/>',
    )  # fmt: skip
    wing = smooth(
        [(346, 300), (340, 342), (304, 378), (238, 400), (170, 410), (112, 420), (150, 386), (206, 348), (262, 308), (314, 284)],
        corners=(5,),
    )  # fmt: skip
    sheet.group(
        "wing", shape("wing line", wing, DEEP),
        shape("feather 1", smooth([(322, 338), (268, 372), (190, 396)], closed=False), None, 2.2),
        shape("feather 2", smooth([(300, 330), (246, 358), (180, 384)], closed=False), None, 2.2),
        shape("feather 3", smooth([(288, 316), (240, 340), (188, 368)], closed=False), None, 2.2),
    )  # fmt: skip
    return sheet.text("Heron")
