"""The skin of a version laid out as the kernels read it: found when asked for, kept, taken over by the next version."""

from __future__ import annotations

import threading
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.rules.program import Acting, Program
from plethos.core.rules.remedies import Body, Deformer
from plethos.core.skin.binding import Binding
from plethos.core.skin.layout import ShapeTable, SkinLayout, masked_binding
from plethos.core.skin.mask import Mask
from plethos.core.skin.shape import Shape

MOST_KNOWN = 64  # sets of acting remedies


@dataclass(eq=False)
class Layouts:
    """What is laid out of one version. Frames of several threads read it; whoever has to add to it holds its lock.

    Parameters
    ----------
    character
        Whose skin.
    rows
        These vertices only ``(N,)``, ascending; None = all.
    """

    character: Character
    rows: NDArray[np.int32] | None = None
    _bindings: dict[tuple[tuple[int, Mask], ...], Binding] = field(default_factory=dict)
    _layouts: dict[tuple[Any, ...], SkinLayout] = field(default_factory=dict)
    _layout_of: dict[frozenset[str] | None, SkinLayout] = field(default_factory=dict)
    _tables: dict[SkinLayout, ShapeTable] = field(default_factory=dict)
    _deformers: dict[Body, Deformer] = field(default_factory=dict)
    _lock: threading.RLock = field(default_factory=threading.RLock)

    @classmethod
    def of(cls, character: Character, rows: NDArray[np.int32] | None, before: Layouts | None) -> Layouts:
        """Those of a version; what does not differ from the one before is taken over."""
        fresh = cls(character, rows)
        if before is None or before.rows is not rows:
            return fresh
        old = before.character
        if old.mesh is not character.mesh:
            return fresh
        with before._lock:
            if old.binding is character.binding and _same_rest(old, character):
                fresh._bindings, fresh._layouts = dict(before._bindings), dict(before._layouts)
                fresh._tables = dict(before._tables)
            fresh._deformers = dict(before._deformers)
        return fresh

    def known(self, acting: Acting) -> SkinLayout | None:
        """The layout for what acts, if it was asked for before."""
        return self._layout_of.get(acting.only)

    def of_acting(self, program: Program, acting: Acting) -> SkinLayout:
        """The skin as the helpers and blends that act make it; one for each set of them."""
        known = self._layout_of.get(acting.only)
        if known is None:
            with self._lock:
                # Asked for in every frame: which remedies act is looked through once.
                if len(self._layout_of) > MOST_KNOWN:
                    self._layout_of.clear()
                known = self._layout_of[acting.only] = self._laid_out(program, acting)
        return known

    def _laid_out(self, program: Program, acting: Acting) -> SkinLayout:
        rules = self.character.rules
        turning = program.acting(rules.helpers, acting)
        helpers = tuple((body.joint, body.mask) for _, body in turning if body.mask is not None)
        blends, gains = program.acting(rules.blends, acting), program.gains(acting)[0]
        wholly = all(gains[program.places.remedies[r.id]] == 1 and r.by is None for r, _ in blends)
        deformers = () if self.rows is None else tuple(d.body for _, d in self.deformers(program, acting))
        # Masks and bodies are told apart by who they are: an edit makes others.
        masks = [body.mask for _, body in blends]
        key = (*helpers, *masks, wholly, deformers)
        found = self._layouts.get(key)
        if found is None:
            mesh = self.character.mesh
            binding = self._bindings.get(helpers)
            if binding is None:
                binding = masked_binding(mesh, self.character.skeleton, self.character.binding, helpers)
                self._bindings[helpers] = binding
            rows = None if self.rows is None else self.needed(program, acting)
            found = self._layouts[key] = SkinLayout.of(mesh, binding, masks, wholly, rows)
        return found

    def table(self, layout: SkinLayout) -> ShapeTable:
        """The shapes as a layout counts vertices."""
        found, shapes = self._tables.get(layout), self.character.shapes
        if found is not None and found.shapes is shapes:
            return found
        with self._lock:
            found = self._tables.get(layout)
            if found is None or not _same_shapes(found.shapes, shapes):
                found = ShapeTable.of(shapes, layout)
            elif found.shapes is not shapes:
                found = replace(found, shapes=shapes)  # told apart at a glance from now on
            self._tables[layout] = found
        return found

    def deformers(self, program: Program, acting: Acting) -> list[tuple[str, Deformer]]:
        """What acts after the skin, in order, with the ids of the remedies."""
        if not self.character.rules.deformers:
            return []
        out = []
        for remedy, body in program.acting(self.character.rules.deformers, acting):
            ready = self._deformers.get(body)
            if ready is None:
                with self._lock:
                    # Whoever held it may have made it ready meanwhile.
                    ready = self._deformers.get(body) or body.ready(self.character.mesh)
                    self._deformers[body] = ready
            out.append((remedy.id, ready))
        return out

    def needed(self, program: Program, acting: Acting) -> NDArray[np.int32]:
        """The vertices that have to be skinned to give `rows` ``(M,)``: deformers look further."""
        assert self.rows is not None
        rows = self.rows
        for _, deformer in reversed(self.deformers(program, acting)):
            rows = deformer.support(rows)
        return rows

    def reweigh(self, vertices: NDArray[np.int32], influences: NDArray[np.int32], weights: NDArray[np.float32]) -> None:
        """Let some vertices follow other bones, at once: for a stroke, whose evaluator and binding are nobody else's.

        Parameters
        ----------
        vertices
            ``(N,)``. Those under the mask of a helper joint are shown as they were until the stroke is stored.
        influences, weights
            ``(N, K)``, the largest weight first, K no more than the binding has.
        """
        with self._lock:
            width = influences.shape[1]
            own = self.character.binding
            own.influences[vertices, :width], own.weights[vertices, :width] = influences, weights
            own.weights[vertices, width:] = 0
            # Layouts that are made later begin with what was painted.
            self._bindings.clear()
            masks = [body.mask for _, body in self.character.rules.helpers if body.mask is not None]
            under = np.concatenate([np.zeros(0, np.int32), *(m.vertices for m in masks)])
            for layout in self._layouts.values():
                bare = layout.binding is own or not masks
                chosen = slice(None) if bare else np.isin(vertices, under, invert=True)
                rows = layout.place[vertices[chosen]]
                layout.influences[rows, :width] = influences[chosen]
                layout.weights[rows, :width] = weights[chosen]
                layout.weights[rows, width:] = 0


def _same_rest(one: Character, other: Character) -> bool:
    """Whether helper joints stand at rest where they stood: bones that layouts added depend on that."""
    return one.skeleton is other.skeleton or not (one.rules.helpers or other.rules.helpers)


def _same_shapes(one: tuple[Shape, ...], other: tuple[Shape, ...]) -> bool:
    return len(one) == len(other) and all(a.deltas is b.deltas and a.vertices is b.vertices
                                          for a, b in zip(one, other, strict=True))  # fmt: skip
