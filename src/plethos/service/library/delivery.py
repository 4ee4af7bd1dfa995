"""What is handed out of a character."""

from __future__ import annotations

from dataclasses import dataclass, replace

from plethos.core.character import Character
from plethos.core.formats.files import ending_of, written
from plethos.core.formats.gltf_write import flattened
from plethos.core.skeleton.names import printable
from plethos.core.weights.assign import DELIVERED, with_joint_weights
from plethos.core.weights.fit import FittedWeights, fitted
from plethos.service.library.open_character import OpenCharacter


@dataclass(frozen=True)
class Delivery:
    """A file to hand out."""

    name: str
    data: bytes


def delivered(opened: OpenCharacter, bake: str | None = None, influences: int = DELIVERED) -> Delivery:
    """The character as `.glb` with its remedies, optionally baked into a clip; a drawing as `.svg`.

    Parameters
    ----------
    influences
        How many joints a vertex may follow; vertices of more are weighed anew: see `limit`.
    """
    character, name = opened.character, tidy_name(opened.revision.name)
    if character.mesh.is_flat:
        return Delivery(f"{name}.svg", written(character, opened.source))
    fit = limit(character, influences)
    skin = flattened(character)
    if len(fit.vertices):
        skin = with_joint_weights(replace(character, binding=skin), fit.weights, influences).binding
    return Delivery(f"{name}{ending_of(opened.source)}", written(character, opened.source, bake, skin))


def limit(character: Character, influences: int = DELIVERED) -> FittedWeights:
    """What a delivery does to vertices that follow more joints than that, and how far it moves them."""
    return fitted(replace(character, binding=flattened(character)), influences)


def tidy_name(name: str) -> str:
    """A name without path and ending, printable, never empty."""
    return printable(name)[:120] or "Unnamed character"
