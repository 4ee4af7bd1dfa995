"""Routes of rules: dials, triggers, groups and remedies of every kind."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter

from plethos.service import edits, helping, proposing
from plethos.service.live import pose_of
from plethos.web.context import Bench
from plethos.web.schemas.character import CharacterState, FittedResponse
from plethos.web.schemas.rules import (
    BakeRequest,
    BetweenRequest,
    BodyChange,
    DialRule,
    GroupChange,
    HingeTriggerRule,
    KindsTried,
    MakeHelper,
    MaskChange,
    ProposalRequest,
    RemedyRule,
    RollAlong,
    RulesBody,
    StartHelper,
    Tie,
    TriggerRule,
    WaterfallBar,
    WaterfallRequest,
)
from plethos.web.states import character_state, fitted_info, kinds_info

router = APIRouter(prefix="/api/characters/{character_id}", tags=["rules"])


@router.get("/rules")
def rules(bench: Bench, character_id: str) -> dict[str, Any]:
    """All rules as one plain document: see docs/formats/plethos-rules.schema.json."""
    return edits.rules_document(bench.open(character_id).version)


@router.put("/rules")
def set_rules(bench: Bench, character_id: str, body: RulesBody) -> CharacterState:
    """All rules at once, in place of those that are there."""
    return character_state(edits.set_rules(bench, character_id, body.model_dump(exclude_none=True)))


@router.put("/dials")
def put_dial(bench: Bench, character_id: str, body: DialRule) -> CharacterState:
    """A dial; one of the same id is replaced."""
    return character_state(edits.put_dial(bench, character_id, body.model_dump(exclude_none=True)))


@router.delete("/dials/{dial_id}")
def delete_dial(bench: Bench, character_id: str, dial_id: str) -> CharacterState:
    """Take a dial away that nothing reads."""
    return character_state(edits.delete_dial(bench, character_id, dial_id))


@router.put("/triggers")
def put_trigger(bench: Bench, character_id: str, body: TriggerRule) -> CharacterState:
    """A trigger of any kind; one of the same id is replaced."""
    return character_state(edits.put_trigger(bench, character_id, body.model_dump(exclude_none=True)))


@router.delete("/triggers/{trigger_id}")
def delete_trigger(bench: Bench, character_id: str, trigger_id: str) -> CharacterState:
    """Take a trigger away that nothing reads."""
    return character_state(edits.delete_trigger(bench, character_id, trigger_id))


@router.put("/groups")
def put_group(bench: Bench, character_id: str, body: GroupChange) -> CharacterState:
    """A group and, if wanted, who is in it."""
    document = body.model_dump(exclude_none=True, exclude={"members"})
    return character_state(edits.put_group(bench, character_id, document, body.members))


@router.post("/remedies")
def add_remedy(bench: Bench, character_id: str, body: RemedyRule) -> CharacterState:
    """A remedy of any kind; one of the same id is replaced."""
    return character_state(edits.add_remedy(bench, character_id, body.model_dump(exclude_none=True)))


@router.post("/helpers")
def make_helper(bench: Bench, character_id: str, body: MakeHelper) -> CharacterState:
    """A helper joint of ours, which the picked region follows."""
    rules = [r.model_dump() for r in body.rules]
    return character_state(helping.make_helper(bench, character_id, body.name, body.parent, body.at, rules))


@router.post("/helpers/start")
def start_helper(bench: Bench, character_id: str, body: StartHelper) -> CharacterState:
    """A helper joint at a held bend, with soft weights and rules that were tried out."""
    pose = pose_of(bench.open(character_id).version, body.pose.plain())
    return character_state(proposing.start_helper(bench, character_id, body.how, pose, body.joint))


@router.put("/remedies/{remedy_id}/by")
def tie(bench: Bench, character_id: str, remedy_id: str, body: Tie) -> CharacterState:
    """Tie a remedy to any value, or untie it."""
    return character_state(edits.tie(bench, character_id, remedy_id, body.value))


@router.put("/remedies/{remedy_id}/body")
def set_body(bench: Bench, character_id: str, remedy_id: str, body: BodyChange) -> CharacterState:
    """Change the numbers or rules of a remedy's body."""
    return character_state(edits.set_body(bench, character_id, remedy_id, body.model_dump(exclude_none=True)))


