"""Routes of rules: dials, triggers, groups and remedies of every kind."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter
from fastapi.responses import StreamingResponse

from plethos.service.edits import dial_edits, mask_edits, pose_set_edits, rule_edits, target_edits
from plethos.service.jobs.put_to_use import which_kinds
from plethos.service.library.poses import pose_of
from plethos.service.proposals import correctives, helpers, tried_kinds
from plethos.service.schemas.character import CharacterState, FittedResponse
from plethos.service.schemas.charts import JointInPose
from plethos.service.schemas.mending import (
    AddMasked,
    BakeRequest,
    BetweenRequest,
    BodyChange,
    Eased,
    KindsTried,
    MakeHelper,
    MapOfPoses,
    MaskChange,
    PathOfHelper,
    PathRequest,
    ProposalRequest,
    ProposedPoses,
    Retime,
    ShareRoll,
    StartHelper,
    StopOfSlide,
    StorePose,
    Tie,
)
from plethos.service.schemas.rules import (
    DialRule,
    GroupChange,
    HingeTriggerRule,
    PoseSetRule,
    RemedyRule,
    RulesBody,
    TriggerRule,
)
from plethos.service.told.answers import fitted_info, map_of_poses
from plethos.service.told.character_states import character_state
from plethos.web.answered import by_lines
from plethos.web.context import AllJobs, Bench
from plethos.web.turns import InTurn

router = APIRouter(prefix="/api/characters/{character_id}", tags=["rules"])


@router.get("/rules")
def rules(bench: Bench, character_id: str) -> dict[str, Any]:
    """All rules as one plain document: see docs/formats/plethos-rules.schema.json."""
    return rule_edits.rules_document(bench.open(character_id).version)


@router.put("/rules")
def set_rules(bench: Bench, character_id: str, body: RulesBody) -> CharacterState:
    """All rules at once, in place of those that are there."""
    return character_state(rule_edits.set_rules(bench, character_id, body.model_dump(exclude_none=True)))


@router.put("/dials")
def put_dial(bench: Bench, character_id: str, body: DialRule) -> CharacterState:
    """A dial; one of the same id is replaced."""
    return character_state(dial_edits.put_dial(bench, character_id, body.model_dump(exclude_none=True)))


@router.delete("/dials/{dial_id}")
def delete_dial(bench: Bench, character_id: str, dial_id: str) -> CharacterState:
    """Take a dial away that nothing reads."""
    return character_state(dial_edits.delete_dial(bench, character_id, dial_id))


@router.put("/triggers")
def put_trigger(bench: Bench, character_id: str, body: TriggerRule) -> CharacterState:
    """A trigger of any kind; one of the same id is replaced."""
    return character_state(rule_edits.put_trigger(bench, character_id, body.model_dump(exclude_none=True)))


@router.delete("/triggers/{trigger_id}")
def delete_trigger(bench: Bench, character_id: str, trigger_id: str) -> CharacterState:
    """Take a trigger away that nothing reads."""
    return character_state(rule_edits.delete_trigger(bench, character_id, trigger_id))


@router.post("/pose-sets/proposal")
def propose_pose_set(bench: Bench, character_id: str, body: StorePose) -> ProposedPoses:
    """A pose set with the held pose in it, to be kept or tied; nothing is changed."""
    version = bench.open(character_id).version
    pose = pose_of(version, body.pose.plain())
    trigger, value = pose_set_edits.proposed(version, pose, body.joints, body.by, body.name, body.set_id)
    return ProposedPoses(trigger=PoseSetRule.model_validate(trigger), value=value)


@router.post("/pose-sets/{set_id}/map")
def pose_map(bench: Bench, character_id: str, set_id: str, body: JointInPose) -> MapOfPoses:
    """Where the weights of a pose set lie round one of its joints."""
    version = bench.open(character_id).version
    return map_of_poses(pose_set_edits.pose_map(version, set_id, body.joint, pose_of(version, body.pose.plain())))


@router.delete("/pose-sets/{set_id}/poses/{pose_id}")
def delete_pose(bench: Bench, character_id: str, set_id: str, pose_id: str) -> CharacterState:
    """Take a stored pose out of its set; what followed it is untied."""
    return character_state(pose_set_edits.without_pose(bench, character_id, set_id, pose_id))


@router.put("/groups")
def put_group(bench: Bench, character_id: str, body: GroupChange) -> CharacterState:
    """A group and, if wanted, who is in it."""
    document = body.model_dump(exclude_none=True, exclude={"members"})
    return character_state(dial_edits.put_group(bench, character_id, document, body.members))


@router.delete("/groups/{group_id}")
def delete_group(bench: Bench, character_id: str, group_id: str) -> CharacterState:
    """Take a group away; the remedies in it stay."""
    return character_state(dial_edits.delete_group(bench, character_id, group_id))


@router.put("/remedies/{remedy_id}/group")
def join_group(bench: Bench, character_id: str, remedy_id: str, body: Tie) -> CharacterState:
    """Put a remedy into a group, or out of any."""
    return character_state(dial_edits.join_group(bench, character_id, remedy_id, body.value))


@router.post("/remedies")
def add_remedy(bench: Bench, character_id: str, body: RemedyRule) -> CharacterState:
    """A remedy of any kind; one of the same id is replaced."""
    return character_state(rule_edits.add_remedy(bench, character_id, body.model_dump(exclude_none=True)))


@router.post("/masked")
def add_masked(bench: Bench, character_id: str, body: AddMasked) -> CharacterState:
    """A skin blend, a relaxer or a volume keeper on all the skin that a joint bends."""
    return character_state(mask_edits.add_masked(bench, character_id, body.kind, body.joint))


@router.post("/helpers")
def make_helper(bench: Bench, character_id: str, body: MakeHelper) -> CharacterState:
    """A helper joint of ours, which the picked region follows."""
    rules = [r.model_dump() for r in body.rules]
    return character_state(helpers.make_helper(bench, character_id, body.name, body.parent, body.at, rules))


@router.post("/helpers/start")
def start_helper(bench: Bench, character_id: str, body: StartHelper) -> CharacterState:
    """A helper joint at a held bend, with soft weights and rules that were tried out."""
    version = bench.open(character_id).version
    pose, spot = pose_of(version, body.pose.plain()), None
    if body.spot is not None:
        spot = (helpers.vertex_at(version, pose, body.spot.triangle, body.spot.at), body.spot.radius)
    return character_state(helpers.start_helper(bench, character_id, body.how, pose, body.joint, spot))


@router.put("/remedies/{remedy_id}/by")
def tie(bench: Bench, character_id: str, remedy_id: str, body: Tie) -> CharacterState:
    """Tie a remedy to any value, or untie it."""
    return character_state(rule_edits.tie(bench, character_id, remedy_id, body.value))


@router.put("/remedies/{remedy_id}/body")
def set_body(bench: Bench, character_id: str, remedy_id: str, body: BodyChange) -> CharacterState:
    """Change the numbers or rules of a remedy's body."""
    return character_state(rule_edits.set_body(bench, character_id, remedy_id, body.model_dump(exclude_none=True)))


