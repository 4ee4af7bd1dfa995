"""What is handed out of a character."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from plethos.core.character import Character
from plethos.core.formats.files import Source, ending_of, written
from plethos.core.formats.gltf_write import flattened
from plethos.core.skeleton.names import printable
from plethos.core.weights.assign import DELIVERED, with_joint_weights
from plethos.core.weights.fit import FittedWeights, fitted
from plethos.service.library.version import Version

WEIGHED = 0.5  # of the work is weighing vertices anew that follow too many joints


@dataclass(frozen=True)
class Delivery:
    """A file to hand out."""

    name: str
    data: bytes


def delivered(
    version: Version,
    source: Source,
    bake: str | None = None,
    influences: int = DELIVERED,
    progress: Callable[[float], None] = lambda share: None,
) -> Delivery:
    """The character as `.glb` with its remedies, optionally baked into a clip; a drawing as `.svg`.

    Parameters
    ----------
    source
        The file that it was read from.
    influences
        How many joints a vertex may follow; vertices of more are weighed anew: see `limit`.
    progress
        Called with how much is done, 0 to 1; what it raises stops it.
    """
    character, name = version.character, tidy_name(version.revision.name)
    if character.mesh.is_flat:
        return Delivery(f"{name}.svg", written(character, source))
    flat = replace(character, binding=flattened(character))
    fit = fitted(flat, influences, lambda share: progress(WEIGHED * share))
    if len(fit.vertices):
        flat = with_joint_weights(flat, fit.weights, influences)
    data = written(character, source, bake, flat.binding, lambda share: progress(WEIGHED + (1 - WEIGHED) * share))
    return Delivery(f"{name}{ending_of(source)}", data)


def limit(character: Character, influences: int) -> FittedWeights:
    """What a delivery does to vertices that follow more joints than that, and how far it moves them."""
    return fitted(replace(character, binding=flattened(character)), influences)


def tidy_name(name: str) -> str:
    """A name without path and ending, printable, never empty."""
    return printable(name)[:120] or "Unnamed character"
