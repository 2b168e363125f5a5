"""What a format of meshes says of itself."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from relief.surface.mesh import Mesh


class AroundMesh(NamedTuple):
    """What goes into the file of a mesh beside its faces, where its format has a place for it.

    Attributes:
        unit: of its lengths.
        library: the file name of its materials.
        pictures: for each part of the mesh PNGs by role: `colour`, `normal` with green up, and `surface` with
            occlusion, roughness and metalness in its channels.
    """

    unit: str = "mm"
    library: str = ""
    pictures: Sequence[Mapping[str, bytes]] = ()


ALONE = AroundMesh()
"""A mesh in mm, with nothing beside it."""


@dataclass(frozen=True)
class MeshFormat:
    """A format of meshes; its module is named by the ending of its files.

    Attributes:
        name: as it is chosen.
        title: what it is called in full, and which way is up.
        about: what it is good for, a sentence.
        write: gives the bytes of a file, of a mesh in the unit that it says, or in mm where `unit` is set.
        unit: the one that its lengths are always in; empty where they are in the delivery's.
        has_regions: whether each region of a piece is a group with a material in it.
        has_library: whether it names a file of materials beside it.
        has_pictures: whether it carries the maps.
    """

    name: str
    title: str
    about: str
    write: Callable[[Mesh, AroundMesh], bytes]
    unit: str = ""
    has_regions: bool = False
    has_library: bool = False
    has_pictures: bool = False
