"""USD in: stages written by usd-core, and the skin held to what UsdSkel makes of it, frame by frame."""

import tempfile
import unittest
from functools import cache
from pathlib import Path

import numpy as np
from pxr import Gf, Sdf, Usd, UsdGeom, UsdShade, UsdSkel, UsdUtils, Vt
from scipy.spatial.transform import Rotation

from plethos.core.errors import BadFileError
from plethos.core.evaluate import ALL, Evaluator
from plethos.core.formats.files import packed, read_file
from plethos.core.formats.gltf_surface import seen_surface
from plethos.core.measure.travel import bent
from plethos.core.propose.first_mend import FirstMend
from tests.models import DATA, load

FRAMES = 20
PLACE = Gf.Matrix4d(1).SetRotate(Gf.Rotation((0, 1, 0), 30)) * Gf.Matrix4d(1).SetTranslate((12, 0, -4))
BOUND = Gf.Matrix4d(1).SetTranslate((0, 0, 3)) * Gf.Matrix4d(1).SetScale(1.25)


@cache
def body():
    return load("body_58_joints.glb")[0]


def row(matrix):
    """A matrix of ours as USD has it."""
    return Gf.Matrix4d(*np.asarray(matrix, float).T.ravel().tolist())


def write_stage(path: Path, dual: bool = False, up: str = "Z", wild: bool = True):
    """The outside body as a stage, in centimetres: its joints by paths, a shape with an in-between, 20 frames."""
    character, rng = body(), np.random.default_rng(5)
    mesh, skeleton = character.mesh, character.skeleton
    stage = Usd.Stage.CreateNew(str(path))
    UsdGeom.SetStageMetersPerUnit(stage, 0.01)
    UsdGeom.SetStageUpAxis(stage, up)
    stage.SetTimeCodesPerSecond(24)
    UsdSkel.Root.Define(stage, "/Lock")
    skel = UsdSkel.Skeleton.Define(stage, "/Lock/Skel")
    UsdGeom.Xformable(skel).AddTransformOp().Set(PLACE)
    paths = []
    for j, name in enumerate(skeleton.names):
        own = name.replace(".", "_").replace("-", "_")
        paths.append(own if skeleton.parents[j] < 0 else f"{paths[skeleton.parents[j]]}/{own}")
    world = skeleton.rest_global.copy()
    world[:, :3, 3] *= 100
    local = [w if p < 0 else np.linalg.inv(world[p]) @ w for w, p in zip(world, skeleton.parents, strict=True)]
    skel.CreateJointsAttr(paths)
    skel.CreateBindTransformsAttr([row(m) for m in world])
    # At rest it stands otherwise than where it was bound.
    lifted = [m @ _turn(0.1 if k % 7 == 3 else 0.0) for k, m in enumerate(local)]
    skel.CreateRestTransformsAttr([row(m) for m in lifted])
    made = UsdGeom.Mesh.Define(stage, "/Lock/Body")
    points = (mesh.rest * 100).astype(np.float32)
    if wild:
        inverse = np.array(BOUND.GetInverse())
        points = (np.c_[points, np.ones(len(points))] @ inverse)[:, :3].astype(np.float32)
    made.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(points))
    triangles = mesh.topology.triangles
    made.CreateFaceVertexCountsAttr([3] * len(triangles))
    made.CreateFaceVertexIndicesAttr(triangles.ravel().tolist())
    st = UsdGeom.PrimvarsAPI(made).CreatePrimvar("st", Sdf.ValueTypeNames.TexCoord2fArray, "faceVarying")
    st.Set(Vt.Vec2fArray.FromNumpy(np.ascontiguousarray(points[triangles.ravel()][:, :2] * 0.01, np.float32)))
    binding = UsdSkel.BindingAPI.Apply(made.GetPrim())
    binding.CreateSkeletonRel().SetTargets([skel.GetPath()])
    order = rng.permutation(len(paths))
    binding.CreateJointsAttr([paths[k] for k in order])
    slots = np.argsort(order)[character.binding.numbers]
    binding.CreateJointIndicesPrimvar(False, slots.shape[1]).Set(Vt.IntArray.FromNumpy(slots.ravel().astype(np.int32)))
    weights = Vt.FloatArray.FromNumpy(character.binding.weights.ravel().copy())
    binding.CreateJointWeightsPrimvar(False, slots.shape[1]).Set(weights)
    if wild:
        binding.CreateGeomBindTransformAttr(BOUND)
    if dual:
        method = made.GetPrim().CreateAttribute("primvars:skel:skinningMethod", Sdf.ValueTypeNames.Token)
        method.Set("dualQuaternion")
    rows = np.sort(rng.choice(len(points), 400, replace=False))
    shape = UsdSkel.BlendShape.Define(stage, "/Lock/Body/Breath")
    shape.CreateOffsetsAttr(Vt.Vec3fArray.FromNumpy(rng.normal(0, 1, (400, 3)).astype(np.float32)))
    shape.CreatePointIndicesAttr(rows.tolist())
    half = shape.CreateInbetween("half")
    half.SetWeight(0.4)
    half.SetOffsets(Vt.Vec3fArray.FromNumpy(rng.normal(0, 1, (400, 3)).astype(np.float32)))
    binding.CreateBlendShapesAttr(["Breath"])
    binding.CreateBlendShapeTargetsRel().SetTargets([shape.GetPath()])
    clip = UsdSkel.Animation.Define(stage, "/Lock/Skel/Walk")
    clip.CreateJointsAttr(paths)
    clip.CreateBlendShapesAttr(["Breath"])
    for frame in range(FRAMES):
        turned = [m @ _turn(*rng.uniform(-0.6, 0.6, 3)) for m in local]
        clip.SetTransforms([row(m) for m in turned], frame)
        clip.CreateBlendShapeWeightsAttr().Set([frame / FRAMES], frame)
    UsdSkel.BindingAPI.Apply(skel.GetPrim()).CreateAnimationSourceRel().SetTargets([clip.GetPath()])
    return stage


