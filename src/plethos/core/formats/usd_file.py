"""USD -> a glTF file, so that all after it is the same for both: skeletons, skinned meshes, shapes, clips, looks.

A stage is opened in a folder of its own; layers that it refers to have to lie in it.
"""

from __future__ import annotations

import tempfile
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
from pxr import Sdf, Tf, Usd, UsdGeom, UsdSkel, UsdUtils

from plethos.core.errors import BadFileError
from plethos.core.formats.gltf_build import GltfBuilder
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.limits import check_parts
from plethos.core.formats.usd_clips import add_clips
from plethos.core.formats.usd_looks import Looks
from plethos.core.formats.usd_meshes import UsdMesh, add_mesh
from plethos.core.formats.usd_skeletons import UsdSkeleton

LAYERS = (".usd", ".usda", ".usdc", ".usdz")
NO_CHARACTER = "This USD file holds no skinned character: no mesh that a skeleton moves."


def file_from_usd(name: str, data: bytes, others: Mapping[str, bytes] | None = None) -> GltfFile:
    """The skinned characters of a stage, as a glTF file.

    Parameters
    ----------
    name
        With its ending.
    others
        Layers and pictures that came with it, by name.

    Raises
    ------
    BadFileError
        When it is no USD, refers to what did not come with it, or holds no skinned character.
    """
    with tempfile.TemporaryDirectory() as where:
        folder = Path(where)
        for other, held in (others or {}).items():
            (folder / Path(other).name).write_bytes(held)
        path = folder / Path(name).name
        path.write_bytes(data)
        # What it warns of is told as a sentence here, or does not matter.
        quiet = UsdUtils.CoalescingDiagnosticDelegate()
        try:
            stage = Usd.Stage.Open(str(path))
        except Tf.ErrorException:
            raise BadFileError("This is no USD file, or a broken one.") from None
        _refuse_strangers(stage, path)
        quiet.TakeUncoalescedDiagnostics()
        try:
            return _converted(stage, folder)
        except Tf.ErrorException as error:
            raise BadFileError(f"The USD file is broken: {str(error).strip().splitlines()[-1][:120]}") from None


def needed_by(path: Path) -> list[Path]:
    """The layers and pictures beside a stage that it refers to."""
    layers, assets, _ = UsdUtils.ComputeAllDependencies(Sdf.AssetPath(str(path)))
    named = [Path(layer.realPath) for layer in layers] + [Path(asset) for asset in assets]
    folder, own = path.parent.resolve(), path.resolve()
    return [p for p in named if p.is_file() and p.resolve() != own and p.resolve().parent == folder]


def _refuse_strangers(stage: Any, path: Path) -> None:
    """Refuse a stage that is composed of layers which did not come with it."""
    own = path.parent.resolve()
    for layer in stage.GetUsedLayers():
        real = layer.realPath
        if real and own not in Path(real.split("[")[0]).resolve().parents:
            raise BadFileError(f"The USD file refers to “{Path(real).name}”, which lies elsewhere: drop both together.")
    _, _, missing = UsdUtils.ComputeAllDependencies(Sdf.AssetPath(str(path)))
    layers = [m for m in missing if str(m).lower().endswith(LAYERS)]
    if layers:
        raise BadFileError(f"The file needs “{Path(layers[0]).name}”, which did not come with it: drop both together.")


def _converted(stage: Any, folder: Path) -> GltfFile:
    cache, skeletons, meshes = UsdSkel.Cache(), list[UsdSkeleton](), list[UsdMesh]()
    notes = list[str]()
    for prim in stage.Traverse(Usd.TraverseInstanceProxies()):
        if not prim.IsA(UsdSkel.Root):
            continue
        root = UsdSkel.Root(prim)
        cache.Populate(root, Usd.TraverseInstanceProxies())
        for binding in cache.ComputeSkelBindings(root, Usd.TraverseInstanceProxies()):
            skeleton = UsdSkeleton.of(cache, binding.GetSkeleton(), len(skeletons))
            found = [UsdMesh.of(q, skeleton) for q in binding.GetSkinningTargets() if q.GetPrim().IsA(UsdGeom.Mesh)]
            if found:
                skeletons.append(skeleton)
                meshes += found
    if not meshes:
        raise BadFileError(NO_CHARACTER)
    check_parts(len(meshes))
    skinned = {mesh.prim.GetPath() for mesh in meshes}
    left = [p.GetName() for p in stage.Traverse() if p.IsA(UsdGeom.Mesh) and p.GetPath() not in skinned]
    if left:
        notes.append(f"Not skinned, and left out: {', '.join(left[:5])}{' and others' if len(left) > 5 else ''}.")
    builder = GltfBuilder(GltfFile({"asset": {"version": "2.0", "generator": "Plethos"}}, ()))
    looks, tops = Looks(builder, folder), list[int]()
    for skeleton in skeletons:
        tops.append(skeleton.add(builder))
    blended, start = list[int](), 0
    for mesh in meshes:
        count = add_mesh(builder, looks, mesh, notes)
        tops.append(mesh.node)
        if mesh.dual:
            blended += range(start, start + count)
        start += count
    add_clips(builder, stage, cache, skeletons, meshes, notes)
    builder.document.update(scene=0, scenes=[{"nodes": [builder.add("nodes", _world(stage, tops))]}])
    if blended:
        mask = {"vertices": blended, "shares": [1.0] * len(blended)}
        rule = {"kind": "skin_blend", "id": "usd-dual", "name": "Dual quaternions of the file", "mask": mask}
        builder.document["extras"] = {"plethos": {"version": 2, "remedies": [rule]}}
    file = builder.file()
    return GltfFile(file.document, file.buffers, tuple(dict.fromkeys(notes)))


def _world(stage: Any, tops: list[int]) -> dict[str, Any]:
    """The node over all others: metres, and Y up."""
    node: dict[str, Any] = {"name": "world", "children": tops}
    scale = float(UsdGeom.GetStageMetersPerUnit(stage))
    if abs(scale - 1) > 1e-9:
        node["scale"] = [scale] * 3
    if UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.z:
        node["rotation"] = [-float(np.sqrt(0.5)), 0.0, 0.0, float(np.sqrt(0.5))]
    return node
