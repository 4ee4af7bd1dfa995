"""The commands that mend: what is solved for a pose."""

from __future__ import annotations

import math
from typing import Annotated, Any

import typer

from plethos.cli.base import CallError, In, Out, PoseFile, app, open_character, parse_axis, read_pose, show, write
from plethos.core.character import Character
from plethos.core.edits.bake import baked
from plethos.core.formats.files import written
from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.region import joint_region
from plethos.core.propose.first_mend import GIVE_BACK, MOST_STRETCH
from plethos.core.propose.held import Held, furthest_turned, turned_joints
from plethos.core.propose.kinds import Judge, Tried, proposed, reason
from plethos.core.propose.solved import solved
from plethos.core.rules.remedies import Remedy
from plethos.core.skeleton.pose import Pose


@app.command()
def solve(
    source: In,
    pose: PoseFile,
    name: Annotated[str, typer.Option(help="What the corrective is called.")],
    out: Out,
    give_back: Annotated[float, typer.Option(min=0, max=1, help="How much of the lost volume.")] = GIVE_BACK,
    stretch: Annotated[float, typer.Option(min=1, help="How much longer an edge may get.")] = MOST_STRETCH,
    joint: Annotated[str | None, typer.Option(help="Whose skin; else the joint that is turned furthest.")] = None,
) -> None:
    """Solve a first corrective for a pose, tied to the joint with a response that keeps the volume on the way."""
    character, file = open_character(source)
    if not name.strip():
        raise CallError("The corrective needs a name.")
    held = read_pose(character, pose)
    number = furthest_turned(character, held) if joint is None else character.skeleton.find(joint)
    joint_region(character, number, character.mesh.rest)  # that it bends no skin says more than that it is at rest
    turn = Held.of(character, number, held)
    label = turn.named(name.strip())
    made = solved(turn, label, give_back, stretch)
    mend, fitted = made.mend, made.fitted
    mended = character.with_remedy(Remedy(made.body, label, by=fitted.trigger.id), fitted.trigger)
    write(out, written(mended, file))
    knots = zip(fitted.trigger.response.inputs, fitted.trigger.response.values, strict=True)
    between = fitted.between
    show(
        {
            "name": label,
            "joint": character.skeleton.names[number],
            "axis": list(fitted.trigger.axis),
            "knots": [{"angle_deg": math.degrees(a), "value": v} for a, v in knots],
            **measured(character, mended, number, held),
            "given_back": mend.given_back,
            "stretch": mend.stretch,
            "contacts_before": mend.contacts_before,
            "contacts": mend.contacts,
            "off_on_the_way_percent": fitted.worst,
            "in_between_deg": None if between is None else math.degrees(between),
            "further_deg": None if fitted.further is None else math.degrees(fitted.further),
            "warnings": list(made.report.warnings),
        }
    )


@app.command()
def propose(source: In, pose: PoseFile) -> None:
    """Which kind of remedy suits each joint that is turned: each is tried and measured; JSON by joint."""
    character, _ = open_character(source)
    held = read_pose(character, pose)
    told = {}
    furthest_turned(character, held)  # that nothing is turned is told, not shown as nothing
    for joint in turned_joints(character, held):
        judge = Judge.of(Held.of(character, joint, held))
        now = judge.tried("", character)
        trials = dict(judge.of_trials())
        found = [t for t in trials.values() if isinstance(t, Tried)]
        best = proposed(found, now)
        told[character.skeleton.names[joint]] = {
            "kind": None if best is None else best.kind,
            "reason": "No kind betters what there is now." if best is None else reason(best, now),
            "volume_percent": now.measured.volume,
            "gives_back_percent": None if best is None else gained(best, now),
            "tried": {
                t.kind: {"volume_percent": t.measured.volume, "girth_percent": t.measured.girth, "contacts": t.contacts}
                for t in found
            },
            "not_here": {kind: why for kind, why in trials.items() if isinstance(why, str)},
        }
    show(told)


def gained(best: Tried, now: Tried) -> float | None:
    """The volume that a kind gives back, percent of rest."""
    before, after = now.measured.volume, best.measured.volume
    return None if before is None or after is None else after - before


@app.command()
def bake(
    source: In,
    remedy: Annotated[str, typer.Option(help="The name of the remedy to be baked.")],
    joint: Annotated[str, typer.Option(help="Whose turn the corrective follows.")],
    axis: Annotated[str, typer.Option(help="x, y, z or X,Y,Z in the joint's rest frame.")],
    angles: Annotated[str, typer.Option(help="Degrees, with commas: where it is exact; the furthest is fully on.")],
    out: Out,
) -> None:
    """Turn a helper joint, a skin blend or a deformer into a corrective with in-betweens."""
    character, file = open_character(source)
    found = next((r for r in character.rules.remedies if r.name == remedy), None)
    if found is None:
        raise CallError(f"There is no remedy called “{remedy}” in this character.")
    try:
        wanted = [math.radians(float(a)) for a in angles.split(",")]
    except ValueError:
        raise CallError("The angles have to be numbers with commas between them.") from None
    made = baked(character, found.id, character.skeleton.find(joint), parse_axis(axis), wanted)
    write(out, written(made.character, file))
    body = made.character.rules.remedy(made.remedy_id).shapes_or_refuse("was not baked into shapes.")
    targets = [t.at for t in body.targets]
    show(
        {
            "name": made.character.rules.remedy(made.remedy_id).name,
            "targets": targets,
            "remains": made.remains,
            "remains_at_deg": math.degrees(made.at),
        }
    )


def measured(before: Character, after: Character, joint: int, pose: Pose) -> dict[str, Any]:
    """Volume and girth of a joint's region in a pose, before and after."""
    was, now = (BendMeasure.of(c, joint).at(pose) for c in (before, after))
    return {
        "volume_before_percent": was.volume, "volume_percent": now.volume,
        "girth_before_percent": was.girth, "girth_percent": now.girth,
    }  # fmt: skip
