"""What a format of scenes says of itself, and what it is given."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

from relief.formats.appearance import Appearance
from relief.surface.mesh import Mesh


class Scene(NamedTuple):
    """What a scene holds; the maps are files beside it.

    Attributes:
        looks: the material of each part of the mesh.
        unit: of all lengths.
        mesh: the surface, lengths in that unit; none for a format that takes no mesh.
        level: how often the receiver subdivides the mesh, where it is not displaced yet; none where it is.
        smooth: whether it does so smoothly (Catmull-Clark).
    """

    looks: Sequence[Appearance]
    unit: str
    mesh: Mesh | None = None
    level: int | None = None
    smooth: bool = False


class SceneFormat(NamedTuple):
    """A format of scenes; its module is named as the switch of a delivery that asks for it.

    Attributes:
        name: as it is chosen.
        title: what its file is called on the page.
        ending: of its file.
        about: what it is good for, a sentence.
        reading: what the notes say of it; `{unit}` stands for the unit of lengths.
        write: gives the bytes of a file. Its library is loaded as it is called, as it may not be installed.
        has_mesh: whether the mesh is in it.
        is_flat: whether its materials displace, so that they are for a mesh which is not displaced.
        green_up: whether its normal maps need green up and red to the right.
    """

    name: str
    title: str
    ending: str
    about: str
    reading: str
    write: Callable[[Scene], bytes]
    has_mesh: bool = False
    is_flat: bool = False
    green_up: bool = False