@router.post("/remedies/{remedy_id}/mask")
def set_mask(bench: Bench, character_id: str, remedy_id: str, body: MaskChange) -> CharacterState:
    """Change the mask of a remedy, or pick what lies under it."""
    return character_state(edits.set_mask(bench, character_id, remedy_id, body.how))


@router.post("/remedies/{remedy_id}/bake")
def bake(bench: Bench, character_id: str, remedy_id: str, body: BakeRequest) -> CharacterState:
    """Turn a helper, a blend or a deformer into a corrective; what remains is told on it."""
    return character_state(edits.bake(bench, character_id, remedy_id, body.joint, body.axis, body.angles_deg))


@router.post("/remedies/{remedy_id}/between")
def add_between(bench: Bench, character_id: str, remedy_id: str, body: BetweenRequest) -> CharacterState:
    """Solve an in-between of a corrective at an angle on its way."""
    return character_state(proposing.add_between(bench, character_id, remedy_id, body.angle_deg))


@router.post("/proposals")
def which_kind(bench: Bench, character_id: str, body: ProposalRequest) -> KindsTried:
    """Try each kind of remedy for a joint in a pose, and measure it; nothing is changed."""
    version = bench.open(character_id).version
    return kinds_info(proposing.which_kind(version, pose_of(version, body.pose.plain()), body.joint))


@router.post("/proposals/{kind}")
def take_kind(bench: Bench, character_id: str, kind: str, body: ProposalRequest) -> CharacterState:
    """Make the remedy of a kind that was proposed; a corrective as a sculpt in progress."""
    pose = pose_of(bench.open(character_id).version, body.pose.plain())
    return character_state(proposing.take_kind(bench, character_id, kind, pose, body.joint))


@router.post("/roll")
def roll(bench: Bench, character_id: str, body: WaterfallRequest) -> RollAlong | None:
    """The roll along the limb of a joint, as it is and as it should be; null where nothing rolls."""
    version = bench.open(character_id).version
    told = proposing.roll(version, pose_of(version, body.pose.plain()), body.joint)
    return None if told is None else RollAlong(**told)


@router.post("/waterfall")
def waterfall(bench: Bench, character_id: str, body: WaterfallRequest) -> list[WaterfallBar]:
    """What each remedy gives back of a joint's volume in a pose; the bars add up to with minus without."""
    version = bench.open(character_id).version
    bars = proposing.bars(version, pose_of(version, body.pose.plain()), body.joint)
    return [WaterfallBar(id=r.id, name=r.name, volume=v) for r, v in bars]


@router.post("/remedies/{remedy_id}/fit")
def fit(bench: Bench, character_id: str, remedy_id: str, body: HingeTriggerRule | None = None) -> FittedResponse:
    """The response of a corrective that keeps the volume all the way; nothing is changed."""
    version = bench.open(character_id).version
    rule = body.model_dump(exclude_none=True) if body else None
    return fitted_info(version, proposing.fit_remedy(version, remedy_id, rule))


@router.delete("/remedies/{remedy_id}/twin")
def free_twin(bench: Bench, character_id: str, remedy_id: str) -> CharacterState:
    """Let a remedy and its twin go their own ways."""
    return character_state(edits.free_twin(bench, character_id, remedy_id))


@router.post("/twins")
def add_twins(bench: Bench, character_id: str) -> CharacterState:
    """Twins for all remedies that lie on one side and have none."""
    return character_state(edits.add_twins(bench, character_id))


@router.post("/remedies/{remedy_id}/twin")
def add_twin(bench: Bench, character_id: str, remedy_id: str) -> CharacterState:
    """The same remedy on the other side."""
    return character_state(edits.add_twin(bench, character_id, remedy_id))