@router.post("/remedies/{remedy_id}/mask")
def set_mask(bench: Bench, character_id: str, remedy_id: str, body: MaskChange) -> CharacterState:
    """Change the mask of a remedy, or pick what lies under it."""
    return character_state(mask_edits.set_mask(bench, character_id, remedy_id, body.how, body.name))


@router.post("/remedies/{remedy_id}/bake")
def bake(bench: Bench, character_id: str, remedy_id: str, body: BakeRequest) -> CharacterState:
    """Turn a helper, a blend or a deformer into a corrective; what remains is told on it."""
    return character_state(rule_edits.bake(bench, character_id, remedy_id, body.joint, body.axis, body.angles_deg))


@router.post("/remedies/{remedy_id}/path")
def path(bench: Bench, character_id: str, remedy_id: str, body: PathRequest) -> PathOfHelper:
    """Where a helper joint goes over the travel of a joint, and where the stops of its slides lie."""
    version = bench.open(character_id).version
    pose = pose_of(version, body.pose.plain())
    found = helpers.path(version, remedy_id, pose, body.joint, body.axis, body.angles_deg)
    stops = [StopOfSlide(rule=s.rule, knot=s.knot, at=s.at.tolist(), along=s.along.tolist()) for s in found.stops]
    return PathOfHelper(places=found.places.tolist(), stops=stops)


