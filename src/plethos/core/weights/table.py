"""Weights as a plain file by joint name, so that they survive a changed mesh: see docs/formats/weights.md."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadFileError
from plethos.core.weights.carry import carried_over

SAME = 2e-6  # places are written to a millionth


def weights_to_json(character: Character) -> dict[str, Any]:
    """Rest place and weights by joint name of every vertex, and the triangles between them, part by part."""
    rest = character.mesh.rest
    names, weights = character.skeleton.names, character.binding.joint_weights
    parts = []
    for part in character.mesh.parts:
        rows = [
            {names[j]: round(float(weights[v, j]), 6) for j in np.flatnonzero(weights[v] > 1e-6)}
            for v in range(*part.vertices)
        ]
        places = np.round(rest[slice(*part.vertices)].astype(float), 6).tolist()
        triangles = character.mesh.triangles_of(part).tolist()
        parts.append({"name": part.name, "places": places, "triangles": triangles, "weights": rows})
    return {"plethos_weights": 1, "parts": parts}


@dataclass(frozen=True)
class _Stored:
    """A part of such a file: its surface at rest and the weights ``(N, J)`` on it."""

    places: NDArray[np.float64]
    triangles: NDArray[np.int64]
    rows: NDArray[np.float64]


def weights_from_json(character: Character, text: str | bytes) -> NDArray[np.float64]:
    """Weights ``(V, J)`` of such a file, carried by the closest surface of the part of the same name, or of any.

    Raises
    ------
    BadFileError
        For a file of another form, an unknown joint, or numbers that are none.
    """
    number = {name: k for k, name in enumerate(character.skeleton.names)}
    try:
        parts = {str(p["name"]): _stored(p, number) for p in json.loads(text)["parts"]}
    except (ValueError, KeyError, TypeError):
        raise BadFileError("The weights are not of the form that docs/formats/weights.md describes.") from None
    if not parts:
        raise BadFileError("The weights are broken: they hold no part.")
    rest = character.mesh.rest
    starts = np.cumsum([0, *(len(p.places) for p in parts.values())])
    everything = _Stored(
        np.vstack([p.places for p in parts.values()]),
        np.vstack([p.triangles + start for p, start in zip(parts.values(), starts, strict=False)]),
        np.vstack([p.rows for p in parts.values()]),
    )
    out = np.zeros((len(rest), len(number)))
    for part in character.mesh.parts:
        own, stored = slice(*part.vertices), parts.get(part.name, everything)
        same = len(stored.places) == len(rest[own]) and np.abs(stored.places - rest[own]).max(initial=0) < SAME
        # On the same mesh vertex by vertex: where surfaces touch (closed lips), the closest may be the wrong one.
        out[own] = stored.rows if same else carried_over(stored.places, stored.triangles, stored.rows, rest[own])
    return out


def _stored(part: Any, number: dict[str, int]) -> _Stored:
    places = np.array(part["places"], dtype=np.float64).reshape(-1, 3)
    # Files of before triangles were stored are clouds of places.
    triangles = np.array(part.get("triangles", []), dtype=np.int64).reshape(-1, 3)
    if len(places) != len(part["weights"]) or len(places) == 0:
        raise BadFileError("The weights are broken: a part needs as many places of three numbers as weights.")
    if not np.isfinite(places).all():
        raise BadFileError("The weights hold places that are not numbers.")
    if triangles.min(initial=0) < 0 or triangles.max(initial=0) >= len(places):
        raise BadFileError("The weights are broken: a triangle names a place that is not there.")
    return _Stored(places, triangles, _dense(part["weights"], number))


def _dense(rows: Any, place: dict[str, int]) -> NDArray[np.float64]:
    out = np.zeros((len(rows), len(place)))
    for v, row in enumerate(rows):
        for name, weight in row.items() if isinstance(row, dict) else ():
            if name not in place:
                raise BadFileError(f"The weights name a joint “{name}” that this character does not have.")
            if not isinstance(weight, int | float) or not 0 <= weight < 1e6:
                raise BadFileError(f"The weight of “{name}” at vertex {v} is not a number from 0 on.")
            out[v, place[name]] = weight
        if out[v].sum() <= 0:
            raise BadFileError(f"Vertex {v} of the weights follows no joint.")
    return np.asarray(out / out.sum(axis=1, keepdims=True))
