"""The rules of a character as a file has them: ``extras.plethos`` of a glTF file, and the plain document.

``python -m plethos.service.schemas.document`` writes docs/formats/plethos-rules.schema.json anew; a test holds it to
this.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import Field, FiniteFloat

from plethos.service.schemas.common import Axis, Quaternion, Schema
from plethos.service.schemas.rules import (
    CorrectiveRule,
    MaskBody,
    Name,
    OffsetsBody,
    RulesBody,
    TargetRule,
    UnsculptedRule,
)

WRITTEN = Path(__file__).parents[4] / "docs" / "formats" / "plethos-rules.schema.json"
TITLE = "The rules of a character: extras.plethos of a delivered glTF document, and the plain document of `cli rules`"


class TargetInFile(TargetRule):
    shape: OffsetsBody | str = Field(  # type: ignore[assignment]
        description="In a glTF file the name of a morph target; in a plain document the numbers: metres in the space "
        "of the part, before the skin."
    )


class CorrectiveInFile(CorrectiveRule):
    """Shapes before the skin; between the targets straight lines through nothing at 0."""

    targets: list[TargetInFile] = Field(  # type: ignore[assignment]
        min_length=1, max_length=32, description="Ascending; the last at 1, the others its in-betweens."
    )


class RegionInFile(Schema):
    name: str
    mask: MaskBody


class DialTrack(Schema):
    """What a clip gives to a dial."""

    clip: str
    dial: str
    times: list[FiniteFloat]
    values: list[FiniteFloat]
    interpolation: Literal["LINEAR", "STEP", "CUBICSPLINE"] = "LINEAR"


class WeightsInFile(Schema):
    """The vertices of a row, and the joints that each follows with their weights."""

    vertices: list[Annotated[int, Field(ge=0)]]
    rows: list[list[tuple[str, FiniteFloat]]]


class JointOfMotion(Schema):
    name: str
    parent: int = Field(ge=-1)
    offset: Axis
    slides: bool = Field(default=False, description="Whether it is also moved against the one above.")


class KeysOfMotion(Schema):
    rotations: list[list[Quaternion]] = Field(description="Frames, joints, quaternions x, y, z, w in the parent.")
    places: list[Axis] = Field(description="Of the root, in the motion's own units.")
    slides: list[list[Axis]] | None = Field(
        default=None, description="Frames, joints that slide, how far from their offsets."
    )


class MotionInFile(Schema):
    """Motion of another skeleton that was brought onto the joints."""

    name: str
    frame_time: FiniteFloat = Field(gt=0, description="Seconds.")
    joints: list[JointOfMotion] = Field(description="Of the motion's own skeleton, parents first.")
    keys: KeysOfMotion
    mapping: dict[str, str] = Field(description="Which joint takes on which of the motion's.")


class KeptPoseInFile(Schema):
    """A pose that is kept under a name, as in a pose file."""

    name: Name
    pose: dict[str, Any]


class RulesInFile(RulesBody):
    """All rules of a character, and what goes with them."""

    version: Literal[2]
    remedies: list[  # type: ignore[assignment]
        Annotated[CorrectiveInFile | UnsculptedRule, Field(discriminator="kind")]
    ]
    regions: list[RegionInFile] = Field(default=[], description="Named regions of the skin.")
    dial_tracks: list[DialTrack] = Field(default=[], description="What clips give to dials.")
    joints: list[Any] | None = Field(
        default=None, description="The skeleton where it is not the file's; in plain documents only."
    )
    weights: WeightsInFile | None = Field(
        default=None,
        description="Weights by joint name where they are not the file's: in a glTF file those under the masks of "
        "helper joints, which its own weights have flattened.",
    )
    motions: list[MotionInFile] = Field(default=[], description="A .glb holds them as plain clips instead.")
    poses: list[KeptPoseInFile] = Field(default=[], description="Poses that are kept under a name.")


def rules_schema() -> dict[str, Any]:
    """The JSON schema of the rules of a character."""
    dialect = {"$schema": "https://json-schema.org/draft/2020-12/schema"}
    return {**dialect, **RulesInFile.model_json_schema(), "title": TITLE}


if __name__ == "__main__":
    WRITTEN.write_text(json.dumps(rules_schema(), indent=2) + "\n")
