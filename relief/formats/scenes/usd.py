"""USD as text: the mesh with a UsdPreviewSurface for each region, y up, its unit told.

Written with the OpenUSD library. UsdPreviewSurface specification 2.6: normal maps are scaled by 2 and moved by -1, data
is read raw, colour as sRGB.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from relief.figures import UNITS
from relief.formats.appearance import GREY, ROUGHNESS, Appearance
from relief.formats.scenes._format import Scene, SceneFormat
from relief.surface.mesh import Mesh

ROOT = "/relief"


def write(scene: Scene) -> bytes:
    """The scene as text."""
    from pxr import Usd, UsdGeom, UsdShade, Vt

    mesh = scene.mesh
    assert mesh is not None
    stage = Usd.Stage.CreateInMemory()
    root = UsdGeom.Xform.Define(stage, ROOT)
    stage.SetDefaultPrim(root.GetPrim())
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    UsdGeom.SetStageMetersPerUnit(stage, UNITS[scene.unit] / 1000)
    drawn = _add_mesh(stage, mesh)
    drawn.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.catmullClark if scene.smooth else UsdGeom.Tokens.none)
    if scene.level is not None:
        drawn.GetPrim().SetCustomDataByKey("recommendedSubdivisionLevel", scene.level)
    for number, look in enumerate(scene.looks):
        material = _add_material(stage, look, number)
        faces = np.flatnonzero(mesh.parts == number)
        if not len(faces):
            continue
        target = drawn.GetPrim()
        if len(mesh.part_list) > 1:
            subset = UsdGeom.Subset.CreateGeomSubset(
                drawn, _name(look, number), UsdGeom.Tokens.face, Vt.IntArray.FromNumpy(faces.astype(np.int32)),
                UsdShade.Tokens.materialBind, UsdGeom.Tokens.partition,
            )  # fmt: skip
            target = subset.GetPrim()
        UsdShade.MaterialBindingAPI.Apply(target).Bind(material)
    written: str = stage.GetRootLayer().ExportToString()
    return written.encode()


def _add_mesh(stage: Any, mesh: Mesh) -> Any:
    from pxr import Sdf, UsdGeom, Vt

    drawn = UsdGeom.Mesh.Define(stage, f"{ROOT}/mesh")
    positions = (mesh.positions + np.array(mesh.middle, np.float32)).astype(np.float32)
    drawn.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(positions))
    drawn.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.diff(mesh.offsets).astype(np.int32)))
    drawn.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(mesh.corners))
    drawn.CreateExtentAttr(Vt.Vec3fArray.FromNumpy(np.stack([positions.min(axis=0), positions.max(axis=0)])))
    drawn.CreateOrientationAttr(UsdGeom.Tokens.rightHanded)
    drawn.CreateNormalsAttr(Vt.Vec3fArray.FromNumpy(mesh.normals[mesh.normal_corners]))
    drawn.SetNormalsInterpolation(UsdGeom.Tokens.faceVarying)
    places = UsdGeom.PrimvarsAPI(drawn).CreatePrimvar(
        "st", Sdf.ValueTypeNames.TexCoord2fArray, UsdGeom.Tokens.faceVarying
    )
    places.Set(Vt.Vec2fArray.FromNumpy(np.ascontiguousarray(mesh.uv)))
    places.SetIndices(Vt.IntArray.FromNumpy(mesh.uv_corners))
    return drawn


def _name(look: Appearance, number: int) -> str:
    return f"part_{number}_{''.join(letter if letter.isalnum() and letter.isascii() else '_' for letter in look.name)}"


def _add_material(stage: Any, look: Appearance, number: int) -> Any:
    from pxr import Gf, Sdf, UsdShade

    place = f"{ROOT}/materials/{_name(look, number)}"
    material = UsdShade.Material.Define(stage, place)
    shader = UsdShade.Shader.Define(stage, f"{place}/surface")
    shader.CreateIdAttr("UsdPreviewSurface")
    kinds = Sdf.ValueTypeNames
    shader.CreateInput("diffuseColor", kinds.Color3f).Set(Gf.Vec3f(*GREY))
    shader.CreateInput("roughness", kinds.Float).Set(ROUGHNESS)
    shader.CreateInput("metallic", kinds.Float).Set(0.0)
    reader = UsdShade.Shader.Define(stage, f"{place}/places")
    reader.CreateIdAttr("UsdPrimvarReader_float2")
    reader.CreateInput("varname", kinds.String).Set("st")
    at = reader.CreateOutput("result", kinds.Float2)

    def connect(role: str, name: str, kind: Any, scale: tuple[float, ...], bias: tuple[float, ...], space: str) -> None:
        if role not in look.maps:
            return
        picture = UsdShade.Shader.Define(stage, f"{place}/{role}_map")
        picture.CreateIdAttr("UsdUVTexture")
        picture.CreateInput("file", kinds.Asset).Set(
            Sdf.AssetPath(f"./{look.normal_up if role == 'normal' else look.maps[role]}")
        )
        picture.CreateInput("sourceColorSpace", kinds.Token).Set(space)
        picture.CreateInput("wrapS", kinds.Token).Set("repeat")
        picture.CreateInput("wrapT", kinds.Token).Set("repeat")
        picture.CreateInput("st", kinds.Float2).ConnectToSource(at)
        picture.CreateInput("scale", kinds.Float4).Set(Gf.Vec4f(*scale))
        picture.CreateInput("bias", kinds.Float4).Set(Gf.Vec4f(*bias))
        channel = "r" if kind == kinds.Float else "rgb"
        out = picture.CreateOutput(channel, kinds.Float if kind == kinds.Float else kinds.Float3)
        shader.CreateInput(name, kind).ConnectToSource(out)

    plain, nothing = (1, 1, 1, 1), (0, 0, 0, 0)
    connect("colour", "diffuseColor", kinds.Color3f, plain, nothing, "sRGB")
    connect("normal", "normal", kinds.Normal3f, (2, 2, 2, 1), (-1, -1, -1, 0), "raw")
    for role, name in (("roughness", "roughness"), ("metalness", "metallic"), ("occlusion", "occlusion")):
        connect(role, name, kinds.Float, plain, nothing, "raw")
    rise, down = look.rise, -look.rise * look.midlevel
    connect("displacement", "displacement", kinds.Float, (rise,) * 4, (down,) * 4, "raw")
    material.CreateSurfaceOutput().ConnectToSource(shader.ConnectableAPI(), "surface")
    if "displacement" in look.maps:
        material.CreateDisplacementOutput().ConnectToSource(shader.ConnectableAPI(), "displacement")
    return material


FORMAT = SceneFormat(
    name="USD",
    title="Scene",
    ending="usda",
    about="A USD scene: the mesh with a preview surface and all maps.",
    reading="The mesh with a preview surface for each region, y up; lengths in {unit}, as it says.",
    write=write,
    has_mesh=True,
    green_up=True,
)