def _turn(x: float, y: float = 0.0, z: float = 0.0):
    out = np.eye(4)
    out[:3, :3] = Rotation.from_euler("xyz", [x, y, z]).as_matrix()
    return out


def skinned_by_usd(stage, frame: float):
    """The points of the mesh in the world of ours, as UsdSkel skins them, shape and all."""
    cache = UsdSkel.Cache()
    root = UsdSkel.Root(stage.GetPrimAtPath("/Lock"))
    cache.Populate(root, Usd.PrimDefaultPredicate)
    skel = cache.GetSkelQuery(UsdSkel.Skeleton(stage.GetPrimAtPath("/Lock/Skel")))
    query = cache.GetSkinningQuery(stage.GetPrimAtPath("/Lock/Body"))
    points = UsdGeom.Mesh(stage.GetPrimAtPath("/Lock/Body")).GetPointsAttr().Get()
    shapes = UsdSkel.BlendShapeQuery(UsdSkel.BindingAPI(stage.GetPrimAtPath("/Lock/Body")))
    points = Vt.Vec3fArray(points)
    parts = shapes.ComputeSubShapeWeights(skel.GetAnimQuery().ComputeBlendShapeWeights(frame))
    held = (shapes.ComputeBlendShapePointIndices(), shapes.ComputeSubShapePointOffsets())
    shapes.ComputeDeformedPoints(*parts[-3:], *held, points)
    query.ComputeSkinnedPoints(skel.ComputeSkinningTransforms(frame), points, frame)
    world = np.c_[np.array(points, float), np.ones(len(points))] @ np.array(PLACE)
    found = 0.01 * world[:, :3]
    return found[:, [0, 2, 1]] * [1, 1, -1] if UsdGeom.GetStageUpAxis(stage) == "Z" else found