@router.put("/remedies/{remedy_id}/targets")
def retime_target(bench: Bench, character_id: str, remedy_id: str, body: Retime) -> CharacterState:
    """Let an in-between stand at another activation."""
    return character_state(target_edits.retime(bench, character_id, remedy_id, body.at, body.to))


@router.delete("/remedies/{remedy_id}/targets")
def delete_target(bench: Bench, character_id: str, remedy_id: str, at: float) -> CharacterState:
    """Take an in-between away."""
    return character_state(target_edits.delete(bench, character_id, remedy_id, at))


@router.put("/remedies/{remedy_id}/eased")
def ease_targets(bench: Bench, character_id: str, remedy_id: str, body: Eased) -> CharacterState:
    """Ease the way between targets, or let it go in straight lines."""
    return character_state(target_edits.ease(bench, character_id, remedy_id, body.eased))


@router.post("/remedies/{remedy_id}/between")
def add_between(bench: Bench, turn: InTurn, character_id: str, remedy_id: str, body: BetweenRequest) -> CharacterState:
    """Solve an in-between of a corrective at an angle on its way."""
    return character_state(correctives.add_between(bench, character_id, remedy_id, body.angle_deg))


@router.post("/proposals", response_class=StreamingResponse, responses={200: {"model": KindsTried}})
def which_kind(jobs: AllJobs, turn: InTurn, character_id: str, body: ProposalRequest) -> StreamingResponse:
    """Try each kind of remedy for a joint in a pose, and measure it; nothing is changed.

    Answered by a line of JSON after each kind, with all that was found so far; whoever goes away in between stops it.
    """
    return by_lines(which_kinds(jobs, character_id, body, turn), lambda told: told)


@router.post("/proposals/{kind}")
def take_kind(bench: Bench, turn: InTurn, character_id: str, kind: str, body: ProposalRequest) -> CharacterState:
    """Make the remedy of a kind that was proposed; a corrective as a sculpt in progress."""
    pose = pose_of(bench.open(character_id).version, body.pose.plain())
    return character_state(tried_kinds.take_kind(bench, character_id, kind, pose, body.joint))


@router.post("/roll/share")
def share_roll(bench: Bench, turn: InTurn, character_id: str, body: ShareRoll) -> CharacterState:
    """Let twist joints share a joint's roll out along its limb, evenly or eased; made where there are none."""
    return character_state(helpers.share_roll(bench, character_id, body.joint, body.count, body.eased))


@router.post("/remedies/{remedy_id}/fit")
def fit(
    bench: Bench, turn: InTurn, character_id: str, remedy_id: str, body: HingeTriggerRule | None = None
) -> FittedResponse:
    """The response of a corrective that keeps the volume all the way; nothing is changed."""
    version = bench.open(character_id).version
    rule = body.model_dump(exclude_none=True) if body else None
    return fitted_info(version, correctives.fit_remedy(version, remedy_id, rule))


@router.delete("/remedies/{remedy_id}/twin")
def free_twin(bench: Bench, character_id: str, remedy_id: str) -> CharacterState:
    """Let a remedy and its twin go their own ways."""
    return character_state(rule_edits.free_twin(bench, character_id, remedy_id))


@router.post("/twins")
def add_twins(bench: Bench, character_id: str) -> CharacterState:
    """Twins for all remedies that lie on one side and have none."""
    return character_state(rule_edits.add_twins(bench, character_id))


@router.post("/remedies/{remedy_id}/twin")
def add_twin(bench: Bench, character_id: str, remedy_id: str) -> CharacterState:
    """The same remedy on the other side."""
    return character_state(rule_edits.add_twin(bench, character_id, remedy_id))
