"""MaterialX: a standard surface for each relief, its maps with their colour spaces, and displacement.

Written with the MaterialX library (Academy Software Foundation), against its own definitions of nodes.
"""

from __future__ import annotations

from typing import Any

from relief.formats.appearance import GREY, ROUGHNESS, Appearance
from relief.formats.scenes._format import Scene, SceneFormat

COLOUR, DATA = "srgb_texture", "raw"


def write(scene: Scene) -> bytes:
    """The materials of a scene, for a surface that is not displaced."""
    import MaterialX

    library = MaterialX.createDocument()
    MaterialX.loadLibraries(MaterialX.getDefaultDataLibraryFolders(), MaterialX.getDefaultDataSearchPath(), library)
    document = MaterialX.createDocument()
    document.setDataLibrary(library)
    document.setColorSpace("lin_rec709")
    for look in scene.looks:
        _add_material(document, look)
    written: str = MaterialX.writeToXmlString(document)
    return written.encode()


def _add_material(document: Any, look: Appearance) -> None:
    import MaterialX

    name = MaterialX.createValidName(look.name)
    surface = document.addNode("standard_surface", f"{name}_surface", "surfaceshader")
    surface.setInputValue("base", 1.0)
    if "roughness" not in look.maps:
        surface.setInputValue("specular_roughness", ROUGHNESS)
    if "colour" in look.maps:
        _connect(surface, "base_color", _picture(document, name, look, "colour", "color3", COLOUR))
    else:
        surface.setInputValue("base_color", MaterialX.Color3(*GREY))
    for role, taken in (("roughness", "specular_roughness"), ("metalness", "metalness")):
        if role in look.maps:
            _connect(surface, taken, _picture(document, name, look, role, "float", DATA))
    if "normal" in look.maps:
        turned = document.addNode("normalmap", f"{name}_normal", "vector3")
        _connect(turned, "in", _facing_up(document, name, look))
        _connect(surface, "normal", turned)
    material = document.addNode("surfacematerial", name, "material")
    _connect(material, "surfaceshader", surface)
    if "displacement" in look.maps:
        height = document.addNode("subtract", f"{name}_from_midlevel", "float")
        _connect(height, "in1", _picture(document, name, look, "displacement", "float", DATA))
        height.setInputValue("in2", look.midlevel)
        moved = document.addNode("displacement", f"{name}_displacement", "displacementshader")
        _connect(moved, "displacement", height)
        moved.setInputValue("scale", look.rise)
        _connect(material, "displacementshader", moved)


def _facing_up(document: Any, name: str, look: Appearance) -> Any:
    """The normal map with red to the right and green up, as `normalmap` wants it."""
    import MaterialX

    picture = _picture(document, name, look, "normal", "vector3", DATA)
    if not (look.green_down or look.red_left):
        return picture
    sides = (-1.0 if look.red_left else 1.0, -1.0 if look.green_down else 1.0, 1.0)
    factor = document.addNode("multiply", f"{name}_normal_turned", "vector3")
    _connect(factor, "in1", picture)
    factor.setInputValue("in2", MaterialX.Vector3(*sides))
    moved = document.addNode("add", f"{name}_normal_moved", "vector3")
    _connect(moved, "in1", factor)
    moved.setInputValue("in2", MaterialX.Vector3(*(float(side < 0) for side in sides)))
    return moved


def _picture(document: Any, name: str, look: Appearance, role: str, kind: str, space: str) -> Any:
    node = document.addNode("image", f"{name}_{role}_map", kind)
    file = node.addInput("file", "filename")
    file.setValueString(look.maps[role])
    file.setColorSpace(space)
    for direction in ("uaddressmode", "vaddressmode"):
        node.setInputValue(direction, "periodic")
    return node


def _connect(node: Any, name: str, to: Any) -> None:
    node.addInput(name, to.getType()).setConnectedNode(to)


FORMAT = SceneFormat(
    name="MaterialX",
    title="Material",
    ending="mtlx",
    about="A MaterialX standard surface with all maps and the displacement.",
    reading="A standard surface with maps, each with its colour space; displacement in {unit}.",
    write=write,
    is_flat=True,
)
