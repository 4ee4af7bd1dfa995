"""Other ways to a corrective, and housekeeping: kept differences, shapes of the file, copies, halves, sums, order."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from plethos.core.character import Character
from plethos.core.edits.difference import of_file_shape, with_difference
from plethos.core.edits.recorded_behind import before_the_skin
from plethos.core.edits.shape_edits import carried_to, copied, merged, scaled, split, thinned, trimmed
from plethos.core.errors import BadEditError
from plethos.core.rules.remedies import Remedy
from plethos.core.rules.rules import Rules
from plethos.core.skeleton.names import printable
from plethos.core.skeleton.pose import Pose
from plethos.service.edits.rule_edits import in_step
from plethos.service.library.version import Version
from plethos.service.library.workbench import Workbench


def keep_difference(workbench: Workbench, character_id: str, name: str, pose: Pose) -> Version:
    """Keep what a pose does as a corrective on a dial of its own."""
    label = printable(name)
    if not label:
        raise BadEditError("Give the movement a name.")
    opened = workbench.open(character_id)
    opened.refuse_while_sculpting()
    evaluator = opened.version.evaluator
    return workbench.edit(character_id, f"Keep “{label}”", lambda c: with_difference(c, pose, label, evaluator))


def take_file_shapes(workbench: Workbench, character_id: str, names: Sequence[str]) -> Version:
    """Make correctives, not tied yet, of shapes that came with the file."""
    if not names:
        raise BadEditError("Say which shapes of the file are to become correctives.")

    def change(character: Character) -> Character:
        for name in dict.fromkeys(names):
            character = character.with_remedy(of_file_shape(character, name))
        return character

    label = f"“{names[0]}”" if len(names) == 1 else f"{len(names)} shapes"
    return workbench.edit(character_id, f"Take {label} of the file", change)


def thin_under(workbench: Workbench, character_id: str, garment: str, depth: float) -> Version:
    """Draw the skin in under a garment by a corrective that is not tied yet."""

    def change(character: Character) -> Character:
        return character.with_remedy(thinned(character, garment, depth, f"under {garment}"))

    return workbench.edit(character_id, f"Thin what lies under “{garment}”", change)


def scale_shape(workbench: Workbench, character_id: str, remedy_id: str, factor: float) -> Version:
    """Scale a corrective's shapes."""
    return _changed(workbench, character_id, remedy_id, f"Scale by {factor:g}", lambda c, r: scaled(r, factor))


def settle_amount(workbench: Workbench, character_id: str, remedy_id: str) -> Version:
    """Take a corrective's amount into its shapes: it acts as before, at 100 %."""

    def change(character: Character, remedy: Remedy) -> Remedy:
        if remedy.amount == 0:
            raise BadEditError(f"“{remedy.name}” acts at 0 %: nothing of it would be left.")
        return replace(scaled(remedy, remedy.amount), amount=1.0)

    return _changed(workbench, character_id, remedy_id, "Settle the amount", change)


def trim_shape(workbench: Workbench, character_id: str, remedy_id: str, least: float) -> Version:
    """Drop a corrective's offsets shorter than `least` metres."""
    return _changed(workbench, character_id, remedy_id, "Trim", lambda c, r: trimmed(r, least)[0])


def carry_shape(workbench: Workbench, character_id: str, remedy_id: str, part: str) -> Version:
    """Let a garment take a corrective's shape from the skin under it."""
    label = f"Carry to “{part}”"
    return _changed(workbench, character_id, remedy_id, label, lambda c, r: carried_to(c, r, part)[0])


def convert_order(workbench: Workbench, character_id: str, remedy_id: str) -> Version:
    """Turn offsets that were recorded behind the skin into a shape that acts before it."""
    evaluator = workbench.open(character_id).version.evaluator
    return _changed(
        workbench, character_id, remedy_id, "Convert the order", lambda c, r: before_the_skin(evaluator, r)
    )  # fmt: skip


def _changed(
    workbench: Workbench, character_id: str, remedy_id: str, label: str, change: Callable[[Character, Remedy], Remedy]
) -> Version:
    """One edit of a remedy, and of its twin with it."""

    def edit(character: Character) -> Character:
        remedy = character.rules.remedy(remedy_id)
        return in_step(character.with_remedy(change(character, remedy)), remedy_id)

    name = workbench.open(character_id).character.rules.remedy(remedy_id).name
    return workbench.edit(character_id, f"{label}: “{name}”", edit)


def copy_remedy(workbench: Workbench, character_id: str, remedy_id: str) -> Version:
    """The same remedy once more, off, right behind it."""

    def change(character: Character) -> Character:
        remedy = character.rules.remedy(remedy_id)
        copy = copied(character, remedy)
        made = character.with_remedy(copy)
        return made.with_rules(_moved(made.rules, copy.id, character.rules.remedies.index(remedy) + 1))

    return workbench.edit(character_id, "Copy a remedy", change)


def split_shape(workbench: Workbench, character_id: str, remedy_id: str, soft: float) -> Version:
    """Split a corrective in its left and right, fading into each other over a width."""

    def change(character: Character) -> Character:
        remedy = character.rules.remedy(remedy_id)
        one, other = split(character, remedy, soft)
        made = character.with_remedy(one).with_remedy(other)
        return made.with_rules(_moved(made.rules, other.id, character.rules.remedies.index(remedy) + 1))

    return workbench.edit(character_id, "Split left and right", change)


def merge_shapes(workbench: Workbench, character_id: str, remedy_id: str, other_id: str) -> Version:
    """Merge a corrective with another that follows the same value; the other goes."""
    if remedy_id == other_id:
        raise BadEditError("A corrective cannot be merged with itself.")

    def change(character: Character) -> Character:
        rules = character.rules
        both = merged(rules.remedy(remedy_id), rules.remedy(other_id))
        without = replace(
            rules,
            remedies=tuple(
                replace(r, twin=None) if r.twin in (remedy_id, other_id) else r
                for r in rules.remedies
                if r.id != other_id
            ),
        )
        return character.with_rules(without.with_remedy(replace(both, twin=None)))

    return workbench.edit(character_id, "Merge two correctives", change)


def move_remedy(workbench: Workbench, character_id: str, remedy_id: str, place: int) -> Version:
    """Put a remedy at another place in the list; deformers act in this order."""

    def change(character: Character) -> Character:
        character.rules.remedy(remedy_id)
        return character.with_rules(_moved(character.rules, remedy_id, place))

    return workbench.edit(character_id, "Reorder", change)


def _moved(rules: Rules, remedy_id: str, place: int) -> Rules:
    moved = rules.remedy(remedy_id)
    others = [r for r in rules.remedies if r.id != remedy_id]
    at = min(max(place, 0), len(others))
    return replace(rules, remedies=(*others[:at], moved, *others[at:]))
