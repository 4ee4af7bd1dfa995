"""Weights as a plain file by joint name, so that they survive a changed mesh: see docs/formats/weights.md."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from plethos.core.character import Character
from plethos.core.errors import BadFileError
from plethos.core.evaluate import Evaluator


def weights_to_json(character: Character) -> dict[str, Any]:
    """Rest place and weights by joint name of every vertex, part by part."""
    rest = Evaluator(character).rest()
    names, weights = character.skeleton.names, character.joint_weights
    parts = []
    for part in character.parts:
        rows = [
            {names[j]: round(float(weights[v, j]), 6) for j in np.flatnonzero(weights[v] > 1e-6)}
            for v in range(*part.vertices)
        ]
        places = np.round(rest[slice(*part.vertices)].astype(float), 6).tolist()
        parts.append({"name": part.name, "places": places, "weights": rows})
    return {"plethos_weights": 1, "parts": parts}


def weights_from_json(character: Character, text: str | bytes) -> NDArray[np.float64]:
    """Weights ``(V, J)`` of such a file, carried over by the closest vertex of the part of the same name, or of any.

    Raises
    ------
    BadFileError
        For a file of another form, an unknown joint, or numbers that are none.
    """
    try:
        document = json.loads(text)
        parts = {str(p["name"]): (np.array(p["places"], float), p["weights"]) for p in document["parts"]}
        broken = [n for n, (places, rows) in parts.items() if places.shape != (len(rows), 3)]
    except (ValueError, KeyError, TypeError):
        raise BadFileError("The weights are not of the form that docs/formats/weights.md describes.") from None
    if broken or not parts:
        raise BadFileError("The weights are broken: a part needs as many places of three numbers as weights.")
    place = {name: k for k, name in enumerate(character.skeleton.names)}
    tables = {name: _dense(rows, place) for name, (_, rows) in parts.items()}
    rest = Evaluator(character).rest()
    everything = np.vstack([p for p, _ in parts.values()]), np.vstack(list(tables.values()))
    out = np.zeros((len(rest), len(place)))
    for part in character.parts:
        own = slice(*part.vertices)
        places, table = (parts[part.name][0], tables[part.name]) if part.name in parts else everything
        if not np.isfinite(places).all():
            raise BadFileError("The weights hold places that are not numbers.")
        out[own] = _carried(rest[own], places, table)
    return out


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


def _carried(
    points: NDArray[np.floating], places: NDArray[np.float64], table: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Inverse-distance mean of the three closest places; a place that is hit counts alone."""
    near = min(3, len(places))
    answer = cKDTree(places).query(points, k=near)
    distance, found = (np.asarray(a).reshape(-1, near) for a in answer)
    share = 1 / np.maximum(distance, 1e-9) ** 2
    share = np.where((distance[:, :1] < 1e-6), np.eye(near)[0], share / share.sum(axis=1, keepdims=True))
    return np.asarray((share[:, :, None] * table[found]).sum(axis=1))
