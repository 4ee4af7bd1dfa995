"""Body types: what differs between the figures that the one generator makes."""

from __future__ import annotations

from dataclasses import dataclass, field

Row = tuple[float, float, float, float, float, float]


@dataclass(frozen=True)
class Build:
    """A body type, in the centimetres of a figure 178 tall; `scale` then gives it its own height.

    Parameters
    ----------
    name
        For messages.
    scale
        Height over 178 cm.
    arm, leg
        Factors on the girth of the limbs.
    soft
        0 = muscles show, 1 = they are smoothed over.
    stance
        How much further apart the legs stand, centimetres.
    torso
        Rows of the trunk: height, half width, front depth, back depth, centre z, exponent.
    belly, bust, seat
        How far the belly, the chest and the seat come forward or back, centimetres.
    feet
        "bare", "boots" or "clogs": what the feet are, or are covered by.
    jaw, nose, neck, cheek
        Factors on the width of the jaw, the length of the nose, the girth of the neck and the size of the cheeks.
    """

    name: str
    scale: float = 1.0
    arm: float = 1.0
    leg: float = 1.0
    soft: float = 0.0
    stance: float = 0.0
    torso: tuple[Row, ...] = field(
        default=(
            (80.5, 4.5, 3.5, 4.5, -0.8, 2.0),
            (84, 10.0, 6.8, 7.0, -0.6, 2.1),
            (89, 14.4, 9.0, 9.0, -0.5, 2.15),
            (95, 15.6, 9.9, 9.2, -0.6, 2.2),
            (102, 14.6, 10.5, 7.6, 0.7, 2.2),
            (109, 13.6, 10.5, 7.2, 1.4, 2.25),
            (116, 14.1, 10.0, 8.8, 0.9, 2.3),
            (123, 15.0, 10.2, 10.6, 0, 2.45),
            (130, 15.8, 10.2, 11.6, -0.4, 2.5),
            (136, 15.6, 9.3, 11.4, -0.9, 2.4),
            (141, 13.4, 7.6, 9.6, -1.6, 2.3),
            (146, 8.0, 5.8, 6.8, -2.2, 2.1),
            (151, 4.8, 4.8, 4.8, -2.0, 2.0),
        )
    )
    belly: float = 0.0
    bust: float = 0.0
    seat: float = 0.0
    feet: str = "bare"
    jaw: float = 1.0
    nose: float = 1.0
    neck: float = 1.0
    cheek: float = 1.0

    @property
    def sole(self) -> float:
        """Height of the soles that the feet stand on, centimetres."""
        return {"bare": 0.0, "boots": 1.4, "clogs": 1.9}[self.feet]


LOCK_KEEPER = Build("lock keeper", feet="boots")
LOCK_DIVER = Build("lock diver")

FERRY_COOK = Build(
    "ferry cook",
    scale=161 / 178,
    arm=1.10,
    leg=1.13,
    soft=0.8,
    stance=1.2,
    torso=(
        (80.5, 4.5, 3.5, 4.5, -0.8, 2.0),
        (84, 10.8, 7.2, 7.6, -0.6, 2.1),
        (89, 16.4, 9.8, 9.8, -0.5, 2.15),
        (95, 18.4, 11.2, 10.2, -0.6, 2.2),
        (102, 17.0, 12.0, 8.8, 0.5, 2.15),
        (109, 15.2, 11.6, 8.4, 1.0, 2.15),
        (116, 14.6, 10.8, 9.2, 0.6, 2.2),
        (123, 15.0, 10.8, 10.4, 0, 2.35),
        (130, 15.4, 10.6, 11.2, -0.4, 2.4),
        (136, 15.0, 9.3, 10.8, -0.9, 2.35),
        (141, 12.8, 7.4, 9.2, -1.6, 2.3),
        (146, 7.6, 5.4, 6.6, -2.2, 2.1),
        (151, 4.4, 4.4, 4.6, -2.0, 2.0),
    ),
    belly=2.6,
    bust=3.6,
    seat=1.0,
    feet="clogs",
    jaw=0.84,
    nose=0.7,
    neck=0.88,
    cheek=1.22,
)