class Stages(unittest.TestCase):
    def folder(self) -> Path:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        return Path(folder.name)

    def test_every_frame_is_as_usd_skins_it(self):
        linear, dual = {}, {"dual": True, "up": "Y", "wild": False}
        for name, how, near in (("lock.usda", linear, 1e-6), ("lock.usdc", dual, 5e-6)):
            with self.subTest(name):
                path = self.folder() / name
                stage = write_stage(path, **how)
                stage.Save()
                _, character = read_file(path.name, path.read_bytes())
                (clip,) = character.all_clips
                self.assertEqual((clip.name, round(clip.duration * 24)), ("Walk", FRAMES - 1))
                evaluator, height = Evaluator.of(character), np.ptp(character.mesh.rest, axis=0).max()
                for frame in range(FRAMES):
                    ours = evaluator.pose(clip.pose_at(character.skeleton, frame / 24), ALL).exact_points()
                    self.assertLess(np.abs(ours - skinned_by_usd(stage, frame)).max(), near * height, frame)

    def test_looks_come_in_and_a_package_holds_them(self):
        folder = self.folder()
        stage = write_stage(folder / "lock.usda")
        picture = (DATA / "fox" / "Texture.png").read_bytes()
        (folder / "skin.png").write_bytes(picture)
        material = UsdShade.Material.Define(stage, "/Lock/Skin")
        shader, texture = (UsdShade.Shader.Define(stage, f"/Lock/Skin/{n}") for n in ("Surface", "Picture"))
        shader.CreateIdAttr("UsdPreviewSurface")
        texture.CreateIdAttr("UsdUVTexture")
        texture.CreateInput("file", Sdf.ValueTypeNames.Asset).Set("skin.png")
        port = texture.CreateOutput("rgb", Sdf.ValueTypeNames.Float3)
        shader.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f).ConnectToSource(port)
        shader.CreateInput("opacityThreshold", Sdf.ValueTypeNames.Float).Set(0.25)
        material.CreateSurfaceOutput().ConnectToSource(shader.ConnectableAPI(), "surface")
        UsdShade.MaterialBindingAPI.Apply(stage.GetPrimAtPath("/Lock/Body")).Bind(material)
        stage.Save()
        package = folder / "lock.usdz"
        self.assertTrue(UsdUtils.CreateNewUsdzPackage(str(folder / "lock.usda"), str(package)))
        apart = {"skin.png": picture}
        for name, others in (("lock.usda", apart), ("lock.usdz", None)):
            file, character = read_file(name, (folder / name).read_bytes(), others)
            seen = seen_surface(file)
            self.assertEqual(list(seen.pictures.values()), [picture])
            self.assertEqual((seen.materials[0].name, seen.materials[0].cutoff), ("Skin", 0.25))
            # A picture's rows are counted from below in one, from above in the other.
            at = character.mesh.file_triangles.ravel()
            points = np.array(UsdGeom.Mesh(stage.GetPrimAtPath("/Lock/Body")).GetPointsAttr().Get())
            own = points[character.mesh.file_to_vertex[at]][:, :2] * 0.01
            np.testing.assert_allclose(seen.coordinates[at] * [1, -1] + [0, 1], own, atol=1e-5)
            self.assertIs(type(packed(file, name, b"")), bytes)

    def test_a_usd_body_is_mended_as_any_other(self):
        path = self.folder() / "lock.usda"
        stage = write_stage(path)
        stage.Save()
        file, character = read_file(path.name, path.read_bytes())
        UsdGeom.Mesh(stage.GetPrimAtPath("/Lock/Body")).CreateOrientationAttr("leftHanded")
        stage.Save()
        turned = read_file(path.name, path.read_bytes())[1].mesh.file_triangles
        # The same faces, seen from the other side.
        np.testing.assert_array_equal(turned[:, [0, 2, 1]], character.mesh.file_triangles)
        joint = character.skeleton.find("lowerarm01_L")
        pose = bent(character.skeleton.rest_pose(), joint, (1, 0, 0), 1.7)
        mend = FirstMend.of(character, joint).solved(Evaluator.of(character).pose(pose))
        self.assertGreater(mend.contacts_before, 10)
        self.assertEqual(mend.contacts, 0)
        self.assertLess(abs(100 - mend.volume), 0.4 * abs(100 - mend.volume_before))
        again = read_file("again.glb", packed(file, path.name, b""))[1]
        np.testing.assert_array_equal(again.mesh.rest, character.mesh.rest)

    def test_what_is_no_skinned_character_gets_a_sentence(self):
        folder = self.folder()
        stage = Usd.Stage.CreateNew(str(folder / "box.usda"))
        UsdGeom.Cube.Define(stage, "/Box")
        stage.Save()
        other = Usd.Stage.CreateNew(str(folder / "needs.usda"))
        other.DefinePrim("/Lock").GetReferences().AddReference("missing.usda")
        other.Save()
        stranger = Usd.Stage.CreateNew(str(folder / "stranger.usda"))
        stranger.DefinePrim("/Lock").GetReferences().AddReference(str(folder / "box.usda"))
        stranger.Save()
        whole = folder / "lock.usdc"
        write_stage(whole).Save()
        data = whole.read_bytes()
        for name, held, words in (
            ("box.usda", (folder / "box.usda").read_bytes(), "no skinned character"),
            ("needs.usda", (folder / "needs.usda").read_bytes(), "missing.usda"),
            ("stranger.usda", (folder / "stranger.usda").read_bytes(), "lies elsewhere"),
            ("a.usda", b"#usda 1.0\n def {", "broken"),
            ("a.usdc", data[: len(data) // 2], "broken"),
            ("a.usdz", b"PK\3\4 nothing", "broken"),
        ):
            with self.subTest(name), self.assertRaisesRegex(BadFileError, words):
                read_file(name, held)
